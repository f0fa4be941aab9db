"""Sharing work between the cores: bands of a picture's rows, or shares of a list."""

from __future__ import annotations

import os
from collections.abc import Callable
from concurrent.futures import ThreadPoolExecutor
from functools import cache
from itertools import pairwise

CORES = max(1, min(8, os.cpu_count() or 1))
SMALL_ROWS = 32  # a smaller picture is not worth sharing
SMALL_SHARE = 4096  # things; a shorter list is not worth sharing
TURNS = 4  # bands a core, so that a crowded half of a picture does not keep the other core waiting


@cache
def _pool() -> ThreadPoolExecutor:
    return ThreadPoolExecutor(CORES, thread_name_prefix="draw")


def _share(count: int, pieces: int, work: Callable[[int, int], object]) -> None:
    edges = [count * i // pieces for i in range(pieces + 1)]
    for job in [_pool().submit(work, a, b) for a, b in pairwise(edges)]:
        job.result()


def in_bands(rows: int, draw: Callable[[int, int], object]) -> None:
    """Call `draw(top, bottom)` for bands that together cover `rows`, several at the same time."""
    if rows < SMALL_ROWS:
        draw(0, rows)
    else:
        _share(rows, CORES * TURNS, draw)


def in_shares(count: int, work: Callable[[int, int], object]) -> None:
    """Call `work(first, last)` for shares that together cover `count` things, several at the same time."""
    if count < SMALL_SHARE:
        work(0, count)
    else:
        _share(count, CORES, work)
