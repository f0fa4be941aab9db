"""Drawing 20,000,000 points: the first picture against plain decoding, and later frames."""

from __future__ import annotations

import statistics
from collections.abc import Iterator

import numpy as np

from . import data
from .case import Case, Measured, peak_mb, timed

WIDTH, HEIGHT = 1280, 800
RUNS = 5
LATER_S = 0.2


def run() -> Iterator[Case]:
    import laspy

    from brisk_atlas.core.cache import DataCache
    from brisk_atlas.core.draw import View, cloud
    from brisk_atlas.core.kinds import kind_of, painter_for
    from brisk_atlas.core.model import CloudStyle, DataKind, DataRef, Layer
    from brisk_atlas.core.read.points_decoder import PIECE

    path = data.cloud()
    layer = Layer("cloud", "cloud", DataRef.file(path).with_part(path.stem), DataKind.POINTCLOUD, CloudStyle())
    view = View(data.WEST + 2000, data.SOUTH + 1500, 4.0, WIDTH, HEIGHT, None)

    def plain() -> None:
        """Decode the share of the file that the first picture needs, and nothing else."""
        with laspy.open(path) as source:
            for first in np.linspace(0, data.POINTS - PIECE, cloud.AT_ONCE // PIECE).astype(int) // PIECE * PIECE:
                source.seek(int(first))
                source.read_points(PIECE)

    def first() -> None:
        painter_for(DataCache()).frame([layer], view)

    first(), plain()
    ours, theirs = [], []
    for _ in range(RUNS):
        ours.append(timed(first))
        theirs.append(timed(plain))
    share = f"{cloud.AT_ONCE / data.POINTS:.0%} of the file, spread over it"
    yield Case("points", "20,000,000 points LAZ, first coarse picture", f"laspy decoding the same share ({share})",
               Measured(statistics.median(ours), peak_mb()), Measured(statistics.median(theirs), peak_mb()), 1 / 1.3)  # fmt: skip
    painter = painter_for(DataCache())
    whole = timed(lambda: kind_of(layer.kind).prepare(painter.cache, layer, lambda done: None))
    painter.frame([layer], view)
    for name, resolution in (("all of it in view", 4.0), ("a part, every point", 0.8)):
        times = []
        for step in range(8):
            moved = View(
                data.WEST + 2000 + step, data.SOUTH + 1500, resolution * (1 + step * 0.01), WIDTH, HEIGHT, None
            )
            times.append(timed(lambda v=moved: painter.frame([layer], v)))  # type: ignore[misc]
        e = view.extent if resolution == 4.0 else moved.extent
        xyz = painter.cache.points(layer.ref).xyz
        seen = int(((xyz[:, 0] > e.xmin) & (xyz[:, 0] < e.xmax) & (xyz[:, 1] > e.ymin) & (xyz[:, 1] < e.ymax)).sum())
        took = statistics.median(times)
        note = f"{seen:,} points in view: {seen / took / 1e6:,.0f} million points a second; the whole file was read in {whole:.1f} s"
        yield Case("points", f"later frames, each drawn anew, {name}", "the limit of 200 ms", Measured(took, peak_mb()),
                   Measured(LATER_S, 0), 1.0, note)  # fmt: skip
