"""Drawing a grid of 20,000 x 20,000 cells: a pan frame against the library's own read of the same
window, and the same grid without overviews."""

from __future__ import annotations

import json
import os
import statistics
import subprocess
import sys
import tempfile
from collections.abc import Iterator
from pathlib import Path

from . import data
from .case import Case, Measured, in_turn, peak_mb, timed

WIDTH, HEIGHT = 1280, 800
RUNS = 9
PAN_PX = (37, 21)
MOST_MB = 400.0  # above the start, for a grid without overviews
_ALONE = "from bench.raster import without_overviews; without_overviews()"


def run() -> Iterator[Case]:
    yield _pan()
    yield from _second_opening()


def _painter():  # type: ignore[no-untyped-def]
    from brisk_atlas.core.cache import DataCache
    from brisk_atlas.core.kinds import painter_for

    return painter_for(DataCache())


def _layer(path: Path):  # type: ignore[no-untyped-def]
    from brisk_atlas.core.model import DataKind, DataRef, GridStyle, Layer, Stretch

    style = GridStyle(ramp="land", stretch=Stretch("hand", 100, 900))
    return Layer("grid", "grid", DataRef.file(path).with_part(path.stem), DataKind.RASTER, style)


def _view(resolution: float = 15.0):  # type: ignore[no-untyped-def]
    from brisk_atlas.core.draw import View

    middle = data.GRID_SIDE * data.CELL / 2
    return View(data.WEST + middle, data.SOUTH + middle, resolution, WIDTH, HEIGHT, data.CRS)


def _pan() -> Case:
    import rasterio
    from rasterio.windows import from_bounds

    path = data.grid(overviews=True)
    painter, layer = _painter(), _layer(path)
    place = {"view": _view(6.0)}
    painter.frame([layer], place["view"])

    def ours() -> None:
        place["view"] = place["view"].panned(*PAN_PX)
        painter.frame([layer], place["view"])

    def theirs() -> None:
        place["view"] = place["view"].panned(*PAN_PX)
        e = place["view"].extent
        with rasterio.open(path) as source:
            source.read(1, window=from_bounds(*e.bounds, source.transform), out_shape=(HEIGHT, WIDTH), boundless=False)

    mine, plain = in_turn(ours, theirs, RUNS)
    note = "reads, stretches, colours and lays one layer; the peer only reads"
    return Case("raster", "20,000 x 20,000 grid with overviews, one pan frame", "rasterio's read of the same window",
                mine, plain, 1 / 1.3, note)  # fmt: skip


def without_overviews() -> None:
    """Open the grid without overviews in a process of its own: print times and memory as JSON."""
    from brisk_atlas.core.kinds import kind_of

    path = data.grid(overviews=False)
    painter, layer = _painter(), _layer(path)
    start = peak_mb()
    said: dict[str, float] = {}
    said["first"] = timed(lambda: painter.frame([layer], _view()))
    seen: list[float] = []

    def report(share: float) -> None:
        if not seen or share >= seen[-1] + 0.1:
            seen.append(share)
            painter.frame([layer], _view())

    said["making"] = timed(lambda: kind_of(layer.kind).prepare(painter.cache, layer, report))
    said["pictures"] = float(len(seen))
    openings = []
    for _ in range(6):
        again = _painter()
        openings.append(timed(lambda p=again: p.frame([layer], _view())))  # type: ignore[misc]
    said["second"] = statistics.median(openings[1:])
    said["above_start_mb"] = peak_mb() - start
    print(json.dumps(said))


def _second_opening() -> Iterator[Case]:
    data.grid(overviews=False)
    with tempfile.TemporaryDirectory() as home:
        surroundings = {**os.environ, "BRISK_ATLAS_HOME": home}
        told = subprocess.run(
            [sys.executable, "-c", _ALONE], env=surroundings, capture_output=True, text=True, check=True
        ).stdout
        said = json.loads(told.splitlines()[-1])
        path = data.grid(overviews=True)

        def with_overviews() -> float:
            painter, layer = _painter(), _layer(path)
            return timed(lambda: painter.frame([layer], _view()))

        with_overviews()
        theirs = Measured(statistics.median(with_overviews() for _ in range(5)), peak_mb())
    note = (
        f"first picture after {said['first'] * 1000:.0f} ms, {said['pictures']:.0f} pictures while the overviews "
        f"were made in {said['making']:.1f} s"
    )
    second = Measured(said["second"], said["above_start_mb"])
    yield Case("raster", "the same without overviews, second opening", "the one with overviews, first frame", second, theirs, 0.8, note)  # fmt: skip
    yield Case("raster", "the same without overviews, memory above the start (MB as ms)", f"the limit of {MOST_MB:.0f} MB",
               Measured(said["above_start_mb"] / 1000, said["above_start_mb"]), Measured(MOST_MB / 1000, MOST_MB), 1.0)  # fmt: skip
