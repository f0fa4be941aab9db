"""Drawing features: which ones are in view, in which colours, and the call to the kernels."""

from __future__ import annotations

from collections.abc import Callable

import numpy as np
import pyarrow as pa
import pyarrow.compute as pc

from brisk_atlas.core.model import VectorStyle
from brisk_atlas.core.model.shapes import Shapes

from . import ramps
from .bands import in_bands
from .coverage import draw_features
from .limits import limits_of
from .view import View

SLICE = 20_000  # features between two looks at whether to stop
NO_VALUE = "#9AA3A8"


def visible_features(shapes: Shapes, view: View, margin_px: float) -> np.ndarray:
    """Return the indices of features whose bounds meet the view, in drawing order."""
    e, by = view.extent, margin_px * view.resolution
    b = shapes.bounds
    inside = (b[:, 0] <= e.xmax + by) & (b[:, 2] >= e.xmin - by) & (b[:, 1] <= e.ymax + by) & (b[:, 3] >= e.ymin - by)
    return np.flatnonzero(inside)


def colours_of(table: pa.Table, style: VectorStyle) -> np.ndarray | None:
    """Return (rows, 3) float64 colours by the field of the style, or None for a single colour."""
    if style.colour_by is None or style.colour_by not in table.column_names:
        return None
    column = table.column(style.colour_by)
    column = column.combine_chunks() if isinstance(column, pa.ChunkedArray) else column
    out = np.tile(ramps.rgb_of(NO_VALUE).astype(float), (len(column), 1))
    if pa.types.is_integer(column.type) or pa.types.is_floating(column.type):
        values = column.to_numpy(zero_copy_only=False).astype(float)
        low, high = limits_of(values, style.stretch)
        known = np.isfinite(values)
        step = np.clip((values[known] - low) / ((high - low) or 1.0) * ramps.STEPS, 0, ramps.STEPS - 1).astype(int)
        out[known] = ramps.ramp(style.ramp)[step]
        return out
    names, classes = class_colours(column)
    codes = pc.fill_null(pc.index_in(column.cast(pa.string()), value_set=pa.array(names, pa.string())), -1).to_numpy(
        zero_copy_only=False
    )
    out[codes >= 0] = classes[codes[codes >= 0]]
    return out


def class_colours(column: pa.Array) -> tuple[list[str], np.ndarray]:
    """Return the distinct values, sorted, and (n, 3) colours for them; the palette repeats."""
    names = sorted(v for v in pc.unique(column.cast(pa.string())).to_pylist() if v is not None)
    palette = np.array([ramps.rgb_of(c) for c in ramps.CLASSES], float)
    return names, palette[np.arange(len(names)) % len(palette)]


def draw_shapes(
    image: np.ndarray,
    shapes: Shapes,
    features: np.ndarray,
    bodies: np.ndarray,
    lines: np.ndarray,
    style: VectorStyle,
    view: View,
    check: Callable[[], None],
) -> None:
    """Draw features in order. bodies, lines : (features, 4) red, green, blue and opacity."""
    left, upper = view.origin
    width, radius = style.width * view.density, style.size / 2 * view.density

    def band(top: int, bottom: int) -> None:
        rows = bottom - top
        area, cover = np.zeros((rows, image.shape[1] + 2)), np.zeros((rows, image.shape[1] + 2))
        touched = np.empty((rows * (image.shape[1] + 2), 2), np.int32)
        for start in range(0, features.size, SLICE):
            check()
            cut = slice(start, start + SLICE)
            draw_features(
                image,
                top,
                bottom,
                shapes.xy,
                shapes.path_starts,
                shapes.path_kinds,
                shapes.feature_starts,
                features[cut],
                left,
                upper,
                view.resolution,
                bodies[cut],
                lines[cut],
                width,
                radius,
                area,
                cover,
                touched,
            )

    in_bands(image.shape[0], band)


def draw_vector(
    image: np.ndarray,
    shapes: Shapes,
    colours: np.ndarray | None,
    style: VectorStyle,
    view: View,
    check: Callable[[], None],
) -> int:
    """Draw a vector layer; returns how many features are in view."""
    features = visible_features(shapes, view, style.width + style.size)
    bodies = np.empty((features.size, 4))
    bodies[:, :3] = ramps.rgb_of(style.fill) if colours is None else colours[features]
    bodies[:, 3] = 0.0 if style.hollow else 1.0
    lines = np.tile(np.append(ramps.rgb_of(style.line).astype(float), 1.0), (features.size, 1))
    first = shapes.feature_starts[:-1][features]
    if first.size and shapes.path_kinds.size:
        is_line = shapes.path_kinds[np.minimum(first, shapes.path_kinds.size - 1)] == 1
        bodies[is_line, 3] = 1.0  # a line is its own body
        if colours is None:
            bodies[is_line, :3] = ramps.rgb_of(style.line)
    draw_shapes(image, shapes, features, bodies, lines, style, view, check)
    return int(features.size)


def draw_picked(image: np.ndarray, shapes: Shapes, picked: np.ndarray, view: View, paper: str, ink: str) -> None:
    """Draw the picked features: an outline in `ink` within a halo of `paper`, and a light wash."""
    picked = picked[(picked >= 0) & (picked < len(shapes))]
    halo, core = (np.tile(np.append(ramps.rgb_of(c).astype(float), 1.0), (picked.size, 1)) for c in (paper, ink))
    wash = core.copy()
    wash[:, 3] = 0.22
    nothing = np.zeros_like(halo)
    is_line = np.array(
        [not (shapes.path_kinds[shapes.feature_starts[f] : shapes.feature_starts[f + 1]] == 2).any() for f in picked],
        bool,
    )
    for bodies, lines, width, size in ((nothing, halo, 6.0, 17.0), (wash, core, 2.6, 12.0)):
        own = bodies.copy()
        own[is_line] = lines[is_line]
        draw_shapes(image, shapes, picked, own, lines, VectorStyle(width=width, size=size), view, lambda: None)
