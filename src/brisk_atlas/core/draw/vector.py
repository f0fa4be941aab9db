"""Drawing features: which ones are in view, in which inks, and the calls to the kernels."""

from __future__ import annotations

from collections import deque
from collections.abc import Callable
from dataclasses import dataclass, fields
from math import sqrt

import numpy as np
import pyarrow as pa

from brisk_atlas.core.model import VectorStyle
from brisk_atlas.core.model.shapes import LINE, POINT, Shapes
from brisk_atlas.core.read.shape_index import ShapeIndex

from . import ramps, symbols
from .bands import in_bands, in_bands_by_turns
from .classes import Colouring, colouring_of, grown
from .ink import NO_INK, inks_from, pixels_of
from .kernels import fill, stroke, thin
from .kernels.features import NEAR, REACH, Corner, HatchForm, IndexArrays, Marks, Scratch, StrokeForm, draw_features
from .kernels.fill import clear_rows
from .kernels.symbols import stamp
from .view import View

SLICE_VERTICES, SLICE_FEATURES = 200_000, 20_000  # drawn between two looks at whether to stop
JOINS = {"round": stroke.ROUND, "mitre": stroke.MITER, "bevel": stroke.BEVEL}
CAPS = {"round": stroke.ROUND, "flat": stroke.BUTT, "square": stroke.SQUARE}
HATCHES = {
    "none": fill.NO_HATCH,
    "rising": fill.RISING,
    "falling": fill.FALLING,
    "crossed": fill.CROSSED,
    "level": fill.LEVEL,
    "dots": fill.DOTTED,
}
HATCH_WEIGHT = 1.2  # pixels
SIZE_STEP = 1.0  # sizes of symbols that grow with a value are rounded to this many pixels
NO_DASH = np.zeros(0)
SPARE, SPARE_SIZES = 16, 4  # clean buffers that wait for the next picture: of one size, and sizes
_spare: dict[tuple[int, ...], deque[Scratch]] = {}


@dataclass(frozen=True, eq=False)
class Inks:
    """What a style makes of each row: colours, widths and sizes, where they differ from row to row."""

    colouring: Colouring | None = None
    widths: np.ndarray | None = None
    sizes: np.ndarray | None = None


def inks_of(table: pa.Table, style: VectorStyle) -> Inks:
    """Return the inks of all rows. Raises BadExpression."""
    return Inks(
        colouring_of(table, style),
        grown(table, style.width_by, style.widths) if style.width_by else None,
        grown(table, style.size_by, style.sizes) if style.size_by else None,
    )


def ink_of(colour: str, opacity: float = 1.0) -> np.uint32:
    """Return the ink of a colour."""
    return inks_from(ramps.rgb_of(colour)[None], opacity)[0]


def draw_vector(
    image: np.ndarray,
    index: ShapeIndex,
    inks: Inks,
    style: VectorStyle,
    view: View,
    check: Callable[[], None] = lambda: None,
    on_partial: Callable[[], None] = lambda: None,
    shown: np.ndarray | None = None,
) -> int:
    """Draw a vector layer; returns how many features are in view.

    `shown` is (features,) bool of those to draw, None for all. `check` is called often and may raise to
    stop; `on_partial` whenever more can be seen.
    """
    marked = marked_features(index, inks, style, view, shown)
    check()
    features, bodies, lines, is_line = marked.features, marked.bodies, marked.lines, marked.is_line
    halves = marked.widths * np.float32(view.density / 2)
    if style.casing > 0:
        outer = np.where(is_line | (halves > 0), halves + np.float32(style.casing * view.density), 0).astype(np.float32)
        casing = np.full(features.size, ink_of(style.casing_colour))
        hidden = casing.copy()
        hidden[~is_line] = NO_INK
        draw_shapes(image, index, features, hidden, casing, outer, style, view, check, on_partial, plain=True)
    draw_shapes(image, index, features, bodies, lines, halves, style, view, check, on_partial)
    draw_symbols(image, index, features, bodies, lines, marked.sizes * np.float32(view.density), style, view)
    return int(features.size)


@dataclass(frozen=True, eq=False)
class Marked:
    """Features in view and how each is drawn: (features,) each. Inks of what is filled and of lines, widths of lines
    and sizes of symbols in pixels of a screen; a line is its own body."""

    features: np.ndarray
    bodies: np.ndarray
    lines: np.ndarray
    widths: np.ndarray
    sizes: np.ndarray
    is_line: np.ndarray

    def only(self, mask: np.ndarray) -> Marked:
        """Return some of them."""
        return Marked(*(getattr(self, each.name)[mask] for each in fields(self)))


