"""Where a ramp begins and ends."""

from __future__ import annotations

import numpy as np

from brisk_atlas.core.cache import DataCache
from brisk_atlas.core.model import DataRef, RasterPart, Stretch
from brisk_atlas.core.read.pyramid import needs_pyramid

SPOTS = 12  # windows each way, for a large grid without overviews
ALIKE = 7  # bands along dimensions whose values give the limits of all
SAMPLE = 512  # cells on the longer side; limits of a grid are taken from a reduced reading of it


def limits_of(values: np.ndarray, stretch: Stretch) -> tuple[float, float]:
    """Return the low and high end of a ramp over finite `values`; (0, 1) where there are none."""
    if stretch.kind == "hand":
        return stretch.low, stretch.high
    values = values[np.isfinite(values)] if values.dtype.kind == "f" else values
    if not values.size:
        return 0.0, 1.0
    if stretch.kind == "percent":
        low, high = np.percentile(values, (stretch.low, stretch.high))
        return float(low), float(high)
    low, high = float(values.min()), float(values.max())
    if stretch.kind == "deviations":
        mean, deviation = float(values.mean()), float(values.std())
        return max(low, mean - stretch.low * deviation), min(high, mean + stretch.high * deviation)
    return low, high


def stretched(values: np.ndarray, low: float, high: float, gamma: float = 1.0) -> np.ndarray:
    """Return where values stand between the ends, 0 to 1, the middle brightened by `gamma`."""
    share = np.clip((values - low) / ((high - low) or 1.0), 0.0, 1.0)
    return share ** (1.0 / gamma) if gamma != 1.0 else share


def grid_limits(cache: DataCache, source: DataRef, band: int, stretch: Stretch) -> tuple[float, float]:
    """Return the limits of one band of a raster, from a sample of the whole of it, stored."""
    if stretch.kind == "hand":
        return stretch.low, stretch.high
    bands = _alike(cache.raster(source), band)
    return cache.derive(
        ("limits", source, bands, stretch.kind, stretch.low, stretch.high),
        lambda: limits_of(np.concatenate([grid_sample(cache, source, each) for each in bands]), stretch),
    )


def _alike(part: RasterPart, band: int) -> tuple[int, ...]:
    """Return the bands whose values share a ramp with a band: itself, or some of all along its dimensions, so that a
    colour means the same at each time."""
    grid = part.facts.grid
    if grid is None or not grid.dimensions:
        return (band,)
    count = len(grid.bands)
    return tuple(sorted({1 + round(i * (count - 1) / (ALIKE - 1)) for i in range(ALIKE)}))


def grid_sample(cache: DataCache, source: DataRef, band: int) -> np.ndarray:
    """Return the valid values of a reduced reading of one band, stored."""
    return cache.derive(("sample", source, band), lambda: sample_of(cache.raster(source), band))


def sample_of(part: RasterPart, band: int) -> np.ndarray:
    """Return the valid values of a reduced reading of one band (at most 512 x 512 cells)."""
    facts = part.facts
    assert facts.extent is not None and facts.grid is not None
    shrink = max(1.0, max(facts.grid.width, facts.grid.height) / SAMPLE)
    shape = max(1, round(facts.grid.height / shrink)), max(1, round(facts.grid.width / shrink))
    if needs_pyramid(part, band):  # the library would have to read all of it
        return _spots(part, band)
    grid = part.read(facts.extent, shape, bands=(band,))
    return grid.values[0][grid.valid]


def _spots(part: RasterPart, band: int) -> np.ndarray:
    """Return the valid cells of small windows spread over a band."""
    level = part.levels(band)[0]
    side = SAMPLE // SPOTS
    found = []
    for row in np.linspace(0, max(0, level.height - side), SPOTS).astype(int).tolist():
        for col in np.linspace(0, max(0, level.width - side), SPOTS).astype(int).tolist():
            window = (col, row, min(level.width, col + side), min(level.height, row + side))
            found.append(part.cells(band, level, window).ravel())
    cells = np.concatenate(found)
    return cells[np.isfinite(cells)]
