"""Memory: closed layers give theirs back, hundreds of open ones and a file far larger than the budget stay within it."""

from __future__ import annotations

import json
import subprocess
import sys
from collections.abc import Iterator
from pathlib import Path

from . import data
from .case import Measured, MemoryCase

ROUNDS = 15
GROWTH_MB = 50  # that may remain after closing the same layer again and again
LAYERS = 300
BUDGET_MB = 256
SLACK_MB = 300  # of a process beside its cache: libraries, the picture, what is being read
PANS = 120


def run() -> Iterator[MemoryCase]:
    path = data.large_polygons()
    told = _alone("closing", path)
    yield MemoryCase(
        "memory",
        f"a layer of {path.stat().st_size / 1e6:,.0f} MB opened and closed {ROUNDS} times",
        f"after the first close, and {GROWTH_MB} MB",
        Measured(told["seconds"], told["last_mb"]),
        Measured(told["seconds"], told["first_mb"] + GROWTH_MB),
        1.0,
    )
    told = _alone("many", data.polygons())
    yield MemoryCase(
        "memory",
        f"{LAYERS} layers open, what was read of them within a budget of {BUDGET_MB} MB",
        "the budget",
        Measured(told["seconds"], told["held_mb"]),
        Measured(told["seconds"], BUDGET_MB),
        1.0,
        f"they take {told['all_mb']:,.0f} MB in all",
    )
    path = data.two_gigabytes()
    told = _alone("panning", path)
    yield MemoryCase(
        "memory",
        f"a GeoPackage of {path.stat().st_size / 1e9:,.1f} GB panned {PANS} times with a budget of {BUDGET_MB} MB",
        f"the budget and {SLACK_MB} MB for the process",
        Measured(told["seconds"], told["grown_mb"]),
        Measured(told["seconds"], BUDGET_MB + SLACK_MB),
        1.0,
        f"what was read held {told['held_mb']:,.0f} MB at most",
    )


def _alone(what: str, path: Path) -> dict[str, float]:
    """Measure in a process of its own."""
    done = subprocess.run(
        [sys.executable, "-m", "bench.memory", what, str(path)], capture_output=True, text=True, check=True
    )
    told: dict[str, float] = json.loads(done.stdout.splitlines()[-1])
    return told


def _rss_mb() -> float:
    status = Path("/proc/self/status").read_text().splitlines()
    return int(next(line for line in status if line.startswith("VmRSS:")).split()[1]) / 1024


def _measure(what: str, path: Path) -> dict[str, float]:
    import time

    from brisk_atlas.core.cache.budget import give_back
    from brisk_atlas.core.draw import View
    from brisk_atlas.core.model import DataRef, Layer
    from brisk_atlas.core.workspace import Workspace

    begun = time.perf_counter()
    with Workspace(memory=None if what == "closing" else BUDGET_MB * 1_000_000) as workspace:
        ref = DataRef.file(path)

        def picture(layer: Layer, shift: float = 0.0, zoom: float = 1.0) -> None:
            facts = workspace.cache.part(layer.ref).facts
            assert facts.extent is not None
            view = View.fitting(facts.extent, 800, 600)
            view = view.zoomed(zoom, 400, 300).panned(shift, 0)
            workspace.painter.frame([layer], view)

        if what == "closing":
            sizes = []
            for _ in range(ROUNDS):
                (layer,) = workspace.add(workspace.read_parts(ref))
                picture(layer)
                del layer
                workspace.work.load(type(workspace.work.state)(), None, None)
                while workspace.jobs.open:
                    time.sleep(0.01)
                give_back()
                sizes.append(_rss_mb())
            return {"first_mb": sizes[0], "last_mb": sizes[-1], "seconds": time.perf_counter() - begun}
        if what == "many":
            import shutil
            import tempfile

            with tempfile.TemporaryDirectory() as folder:
                copies = [Path(folder, f"copy {n}.gpkg") for n in range(LAYERS // 10)]
                for copy in copies:
                    shutil.copy(path, copy)
                every = 0.0
                for number in range(LAYERS):
                    parts = workspace.read_parts(DataRef.file(copies[number % len(copies)]))
                    (layer,) = workspace.add(parts)
                    picture(layer)
                    every = max(every, workspace.cache.size / 1e6)
                return {"held_mb": every, "all_mb": len(copies) * 40.0, "seconds": time.perf_counter() - begun}
        (layer,) = workspace.add(workspace.read_parts(ref))
        picture(layer)
        give_back()
        before, held, grown = _rss_mb(), 0.0, 0.0
        for step in range(PANS):
            picture(layer, shift=step * 90.0 - 3000, zoom=14.0)
            held = max(held, workspace.cache.size / 1e6)
            grown = max(grown, _rss_mb() - before)
        return {"held_mb": held, "grown_mb": grown + held, "seconds": time.perf_counter() - begun}


if __name__ == "__main__":
    print(json.dumps(_measure(sys.argv[1], Path(sys.argv[2]))))
