"""Features as outlines rather than as pixels: what a page is drawn of."""

from __future__ import annotations

from collections.abc import Callable, Iterator
from dataclasses import dataclass, replace
from typing import NamedTuple

import numpy as np

from brisk_atlas.core.model import VectorStyle
from brisk_atlas.core.model.shapes import AREA, LINE, POINT, POLYGON, Shapes
from brisk_atlas.core.model.style import LineCap, LineJoin
from brisk_atlas.core.read.shape_index import ShapeIndex

from . import symbols
from .hatch_lines import hatch_dots, hatch_lines
from .kernels.near_vertices import far_enough
from .vector import HATCH_WEIGHT, Inks, Marked, ink_of, marked_features, paths_of
from .view import View

STEP_PX = 0.12  # vertices nearer than this to the last one are left out; a dot of 600 in an inch is 0.16 pixels
OUTSIDE_PX = 64.0  # around the view; what lies farther off is left out of paths
MOST_VERTICES = 4_000_000  # of a layer on one page; more are drawn as pixels


class Pen(NamedTuple):
    """How paths are stroked: `#rrggbb`, and pixels."""

    colour: str
    width: float
    join: LineJoin = "round"
    cap: LineCap = "round"
    dash: tuple[float, ...] = ()


@dataclass(frozen=True, eq=False)
class Outlines:
    """Shapes of one look, drawn one after another: each is filled by the even-odd rule, then stroked.

    xy : (vertices, 2) float64 pixels of a view, y grows down
    path_starts : (paths + 1,) into xy; shape_starts : (shapes + 1,) into paths
    closed : whether the paths are rings
    fill : `#rrggbb`, None for none; pen : None for none
    """

    xy: np.ndarray
    path_starts: np.ndarray
    shape_starts: np.ndarray
    closed: bool
    fill: str | None = None
    pen: Pen | None = None


@dataclass(frozen=True, eq=False)
class Stamps:
    """One outline, drawn at many places. xy : (places, 2) pixels; outline : (vertices, 2) pixels about the place."""

    xy: np.ndarray
    outline: np.ndarray
    fill: str | None = None
    pen: Pen | None = None


Outlined = Outlines | Stamps


def ring(*corners: tuple[float, float], fill: str | None = None, pen: Pen | None = None) -> Outlines:
    """Return one closed path."""
    return Outlines(np.array(corners, float), np.array([0, len(corners)]), np.array([0, 1]), True, fill, pen)


def line(*points: tuple[float, float], pen: Pen) -> Outlines:
    """Return one open path."""
    return Outlines(np.array(points, float), np.array([0, len(points)]), np.array([0, 1]), False, None, pen)


def outlines_of(
    index: ShapeIndex,
    inks: Inks,
    style: VectorStyle,
    view: View,
    check: Callable[[], None] = lambda: None,
    shown: np.ndarray | None = None,
) -> list[Outlined] | None:
    """Return what `draw_vector` would draw, bottom first; None where it is more than a page can hold. `view` is of
    density 1."""
    marked = marked_features(index, inks, style, view, shown)
    check()
    work = index.vertex_starts
    if int((work[marked.features + 1] - work[marked.features]).sum()) > MOST_VERTICES:
        return None
    found: list[Outlined] = []
    if style.casing > 0:
        widths = np.where(marked.is_line | (marked.widths > 0), marked.widths + 2 * style.casing, 0)
        casing = np.full(marked.features.size, ink_of(style.casing_colour))
        bodies = np.where(marked.is_line, casing, 0).astype(np.uint32)
        plain = replace(style, dash=(), hatch="none")
        found += _paths(index.shapes, replace(marked, bodies=bodies, lines=casing, widths=widths), plain, view)
    check()
    found += _paths(index.shapes, marked, style, view)
    check()
    found += _stamps(index, marked, style, view)
    return found


