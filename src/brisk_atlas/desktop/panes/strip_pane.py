"""The Strip pane: what was measured along a line, or what grids are along one."""

from __future__ import annotations

from pathlib import Path
from typing import TYPE_CHECKING

import numpy as np
from PyQt6.QtCore import pyqtSignal
from PyQt6.QtWidgets import QFileDialog, QFrame, QHBoxLayout, QMenu, QSizePolicy, QToolButton, QVBoxLayout, QWidget

from brisk_atlas.core.model import AtlasError, Layer
from brisk_atlas.core.operations.line_profile import FORMATS
from brisk_atlas.core.system.jobs import Job

from ..plain_text import PlainLabel
from ..session import Session
from ..theme import Theme
from .strip_canvas import StripCanvas

if TYPE_CHECKING:
    from brisk_atlas.core.strip.profile import Profile

HINT = ("Choose a layer of points to see its numbers along them, pick a line, or draw one: grids are shown along it. "
        "Draw takes the tool into the hand.")  # fmt: skip
PLACES = ("lat", "lon", "latitude", "longitude", "x", "y", "easting", "northing")  # shown when they are asked for
MOST_AT_FIRST = 3  # quantities
HEIGHT_PX = 230


class StripPane(QWidget):
    """A bar and a canvas. Shows the subject if it has points, else grids along what is picked or drawn.

    Signals:
        pointed(object): (x, y, crs) of the place at the cursor, None for none.
        seen_changed(): another stretch is in sight, or another profile.
        draw_wanted(): a line is to be drawn on the map.
        closed(): it is not shown any more.
    """

    pointed = pyqtSignal(object)
    seen_changed = pyqtSignal()
    draw_wanted = pyqtSignal()
    closed = pyqtSignal()

    def __init__(self, session: Session) -> None:
        super().__init__()
        self.session = session
        self.canvas = StripCanvas()
        self.profile: Profile | None = None
        self._job: Job | None = None
        self._line: tuple[np.ndarray, str | None] | None = None  # that was drawn, until another subject has points
        self._shown: dict[str, tuple[str, ...]] = {}  # by layer, the quantities that were chosen
        self._of: tuple | None = None  # what the profile is of
        title = PlainLabel("Strip")
        title.setObjectName("heading")
        self.what = PlainLabel("")
        self.what.setSizePolicy(QSizePolicy.Policy.Ignored, QSizePolicy.Policy.Preferred)
        self.quantities = QToolButton()
        self.quantities.setText("Quantities")
        self.quantities.setObjectName("strip quantities")
        self.quantities.setToolTip("What is drawn, from above to below")
        self.quantities.setPopupMode(QToolButton.ToolButtonPopupMode.InstantPopup)
        self.menu = QMenu(self.quantities)
        self.quantities.setMenu(self.menu)
        self.draw = QToolButton()
        self.draw.setText("Draw")
        self.draw.setObjectName("strip draw")
        self.draw.setToolTip("Draw a line on the map; grids are shown along it")
        self.save = QToolButton()
        self.save.setText("Save…")
        self.save.setObjectName("strip save")
        self.save.setToolTip("Write the line as CSV, Parquet or XLSX")
        self.whole = QToolButton()
        self.whole.setText("All")
        self.whole.setObjectName("strip all")
        self.whole.setToolTip("Bring all of the line into sight")
        self.together = QToolButton()
        self.together.setText("Together")
        self.together.setObjectName("strip together")
        self.together.setCheckable(True)
        self.together.setToolTip("Quantities of one unit on one axis, such as surfaces that are compared")
        bar = QFrame()
        bar.setObjectName("paneBar")
        row = QHBoxLayout(bar)
        row.setContentsMargins(8, 2, 8, 2)
        for widget in (title, self.quantities, self.together, self.draw, self.whole, self.save):
            row.addWidget(widget)
        row.addWidget(self.what, 1)
        column = QVBoxLayout(self)
        column.setContentsMargins(0, 0, 0, 0)
        column.setSpacing(0)
        column.addWidget(bar)
        column.addWidget(self.canvas, 1)
        self.canvas.pointed.connect(self._pointed)
        self.canvas.chosen.connect(lambda stretch: self._say())
        self.canvas.seen_changed.connect(self.seen_changed)
        self.menu.aboutToShow.connect(self._fill_menu)
        self.draw.clicked.connect(self.draw_wanted)
        self.whole.clicked.connect(self.canvas.show_all)
        self.together.toggled.connect(self._put_together)
        self.save.clicked.connect(self.ask_save)
        session.work_changed.connect(self._work_changed)

    @property
    def busy(self) -> bool:
        return self.isVisible() and self._job is not None

    def use_theme(self, theme: Theme) -> None:
        """Paint in the colours of a theme."""
        self.canvas.theme = theme
        self.canvas.update()

    def showEvent(self, event: object) -> None:
        self.remake()

    def hideEvent(self, event: object) -> None:
        self.closed.emit()

    def _work_changed(self, what: str) -> None:
        if not self.isVisible() or what not in ("layers", "subject", "file", "comparison", "picks"):
            return
        if what in ("subject", "file") and self._points_subject() is not None:
            self._line = None
        self.remake()

    # What is shown

    def show_line(self, xy: np.ndarray, crs: str | None) -> None:
        """Show grids along a line that was drawn."""
        self._line = xy, crs
        self.remake()

    def _points_subject(self) -> Layer | None:
        subject = self.session.work.subject
        facts = self.session.facts_of(subject) if subject is not None else None
        points = facts is not None and "Point" in (facts.geometry_type or "")
        return subject if points and subject is not None and not self.session.is_streamed(subject) else None

    def _picked_line(self) -> tuple[Layer, int] | None:
        """Return the layer and the row of a line that is picked."""
        picks = self.session.work.picks
        layer = self.session.work.layer(picks.layer_id) if picks is not None and picks.rows else None
        facts = self.session.facts_of(layer) if layer is not None else None
        if picks is None or layer is None or facts is None or "Line" not in (facts.geometry_type or ""):
            return None
        return layer, picks.rows[0]

    def _grids(self) -> list[Layer]:
        """Return the grids whose values stand along a line: those that are compared, else those that are shown."""
        pair = self.session.work.compared_grids()
        if pair is not None:
            return list(pair)
        found = []
        for layer in self.session.work.layers:
            facts = self.session.facts_of(layer)
            grid = facts.grid if facts is not None and layer.kind.has_cells and layer.visible else None
            if grid is not None and len(grid.bands) == 1 and not grid.drawn_by_service:
                found.append(layer)
        return found

    def remake(self) -> None:
        """Show what is wanted now."""
        points, picked, grids, line = self._points_subject(), self._picked_line(), self._grids(), self._line
        cache = self.session.cache
        if line is None and points is not None:
            of: tuple = ("points", points.ref, points.rows)
        elif line is not None:
            of = ("drawn", line[0].tobytes(), line[1], tuple((la.ref, la.name) for la in grids))
        elif picked is not None:
            of = ("picked", picked[0].ref, picked[1], tuple((la.ref, la.name) for la in grids))
        else:
            self._of = None
            self._take(None, HINT)
            return
        if of == self._of:
            return
        self._of = of

        def work(job: Job) -> Profile:
            from brisk_atlas.core.strip.sources import along_row, grids_along, points_in_order

            if line is not None:
                return grids_along(cache, grids, *line, job.check)
            if points is not None:
                return points_in_order(cache, points)
            assert picked is not None
            return along_row(cache, *picked, grids, job.check)

        def done(found: Profile) -> None:
            self._job = None
            if of == self._of:
                self._take(found, "None of its fields is a number." if not found.traces else "")

        def failed(error: BaseException) -> None:
            self._job = None
            if isinstance(error, AtlasError):
                self._take(None, str(error))
            else:
                self.session.fault(error)

        if self._job is not None:
            self._job.cancel()
        self._job = self.session.run("Reading along the line", work, done, shown=False, failed=failed)

    def _take(self, profile: Profile | None, message: str) -> None:
        self.profile = profile
        self.quantities.setEnabled(profile is not None)
        self._show(message)
        self.seen_changed.emit()

    def _show(self, message: str = "") -> None:
        names = self.chosen()
        traces = (
            tuple(trace for trace in self.profile.traces if trace.name in names) if self.profile is not None else ()
        )
        self.canvas.show_profile(self.profile, traces, message)
        self._say()

    def chosen(self) -> tuple[str, ...]:
        """Return the quantities that are drawn: those that were chosen, else the first few."""
        if self.profile is None:
            return ()
        names = [trace.name for trace in self.profile.traces]
        stored = [name for name in self._shown.get(self.profile.layer_id, ()) if name in names]
        usual = [name for name in names if name.lower() not in PLACES][:MOST_AT_FIRST]
        return tuple(stored or usual or names[:MOST_AT_FIRST])

    def choose(self, names: tuple[str, ...]) -> None:
        """Draw other quantities."""
        if self.profile is not None:
            self._shown[self.profile.layer_id] = names
            self._show()

    def _fill_menu(self) -> None:
        self.menu.clear()
        chosen = self.chosen()
        for trace in self.profile.traces if self.profile is not None else ():
            action = self.menu.addAction(f"{trace.name}, {trace.unit}" if trace.unit else trace.name)
            assert action is not None
            action.setCheckable(True)
            action.setChecked(trace.name in chosen)
            action.toggled.connect(lambda on, name=trace.name: self._turn(name, on))

    def _turn(self, name: str, on: bool) -> None:
        now = self.chosen()
        self.choose((*now, name) if on else tuple(each for each in now if each != name))

    def _put_together(self, on: bool) -> None:
        self.canvas.together = on
        self.canvas.update()

    def ask_save(self) -> None:
        """Ask where what is drawn is to be written, and write it."""
        if self.profile is None:
            return
        kinds = ";;".join(f"{word} (*{suffix})" for suffix, word in FORMATS.items())
        chosen, kind = QFileDialog.getSaveFileName(self, "Save the line", str(Path.home() / "line.csv"), kinds)
        if chosen:
            path = Path(chosen)
            suffix = next((each for each in FORMATS if f"*{each}" in kind), ".csv")
            self.write(path if path.suffix.lower() in FORMATS else path.with_name(path.name + suffix))

    def write(self, path: Path) -> None:
        """Write the places of the line with the quantities that are drawn."""
        from dataclasses import replace

        if self.profile is None:
            return
        drawn = replace(self.profile, traces=self.canvas.traces)

        def work(job: Job) -> None:
            from brisk_atlas.core.handover.table import write_table
            from brisk_atlas.core.strip.profile_table import table_of

            write_table(table_of(drawn), path, FORMATS[path.suffix.lower()])

        def done(nothing: object) -> None:
            self.session.noticed.emit("good", f"Wrote {path}", "")

        self.session.run("Saving the line", work, done)

    # Reading

    def _pointed(self, place: int | None) -> None:
        self._say()
        profile = self.profile
        self.pointed.emit(
            (*profile.xy[place].tolist(), profile.crs) if profile is not None and place is not None else None
        )

    def _say(self) -> None:
        """State what is read at the cursor, or of the stretch that is chosen, or what the line is."""
        profile, stretch = self.profile, self.canvas.stretch
        if profile is None:
            self.what.setText("")
        elif stretch is not None:
            self.what.setText(f"a stretch of {_length(stretch[1] - stretch[0], profile.unit)}")
        elif self.canvas.cursor_at is not None:
            place = self.canvas.cursor_at
            when = (
                f"   {profile.time[place]}".replace("T", " ").removesuffix(".000") if profile.time is not None else ""
            )
            self.what.setText(f"at {_length(float(profile.distance[place]), profile.unit)}{when}")
        else:
            self.what.setText(f"{profile.title}   {_length(profile.length, profile.unit)}   {len(profile):,} places")


def _length(value: float, unit: str) -> str:
    return f"{value / 1000:,.3f} km" if unit == "m" and value >= 10_000 else f"{value:,.1f} {unit}".strip()