def marked_features(
    index: ShapeIndex, inks: Inks, style: VectorStyle, view: View, shown: np.ndarray | None = None
) -> Marked:
    """Return the features in view, in drawing order. `shown` is (features,) bool of those to draw, None for all."""
    widest = max([style.width, *(style.widths if style.width_by else ())]) + 2 * style.casing
    largest = max([style.size, *(style.sizes if style.size_by else ())])
    margin = max(widest / 2 * REACH, largest * symbols.PIN_HEIGHT / 2) * view.density + 2
    features = index.within(view.extent, margin * view.resolution)
    if shown is not None:
        features = features[shown[features]]
    count = features.size
    bodies, lines = np.full(count, ink_of(style.fill)), np.full(count, ink_of(style.line))
    is_line = _are_lines(index, features)
    if inks.colouring is not None:
        bodies = inks_from(inks.colouring.rgb[features])
    elif index.has_lines:
        bodies[is_line] = lines[is_line]
    if style.hollow:
        bodies[~is_line] = NO_INK
    widths = np.full(count, style.width, np.float32) if inks.widths is None else inks.widths[features]
    sizes = np.full(count, style.size, np.float32) if inks.sizes is None else inks.sizes[features]
    return Marked(features, bodies, lines, widths.astype(np.float32), sizes.astype(np.float32), is_line)


def _are_lines(index: ShapeIndex, features: np.ndarray) -> np.ndarray:
    """Return (features,) bool: whose first path is a line."""
    shapes = index.shapes
    if not index.has_lines:
        return np.zeros(features.size, bool)
    kinds = np.full(features.size, 255, np.uint8)
    first, last = shapes.feature_starts[features], shapes.feature_starts[features + 1]
    some = first < last
    kinds[some] = shapes.path_kinds[first[some]]
    return kinds == LINE


def draw_shapes(
    image: np.ndarray,
    index: ShapeIndex,
    features: np.ndarray,
    bodies: np.ndarray,
    lines: np.ndarray,
    halves: np.ndarray,
    style: VectorStyle,
    view: View,
    check: Callable[[], None] = lambda: None,
    on_partial: Callable[[], None] = lambda: None,
    *,
    plain: bool = False,
) -> None:
    """Draw the lines and polygons among `features`, in order. bodies, lines : (features,) inks;
    halves : (features,) float32 half widths, pixels. `plain` leaves out dashes and hatch."""
    if not index.has_paths:
        return
    shapes, pixels = index.shapes, pixels_of(image)
    left, upper = view.origin
    gap = max(style.hatch_gap, 2.0) * view.density
    hatch = fill.NO_HATCH if plain else HATCHES[style.hatch]
    period = gap * sqrt(2) if hatch in (fill.RISING, fill.FALLING, fill.CROSSED) else gap
    at_x, at_y = (left / view.resolution) % period, (-upper / view.resolution) % period
    dashes = NO_DASH if plain or len(style.dash) < 2 else np.array(style.dash, float) * view.density
    arrays = IndexArrays(
        shapes.xy, shapes.path_starts, shapes.path_kinds, shapes.feature_starts, shapes.bounds,
        index.areas, index.block_starts, index.blocks,
    )  # fmt: skip
    marks, corner = Marks(features, bodies, lines, halves), Corner(left, upper, view.resolution)
    form = StrokeForm(JOINS[style.join], CAPS[style.cap], dashes)
    pattern = HatchForm(hatch, gap, HATCH_WEIGHT * view.density, at_x, at_y)
    buffers: dict[int, Scratch] = {}

    def band(top: int, bottom: int, features_of_turn: tuple[int, int]) -> None:
        first, last = features_of_turn
        if top not in buffers:
            buffers[top] = _clean_scratch(bottom - top, image.shape[1])
        draw_features(pixels, top, bottom, arrays, marks, first, last, corner, form, pattern, buffers[top])

    try:
        in_bands_by_turns(image.shape[0], _slices(index, features), band, check, on_partial)
    finally:
        for scratch in buffers.values():  # clean again after each slice
            _put_by(scratch)


def _put_by(scratch: Scratch) -> None:
    """Store clean buffers for the next picture; those of the size that was stored longest ago are dropped."""
    if len(_spare) >= SPARE_SIZES and scratch.wide_area.shape not in _spare:
        _spare.pop(next(iter(_spare)), None)
    _spare.setdefault(scratch.wide_area.shape, deque(maxlen=SPARE)).append(scratch)


