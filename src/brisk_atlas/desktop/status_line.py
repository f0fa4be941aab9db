"""The foot of the window: the pointer's position in three notations, scale, CRS, and jobs."""

from __future__ import annotations

from typing import TYPE_CHECKING

from PyQt6.QtCore import QSettings, Qt, pyqtSignal
from PyQt6.QtGui import QAction, QGuiApplication
from PyQt6.QtWidgets import (
    QFrame,
    QHBoxLayout,
    QLabel,
    QMenu,
    QProgressBar,
    QPushButton,
    QToolButton,
    QVBoxLayout,
    QWidget,
    QWidgetAction,
)

from brisk_atlas.core.model.digit_groups import grouped
from brisk_atlas.core.model.language import tr

from .plain_text import PlainLabel
from .session import Session

if TYPE_CHECKING:
    from brisk_atlas.core.draw import View
    from brisk_atlas.core.system.jobs import Job

INCH_M = 0.0254
SLOTS = ("pane", "sexagesimal", "mgrs")  # the notations shown until others are chosen
STORED = "notations"
SCALES = (500, 1_000, 2_500, 5_000, 10_000, 25_000, 50_000, 100_000, 250_000, 1_000_000, 5_000_000, 25_000_000)


class StatusLine(QFrame):
    """Says where the pointer is and what runs in the background.

    Signals:
        scale_chosen(float): the map's scale is to be one to this number.
    """

    scale_chosen = pyqtSignal(float)

    def __init__(self, session: Session, settings: QSettings) -> None:
        super().__init__()
        self.setObjectName("foot")
        self.session, self.settings = session, settings
        stored = str(settings.value(STORED, "")).split()
        self.slots = stored if len(stored) == len(SLOTS) else list(SLOTS)
        self.places = [QToolButton() for _ in SLOTS]
        self.scale, self.crs = QToolButton(), QToolButton()
        self.scale.setToolTip(tr("Choose a scale"))
        self.scale.setPopupMode(QToolButton.ToolButtonPopupMode.InstantPopup)
        scales = QMenu(self.scale)
        for ratio in SCALES:
            scales.addAction(f"1:{grouped(ratio)}", lambda ratio=ratio: self.scale_chosen.emit(float(ratio)))
        self.scale.setMenu(scales)
        self.crs.setToolTip(tr("Choose the map's CRS"))
        row = QHBoxLayout(self)
        row.setContentsMargins(10, 2, 6, 2)
        row.setSpacing(20)
        for slot, place in enumerate(self.places):
            place.setObjectName("mono")
            place.setAccessibleName(tr("Position of the pointer"))
            place.setToolTip(tr("Click to copy; right click to show another notation"))
            place.clicked.connect(lambda checked=False, slot=slot: self._copy(slot))
            place.setContextMenuPolicy(Qt.ContextMenuPolicy.CustomContextMenu)
            place.customContextMenuRequested.connect(lambda at, slot=slot: self._offer(slot))
            row.addWidget(place)
        row.addStretch(1)
        self.scale.setObjectName("scale")
        self.crs.setObjectName("map crs")
        row.addWidget(self.scale)
        row.addWidget(self.crs)
        self.offline = PlainLabel(tr("offline"))
        self.offline.setObjectName("offline")
        self.offline.setToolTip(tr("No server is asked; what is stored of services is drawn"))
        self.offline.hide()
        row.addWidget(self.offline)
        self.jobs = QToolButton()
        self.jobs.setObjectName("jobs")
        self.jobs.setText(tr("no jobs"))
        self.jobs.setPopupMode(QToolButton.ToolButtonPopupMode.InstantPopup)
        self.menu = QMenu(self)
        self.jobs.setMenu(self.menu)
        self.menu.aboutToShow.connect(self._fill_menu)
        row.addWidget(self.jobs)
        self.cancel_all: QAction | None = None
        self._lines: dict[int, tuple[QLabel, QProgressBar]] = {}
        session.job_changed.connect(self._job_changed)

    def show_pointer(self, x: float, y: float) -> None:
        from brisk_atlas.core.place import Spot, notations

        subject = self.session.work.subject
        facts = self.session.facts_of(subject) if subject else None
        cells = None
        if facts is not None and facts.grid is not None and "cell" in self.slots and subject is not None:
            cells = self.session.cache.raster(subject.ref).facts.counted_cells
        spot = Spot(x, y, self.session.work.state.crs, facts.crs if facts else None, cells)
        texts = notations(spot)
        for name, place in zip(self.slots, self.places):
            place.setText(texts.get(name, tr("no grid") if name == "cell" else ""))

    def speak_of_map(self, there: bool) -> None:
        """Show or hide what belongs to the map: the pointer's place, its scale and its CRS."""
        for widget in (*self.places, self.scale, self.crs):
            widget.setVisible(there)

    def clear_pointer(self) -> None:
        for place in self.places:
            place.setText("")

    def _copy(self, slot: int) -> None:
        clipboard, text = QGuiApplication.clipboard(), self.places[slot].text()
        if clipboard is not None and text:
            clipboard.setText(text)
            self.session.noticed.emit("good", tr("Copied {text}", text=text), "")

    def _offer(self, slot: int) -> None:
        self.notation_menu(slot).popup(self.places[slot].mapToGlobal(self.places[slot].rect().topLeft()))

    def notation_menu(self, slot: int) -> QMenu:
        """Return the menu of the notations that a place of the line can show."""
        from brisk_atlas.core.place.notation import TITLES

        menu = QMenu(self)
        for name, title in TITLES.items():
            action = menu.addAction(title, lambda name=name: self.show_notation(slot, name))
            if action is not None:
                action.setCheckable(True)
                action.setChecked(self.slots[slot] == name)
        return menu

    def show_notation(self, slot: int, name: str) -> None:
        """Show a notation at a place of the line from now on, in later runs too."""
        self.slots[slot] = name
        self.settings.setValue(STORED, " ".join(self.slots))
        self.clear_pointer()

    def show_view(self, view: View | None, dots_per_inch: float) -> None:
        """Say the map's scale on this screen, and its CRS."""
        if view is None:
            self.scale.setText("")
            self.crs.setText("")
            return
        from brisk_atlas.core.place import crs_name

        self.scale.setEnabled(bool(view.crs))
        if view.crs:
            ratio = view.ground_metres * dots_per_inch / INCH_M
            self.scale.setText(
                f"1:{grouped(float(f'{ratio:.3g}'), ',.0f')}" if ratio >= 1 else f"{grouped(1 / ratio, ',.0f')}:1"
            )
        else:
            self.scale.setText(tr("scale unknown"))
        self.crs.setText(crs_name(view.crs) if view.crs else tr("no CRS"))

    @staticmethod
    def resolution_at(ratio: float, crs: str, x: float, y: float, dots_per_inch: float) -> float:
        """Return the map units a pixel at which a screen shows a scale of one to `ratio`."""
        from brisk_atlas.core.place import ground_metres

        return ratio * INCH_M / dots_per_inch / ground_metres(crs, x, y)

    def _job_changed(self, job: Job) -> None:
        running = [j for j in self.session.jobs.open if j.shown]
        self.jobs.setText(
            tr("no jobs")
            if not running
            else f"{running[0].name}…"
            if len(running) == 1
            else tr("{count} jobs", count=len(running))
        )
        if job.id in self._lines:
            label, bar = self._lines[job.id]
            label.setText(self._line(job))
            bar.setValue(100 if job.finished else round(job.progress * 100))

    @staticmethod
    def _line(job: Job) -> str:
        return f"{job.name}: {job.state}" if job.finished else f"{job.name}" + (f", {job.step}" if job.step else "")

    def _fill_menu(self) -> None:
        self.menu.clear()
        self._lines.clear()
        running = [j for j in self.session.jobs.open if j.shown]
        if not running:
            nothing = self.menu.addAction(tr("Nothing is running"))
            assert nothing is not None
            nothing.setEnabled(False)
        for job in running:
            line = QWidget()
            column = QVBoxLayout(line)
            column.setContentsMargins(10, 6, 10, 6)
            label, bar, stop = PlainLabel(self._line(job)), QProgressBar(), QPushButton(tr("Cancel"))
            bar.setMinimumWidth(240)
            bar.setValue(round(job.progress * 100))
            stop.clicked.connect(job.cancel)
            row = QHBoxLayout()
            row.addWidget(bar, 1)
            row.addWidget(stop)
            column.addWidget(label)
            column.addLayout(row)
            action = QWidgetAction(self.menu)
            action.setDefaultWidget(line)
            self.menu.addAction(action)
            self._lines[job.id] = (label, bar)
        if self.cancel_all is not None and len(running) > 1:
            self.menu.addAction(self.cancel_all)
