"""In how many cells two grids of the same lattice differ."""

from __future__ import annotations

from collections.abc import Callable
from dataclasses import dataclass

import numpy as np

from brisk_atlas.core.model import CellWindow, RasterPart

BLOCK_CELLS = 4_000_000  # read at once of each side


@dataclass(frozen=True)
class CellsChange:
    """How the cells of one band differ.

    changed : cells with data on both sides and another value
    gained, lost : cells with data in B alone, and in A alone
    largest : the largest difference, up or down; 0 for none
    """

    band: str
    changed: int
    gained: int
    lost: int
    largest: float

    @property
    def differs(self) -> bool:
        """Whether any cell differs."""
        return bool(self.changed or self.gained or self.lost)


def cells_changes(
    a: RasterPart, b: RasterPart, *, tolerance: float = 0.0, check: Callable[[float], None] = lambda share: None
) -> list[CellsChange] | None:
    """Return how the cells of each band differ, one block of rows after another; None where the two have not the same
    cells or bands. Values that differ by no more than `tolerance` are equal."""
    own, other = a.facts.grid, b.facts.grid
    if own is None or other is None or len(own.bands) != len(other.bands):
        return None
    if (own.width, own.height) != (other.width, other.height) or a.facts.lattice != b.facts.lattice:
        return None
    rows = max(1, BLOCK_CELLS // max(1, own.width))
    found = []
    for number, band in enumerate(own.bands):
        changed = gained = lost = 0
        largest = 0.0
        for first in range(0, own.height, rows):
            check((number + first / own.height) / len(own.bands))
            window = CellWindow(0, first, own.width, min(own.height, first + rows))
            one, two = (part.block(window, bands=(band.index,)) for part in (a, b))
            both = one.valid & two.valid
            off = np.abs(two.values[0][both].astype(np.float64) - one.values[0][both])
            beyond = off > tolerance
            changed += int(beyond.sum())
            gained += int((two.valid & ~one.valid).sum())
            lost += int((one.valid & ~two.valid).sum())
            largest = max(largest, float(off[beyond].max(initial=0.0)))
        found.append(CellsChange(band.name, changed, gained, lost, largest))
    return found