def _clean_scratch(rows: int, width: int) -> Scratch:
    """Return the buffers of a band, those of an earlier picture where there are some: making them takes as long as
    drawing a few hundred features."""
    try:
        return _spare[rows, width + 2].pop()
    except (KeyError, IndexError):
        return Scratch(
            *_buffer(rows, width), *_buffer(NEAR, NEAR),
            np.full((thin.LANES, thin.LANES), thin.FAR, np.float32), np.zeros((thin.LANES, thin.LANES), np.uint8),
            np.zeros(stroke.PEN_SIZE),
        )  # fmt: skip


def _buffer(rows: int, width: int) -> tuple[np.ndarray, np.ndarray, np.ndarray]:
    """Return a clean buffer for fills: area, and the first and last column touched in each row."""
    area = np.empty((rows, width + 2), np.float32)
    lo, hi = np.empty(rows, np.int64), np.empty(rows, np.int64)
    clear_rows(area, lo, hi)
    return area, lo, hi


def _slices(index: ShapeIndex, features: np.ndarray) -> list[tuple[int, int]]:
    """Return runs of features with about as much work each."""
    starts = index.vertex_starts
    work = np.cumsum(starts[features + 1] - starts[features] + SLICE_VERTICES // SLICE_FEATURES)
    if not work.size:
        return []
    turns = np.arange(SLICE_VERTICES, work[-1] + SLICE_VERTICES, SLICE_VERTICES)
    ends = np.unique(np.minimum(np.searchsorted(work, turns) + 1, features.size))
    return list(zip([0, *ends[:-1].tolist()], ends.tolist()))


def draw_symbols(
    image: np.ndarray,
    index: ShapeIndex,
    features: np.ndarray,
    bodies: np.ndarray,
    lines: np.ndarray,
    sizes: np.ndarray,
    style: VectorStyle,
    view: View,
) -> None:
    """Draw the points among `features` as symbols. sizes : (features,) float32 pixels across."""
    if not index.has_points:
        return
    shapes = index.shapes
    of, paths = paths_of(shapes, features)
    points = shapes.path_kinds[paths] == POINT
    if not points.any():
        return
    if not points.all():
        of, paths = of[points], paths[points]
    xy = shapes.xy[shapes.path_starts[paths]]
    left, upper = view.origin
    x, y = (xy[:, 0] - left) / view.resolution, (upper - xy[:, 1]) / view.resolution
    steps, which = _steps(sizes[of])
    made, middle = symbols.masks(style.symbol, tuple(steps.tolist()), style.width * view.density)
    own_bodies, own_lines = bodies[of], lines[of]
    pixels = pixels_of(image)
    in_bands(image.shape[0], lambda a, b: stamp(pixels, a, b, x, y, which, made, middle, own_bodies, own_lines))


def paths_of(shapes: Shapes, features: np.ndarray) -> tuple[np.ndarray, np.ndarray]:
    """Return the paths of features in turn, and the place in `features` that each is of."""
    first, last = shapes.feature_starts[features], shapes.feature_starts[features + 1]
    counts = last - first
    if (counts == 1).all():
        return np.arange(features.size), first
    of = np.repeat(np.arange(features.size), counts)
    return of, np.arange(of.size) + (first - (np.cumsum(counts) - counts))[of]


def _steps(sizes: np.ndarray) -> tuple[np.ndarray, np.ndarray]:
    """Return the sizes that symbols are drawn in, ascending, and (points,) int32 which of them each point has."""
    numbers = np.maximum(np.round(sizes / SIZE_STEP), 1).astype(np.int32)
    if (numbers == numbers[0]).all():
        return numbers[:1] * SIZE_STEP, np.zeros(len(numbers), np.int32)
    steps, which = np.unique(numbers, return_inverse=True)
    return steps * SIZE_STEP, which.astype(np.int32)


def draw_picked(image: np.ndarray, index: ShapeIndex, picked: np.ndarray, view: View, paper: str, ink: str) -> None:
    """Draw the picked features: an outline in `ink` within a halo of `paper`, and a light wash."""
    picked = picked[(picked >= 0) & (picked < len(index.shapes))]
    is_line = _are_lines(index, picked)
    inks = ink_of(paper), ink_of(ink), ink_of(ink, 0.22), NO_INK
    halo, core, wash, nothing = (np.full(picked.size, each) for each in inks)
    for bodies, lines, width, size in ((nothing, halo, 6.0, 15.0), (wash, core, 2.6, 10.0)):
        own = np.where(is_line, lines, bodies)
        halves = np.full(picked.size, width / 2 * view.density, np.float32)
        style = VectorStyle(width=width, size=size)
        draw_shapes(image, index, picked, own, lines, halves, style, view)
        sizes = np.full(picked.size, size * view.density, np.float32)
        draw_symbols(image, index, picked, own, lines, sizes, style, view)
