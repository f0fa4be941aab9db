"""The program of a worker process: calls functions as it is asked to, until the pipe closes."""

from __future__ import annotations

import os
import pickle
import resource
import sys
from importlib import import_module
from multiprocessing.connection import Connection
from multiprocessing.reduction import recv_handle
from typing import Any

from .child import at_most, end_with_parent
from .lean_imports import load_lean

MOST_MEMORY_SHARE = 0.6  # of the machine's, for one worker
IDLE_S = 0.05  # before it loads ahead of need
EXTRA_S = 60.0  # beyond the patience of who asked, should nobody be left to end it


def main() -> None:
    """Answer calls from standard input until it ends."""
    pipe = Connection(int(sys.argv[1]))
    end_with_parent()
    load_lean()
    resource.setrlimit(resource.RLIMIT_CORE, (0, 0))
    most = int(MOST_MEMORY_SHARE * os.sysconf("SC_PAGE_SIZE") * os.sysconf("SC_PHYS_PAGES"))
    pipe.send(("ready", None))
    for module in sys.argv[2:]:
        if pipe.poll(IDLE_S):
            break  # there is work already, which loads what it needs
        import_module(module)
    while True:
        try:
            name, arguments, patience_s, descriptor_count, reports = pipe.recv()
        except EOFError:
            return
        resource.setrlimit(resource.RLIMIT_AS, (most, most))  # the call before may have set a lower one
        given: dict[str, Any] = {}
        if descriptor_count:
            given["descriptors"] = [recv_handle(pipe) for _ in range(descriptor_count)]
        if reports:
            given["report"] = lambda share: pipe.send(("share", share))
        try:
            module, _, function = name.partition(":")
            wanted = getattr(import_module(module), function)
            pipe.send(("begun", None))
        except Exception as error:
            pipe.send(("begun", None))
            pipe.send(("error", _portable(error)))
            continue
        try:
            with at_most(patience_s + EXTRA_S):
                answer = pickle.dumps(("result", wanted(*arguments, **given)), pickle.HIGHEST_PROTOCOL)
        except BaseException as error:  # libraries in other languages raise what is no Exception
            answer = pickle.dumps(("error", _portable(error)))
        finally:
            for descriptor in given.get("descriptors", ()):
                os.close(descriptor)
        pipe.send_bytes(answer)


def _portable(error: BaseException) -> BaseException:
    """Return an error that can be pickled, the same one where it can."""
    try:
        pickle.loads(pickle.dumps(error))
        return error
    except Exception:
        return RuntimeError(f"{type(error).__name__}: {error}")


if __name__ == "__main__":
    main()
