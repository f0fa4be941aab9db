"""What a child process owes to the one that started it."""

from __future__ import annotations

import faulthandler
import os
import threading
import time
from collections.abc import Iterator
from contextlib import contextmanager

LOOK_S = 1.0


def end_with_parent() -> None:
    """End this process soon after the one that started it has ended, whatever it is doing."""
    parent = os.getppid()

    def watch() -> None:
        while os.getppid() == parent:
            time.sleep(LOOK_S)
        os._exit(1)

    threading.Thread(target=watch, daemon=True, name="watch the parent").start()


@contextmanager
def at_most(seconds: float) -> Iterator[None]:
    """End this process where what is done within takes longer, also where a library never comes back and lets no
    other thread run."""
    with open(os.devnull, "w") as nowhere:  # noqa: PTH123
        faulthandler.dump_traceback_later(seconds, exit=True, file=nowhere)
        try:
            yield
        finally:
            faulthandler.cancel_dump_traceback_later()
