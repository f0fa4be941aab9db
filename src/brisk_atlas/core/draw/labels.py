"""Where labels go: inside polygons, along lines, beside points, none over another.

A label's possible places are fixed on the map, and what was placed in the last picture is placed
first in the next, so that labels stay where they are while the map is panned.
"""

from __future__ import annotations

import textwrap
from collections.abc import Callable, Iterator, Mapping
from dataclasses import dataclass
from math import atan2, cos, degrees, hypot, radians, sin

import numpy as np
import pyarrow as pa
import shapely

from brisk_atlas.core.model import Label
from brisk_atlas.core.model.shapes import LINE, POINT, Features
from brisk_atlas.core.place import transform
from brisk_atlas.core.read.shape_index import ShapeIndex
from brisk_atlas.core.table import column_of

from .classes import numbers_of
from .view import View

MOST_TRIED = 3000  # features in view, the most important first
MOST_PLACED = 500
MARGIN_PX = 120.0  # around the view, so that a label that comes in does not push others about
GAP_PX = 2.0
ALONG = (0.5, 0.25, 0.75, 0.125, 0.375, 0.625, 0.875)  # shares of a line's length to try, in this order
BEND = 0.5  # of the text's height that a line may leave the straight below a label
BOX_PX = 4.0  # around the text of a callout
CALLOUT_SIDES = ((0.6, -1), (-0.6, -1), (0.6, 1), (-0.6, 1), (1, -0.4), (-1, -0.4))
ASIDE = ((1, 0), (1, -1), (-1, 0), (0, -1), (0, 1), (-1, -1), (1, 1), (-1, 1))  # beside a point

Measure = Callable[[str, float], tuple[float, float]]


@dataclass(frozen=True)
class PlacedLabel:
    """Text with its middle at (x, y) of the map, turned by `angle` degrees (clockwise). A callout stands in a box with
    a line to `anchor`, a position of the map."""

    text: str
    x: float
    y: float
    angle: float
    look: Label
    feature: int
    slot: int
    anchor: tuple[float, float] | None = None


@dataclass(frozen=True, eq=False)
class Anchors:
    """Where the labels of a layer can go, worked out once.

    inside : (features, 2) a point within each polygon, or the point itself; on the plane of the view
    texts : (features,) text or None; weight : (features,) float64, the highest first
    over : whether texts stand over points rather than beside them
    """

    inside: np.ndarray
    texts: list[str | None]
    weight: np.ndarray
    over: bool = False


def anchors_of(features: Features, table: pa.Table, index: ShapeIndex, label: Label, view: View) -> Anchors:
    """Return the anchors of a layer's labels on the plane of a view, texts from `table`. Raises BadExpression."""
    column = column_of(table, label.text)
    texts = [_in_lines(text, label.wrap) for text in column.cast(pa.string()).to_pylist()]
    shapes = shapely.from_wkb(features.wkb.to_numpy(zero_copy_only=False), on_invalid="ignore")
    points = shapely.point_on_surface(shapes)
    inside = transform(np.column_stack([shapely.get_x(points), shapely.get_y(points)]), features.crs, view.crs)
    inside = np.column_stack(view.on_plane(inside[:, 0], inside[:, 1]))
    if label.first:
        weight = np.nan_to_num(numbers_of(table, label.first), nan=-np.inf)
    else:
        b = index.shapes.bounds
        weight = np.nan_to_num(np.hypot(b[:, 2] - b[:, 0], b[:, 3] - b[:, 1]))
    return Anchors(inside, texts, weight, label.over)


def _in_lines(text: str | None, characters: int) -> str | None:
    """Return a text with its lines broken at spaces; those that it has stay."""
    if not text or not characters:
        return text
    return "\n".join(textwrap.fill(line, characters, break_long_words=False) for line in text.splitlines())