def _paths(shapes: Shapes, marked: Marked, style: VectorStyle, view: View) -> Iterator[Outlined]:
    """Give the lines and areas, a run for those that look the same and follow each other."""
    features = marked.features
    first = shapes.feature_starts[features]
    some = first < shapes.feature_starts[features + 1]
    some[some] = shapes.path_kinds[first[some]] != POINT
    marked = marked.only(some)
    of, paths = paths_of(shapes, marked.features)
    kinds = shapes.path_kinds[paths]
    starts = shapes.path_starts
    counts = starts[paths + 1] - starts[paths]
    vertices = np.repeat(starts[paths] - (np.cumsum(counts) - counts), counts) + np.arange(int(counts.sum()))
    left, upper = view.origin
    xy = (shapes.xy[vertices] - (left, upper)) / (view.resolution, -view.resolution)
    ends = np.concatenate([[0], np.cumsum(counts)])
    xy, ends = _reduced(xy, ends, view)
    cut = np.zeros(marked.features.size, bool)
    cut[of[kinds == AREA]] = True
    keys = np.column_stack([marked.bodies, marked.lines, marked.widths.view(np.uint32), marked.is_line, cut])
    changed = np.flatnonzero((keys[1:] != keys[:-1]).any(axis=1)) + 1
    path_of = np.searchsorted(of, np.arange(marked.features.size + 1))
    for a, b in zip([0, *changed.tolist()], [*changed.tolist(), marked.features.size]):
        if a == b:
            continue
        body, ink, width = int(marked.bodies[a]), int(marked.lines[a]), float(marked.widths[a])
        run = slice(path_of[a], path_of[b])
        stroke = body if marked.is_line[a] else ink
        pen = Pen(_hex(stroke), width, style.join, style.cap, _dash(style)) if width > 0 and stroke else None
        own = _Run(xy, ends, kinds, of, run)
        if marked.is_line[a]:
            if pen is not None:
                yield own.outlines((LINE, POLYGON), closed=False, pen=pen)
            continue
        fill = _hex(body) if body else None
        if fill is not None and style.hatch != "none":
            yield from _hatched(own.outlines((POLYGON, AREA), closed=True), fill, style, view)
            fill = None
        if cut[a]:
            yield own.outlines((POLYGON, AREA), closed=True, fill=fill)
            yield own.outlines((LINE,), closed=False, pen=pen)
        elif fill is not None or pen is not None:
            yield own.outlines((POLYGON,), closed=True, fill=fill, pen=pen)


class _Run(NamedTuple):
    """Some paths of all: xy and ends of all, their kinds and the feature that each is of, and which are meant."""

    xy: np.ndarray
    ends: np.ndarray
    kinds: np.ndarray
    of: np.ndarray
    run: slice

    def outlines(
        self, kinds: tuple[int, ...], *, closed: bool, fill: str | None = None, pen: Pen | None = None
    ) -> Outlines:
        """Return those of some kinds that have not shrunk to nothing."""
        paths = np.arange(self.run.start, self.run.stop)
        paths = paths[np.isin(self.kinds[paths], kinds) & (self.ends[paths + 1] > self.ends[paths])]
        counts = self.ends[paths + 1] - self.ends[paths]
        vertices = np.repeat(self.ends[paths] - (np.cumsum(counts) - counts), counts) + np.arange(int(counts.sum()))
        of = self.of[paths]
        shapes = np.flatnonzero(np.concatenate([[True], of[1:] != of[:-1]])) if len(of) else np.zeros(0, int)
        return Outlines(self.xy[vertices], np.concatenate([[0], np.cumsum(counts)]),
                        np.concatenate([shapes, [len(paths)]]), closed, fill, pen)  # fmt: skip


