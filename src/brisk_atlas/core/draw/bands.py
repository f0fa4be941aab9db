"""Sharing one picture between the cores: each thread draws a band of rows."""

from __future__ import annotations

import os
from collections.abc import Callable
from concurrent.futures import ThreadPoolExecutor
from functools import cache
from itertools import pairwise

CORES = max(1, min(4, os.cpu_count() or 1))
SMALL = 64  # rows; a smaller picture is not worth sharing


@cache
def _pool() -> ThreadPoolExecutor:
    return ThreadPoolExecutor(CORES, thread_name_prefix="draw")


def in_bands(rows: int, draw: Callable[[int, int], None]) -> None:
    """Call `draw(top, bottom)` for bands that together cover `rows`, at the same time."""
    if rows < SMALL or CORES == 1:
        draw(0, rows)
        return
    edges = [rows * i // CORES for i in range(CORES + 1)]
    for job in [_pool().submit(draw, a, b) for a, b in pairwise(edges)]:
        job.result()
