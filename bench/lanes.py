"""What the analyst waits for while long work runs: the pictures of a pan with four exports going on."""

from __future__ import annotations

import itertools
import statistics
import tempfile
import threading
import time
from collections.abc import Iterator
from pathlib import Path

from . import data
from .case import Case, Measured, peak_mb

FRAMES = 60
EXPORTS = 4
SLOWDOWN = 1.5  # that a frame may take with the exports running


def run() -> Iterator[Case]:
    from brisk_atlas.core.draw import View
    from brisk_atlas.core.model import DataRef
    from brisk_atlas.core.operations import Export
    from brisk_atlas.core.system.jobs import Lane
    from brisk_atlas.core.workspace import Workspace

    with tempfile.TemporaryDirectory() as folder, Workspace() as workspace:
        (layer,) = workspace.open(DataRef.file(data.polygons()))
        facts = workspace.cache.part(layer.ref).facts
        assert facts.extent is not None
        whole = View.fitting(facts.extent, 1280, 800).zoomed(2.0, 640, 400)
        steps = itertools.count()

        def pan() -> float:
            """Return the median seconds of frames, each asked for as the window does, in a job."""
            taken = []
            for _ in range(FRAMES):
                ended = threading.Event()
                view = whole.panned(37.0 * (next(steps) % 40), 11.0)
                begun = time.perf_counter()
                workspace.jobs.start(
                    "drawing", lambda job, v=view: workspace.painter.frame([layer], v), lambda job, e=ended: e.set(),
                    shown=False,
                )  # fmt: skip
                ended.wait()
                taken.append(time.perf_counter() - begun)
            return statistics.median(taken)

        pan()
        alone = pan()
        stop = threading.Event()

        def export(number: int) -> None:
            path = Path(folder, f"export {number}.gpkg")

            def work(job: object) -> None:
                while not stop.is_set():
                    Export(layer.id, path, crs="EPSG:4326").run(workspace)
                    path.unlink(missing_ok=True)

            workspace.jobs.start(f"export {number}", work, lane=Lane.BATCH)

        for number in range(EXPORTS):
            export(number)
        time.sleep(1.0)
        busy = pan()
        stop.set()
        while any(job.name.startswith("export") for job in workspace.jobs.open):
            time.sleep(0.05)
    yield Case(
        "lanes",
        f"the median frame of a pan with {EXPORTS} exports running",
        "the same without them",
        Measured(busy, peak_mb()),
        Measured(alone, peak_mb()),
        1 / SLOWDOWN,
    )