def _reduced(xy: np.ndarray, ends: np.ndarray, view: View) -> tuple[np.ndarray, np.ndarray]:
    """Return paths without vertices that a page can't show: those beyond one side of the view between others beyond it,
    and those next to the last one."""
    low, high = np.array([-OUTSIDE_PX] * 2), np.array([view.width + OUTSIDE_PX, view.height + OUTSIDE_PX])
    for axis, beyond in ((0, -1), (0, 1), (1, -1), (1, 1)):
        off = xy[:, axis] < low[axis] if beyond < 0 else xy[:, axis] > high[axis]
        off |= ~np.isfinite(xy).all(axis=1)
        inner = np.zeros(len(xy), bool)
        inner[1:-1] = off[1:-1] & off[:-2] & off[2:]
        filled = ends[:-1] < ends[1:]
        inner[ends[:-1][filled]] = inner[ends[1:][filled] - 1] = False  # ends of paths stay
        xy, ends = _only(xy, ends, ~inner)
    keep = np.ones(len(xy), bool)
    far_enough(np.ascontiguousarray(xy), ends.astype(np.int64), STEP_PX, keep)
    return _only(xy, ends, keep & np.isfinite(xy).all(axis=1))


def _only(xy: np.ndarray, ends: np.ndarray, keep: np.ndarray) -> tuple[np.ndarray, np.ndarray]:
    before = np.concatenate([[0], np.cumsum(keep)])
    return xy[keep], before[ends]


def _hatched(areas: Outlines, colour: str, style: VectorStyle, view: View) -> Iterator[Outlined]:
    """Give the hatch of areas, which lies where it does on the map."""
    gap = max(style.hatch_gap, 2.0)
    left, upper = view.origin
    at = left / view.resolution - 0.5, -upper / view.resolution - 0.5  # as the map asks the middles of its pixels
    if style.hatch == "dots":
        turn = np.linspace(0, 2 * np.pi, 16, endpoint=False)
        dot = np.column_stack([np.cos(turn), np.sin(turn)]) * HATCH_WEIGHT
        yield Stamps(hatch_dots(areas.xy, areas.path_starts, areas.shape_starts, gap, at), dot, colour)
        return
    lines = hatch_lines(areas.xy, areas.path_starts, areas.shape_starts, style.hatch, gap, at)
    starts = np.arange(len(lines) + 1) * 2
    pen = Pen(colour, HATCH_WEIGHT, cap="flat")
    yield Outlines(lines.reshape(-1, 2), starts, np.arange(len(lines) + 1), False, None, pen)


def _stamps(index: ShapeIndex, marked: Marked, style: VectorStyle, view: View) -> Iterator[Stamps]:
    """Give the points, a run for those that look the same and follow each other."""
    if not index.has_points:
        return
    shapes = index.shapes
    of, paths = paths_of(shapes, marked.features)
    points = shapes.path_kinds[paths] == POINT
    of, paths = of[points], paths[points]
    left, upper = view.origin
    xy = (shapes.xy[shapes.path_starts[paths]] - (left, upper)) / (view.resolution, -view.resolution)
    placed = np.isfinite(xy).all(axis=1)
    of, xy = of[placed], xy[placed]
    if not len(of):
        return
    shape = symbols.outline(style.symbol)
    join: LineJoin = "round" if style.symbol == "circle" else "mitre"
    keys = np.column_stack([marked.bodies, marked.lines, marked.sizes.view(np.uint32)])[of]
    changed = (np.flatnonzero((keys[1:] != keys[:-1]).any(axis=1)) + 1).tolist()
    for a, b in zip([0, *changed], [*changed, len(of)]):
        body, ink, size = int(marked.bodies[of[a]]), int(marked.lines[of[a]]), float(marked.sizes[of[a]])
        pen = Pen(_hex(ink), style.width, join) if style.width > 0 and ink else None
        yield Stamps(xy[a:b], shape * (size / 2), _hex(body) if body else None, pen)


def _dash(style: VectorStyle) -> tuple[float, ...]:
    return style.dash if len(style.dash) > 1 else ()


def _hex(ink: int) -> str:
    """Return `#rrggbb` of an opaque ink."""
    return f"#{ink & 255:02x}{ink >> 8 & 255:02x}{ink >> 16 & 255:02x}"
