"""What the window does with a file, in a process that may die: look, ask, open, draw, probe, list its rows.

Reads a path a line and answers with a line of JSON: `ok`, `refused` with the sentence, or `unforeseen` with the trace.
"""

from __future__ import annotations

import json
import os
import sys
import tempfile
import traceback
from pathlib import Path

from brisk_atlas.core.cache import DataCache
from brisk_atlas.core.draw import View
from brisk_atlas.core.find import Catalogue
from brisk_atlas.core.find.scan_pool import ScanPool
from brisk_atlas.core.inspect import Where
from brisk_atlas.core.kinds import first_style, painter_for
from brisk_atlas.core.kinds.asking import probe
from brisk_atlas.core.model import AtlasError, Layer
from brisk_atlas.core.system.workers import WorkerPool
from brisk_atlas.core.table import rows_of
from brisk_atlas.core.table.engine import Sheet
from brisk_atlas.core.workspace import Answers
from brisk_atlas.core.workspace.preflight import OpenPreflight
from made_files import at


def attempt(path: Path, before: OpenPreflight) -> tuple[str, str]:
    """Return how a file was taken."""
    looked = before.look(at(path))
    if looked.error is not None:
        return "refused", str(looked.error)
    cache = before.cache
    if looked.question is not None:
        cache.set_options(at(path), looked.question.guess)
    for part in cache.dataset(at(path)).parts[:4]:
        facts = part.facts
        if facts.kind not in ("vector", "raster", "pointcloud", "table"):
            continue
        layer = Layer("x", "x", at(path, facts.name), facts.kind, first_style(facts, 0))
        if facts.kind in ("vector", "table"):
            sheet = Sheet(rows_of(cache, layer))
            sheet.values(0, 20, sheet.columns[:8])
            for field in sheet.columns[:3]:
                sheet.summary(field)
        if facts.extent is not None:
            view = View.fitting(facts.extent, 160, 120)
            frame = painter_for(cache).frame([layer], view)
            if frame.faults:
                return "refused", frame.faults["x"]
            probe(cache, layer, Where.at(*facts.extent.centre, facts.crs, view.resolution * 4))
    return "ok", ""


def main() -> None:
    answers = os.fdopen(os.dup(1), "w", buffering=1)
    os.dup2(2, 1)
    cache, scan_pool = DataCache(), ScanPool(WorkerPool(1), 15.0)
    with tempfile.TemporaryDirectory() as folder:
        before = OpenPreflight(
            cache, Answers(Path(folder, "answers.json")), Catalogue(Path(folder, "catalogue.sqlite")), scan_pool
        )
        for line in sys.stdin:
            path = Path(json.loads(line))
            try:
                outcome = attempt(path, before)
            except AtlasError as error:
                outcome = ("refused", str(error))
            except Exception:
                outcome = ("unforeseen", traceback.format_exc())
            cache.clear()
            answers.write(json.dumps([*outcome, _peak_mb()]) + "\n")
        scan_pool.pool.close()


def _peak_mb() -> float:
    status = Path("/proc/self/status").read_text()
    peak = next(line for line in status.splitlines() if line.startswith("VmHWM"))
    return int(peak.split()[1]) / 1024


if __name__ == "__main__":
    main()
