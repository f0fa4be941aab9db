"""Random input: keys, clicks, drags and commands on the real window, in a process that is watched.

Nothing may raise, hang or die; memory must level off; and the files that are open must be as they were.
"""

from __future__ import annotations

import hashlib
import json
import os
import random
import select
import statistics
import subprocess
import sys
import time
from pathlib import Path

from .files import PATIENCE_S, Report

LEFT_OUT = {"quit", "open", "open_project", "save", "save_as"}  # they end the run, or wait for a file to be chosen
LONGEST_S = 900.0  # of a window; then another one begins
PAGE_MB = os.sysconf("SC_PAGE_SIZE") / 1e6
GROWTH, GROWTH_MB = 1.35, 350  # of memory from the second quarter of a run to its last, before it counts as a leak


def attack_window(folder: Path, seed: int, seconds: float) -> Report:
    """Drive the window for a while; a process that dies or hangs is a fault, as is each exception that nobody caught."""
    report, end, run = Report(), time.monotonic() + seconds, 0
    originals = _fingerprint()
    while time.monotonic() < end:
        left = max(5.0, min(LONGEST_S, end - time.monotonic()))
        child = subprocess.Popen(
            [sys.executable, "-X", "faulthandler", "-m", "attack.hands", f"{seed} {run}", str(left)], stdout=subprocess.PIPE,
            stderr=(folder / f"hands{run}.txt").open("wb"),
            env={**os.environ, "QT_QPA_PLATFORM": "offscreen", "BRISK_ATLAS_HOME": str(folder / f"home{run}"),
                 "PYTHONPATH": os.pathsep.join([str(Path(__file__).parents[1]), os.environ.get("PYTHONPATH", "")])},
        )  # fmt: skip
        assert child.stdout is not None
        ended, memory = False, list[float]()
        while not ended:
            if not select.select([child.stdout], [], [], PATIENCE_S + (40.0 if report.tried == 0 else 10.0))[0]:
                report.faults.append(f"run {run}: the window hung")
                report.outcomes["hung"] += 1
                break
            line = child.stdout.readline()
            if not line:
                break
            told = json.loads(line)
            report.tried = report.tried + told.get("did", 0)
            memory += [told["memory_mb"]] if "memory_mb" in told else []
            if "raised" in told:
                report.outcomes["unforeseen"] += 1
                trace = " | ".join(line.strip() for line in told["trace"].strip().splitlines()[-7:])
                report.faults.append(f"run {run}, after {told['after']}: {trace}")
            ended = "end" in told
        if not ended and child.poll() not in (None, 0):
            report.outcomes["died"] += 1
            tail = (folder / f"hands{run}.txt").read_text(errors="replace").strip().splitlines()[-6:]
            report.faults.append(f"run {run}: the window died ({child.poll()}): {' | '.join(tail)}")
        child.kill()
        child.wait()
        if (grown := _growth(memory)) is not None:
            report.outcomes["grew"] += 1
            report.faults.append(f"run {run}: {grown}")
        run += 1
    if _fingerprint() != originals:
        report.outcomes["changed"] += 1
        report.faults.append("a file of the demo is not as it was")
    return report


def _growth(memory: list[float]) -> str | None:
    """Return in words how much more memory the last quarter of a run took than the second; None where it levels off."""
    if len(memory) < 40:
        return None
    quarter = len(memory) // 4
    before, last = statistics.median(memory[quarter : 2 * quarter]), statistics.median(memory[-quarter:])
    grew = last > before * GROWTH and last - before > GROWTH_MB
    return f"memory grew from {before:,.0f} to {last:,.0f} MB" if grew else None


def _fingerprint() -> str:
    """Return what the files of the demo are."""
    from brisk_atlas import demo

    files = sorted(path for path in demo.DATA.rglob("*") if path.is_file())
    return hashlib.sha256(b"".join(str(path).encode() + path.read_bytes() for path in files)).hexdigest()


