"""What a child process owes to the one that started it."""

from __future__ import annotations

import faulthandler
import os
import threading
import time

LOOK_S = 1.0


def end_with_parent() -> None:
    """End this process soon after the one that started it has ended, whatever it is doing."""
    parent = os.getppid()

    def watch() -> None:
        while os.getppid() == parent:
            time.sleep(LOOK_S)
        os._exit(1)

    threading.Thread(target=watch, daemon=True, name="watch the parent").start()


def end_after(seconds: float) -> None:
    """End this process after a while unless this is called again, also where a library never comes back and lets
    no other thread run."""
    faulthandler.dump_traceback_later(seconds, exit=True, file=open(os.devnull, "w"))  # noqa: PTH123, SIM115
