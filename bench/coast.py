"""From a file of uneven coasts to the first picture, and frames of all of them and of parts."""

from __future__ import annotations

import statistics
from collections.abc import Callable, Iterator

import numpy as np

from . import data, peers
from .case import Case, Measured, in_turn, peak_mb, timed

RUNS = 5
FIRST_TIMES = 3.5  # as long as the bare read
VIEWS = (("all of it", None, 40.0), ("a sixth of it", 3.0, 20.0), ("a thirtieth of it", 9.0, 20.0))


def run() -> Iterator[Case]:
    path = data.coast()
    yield _first_picture(path)
    yield from _frames(path)


def _first_picture(path: object) -> Case:
    import pyogrio

    from brisk_atlas.core.cache import DataCache
    from brisk_atlas.core.draw import View
    from brisk_atlas.core.kinds import first_style, painter_for
    from brisk_atlas.core.model import DataRef, Layer

    ref = DataRef.parse(str(path))

    def ours() -> None:
        cache = DataCache()
        facts = cache.dataset(ref).parts[0].facts
        layer = Layer("c", "c", ref.with_part(facts.name), facts.kind, first_style(facts, 0))
        assert facts.extent is not None
        frame = painter_for(cache).frame([layer], View.fitting(facts.extent, peers.WIDTH, peers.HEIGHT))
        assert frame.image.any() and not frame.faults

    ours()
    mine, theirs = in_turn(ours, lambda: pyogrio.read_arrow(path), RUNS)
    return Case("coast", _named("file to first picture"), "the bare read into Arrow", mine, theirs, 1 / FIRST_TIMES)


def _named(what: str) -> str:
    return f"{data.COAST_POLYGONS:,} coasts with {data.COAST_VERTICES:,} vertices: {what}"


def _frames(path: object) -> Iterator[Case]:
    from brisk_atlas.core.cache import DataCache
    from brisk_atlas.core.draw import View
    from brisk_atlas.core.draw.vector import Inks, draw_vector
    from brisk_atlas.core.model import DataRef, VectorStyle

    cache = DataCache()
    ref = DataRef.parse(str(path))
    facts = cache.dataset(ref).parts[0].facts
    index = cache.shape_index(ref.with_part(facts.name), facts.crs)
    shapes = index.shapes
    assert facts.extent is not None
    style = VectorStyle(fill=peers.FILL, line=peers.LINE, width=peers.LINE_WIDTH)
    image = np.zeros((peers.HEIGHT, peers.WIDTH, 4), np.uint8)
    whole = View.fitting(facts.extent, peers.WIDTH, peers.HEIGHT)
    for name, closer, target in VIEWS:
        view = whole if closer is None else whole.zoomed(closer, peers.WIDTH * 0.4, peers.HEIGHT * 0.45)

        def draw(view: View = view) -> None:
            image[:] = 0
            draw_vector(image, index, Inks(), style, view)

        rings = [shapes.xy[shapes.path_starts[f] : shapes.path_starts[f + 1]] for f in index.within(view.extent)]
        left, upper = view.origin
        pixels = [np.column_stack([ring[:, 0] - left, upper - ring[:, 1]]) / view.resolution for ring in rings]
        draw()
        ours = statistics.median(timed(draw) for _ in range(RUNS * 2))
        theirs = statistics.median(timed(peer) for peer in [_agg(pixels)] * 2)
        yield Case(
            "coast", _named(f"a frame of {name}"), "Matplotlib's Agg collection",
            Measured(ours, peak_mb()), Measured(theirs, peak_mb()), target,
        )  # fmt: skip


def _agg(rings: list[np.ndarray]) -> Callable[[], object]:
    return peers.agg_polygons(rings)
