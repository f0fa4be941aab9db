"""Whether the window ever stops answering: the gaps of a heartbeat on its thread, while large
layers are opened, panned and zoomed without pause."""

from __future__ import annotations

import os
import statistics
import tempfile
import time
from collections.abc import Callable, Iterator
from pathlib import Path

from . import data, peers
from .case import Case, Measured, peak_mb, timed

BEAT_MS = 1
LONGEST_S, TYPICAL_S = 0.1, 0.04  # the longest gap, and the median of the worst ten
WORST = 10
STEPS = 160
READY_S = 3.0  # the libraries load in the background while the analyst looks for data


class Heartbeat:
    """Beats on the window's thread and keeps the gaps between beats."""

    def __init__(self) -> None:
        from PyQt6.QtCore import QTimer

        self.gaps: list[float] = []
        self._last = time.perf_counter()
        self._timer = QTimer()
        self._timer.setInterval(BEAT_MS)
        self._timer.timeout.connect(self._beat)

    def _beat(self) -> None:
        now = time.perf_counter()
        self.gaps.append(now - self._last)
        self._last = now

    def during(self, act: Callable[[], None]) -> tuple[float, float]:
        """Return the longest gap and the median of the worst ten while `act` runs."""
        self.gaps.clear()
        self._last = time.perf_counter()
        self._timer.start()
        act()
        self._timer.stop()
        worst = sorted(self.gaps)[-WORST:]
        return worst[-1], statistics.median(worst)


def run() -> Iterator[Case]:
    os.environ["QT_QPA_PLATFORM"] = "offscreen"
    layers = {
        "100,000 polygons": data.polygons(),
        "5,000,000 vertices of lines": data.lines(5_000, 1_000),
        "a 400-megapixel grid with overviews": data.grid(overviews=True),
        "a 400-megapixel grid without": data.grid(overviews=False),
        "20,000,000 points": data.cloud(),
    }
    _app()
    rings = data.rings(100_000, 12, peers.WIDTH, peers.HEIGHT, (1.0, 4.0), 1)
    painted = Measured(timed(peers.qt_polygons(rings, 1)), 0)
    for name, path in layers.items():
        yield from _layer(name, path)
    yield Case("stall", "for comparison: one Qt painter pass of 100,000 polygons", "the limit of 100 ms",
               painted, Measured(LONGEST_S, 0), 0.0)  # fmt: skip


def _app() -> object:
    from brisk_atlas.desktop.app import make_application

    return make_application()


def _layer(name: str, path: Path) -> Iterator[Case]:
    os.environ["BRISK_ATLAS_HOME"] = tempfile.mkdtemp()
    from brisk_atlas.desktop.app import make_window, settle
    from brisk_atlas.desktop.warm_up import warm_later

    app = _app()
    window = make_window()
    window.session.asks = False  # nobody is there to answer
    window.resize(1280, 800)
    window.show()
    window.find_page.fill_shelves()
    warm_later(window)
    until = time.monotonic() + READY_S
    while time.monotonic() < until:
        app.processEvents()  # type: ignore[attr-defined]
        time.sleep(0.001)
    heart = Heartbeat()

    def opening() -> None:
        window.session.open_files([path])
        settle(window)

    def moving() -> None:
        canvas = window.desk.map.canvas
        for step in range(STEPS):
            view = (
                canvas.view.panned(6, 3)
                if step % 20
                else canvas.view.zoomed(1.3 if step < STEPS / 2 else 0.8, 400, 300)
            )
            canvas.look(view)
            end = time.perf_counter() + 0.016
            while time.perf_counter() < end:
                app.processEvents()  # type: ignore[attr-defined]
        settle(window)

    for act, what in ((opening, "opening"), (moving, "panning and zooming")):
        longest, typical = heart.during(act)
        yield Case("stall", f"longest gap while {what} {name}", "the limit of 100 ms",
                   Measured(longest, peak_mb()), Measured(LONGEST_S, 0), 1.0)  # fmt: skip
        yield Case("stall", "median of the worst ten of them", "the limit of 40 ms",
                   Measured(typical, peak_mb()), Measured(TYPICAL_S, 0), 1.0)  # fmt: skip
    window.session.work.load(window.session.work.state, None, None)
    window.close()
