"""Sharing a picture between the cores: bands of its rows."""

from __future__ import annotations

from collections.abc import Callable

from brisk_atlas.core.system.shares import CORES, in_pieces

SMALL_ROWS = 32  # a smaller picture is not worth sharing
TURNS = 4  # bands a core, so that a crowded half of a picture does not keep the other core waiting


def in_bands(rows: int, draw: Callable[[int, int], object]) -> None:
    """Call `draw(top, bottom)` for bands that together cover `rows`, several at the same time."""
    if rows < SMALL_ROWS:
        draw(0, rows)
    else:
        in_pieces(rows, CORES * TURNS, draw)
