"""What is laid over a map to read it by: the scale bar, grid lines and the direction of north."""

from __future__ import annotations

from collections.abc import Iterator
from dataclasses import dataclass
from math import atan2, ceil, degrees, floor
from typing import Any

import numpy as np

from brisk_atlas.core.model.digit_groups import grouped
from brisk_atlas.core.model.length_units import round_length, round_step
from brisk_atlas.core.model.shapes import LINE, Shapes, bounds_of
from brisk_atlas.core.place import is_geographic, metres_per_unit, transform, unit_of
from brisk_atlas.core.place.seams import shapes_across

from .view import View

GEOGRAPHIC = "EPSG:4326"
LINES_WANTED = 5  # across the view
NODES = 33  # along a line that may be curved
WORLD_DEG = 300.0  # from here on a view is of all longitudes
LONGEST_BAR_PX = 160
DEGREE_STEPS = (
    *(90, 45, 30, 15, 10, 5, 2, 1),
    *(m / 60 for m in (30, 15, 10, 5, 2, 1)),
    *(s / 3600 for s in (30, 15, 5, 1, 0.5, 0.1)),
)


@dataclass(frozen=True, eq=False)
class GridLine:
    """A line of equal `value`: points (n, 2) in pixels, its text, and whether it runs up and down."""

    points: np.ndarray
    text: str
    upright: bool


def scale_bar(view: View) -> tuple[float, str] | None:
    """Return the bar's width in pixels and its label, at the latitude of the view's middle."""
    if not view.crs or not unit_of(view.crs):
        return None
    return bar_for(view.ground_metres, LONGEST_BAR_PX)


def bar_for(metres: float, longest_px: float) -> tuple[float, str] | None:
    """Return the width in pixels and the label of a bar of a round length, where a pixel is so many metres."""
    if not metres > 0:
        return None
    length, label = round_length(metres * longest_px)
    return length / metres, label


def grid_lines(view: View, *, geographic: bool) -> list[GridLine]:
    """Return lines of equal easting and northing, or of equal longitude and latitude, in view."""
    crs = GEOGRAPHIC if geographic else view.crs
    if crs is None or view.crs is None:
        return []
    edge = _edge(view, crs)
    if edge is None:
        return []
    (xmin, ymin), (xmax, ymax) = edge
    in_degrees = is_geographic(crs)
    span = max(xmax - xmin, ymax - ymin)
    step = next((s for s in DEGREE_STEPS if s * LINES_WANTED <= span), DEGREE_STEPS[-1]) if in_degrees else (
        round_step(span / LINES_WANTED)
    )  # fmt: skip
    if geographic and xmax - xmin > WORLD_DEG:
        xmin, xmax, ymin, ymax = -180.0, 180.0 - step, max(-90.0, ymin), min(90.0, ymax)
    lines = []
    for upright, low, high, other_low, other_high in ((True, xmin, xmax, ymin, ymax), (False, ymin, ymax, xmin, xmax)):
        values = np.arange(ceil(low / step), floor(high / step) + 1) * step
        values = values[np.abs(values) < 90.0] if in_degrees and not upright else values
        if not upright and geographic and other_low == -180.0:
            other_high = 180.0
        for value, points in _lines(view, crs, upright, values, (other_low, other_high)):
            lines.append(GridLine(points, _text(value, step, in_degrees, upright), upright))
    return lines


def _lines(
    view: View, crs: str, upright: bool, values: np.ndarray, ends: tuple[float, float]
) -> Iterator[tuple[float, np.ndarray]]:
    """Give each line's value and its points in pixels, in pieces where the view's map cuts it."""
    if not len(values):
        return
    along = np.tile(np.linspace(*ends, NODES), len(values))
    same = np.repeat(values, NODES)
    xy = np.column_stack([same, along] if upright else [along, same])
    starts, features = np.arange(len(values) + 1) * NODES, np.arange(len(values) + 1)
    kinds = np.full(len(values), LINE, np.uint8)
    lines = Shapes(xy, None, starts, kinds, features, bounds_of(xy, starts, features))
    tolerance = view.resolution * metres_per_unit(view.crs, view.y) / 3
    there = shapes_across(lines, crs, view.crs, max(tolerance, 0.05))
    for number, value in enumerate(values.tolist()):
        for path in there.paths(number):
            for world in view.in_worlds():
                pixels: Any = world.to_pixel(path[:, 0], path[:, 1])  # type: ignore[arg-type]
                points = np.column_stack(pixels)
                points = points[np.isfinite(points).all(axis=1)]
                if len(points) > 1:
                    yield value, points


def _edge(view: View, crs: str) -> tuple[np.ndarray, np.ndarray] | None:
    """Return the minimum and maximum coordinates that a view reaches in a CRS."""
    x, y = np.meshgrid(np.linspace(0, view.width, 9), np.linspace(0, view.height, 9))
    mx, my = view.to_map(x.ravel(), y.ravel())  # type: ignore[arg-type]
    there = transform(np.column_stack([mx, my]), view.crs, crs)
    there = there[np.isfinite(there).all(axis=1)]
    return (there.min(axis=0), there.max(axis=0)) if len(there) > 3 else None


def _text(value: float, step: float, in_degrees: bool, upright: bool) -> str:
    if not in_degrees:
        return grouped(value, ",.0f") if step >= 1 else grouped(value, ",.2f")
    side = ("EW" if upright else "NS")[value < 0] if value and abs(value) != 180.0 else ""
    seconds = round(abs(value) * 3600, 2)
    d, rest = divmod(seconds, 3600)
    m, s = divmod(rest, 60)
    text = f"{d:.0f}°"
    if step < 1:
        text += f"{m:02.0f}′"
    if step < 1 / 60:
        text += f"{s:04.1f}″" if step < 1 / 3600 else f"{s:02.0f}″"
    return f"{text} {side}".strip()


def edge_place(line: GridLine, width: float, height: float) -> tuple[float, float] | None:
    """Return where a grid line meets the upper edge (upright) or the left edge of a picture, or None."""
    across, along = (line.points[:, 0], line.points[:, 1]) if line.upright else (line.points[:, 1], line.points[:, 0])
    order = np.argsort(along)
    if not (along.min() <= 0.5 * (height if line.upright else width) and along.max() >= 0):
        return None
    at = float(np.interp(0.0, along[order], across[order]))
    if not 0 <= at <= (width if line.upright else height):
        return None
    return (at, 0.0) if line.upright else (0.0, at)


def north_of(view: View) -> float | None:
    """Return the direction of true north at the view's middle, degrees clockwise from up."""
    if view.crs is None or not unit_of(view.crs):
        return None
    here = transform(np.array([[view.x, view.y]]), view.crs, GEOGRAPHIC)
    there = transform(here + [[0.0, 0.001 if here[0, 1] < 89 else -0.001]], GEOGRAPHIC, view.crs)
    if not np.isfinite(there).all():
        return None
    dx, dy = there[0] - (view.x, view.y)
    return float(degrees(atan2(dx, dy))) + (180.0 if here[0, 1] >= 89 else 0.0) + view.turn