def main() -> None:
    from PyQt6.QtCore import QPoint, Qt, QTimer
    from PyQt6.QtGui import QDesktopServices
    from PyQt6.QtPrintSupport import QPrintDialog
    from PyQt6.QtTest import QTest
    from PyQt6.QtWidgets import QApplication, QFileDialog, QWidget

    from brisk_atlas import demo
    from brisk_atlas.desktop.app import make_application, make_window
    from brisk_atlas.desktop.fault_hooks import FaultHooks

    rng, seconds = random.Random(sys.argv[1]), float(sys.argv[2])
    for name in ("getOpenFileName", "getOpenFileNames", "getSaveFileName"):
        setattr(QFileDialog, name, staticmethod(lambda *a, n=name, **k: ([], "") if n.endswith("s") else ("", "")))
    QFileDialog.getExistingDirectory = staticmethod(lambda *a, **k: "")
    QPrintDialog.exec = lambda dialog: 0
    QDesktopServices.openUrl = staticmethod(lambda url: True)
    app = make_application()
    hooks, after = FaultHooks(), ["the start"]
    window = make_window()
    window.resize(1280, 800)
    window.show()
    hooks.raised.connect(lambda words, trace: say(raised=words, after=after[-1], trace=trace))
    hooks.install()

    def say(**told: object) -> None:
        print(json.dumps(told), flush=True)

    def close_boxes() -> None:
        for box in (app.activePopupWidget(), app.activeModalWidget()):
            if box is not None and rng.random() < 0.7:
                box.close()

    timer = QTimer()
    timer.timeout.connect(close_boxes)
    timer.start(150)
    window.find_page.go_to(demo.DATA)
    window.session.open_files([demo.PROJECT])
    commands = [c.id for c in window.commands.all() if c.id not in LEFT_OUT]
    keys = [Qt.Key.Key_Return, Qt.Key.Key_Escape, Qt.Key.Key_Tab, Qt.Key.Key_Space, Qt.Key.Key_Delete, Qt.Key.Key_Up,
            Qt.Key.Key_Down, Qt.Key.Key_Left, Qt.Key.Key_Right, Qt.Key.Key_PageDown, Qt.Key.Key_Home, Qt.Key.Key_End]  # fmt: skip
    end, did = time.monotonic() + seconds, 0
    while time.monotonic() < end:
        target = app.activePopupWidget() or app.activeModalWidget() or window
        widgets = [w for w in target.findChildren(QWidget) if w.isVisible() and w.isEnabled()] or [target]
        widget = rng.choice(widgets)
        at = QPoint(rng.randrange(max(1, widget.width())), rng.randrange(max(1, widget.height())))
        kind = rng.choice(
            ("command", "click", "click", "click", "key", "key", "type", "double", "right", "drag", "undo")
        )
        after.append(f"{kind} on {type(widget).__name__}")
        if kind == "command":
            after[-1] = command = rng.choice(commands)
            window.commands.do(command)
        elif kind == "click":
            QTest.mouseClick(widget, Qt.MouseButton.LeftButton, Qt.KeyboardModifier.NoModifier, at)
        elif kind == "double":
            QTest.mouseDClick(widget, Qt.MouseButton.LeftButton, Qt.KeyboardModifier.NoModifier, at)
        elif kind == "right":
            QTimer.singleShot(0, close_boxes)
            QTest.mouseClick(widget, Qt.MouseButton.RightButton, Qt.KeyboardModifier.NoModifier, at)
        elif kind == "drag":
            QTest.mousePress(widget, Qt.MouseButton.LeftButton, Qt.KeyboardModifier.NoModifier, at)
            QTest.mouseMove(widget, at + QPoint(rng.randrange(-60, 60), rng.randrange(-60, 60)))
            QTest.mouseRelease(widget, Qt.MouseButton.LeftButton, Qt.KeyboardModifier.NoModifier, at)
        elif kind == "type":
            QTest.keyClicks(widget, rng.choice(("38 S 20 W", "rank() over (", "lava", "1e999", "((((", "year > 1")))
        elif kind == "undo":
            window.commands.do(rng.choice(("undo", "redo")))
        else:
            QTest.keyClick(
                widget,
                rng.choice(keys),
                rng.choice(
                    (
                        Qt.KeyboardModifier.NoModifier,
                        Qt.KeyboardModifier.ControlModifier,
                        Qt.KeyboardModifier.ShiftModifier,
                    )
                ),
            )
        did += 1
        for _ in range(rng.choice((1, 1, 3, 20))):
            app.processEvents()
            time.sleep(0.002)
        if did % 25 == 0:
            say(did=25, memory_mb=int(Path("/proc/self/statm").read_text().split()[1]) * PAGE_MB)
        if not window.isVisible():
            window.show()
    say(end=True, did=did % 25)
    QApplication.sendPostedEvents()
    os._exit(0)


if __name__ == "__main__":
    main()
