"""What the colours of a layer mean."""

from __future__ import annotations

from dataclasses import dataclass

import numpy as np
import pyarrow as pa

from brisk_atlas.core.model import CloudStyle, GridStyle, Layer, VectorStyle
from brisk_atlas.core.place import height_unit_of
from brisk_atlas.core.read import Holdings

from .cloud import CLASS_COLOURS
from .limits import grid_limits, limits_of
from .vector import class_colours

MOST_CLASSES = 12


@dataclass(frozen=True)
class Legend:
    """`ramp` with its ends, or `entries` of (colour, text); `title` says of what."""

    title: str
    entries: tuple[tuple[str, str], ...] = ()
    ramp: str = ""
    low: float = 0.0
    high: float = 0.0
    unit: str = ""


def legend_of(holdings: Holdings, layer: Layer) -> Legend | None:
    """Return the legend of a layer; reads what it needs, so call it in the background."""
    style = layer.style
    if isinstance(style, GridStyle):
        return _grid(holdings, layer, style)
    if isinstance(style, VectorStyle):
        return _vector(holdings, layer, style)
    if isinstance(style, CloudStyle):
        return _cloud(holdings, layer, style)
    return None


def _hex(rgb: np.ndarray) -> str:
    return "#" + "".join(f"{int(v):02x}" for v in rgb)


def _grid(holdings: Holdings, layer: Layer, style: GridStyle) -> Legend:
    grid = holdings.part(layer.source).facts.grid
    assert grid is not None
    names = [grid.bands[b - 1].name for b in style.bands]
    if len(style.bands) == 3:
        return Legend("composite", tuple(zip(("#C2452D", "#2F7D4F", "#3B7EA6"), names)))
    low, high = grid_limits(holdings, layer.source, style.bands[0], style.stretch)
    return Legend(names[0], (), style.ramp, low, high, grid.bands[style.bands[0] - 1].unit)


def _vector(holdings: Holdings, layer: Layer, style: VectorStyle) -> Legend:
    table = holdings.features(layer.source).table
    if style.colour_by is None or style.colour_by not in table.column_names:
        return Legend("", ((style.fill, layer.name),))
    column = table.column(style.colour_by).combine_chunks()
    if pa.types.is_integer(column.type) or pa.types.is_floating(column.type):
        low, high = limits_of(column.to_numpy(zero_copy_only=False).astype(float), style.stretch)
        return Legend(style.colour_by, (), style.ramp, low, high)
    names, colours = class_colours(column)
    entries = [(_hex(c), n) for n, c in zip(names[:MOST_CLASSES], colours)]
    if len(names) > MOST_CLASSES:
        entries.append(("#9AA3A8", f"{len(names) - MOST_CLASSES} more"))
    return Legend(style.colour_by, tuple(entries))


def _cloud(holdings: Holdings, layer: Layer, style: CloudStyle) -> Legend:
    points = holdings.points(layer.source)
    if style.colour_by == "rgb":
        return Legend("colour as measured")
    if style.colour_by == "classification":
        present = np.unique(points.dimensions["classification"]).tolist()
        return Legend("class", tuple((CLASS_COLOURS.get(c, "#4C5FA8"), f"class {c}") for c in present))
    low, high = limits_of(points.values(style.colour_by).astype(float), style.stretch)
    return Legend(
        style.colour_by, (), style.ramp, low, high, height_unit_of(points.crs) if style.colour_by == "z" else ""
    )
