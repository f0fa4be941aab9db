"""Sharing work between the cores: shares of a list."""

from __future__ import annotations

import os
from collections.abc import Callable
from concurrent.futures import ThreadPoolExecutor
from functools import cache
from itertools import pairwise

CORES = max(1, min(8, os.cpu_count() or 1))
SMALL_SHARE = 4096  # things; a shorter list is not worth sharing


@cache
def pool() -> ThreadPoolExecutor:
    return ThreadPoolExecutor(CORES, thread_name_prefix="share")


def in_pieces(count: int, pieces: int, work: Callable[[int, int], object]) -> None:
    """Call `work(first, last)` for as many pieces as asked, several at the same time."""
    edges = [count * i // pieces for i in range(pieces + 1)]
    for job in [pool().submit(work, a, b) for a, b in pairwise(edges)]:
        job.result()


def in_shares(count: int, work: Callable[[int, int], object]) -> None:
    """Call `work(first, last)` for shares that together cover `count` things, several at the same time."""
    if count < SMALL_SHARE:
        work(0, count)
    else:
        in_pieces(count, CORES, work)
