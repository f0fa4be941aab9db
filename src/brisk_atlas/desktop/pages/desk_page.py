"""The Desk: the stack on the left, panes in the middle, drawers right and below."""

from __future__ import annotations

from PyQt6.QtCore import Qt
from PyQt6.QtWidgets import (
    QFrame,
    QHBoxLayout,
    QLabel,
    QPushButton,
    QSplitter,
    QStackedLayout,
    QTabWidget,
    QVBoxLayout,
    QWidget,
)

from ..drawers.change_drawer import ChangeDrawer
from ..drawers.probe_drawer import ProbeDrawer
from ..drawers.sheet_drawer import SheetDrawer
from ..drawers.style_drawer import StyleDrawer
from ..panes.map_pane import MapPane
from ..panes.relief_pane import ReliefPane
from ..session import Session
from ..stack_spine import StackSpine
from ..theme import Theme

DRAWER_PX, SHEET_PX = 300, 216


class DeskPage(QWidget):
    """Puts the panes and drawers together and lets them speak with each other."""

    def __init__(self, session: Session) -> None:
        super().__init__()
        self.session = session
        self.spine = StackSpine(session)
        self.map, self.relief = MapPane(session), ReliefPane(session)
        self.probe, self.style_form = ProbeDrawer(session), StyleDrawer(session)
        self.change, self.sheet = ChangeDrawer(session), SheetDrawer(session)
        self.relief.hide()
        self.panes = QSplitter(Qt.Orientation.Horizontal)
        self.panes.addWidget(self.map)
        self.panes.addWidget(self.relief)
        self.panes.setChildrenCollapsible(False)
        self.bottom = QFrame()
        self.bottom.setObjectName("bottomDrawer")
        below = QVBoxLayout(self.bottom)
        below.setContentsMargins(0, 0, 0, 0)
        below.addWidget(self.sheet)
        self.bottom.hide()
        self.middle = QSplitter(Qt.Orientation.Vertical)
        self.middle.addWidget(self.panes)
        self.middle.addWidget(self.bottom)
        self.middle.setStretchFactor(0, 1)
        self.middle.setChildrenCollapsible(False)
        self.side = QFrame()
        self.side.setObjectName("drawer")
        self.tabs = QTabWidget()
        self.tabs.addTab(self.probe, "Probe")
        self.tabs.addTab(self.style_form, "Style")
        self.tabs.addTab(self.change, "Change")
        beside = QVBoxLayout(self.side)
        beside.setContentsMargins(0, 0, 0, 0)
        beside.addWidget(self.tabs)
        self.body = QSplitter(Qt.Orientation.Horizontal)
        self.body.addWidget(self.middle)
        self.body.addWidget(self.side)
        self.body.setStretchFactor(0, 1)
        self.body.setSizes([1280 - DRAWER_PX, DRAWER_PX])
        self.body.setChildrenCollapsible(False)
        self.middle.setMinimumWidth(320)  # the hints of hidden panes must not widen the window
        self.side.setMinimumWidth(240)
        self.body.setMinimumWidth(640)
        self.full, self.empty = QWidget(), self._empty_state()
        row = QHBoxLayout(self.full)
        row.setContentsMargins(0, 0, 0, 0)
        row.setSpacing(0)
        row.addWidget(self.spine)
        row.addWidget(self.body, 1)
        self.either = QStackedLayout(self)
        self.either.addWidget(self.empty)
        self.either.addWidget(self.full)
        self.spine.subject_chosen.connect(session.work.choose)
        self.spine.side_turned.connect(self.map.turn_side)
        self.map.probed.connect(self._probed)
        self.map.settled.connect(lambda: self.spine.show_limits(self.map.limits))
        self.sheet.go_wanted.connect(self.map.fit_picked)
        session.work_changed.connect(lambda what: self._which() if what in ("layers", "file") else None)
        self._which()

    def _empty_state(self) -> QWidget:
        page = QWidget()
        column = QVBoxLayout(page)
        column.addStretch(1)
        text = QLabel("Nothing is open yet. Find shows what a dataset is before you open it.")
        text.setObjectName("quiet")
        self.to_find = QPushButton("Look for data")
        self.to_find.setObjectName("main")
        for widget in (text, self.to_find):
            column.addWidget(widget, 0, Qt.AlignmentFlag.AlignHCenter)
        column.addStretch(1)
        return page

    def _which(self) -> None:
        self.either.setCurrentWidget(self.full if self.session.work.layers else self.empty)

    def painted_pieces(self) -> list[QWidget]:
        """Return the pieces whose first painting takes longest."""
        return [
            self.map.bar,
            self.spine,
            *(w for i in range(self.tabs.count()) if (w := self.tabs.widget(i))),
            self.full,
        ]

    def drawer(self, name: str) -> QWidget:
        """Return a drawer at the right by its name."""
        return {"probe": self.probe, "style": self.style_form, "change": self.change}[name]

    def measure_change(self) -> None:
        """Open the Change drawer and measure."""
        self.side.show()
        self.tabs.setCurrentWidget(self.change)
        self.change.compute()

    def use_theme(self, theme: Theme) -> None:
        """Hand the colours to everything here that paints itself."""
        painted_by_themselves = (
            *(self.map.canvas, self.relief, self.relief.canvas, self.spine),
            *(self.probe, self.sheet.model, self.style_form),
        )
        for painted in painted_by_themselves:
            painted.theme = theme
        if self.relief.isVisible():
            self.relief.remake()
        self.update()

    @property
    def busy(self) -> bool:
        return self.map.busy or self.relief.busy

    def _probed(self, x: float, y: float, reach: float) -> None:
        self.map.canvas.mark = (x, y)
        self.map.canvas.update()
        if not self.side.isVisible():
            self.side.show()
        if self.tabs.currentWidget() is not self.probe:
            self.tabs.setCurrentWidget(self.probe)
        self.probe.probe(x, y, reach)

    def toggle_drawer(self, drawer: QWidget) -> None:
        """Open a drawer at the right, or close it if it is the one on show."""
        if self.side.isVisible() and self.tabs.currentWidget() is drawer:
            self.side.hide()
        else:
            self.side.show()
            self.tabs.setCurrentWidget(drawer)
            drawer.setFocus()

    def shows(self, drawer: QWidget) -> bool:
        return not self.side.isHidden() and self.tabs.currentWidget() is drawer

    def toggle_sheet(self) -> None:
        self.bottom.setVisible(not self.bottom.isVisible())
        if self.bottom.isVisible():
            if self.middle.sizes()[1] < 80:
                self.middle.setSizes([self.height() - SHEET_PX, SHEET_PX])
            self.sheet.table.setFocus()

    def toggle_relief(self) -> None:
        self.relief.setVisible(not self.relief.isVisible())
        if self.relief.isVisible():
            half = self.panes.width() // 2
            self.panes.setSizes([half, half])
