"""Sharing a picture between the cores: bands of its rows."""

from __future__ import annotations

from collections.abc import Callable, Sequence
from concurrent.futures import wait
from typing import TypeVar

from brisk_atlas.core.system.shares import CORES, begun_in_pieces, in_pieces

SMALL_ROWS = 32  # a smaller picture is not worth sharing
Turn = TypeVar("Turn")
CHECK_S = 0.02  # between two looks at whether to stop
TURNS = 4  # bands a core, so that a crowded half of a picture does not keep the other core waiting


def in_bands(rows: int, draw: Callable[[int, int], object]) -> None:
    """Call `draw(top, bottom)` for bands that together cover `rows`, several at the same time."""
    if rows < SMALL_ROWS:
        draw(0, rows)
    else:
        in_pieces(rows, CORES * TURNS, draw)


def in_bands_by_turns(
    rows: int,
    turns: Sequence[Turn],
    draw: Callable[[int, int, Turn], object],
    check: Callable[[], None],
    on_partial: Callable[[], None],
) -> None:
    """Call `draw(top, bottom, turn)` for all turns in their order in each of the bands that together cover `rows`. No
    band waits for another one: things that lie close together often come one after the other, all in the same bands.

    `check` is called often and may raise to stop; `on_partial` whenever more can be seen.
    """
    stops = False

    def band(top: int, bottom: int) -> None:
        for turn in turns:
            if stops:
                return
            draw(top, bottom, turn)

    check()
    if rows < SMALL_ROWS:
        band(0, rows)
        return
    jobs = begun_in_pieces(rows, CORES * TURNS, band)
    try:
        while wait(jobs, CHECK_S).not_done:
            check()
            on_partial()
    finally:
        stops = True
        wait(jobs)
    for job in jobs:
        job.result()
