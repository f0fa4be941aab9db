"""Batches whose workers, or whose application, are killed at random moments: nothing is half-written, taking the batch
up again finishes it, and its report is true."""

from __future__ import annotations

import json
import os
import random
import shutil
import signal
import sqlite3
import subprocess
import sys
import time
from contextlib import closing
from pathlib import Path

import numpy as np
import pyogrio
import rasterio

from brisk_atlas import demo

from .files import Report

LONGEST_S = 9.0  # that a batch is left alone: it is over by then on a machine that has nothing else to do
INPUTS, BROKEN = 12, 5
STEPS = {
    "rows": [{"do": "where", "where": "thickness_mm > 10"}, {"do": "compute", "field": "cm", "expression": "thickness_mm / 10"},
             {"do": "write", "path": "${out}/${name}.gpkg"}],
    "tiles": [{"do": "terrain", "what": "slope"}, {"do": "write", "path": "${out}/${name}.tif"}],
}  # fmt: skip


class Victim:
    """A batch that is run again and again into one folder."""

    def __init__(self, room: Path, kind: str) -> None:
        self.kind, self.inputs, self.out, self.report = kind, room / "in", room / "out", room / "report.json"
        self.inputs.mkdir(parents=True)
        recipe = room / "batch.recipe.json"
        branch = {"name": "main", "source": "${input}", "steps": STEPS[kind]}
        recipe.write_text(json.dumps({"brisk_atlas_recipe": 1, "title": kind, "branches": [branch]}))
        _rows_into(self.inputs) if kind == "rows" else _grids_into(self.inputs)
        self.program = [sys.executable, "-m", "brisk_atlas", "run", str(recipe), str(self.inputs), "--out", str(self.out),
                        "--resume", "--workers", "2", "--report", str(self.report)]  # fmt: skip
        self.program += ["--tiles"] if kind == "tiles" else []
        self.begin().wait()
        self.whole = self.signs()
        shutil.rmtree(self.out)

    def begin(self) -> subprocess.Popen[bytes]:
        """Start the batch, or take it up again."""
        self.report.unlink(missing_ok=True)
        return subprocess.Popen(self.program, stdout=subprocess.DEVNULL, stderr=subprocess.DEVNULL)

    def signs(self) -> dict[str, str]:
        """Return what tells whole files apart, by their names. Raises for a half one."""
        found = (path for path in self.out.glob("*") if path.suffix in (".gpkg", ".tif"))
        return {path.name: _sign(path) for path in found}

    def faults(self) -> list[str]:
        """Return what is wrong with the files that are there."""
        try:
            return [f"{name}: {sign}" for name, sign in self.signs().items() if self.whole[name] != sign]
        except Exception as error:
            return [f"half: {type(error).__name__}: {error}"]

    def faults_at_the_end(self) -> list[str]:
        """Return what is wrong after the batch ended by itself: with the files, and with what the report says of them."""
        if not self.report.exists():
            return ["it ended without a report"]
        stored = json.loads(self.report.read_text())
        found = self.faults()
        done = {Path(each["path"]).name for outcome in stored["outcomes"] if outcome["state"] != "failed"
                for branch in outcome["branches"] for each in branch["written"]}  # fmt: skip
        if not done <= set(self.signs()):
            found.append(f"the report says that {sorted(done - set(self.signs()))} are done")
        failed = [outcome["reason"] for outcome in stored["outcomes"] if outcome["state"] == "failed"]
        strange = [reason for reason in failed if "JSON ends" not in reason and "its process ended" not in reason]
        return found + strange

    def left(self) -> list[str]:
        """Return what lies about that is no result."""
        return [path.name for path in self.out.iterdir() if path.name.startswith(".brisk-atlas-writing")]


def _rows_into(folder: Path) -> None:
    content = (demo.DATA / "ash_samples.geojson").read_text()
    for number in range(INPUTS):
        (folder / f"day_{number:02}.geojson").write_text(content if number != BROKEN else content[: len(content) // 2])


def _grids_into(folder: Path) -> None:
    across, down = np.meshgrid(np.arange(9000, dtype=np.float32), np.arange(700, dtype=np.float32))
    for name in ("north", "south"):
        profile = {"driver": "GTiff", "width": 9000, "height": 700, "count": 1, "dtype": "float32", "crs": "EPSG:32727"}
        with rasterio.open(
            folder / f"{name}.tif", "w", transform=rasterio.Affine(5, 0, 5e5, 0, -5, 57e5), **profile
        ) as out:
            out.write(50 * np.sin(across / 90) * np.cos(down / 70), 1)


def _sign(path: Path) -> str:
    if path.suffix == ".gpkg":
        with closing(sqlite3.connect(path)) as db:
            assert db.execute("PRAGMA integrity_check").fetchone() == ("ok",)
        return str(pyogrio.read_arrow(path)[1].num_rows)
    with rasterio.open(path) as found:
        return f"{found.shape} {float(found.read(1).sum(dtype=np.float64)):.3f} {found.overviews(1)}"


def attack_batches(folder: Path, seed: int, seconds: float) -> Report:
    """Kill workers and applications at random moments of batches for a while."""
    report, rng = Report(), random.Random(seed)
    victims = [Victim(folder / f"batch of {kind}", kind) for kind in STEPS]
    end = time.monotonic() + seconds
    while time.monotonic() < end or report.tried == 0:
        victim = victims[report.tried // 5 % len(victims)]
        process = victim.begin()
        time.sleep(rng.uniform(0, LONGEST_S))
        target = process.pid if rng.random() < 0.5 else rng.choice(_workers(process.pid) or [process.pid])
        what = "application" if target == process.pid else "worker"
        if process.poll() is None:
            os.kill(target, signal.SIGKILL)
            report.tried += 1
            report.outcomes[what] += 1
        process.wait()
        faults = victim.faults()
        if process.returncode >= 0:  # it ended by itself
            faults += victim.faults_at_the_end()
        if victim.out.exists() and (process.returncode >= 0 or rng.random() < 0.2):
            last = victim.begin()
            last.wait()
            faults += victim.faults_at_the_end() + victim.left()
            if victim.signs() != victim.whole:
                faults.append(f"taken up again, it ended with {sorted(victim.signs())}")
            report.outcomes["finished"] += 1
            shutil.rmtree(victim.out)
        report.faults += [f"kill {report.tried} of a {what} of {victim.kind}: {fault}" for fault in faults]
    return report


def _workers(parent: int) -> list[int]:
    asked = ["pgrep", "-P", str(parent), "-f", "worker_main"]
    return [int(pid) for pid in subprocess.run(asked, capture_output=True, text=True).stdout.split()]
