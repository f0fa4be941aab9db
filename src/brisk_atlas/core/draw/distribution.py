"""How the values that a layer is coloured by are distributed, for choosing where its ramp begins and ends."""

from __future__ import annotations

from dataclasses import dataclass

import numpy as np

from brisk_atlas.core.cache import DataCache
from brisk_atlas.core.model import CloudStyle, GridStyle, Layer, VectorStyle
from brisk_atlas.core.table import all_seen_rows, column_of

from .classes import is_number, numbers_of
from .cloud import AT_ONCE, cloud_limits, dimensions_of
from .limits import grid_limits, grid_sample, limits_of
from .raster import channel_sources

BINS = 96


@dataclass(frozen=True, eq=False)
class ValueDistribution:
    """counts : one (bins,) array for each band shown; edges : (bins + 1,); low, high : the present
    ends of the ramp."""

    counts: tuple[np.ndarray, ...]
    edges: np.ndarray
    low: float
    high: float


def grid_distribution(cache: DataCache, layer: Layer, style: GridStyle) -> ValueDistribution | None:
    """Return the distribution of the bands on show; None where colours do not run with their numbers."""
    if style.own_colours or style.slope:
        return None
    sources = channel_sources(layer.ref, style)
    samples = [grid_sample(cache, s, b) for s, b in zip(sources, style.bands)]
    ends = [grid_limits(cache, s, b, style.stretch) for s, b in zip(sources, style.bands)]
    return _distribution(samples, min(low for low, _ in ends), max(high for _, high in ends))


def vector_distribution(cache: DataCache, layer: Layer, style: VectorStyle) -> ValueDistribution | None:
    """Return the distribution of the field that colours features; None where colours do not run with numbers. Raises
    BadExpression."""
    if not style.colour_by or style.method != "ramp":
        return None
    table = all_seen_rows(cache, layer)
    if not table.num_rows or not is_number(column_of(table, style.colour_by).type):
        return None
    values = numbers_of(table, style.colour_by)
    return _distribution([values], *limits_of(values, style.stretch))


def cloud_distribution(cache: DataCache, layer: Layer, style: CloudStyle) -> ValueDistribution | None:
    """Return the distribution of the dimension that colours points; None where they have colours of their own."""
    if style.colour_by in ("rgb", "classification"):
        return None
    points, _ = cache.points_so_far(layer.ref, AT_ONCE, dimensions_of(style))
    values = points.values(style.colour_by)
    return _distribution([values[:: max(1, len(values) // 500_000)]], *cloud_limits(values, style))


def _distribution(samples: list[np.ndarray], low: float, high: float) -> ValueDistribution | None:
    samples = [s[np.isfinite(s)] for s in (np.asarray(s, float) for s in samples)]
    samples = [s for s in samples if s.size]
    if not samples:
        return None
    ends = min(s.min() for s in samples), max(s.max() for s in samples)
    edges = np.linspace(ends[0], ends[1] if ends[1] > ends[0] else ends[0] + 1, BINS + 1)
    return ValueDistribution(tuple(np.histogram(s, edges)[0] for s in samples), edges, low, high)
