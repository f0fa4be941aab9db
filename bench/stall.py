"""Whether the window ever stops answering: the gaps of a heartbeat on its thread."""

from __future__ import annotations

import os
import resource
import statistics
import tempfile
import time
from collections.abc import Callable, Iterator
from pathlib import Path

import numpy as np
from platformdirs import user_cache_path

from .case import Case, Measured

POLYGONS, CORNERS = 100_000, 12
BEAT_MS = 1
SLOW_S = 0.1  # the longest gap that may be
WORST = 10


def polygons() -> Path:
    """Return a GeoPackage of 100,000 polygons of 12 vertices, made once."""
    import pyogrio
    import shapely

    path = user_cache_path("brisk-atlas-bench") / f"polygons-{POLYGONS}.gpkg"
    if not path.exists():
        path.parent.mkdir(parents=True, exist_ok=True)
        random = np.random.default_rng(1)
        centre = random.uniform((504_000, 5_767_000), (514_240, 5_776_000), (POLYGONS, 2))
        turn = np.linspace(0, 2 * np.pi, CORNERS, endpoint=False)
        out = random.uniform(8, 30, (POLYGONS, CORNERS))
        corners = centre[:, None] + out[..., None] * np.stack([np.cos(turn), np.sin(turn)], axis=-1)
        wkb = shapely.to_wkb(shapely.polygons(corners))
        beside = path.with_name("new-" + path.name)
        values = [np.arange(POLYGONS), random.uniform(0, 9, POLYGONS)]
        pyogrio.raw.write(
            beside, wkb, values, ["id", "value"], crs="EPSG:32727", geometry_type="Polygon", driver="GPKG"
        )
        beside.replace(path)
    return path


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
    path = polygons()
    os.environ["BRISK_ATLAS_HOME"] = tempfile.mkdtemp()
    from brisk_atlas.desktop.app import make_application, make_window, settle, warm_later

    app = make_application()
    window = make_window()
    window.resize(1280, 800)
    window.show()
    window.find_page.fill_shelves()
    warm_later(window)
    until = time.monotonic() + 3  # the libraries load in the background while the analyst looks for data
    while time.monotonic() < until:
        app.processEvents()
        time.sleep(0.001)
    heart = Heartbeat()

    def opening() -> None:
        window.session.open_paths([path])
        settle(window)

    def moving() -> None:
        canvas = window.desk.map.canvas
        for step in range(160):
            view = canvas.view.panned(6, 3) if step % 40 else canvas.view.zoomed(1.3, 400, 300)
            canvas.look(view)
            end = time.perf_counter() + 0.016
            while time.perf_counter() < end:
                app.processEvents()
        settle(window)

    peak = lambda: resource.getrusage(resource.RUSAGE_SELF).ru_maxrss / 1024  # noqa: E731
    gaps = [(name, *heart.during(act), peak()) for name, act in (("opening", opening), ("panning and zooming", moving))]
    painted = _qt_painter(path)
    for name, longest, typical, most in gaps:
        limit = Measured(SLOW_S, 0)
        yield Case(
            "stall",
            f"longest gap while {name} 100,000 polygons",
            "the limit of 100 ms",
            Measured(longest, most),
            limit,
            1.0,
        )
        yield Case(
            "stall",
            f"median of the worst ten gaps while {name}",
            "the limit of 40 ms",
            Measured(typical, most),
            Measured(0.04, 0),
            1.0,
        )
        yield Case("stall", f"longest gap while {name}, against painting there", "one Qt painter pass on the window's thread",
                   Measured(longest, most), painted, 1.0)  # fmt: skip
    window.session.work.load(window.session.work.state, None, None)
    window.close()


def _qt_painter(path: Path) -> Measured:
    """Time one picture of the same polygons painted by Qt, which holds Python's lock meanwhile."""
    from PyQt6.QtCore import QPointF
    from PyQt6.QtGui import QBrush, QColor, QImage, QPainter, QPen, QPolygonF

    from brisk_atlas.core.read import Holdings

    holdings = Holdings()
    name = holdings.dataset(path).parts[0].facts.name
    shapes = holdings.features((path, name)).shapes
    xy = (shapes.xy - (504_000, 5_767_000)) / 12.8
    figures = [
        QPolygonF([QPointF(x, y) for x, y in xy[a:b]]) for a, b in zip(shapes.path_starts[:-1], shapes.path_starts[1:])
    ]
    begun = time.perf_counter()
    image = QImage(1280, 800, QImage.Format.Format_ARGB32_Premultiplied)
    painter = QPainter(image)
    painter.setRenderHint(QPainter.RenderHint.Antialiasing)
    painter.setBrush(QBrush(QColor("#1C7C7D")))
    painter.setPen(QPen(QColor("#1D2A35"), 1.5))
    for figure in figures:
        painter.drawPolygon(figure)
    painter.end()
    return Measured(time.perf_counter() - begun, 0)
