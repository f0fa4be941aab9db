"""Drawing features: our kernels against Qt's painter and Matplotlib's Agg on the same picture."""

from __future__ import annotations

import os
import statistics
from collections.abc import Callable, Iterator
from typing import TYPE_CHECKING

import numpy as np

from . import data, peers
from .case import Case, Measured, in_turn, peak_mb, timed

if TYPE_CHECKING:
    from brisk_atlas.core.draw.frame import Frame

RUNS = 5
MEAN_DIFFERENCE = 2.0  # of 255, between the same picture drawn both ways
LINES, LINE_VERTICES = 5_000, 1_000
PAN_PX = (24, 13)
STACK, PANE = 300, (704, 692)  # layers; pixels of the map in a window of 1280 x 800


def run() -> Iterator[Case]:
    os.environ["QT_QPA_PLATFORM"] = "offscreen"
    from PyQt6.QtGui import QGuiApplication

    app = QGuiApplication.instance() or QGuiApplication([])
    assert app is not None
    yield from _polygons(100_000, (1.0, 4.0), 12.0, 4.0)
    yield from _polygons(1_000_000, (0.25, 0.7), 100.0, 25.0)
    yield _lines()
    yield _stack()


def _ours(rings: np.ndarray) -> tuple[Callable[[], None], np.ndarray]:
    """Return a call that draws rings, given in pixels, and the picture it draws to."""
    from brisk_atlas.core.draw import View
    from brisk_atlas.core.draw.vector import Inks, draw_vector
    from brisk_atlas.core.model import VectorStyle
    from brisk_atlas.core.model.shapes import POLYGON, Shapes, bounds_of
    from brisk_atlas.core.read.shape_index import index_of

    count, vertices, _ = rings.shape
    xy = rings.reshape(-1, 2) * (1, -1) + (0, peers.HEIGHT)
    path_starts, feature_starts = np.arange(count + 1) * vertices, np.arange(count + 1)
    kinds = np.full(count, POLYGON, np.uint8)
    shapes = Shapes(xy, None, path_starts, kinds, feature_starts, bounds_of(xy, path_starts, feature_starts))
    index = index_of(shapes)
    view = View(peers.WIDTH / 2, peers.HEIGHT / 2, 1.0, peers.WIDTH, peers.HEIGHT)
    style = VectorStyle(fill=peers.FILL, line=peers.LINE, width=peers.LINE_WIDTH)
    image = np.zeros((peers.HEIGHT, peers.WIDTH, 4), np.uint8)

    def draw() -> None:
        image[:] = 0
        draw_vector(image, index, Inks(), style, view)

    return draw, image


def _polygons(count: int, radii: tuple[float, float], over_qt: float, over_agg: float) -> Iterator[Case]:
    rings = data.rings(count, 12, peers.WIDTH, peers.HEIGHT, radii, 1)
    draw, image = _ours(rings)
    name = f"{count:,} polygons of 12 vertices, fill and {peers.LINE_WIDTH} px outline"
    runs, share = (RUNS, 1) if count <= 100_000 else (1, 10)
    some = rings[: count // share]  # a peer that takes minutes is timed on a tenth of the million
    few = rings[: max(1, len(some) // 10)]
    best = min(peers.CHUNKS, key=lambda chunk: timed(peers.qt_polygons(few, chunk)))
    paint = peers.qt_polygons(some, best)
    ours, qt = in_turn(draw, paint, runs, ours_each=3)
    differ = np.abs(image.astype(int) - paint()).mean() if share == 1 else None
    note = "" if differ is None else f"mean difference a channel {differ:.2f} of 255, at most {MEAN_DIFFERENCE:.0f}"
    if differ is not None and differ >= MEAN_DIFFERENCE:
        note += ": DOES NOT HOLD"
    said = "" if share == 1 else f", time of a tenth of them times {share}"
    yield Case("draw", name, f"Qt's painter, {best} polygons a call{said}", ours, _times(qt, share), over_qt, note)
    ours, agg = in_turn(draw, peers.agg_polygons(some), runs, ours_each=3)
    yield Case("draw", name, f"Matplotlib's Agg collection{said}", ours, _times(agg, share), over_agg)


def _times(measured: Measured, by: int) -> Measured:
    return Measured(measured.seconds * by, measured.peak_mb)


def _lines() -> Case:
    """Pan 5,000,000 vertices of lines: a later frame against the first one, which makes the index."""
    from brisk_atlas.core.cache import DataCache
    from brisk_atlas.core.draw import View
    from brisk_atlas.core.kinds import painter_for
    from brisk_atlas.core.model import DataKind, DataRef, Layer, VectorStyle

    path = data.lines(LINES, LINE_VERTICES)
    cache = DataCache()
    name = cache.dataset(DataRef.file(path)).parts[0].facts.name
    layer = Layer("lines", "lines", DataRef.file(path).with_part(name), DataKind.VECTOR, VectorStyle(width=1.4))
    view = View(data.WEST + 5_000, data.SOUTH + 4_000, 8.0, peers.WIDTH, peers.HEIGHT, data.CRS)
    first, pans = [], []
    for _ in range(RUNS):
        cache = DataCache()
        cache.features(layer.ref)  # reading is not drawing
        painter = painter_for(cache)
        frames: list[Frame] = []
        first.append(timed(lambda p=painter, f=frames: f.append(p.frame([layer], view))))  # type: ignore[misc]
        assert frames[0].image.any() and not frames[0].faults
        moved = view
        for _ in range(6):
            moved = moved.panned(*PAN_PX)
            pans.append(timed(lambda p=painter, v=moved: p.frame([layer], v)))  # type: ignore[misc]
    case = f"{LINES * LINE_VERTICES:,} vertices of lines, a pan frame of {PAN_PX[0]} x {PAN_PX[1]} px"
    peak = peak_mb()
    ours, theirs = Measured(statistics.median(pans), peak), Measured(statistics.median(first), peak)
    return Case("draw", case, "the first frame of the same", ours, theirs, 4.0)


def _stack() -> Case:
    """Of 300 layers of the demo, two change places: the next frame, whose other pictures are stored."""
    from dataclasses import replace

    from brisk_atlas import demo
    from brisk_atlas.core.draw import View
    from brisk_atlas.core.workspace.workspace import Workspace

    with Workspace() as workspace:
        workspace.open_project(demo.PROJECT)
        work = workspace.work
        drawn = [layer for layer in work.layers if layer.kind.has_shapes]
        layers = tuple(
            replace(layer, id=f"{layer.id} {i}", style=replace(layer.style, width=1 + i / 1000, label=None))  # type: ignore[arg-type, type-var]
            for i in range(STACK)
            for layer in [drawn[i % len(drawn)]]
        )
        work.state = work.state._replace(layers=layers)
        view = View(509_000.0, 5_771_350.0, 11.5, *PANE, work.state.crs)
        painter = workspace.painter
        painter.frame(work.drawn(), view)
        times = []
        for i in range(RUNS * 4):
            work.move(layers[40 + 11 * i].id, 1)
            order = work.drawn()
            times.append(timed(lambda order=order: painter.frame(order, view)))  # type: ignore[misc]
    peak = peak_mb()
    case = f"{STACK} layers, the frame of the map pane after two changed places"
    return Case(
        "draw", case, "a frame of a screen", Measured(statistics.median(times), peak), Measured(1 / 60, peak), 1.0
    )