class Room:
    """The parts of a picture that labels have taken, as rectangles in a coarse grid."""

    CELL = 64.0

    def __init__(self) -> None:
        self._taken: dict[tuple[int, int], list[tuple[float, float, float, float]]] = {}

    def take(self, box: tuple[float, float, float, float]) -> bool:
        """Take a rectangle if all of it is free; returns whether it was."""
        cells = [
            (i, j)
            for i in range(int(box[0] // self.CELL), int(box[2] // self.CELL) + 1)
            for j in range(int(box[1] // self.CELL), int(box[3] // self.CELL) + 1)
        ]
        for cell in cells:
            for other in self._taken.get(cell, ()):
                if box[0] < other[2] and box[2] > other[0] and box[1] < other[3] and box[3] > other[1]:
                    return False
        for cell in cells:
            self._taken.setdefault(cell, []).append(box)
        return True


def place_labels(
    index: ShapeIndex,
    anchors: Anchors,
    look: Label,
    symbol_px: float,
    view: View,
    measure: Measure,
    room: Room,
    before: Mapping[int, int],
    shown: np.ndarray | None = None,
) -> list[PlacedLabel]:
    """Return the labels of one layer that find room.

    measure : width and height in pixels of a text of a size
    before : feature -> slot of the labels of the last picture, which are placed first
    shown : (features,) bool of those that are drawn, None for all
    """
    found = index.within(view.extent, MARGIN_PX * view.resolution)
    if shown is not None:
        found = found[shown[found]]
    if found.size > MOST_TRIED:
        found = found[np.argpartition(-anchors.weight[found], MOST_TRIED)[:MOST_TRIED]]
    stayed = np.isin(found, np.fromiter(before, np.int64, len(before)))
    found = found[np.lexsort((found, -anchors.weight[found], ~stayed))]
    placed: list[PlacedLabel] = []
    size = look.size * view.density
    for feature in found.tolist():
        text = anchors.texts[feature]
        if not text:
            continue
        if _is_line(index, feature):
            text = " ".join(text.split())
        width, height = measure(text, size)
        if look.callout > 0:
            found_place = _callout(index, anchors, feature, width, height, look, view, room, before.get(feature))
            if found_place is not None:
                slot, (px, py), anchor = found_place
                at = view.to_map(px, py)
                placed.append(PlacedLabel(text, *at, 0.0, look, feature, slot, view.to_map(*anchor)))
            continue
        if look.repeat > 0 and _is_line(index, feature):
            for slot, (px, py, angle) in enumerate(_repeated(index, feature, width, height, view, look.repeat)):
                if room.take(_around(px, py, width + GAP_PX, height + GAP_PX, angle)):
                    placed.append(PlacedLabel(text, *view.to_map(px, py), angle, look, feature, slot))
            continue
        slots = list(enumerate(_slots(index, anchors, feature, width, height, symbol_px, view)))
        if feature in before:
            slots.sort(key=lambda slot: slot[0] != before[feature])
        for slot, (px, py, angle) in slots:
            if look.over or room.take(_around(px, py, width + GAP_PX, height + GAP_PX, angle)):
                x, y = view.to_map(px, py)
                placed.append(PlacedLabel(text, x, y, angle, look, feature, slot))
                break
        if len(placed) >= MOST_PLACED:
            break
    return placed


def _around(px: float, py: float, width: float, height: float, angle: float) -> tuple[float, float, float, float]:
    """Return the upright rectangle around a turned one."""
    c, s = abs(cos(radians(angle))), abs(sin(radians(angle)))
    half_w, half_h = (width * c + height * s) / 2, (width * s + height * c) / 2
    return px - half_w, py - half_h, px + half_w, py + half_h


def _slots(
    index: ShapeIndex, anchors: Anchors, feature: int, width: float, height: float, symbol_px: float, view: View
) -> Iterator[tuple[float, float, float]]:
    """Give the places that a feature's label can take: pixel position of its middle, and angle."""
    shapes = index.shapes
    first, last = shapes.feature_starts[feature], shapes.feature_starts[feature + 1]
    if first == last:
        return
    kind = shapes.path_kinds[first]
    if kind == LINE:
        yield from _along(index, feature, width, height, view)
        return
    px, py = view.to_pixel(*anchors.inside[feature].tolist())
    if not (np.isfinite(px) and np.isfinite(py)):
        return
    if kind == POINT and anchors.over:
        yield px, py, 0.0
        return
    if kind == POINT:
        reach = symbol_px / 2 + 3
        for right, down in ASIDE:
            yield px + right * (reach + width / 2), py + down * (reach + height / 2), 0.0
        return
    b = shapes.bounds[feature] / view.resolution
    if b[2] - b[0] >= width and b[3] - b[1] >= height:
        yield px, py, 0.0


def _callout(
    index: ShapeIndex,
    anchors: Anchors,
    feature: int,
    width: float,
    height: float,
    look: Label,
    view: View,
    room: Room,
    before: int | None,
) -> tuple[int, tuple[float, float], tuple[float, float]] | None:
    """Return the place of a text aside from its feature that is free: its number, the pixel of its middle, and that of
    the feature; None where none is free."""
    px, py = view.to_pixel(*_middle_of(index, anchors, feature, view))
    if not (-MARGIN_PX < px < view.width + MARGIN_PX and -MARGIN_PX < py < view.height + MARGIN_PX):
        return None
    box_w, box_h = width + 2 * BOX_PX * view.density, height + 2 * BOX_PX * view.density
    places = []
    for times in (1.0, 1.7, 2.6):
        reach = look.callout * view.density * times
        for right, down in CALLOUT_SIDES:
            places.append((px + right * (reach + box_w / 2), py + down * (reach + box_h / 2)))
    order = sorted(range(len(places)), key=lambda number: number != before)
    for number in order:
        x, y = places[number]
        if room.take(_around(x, y, box_w + GAP_PX, box_h + GAP_PX, 0.0)):
            return number, (x, y), (px, py)
    return None


def _middle_of(index: ShapeIndex, anchors: Anchors, feature: int, view: View) -> tuple[float, float]:
    """Return the position of a feature on the plane: a point inside an area, the middle of a line in view."""
    if not _is_line(index, feature):
        x, y = anchors.inside[feature].tolist()
        return x, y
    path = max(index.shapes.paths(feature), key=len)
    xy, run = _run_of(path, view)
    x, y = (float(np.interp(run[-1] / 2, run, xy[:, axis])) for axis in (0, 1))
    left, upper = view.origin
    return left + x * view.resolution, upper - y * view.resolution


def _is_line(index: ShapeIndex, feature: int) -> bool:
    first, last = index.shapes.feature_starts[feature], index.shapes.feature_starts[feature + 1]
    return bool(first < last and index.shapes.path_kinds[first] == LINE)


def _repeated(
    index: ShapeIndex, feature: int, width: float, height: float, view: View, repeat: float
) -> Iterator[tuple[float, float, float]]:
    """Give places every `repeat` pixels, from half of that on, along each path of a line, where they are in view and it
    is straight enough. They stay where they are on the map while it is panned."""
    gap = max(repeat * view.density, width * 1.2)
    for path in index.shapes.paths(feature):
        xy, run = _run_of(path, view)
        middles = np.arange(gap / 2, run[-1] - width / 2, gap)
        middles = middles[middles > width / 2]
        x, y = np.interp(middles, run, xy[:, 0]), np.interp(middles, run, xy[:, 1])
        seen = (x > -width) & (x < view.width + width) & (y > -width) & (y < view.height + width)
        for middle in middles[seen][:MOST_PLACED].tolist():
            yield from _straight(xy, run, middle, width, height)


def _run_of(path: np.ndarray, view: View) -> tuple[np.ndarray, np.ndarray]:
    """Return a path in pixels and how far along it each vertex lies."""
    left, upper = view.origin
    xy = np.column_stack([(path[:, 0] - left) / view.resolution, (upper - path[:, 1]) / view.resolution])
    return xy, np.concatenate([[0.0], np.cumsum(np.hypot(*np.diff(xy, axis=0).T))])


def _straight(
    xy: np.ndarray, run: np.ndarray, middle: float, width: float, height: float
) -> Iterator[tuple[float, float, float]]:
    """Give the place of a text around a point of a line, where the line is straight enough below it."""
    at = np.linspace(middle - width / 2, middle + width / 2, 7)
    x, y = np.interp(at, run, xy[:, 0]), np.interp(at, run, xy[:, 1])
    dx, dy = x[-1] - x[0], y[-1] - y[0]
    chord = hypot(dx, dy)
    if chord < width * 0.8:
        return
    off = np.abs((x - x[0]) * dy - (y - y[0]) * dx) / chord
    if off.max() <= BEND * height:
        angle = degrees(atan2(dy, dx))
        upright = angle - 180 if angle > 90 else angle + 180 if angle < -90 else angle
        yield float(x.mean()), float(y.mean()), upright


def _along(
    index: ShapeIndex, feature: int, width: float, height: float, view: View
) -> Iterator[tuple[float, float, float]]:
    """Give places along the longest path of a line where it is straight enough below the text."""
    path = max(index.shapes.paths(feature), key=len)
    xy, run = _run_of(path, view)
    if run[-1] < width * 1.1:
        return
    for share in ALONG:
        middle = run[-1] * share
        if width / 2 <= middle <= run[-1] - width / 2:
            yield from _straight(xy, run, middle, width, height)
