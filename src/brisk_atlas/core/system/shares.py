"""Sharing work between the cores: shares of a list."""

from __future__ import annotations

import os
from collections.abc import Callable, Iterator
from concurrent.futures import Future, ThreadPoolExecutor
from contextlib import contextmanager
from functools import cache
from itertools import pairwise
from threading import Barrier, local

CORES = max(1, min(8, os.cpu_count() or 1))
SMALL_SHARE = 4096  # things; a shorter list is not worth sharing


_thread = local()


def yield_to_others() -> None:
    """Let what this thread shares out, too, come after the work of others."""
    _thread.yields = True


def yields() -> bool:
    """Return whether what this thread shares out comes after the work of others."""
    return getattr(_thread, "yields", False)


@contextmanager
def alone() -> Iterator[None]:
    """Do pieces one after the other on this thread, as where a process for each core is at work already."""
    _thread.alone = True
    try:
        yield
    finally:
        _thread.alone = False


def pool() -> ThreadPoolExecutor:
    """Return the threads that share the work of this thread: others for work that yields to others, as a thread has
    the priority of the one that starts it."""
    return _pool(yields())


@cache
def _pool(yields: bool) -> ThreadPoolExecutor:
    made = ThreadPoolExecutor(CORES, thread_name_prefix="share later" if yields else "share")
    together = Barrier(CORES)
    for each in [made.submit(together.wait) for _ in range(CORES)]:  # all of them start here
        each.result()
    return made


def in_pieces(count: int, pieces: int, work: Callable[[int, int], object]) -> None:
    """Call `work(first, last)` for as many pieces as asked, several at the same time."""
    for job in begun_in_pieces(count, pieces, work):
        job.result()


def begun_in_pieces(count: int, pieces: int, work: Callable[[int, int], object]) -> list[Future[object]]:
    """Begin with what `in_pieces` does and return its pieces, which the caller waits for."""
    edges = [count * i // pieces for i in range(pieces + 1)]
    begin = _done if getattr(_thread, "alone", False) else pool().submit
    return [begin(work, a, b) for a, b in pairwise(edges)]


def _done(work: Callable[[int, int], object], first: int, last: int) -> Future[object]:
    done: Future[object] = Future()
    done.set_result(work(first, last))
    return done


def in_shares(count: int, work: Callable[[int, int], object]) -> None:
    """Call `work(first, last)` for shares that together cover `count` things, several at the same time."""
    if count < SMALL_SHARE:
        work(0, count)
    else:
        in_pieces(count, CORES, work)
