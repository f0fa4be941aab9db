"""From the start of the process to a usable empty window, against a bare PyQt6 window."""

from __future__ import annotations

import os
import statistics
import subprocess
import sys
import tempfile
import time
from collections.abc import Iterator

from .case import Case, Measured

RUNS = 15
_TELL = "import resource, time; print(time.monotonic(), resource.getrusage(resource.RUSAGE_SELF).ru_maxrss / 1024, flush=True)"
BARE = f"""
from PyQt6 import QtWidgets
app = QtWidgets.QApplication(["bare"])
window = QtWidgets.QMainWindow()
window.resize(1280, 800)
window.show()
app.processEvents()
{_TELL}
import os; os._exit(0)
"""
OURS = f"""
import gc; gc.disable()
from brisk_atlas.desktop import app
qt = app.make_application()
window = app.make_window()
window.show()
qt.processEvents()
assert window.isVisible() and window.find_page.list.isVisible()
{_TELL}
import os; os._exit(0)
"""


def _once(code: str, home: str) -> tuple[float, float]:
    begun = time.monotonic()
    stored_bytecode = {k: v for k, v in os.environ.items() if k != "PYTHONDONTWRITEBYTECODE"}
    surroundings = {**stored_bytecode, "QT_QPA_PLATFORM": "offscreen", "BRISK_ATLAS_HOME": home}
    said = subprocess.run(
        [sys.executable, "-c", code], env=surroundings, capture_output=True, text=True, check=True
    ).stdout
    shown, peak = said.split()[-2:]
    return float(shown) - begun, float(peak)


def run() -> Iterator[Case]:
    with tempfile.TemporaryDirectory() as home:
        _once(OURS, home), _once(BARE, home)
        pairs = [(_once(OURS, home), _once(BARE, home)) for _ in range(RUNS)]
    ours, bare = ([pair[side] for pair in pairs] for side in (0, 1))

    def median(runs: list[tuple[float, float]]) -> Measured:
        return Measured(statistics.median(r[0] for r in runs), statistics.median(r[1] for r in runs))

    yield Case(
        "start", "process start to an empty usable window", "a bare PyQt6 window", median(ours), median(bare), 1 / 3
    )
