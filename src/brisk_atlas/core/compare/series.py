"""Grids of several dates: the statistics of each cell through time."""

from __future__ import annotations

from collections.abc import Callable, Sequence
from concurrent.futures import ThreadPoolExecutor
from dataclasses import replace
from typing import NamedTuple

import numpy as np
from scipy.special import betainc

from brisk_atlas.core.model import AtlasError, CellWindow, Lattice, Level, RasterPart
from brisk_atlas.core.model.grid import Grid
from brisk_atlas.core.model.language import tr
from brisk_atlas.core.place import same_crs
from brisk_atlas.core.system.shares import CORES

from .trend_kernel import FEWEST, ROOM, STATISTICS, series_sums

TILE = 512  # cells along a side of what a core works on at once, of which most tiles of files have a share
ROW_CELLS = 8_000_000  # of all dates together, worked on at once where files hold whole rows
STEPS = 4096  # of correlations between 0 and 1 for which probabilities are worked out
APART = 8  # cells
SECONDS_A_YEAR = 365.2425 * 86_400
MOST_CELLS = 250_000_000  # of the result, all statistics together


class DatedBand(NamedTuple):
    """A band of a grid and when it was taken, seconds since 1970-01-01 00:00."""

    part: RasterPart
    band: int
    seconds: float


class CellSeries(NamedTuple):
    """What each cell was through time: eight float32 bands (`NAMES`) on the cells of the first date.

    `resampled` counts the dates whose cells are others and were interpolated.
    """

    grid: Grid
    dates: int
    resampled: int
    unit: str


NAMES = ("count", "minimum", "maximum", "mean", "trend", "p value of the trend", "year of the largest change",
         "largest change")  # fmt: skip


def band_units(unit: str) -> tuple[str, ...]:
    """Return the units of the eight statistics of values in a unit."""
    return "", unit, unit, unit, f"{unit}/a" if unit else "1/a", "", "a", unit


def years_of(seconds: Sequence[float]) -> np.ndarray:
    """Return times as years with their fraction: seconds since 1970 over those of a mean Gregorian year."""
    return 1970.0 + np.asarray(seconds, float) / SECONDS_A_YEAR


def chance_table(dates: int) -> np.ndarray:
    """Return (dates + 1, STEPS + 1) probabilities that the correlation of so many values with time is, by chance, at
    least as strong as the share of the step; two-sided, NaN for too few values.

    Source: Student's t test of a slope; with r the correlation and f = n - 2, p is the regularised incomplete beta
    function I(1 - r²; f / 2, 1/2).
    """
    strength = np.linspace(0.0, 1.0, STEPS + 1)
    table = np.full((dates + 1, STEPS + 1), np.nan)
    for count in range(FEWEST, dates + 1):
        table[count] = betainc((count - 2) / 2, 0.5, 1 - strength**2)
    return table


def series_statistics(bands: Sequence[DatedBand], check: Callable[[float], None] = lambda share: None) -> CellSeries:
    """Return the statistics of each cell of the first date's grid through all dates, read block by block.

    The trend is by least squares, for each year; its p value is that of a two-sided t test, which takes the values as
    independent of each other. Dates with other cells are interpolated. Raises AtlasError for fewer than two dates, two
    of the same time, or a result too large to be held.
    """
    bands = sorted(bands, key=lambda each: each.seconds)
    times = [each.seconds for each in bands]
    if len(set(times)) < max(2, len(times)):
        raise AtlasError(
            bands[0].part.ref if bands else tr("a series"), tr("a series needs two dates or more, each once"),
            tr("Leave out what is of the same date, or state the dates."),
        )  # fmt: skip
    first = bands[0].part.facts
    assert first.grid is not None and first.extent is not None
    lattice = first.lattice
    rows, columns = first.grid.height, first.grid.width
    if rows * columns * STATISTICS > MOST_CELLS:
        raise AtlasError(
            bands[0].part.ref,
            tr("{rows:,} cells are too many for statistics at once", rows=rows * columns),
            tr("Export a smaller extent first."),
        )
    out = np.empty((STATISTICS, rows, columns), np.float32)
    years, chances = years_of(times), chance_table(len(bands))
    middle = float(years.mean())
    levels = [_own_cells(e, lattice) for e in bands]
    in_rows = any(each.part.stored_in_rows for each in bands)
    tall, wide = (max(1, ROW_CELLS // (columns * len(bands))), columns) if in_rows else (TILE, TILE)
    corners = [(top, left) for top in range(0, rows, tall) for left in range(0, columns, wide)]

    def block(corner: tuple[int, int]) -> None:
        top, left = corner
        window = CellWindow(left, top, min(columns, left + wide), min(rows, top + tall))
        tall_now, across = window.shape
        # a few cells more, or the same cell of all dates, a power of two apart, would fall on one place of the cache
        stack = np.empty((len(bands), tall_now, across + APART), np.float32)
        for number, (each, level) in enumerate(zip(bands, levels)):
            stack[number, :, :across] = _cells(each, window, lattice, level)
        into = out[:, top : window.last_row, left : window.last_column]
        series_sums(stack, years - middle, chances, np.empty((ROOM, across)), into)

    with ThreadPoolExecutor(CORES, "series") as pool:
        for number, _ in enumerate(pool.map(block, corners)):
            try:
                check((number + 1) / len(corners))
            except BaseException:
                pool.shutdown(wait=False, cancel_futures=True)
                raise
    out[6] += middle
    grid = Grid(out, out[0] > 0, lattice)
    return CellSeries(grid, len(bands), levels.count(None), first.grid.bands[bands[0].band - 1].unit)


def _own_cells(each: DatedBand, lattice: Lattice) -> Level | None:
    """Return the level of a date's own cells where they are all those of a lattice, else None."""
    theirs = each.part.facts.lattice
    if not same_crs(lattice.crs, each.part.facts.crs) or theirs != replace(lattice, crs=theirs.crs):
        return None
    return each.part.levels(each.band)[0]


def _cells(each: DatedBand, window: CellWindow, lattice: Lattice, level: Level | None) -> np.ndarray:
    """Return (rows, cols) float32 of one date in a window of the first one's cells, NaN without data; `level` is that
    of its own cells where they coincide with those."""
    if level is not None:
        return each.part.cells(each.band, level, window)
    found = each.part.onto(lattice.within(window), bands=(each.band,), smooth=True)
    return np.where(found.valid, found.values[0], np.float32(np.nan)).astype(np.float32, copy=False)
