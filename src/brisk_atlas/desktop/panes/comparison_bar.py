"""The slim bar of what is compared: its sides, the four ways, and what can be set for the one on show."""

from __future__ import annotations

from collections.abc import Callable
from functools import partial

from PyQt6.QtCore import Qt, pyqtSignal
from PyQt6.QtWidgets import (
    QButtonGroup,
    QCheckBox,
    QDoubleSpinBox,
    QFrame,
    QHBoxLayout,
    QSizePolicy,
    QSlider,
    QStackedWidget,
    QToolButton,
    QVBoxLayout,
    QWidget,
)

from brisk_atlas.core.model.language import tr
from brisk_atlas.core.workspace.comparison import SIDE_NAMES, Divide, Way

from ..plain_text import PlainLabel
from ..session import Session
from .blinker import Blinker
from .side_box import SideBox

WAY_NAMES = {
    Way.CURTAIN: tr("Curtain"), Way.BLINK: tr("Blink"), Way.TWIN: tr("Twin"), Way.CHANGE: tr("Change"),
}  # fmt: skip
WAY_TIPS = {
    Way.CURTAIN: tr("A and B on either side of an edge, or of a glass  (C)"),
    Way.BLINK: tr("A and B in turn  (X); [ and ] hold one of them"),
    Way.TWIN: tr("A and B in panes of their own  (Y)"),
    Way.CHANGE: tr("B minus A  (V)"),
}
DIVIDE_NAMES = {Divide.UPRIGHT: tr("upright edge"), Divide.LEVEL: tr("level edge"), Divide.GLASS: tr("round glass")}
DIVIDE_TIPS = {
    Divide.UPRIGHT: tr("A on the left, B on the right; drag the edge, or move it by [ and ]"),
    Divide.LEVEL: tr("A above, B below; drag the edge, or move it by [ and ]"),
    Divide.GLASS: tr("B in a glass that follows the pointer; [ and ] make it smaller or larger"),
}
MIXES = 100


class ComparisonBar(QFrame):
    """Hidden while nothing is compared.

    Signals:
        pane_wanted(): another pane beside the twins.
    """

    pane_wanted = pyqtSignal()

    def __init__(self, session: Session, blinker: Blinker) -> None:
        super().__init__()
        self.setObjectName("dimensions")
        self.session, self.blinker, self._calm = session, blinker, False
        self._way: Way | None = None
        self.boxes = [SideBox(session, 0), SideBox(session, 1)]
        self.ways: dict[Way, QToolButton] = {}
        self.divides: dict[Divide, QToolButton] = {}
        self.options = QStackedWidget()
        self.plays, self.rate, self.fades = QToolButton(), QDoubleSpinBox(), QCheckBox(tr("fade"))
        self.mix = QSlider(Qt.Orientation.Horizontal)
        self.add_pane = QToolButton()
        self.words = PlainLabel()
        self.words.setObjectName("quiet")
        top, below = QHBoxLayout(), QHBoxLayout()
        column = QVBoxLayout(self)
        column.setContentsMargins(8, 3, 8, 3)
        column.setSpacing(2)
        for row in (top, below):
            row.setSpacing(4)
            column.addLayout(row)
        for number, box in enumerate(self.boxes):
            if number:
                top.addWidget(_button("⇄", tr("Let A be B and B be A"), session.work.swap_sides, "swap sides"))
            top.addWidget(PlainLabel(SIDE_NAMES[number]))
            top.addWidget(box, 1)
            box.side_chosen.connect(session.work.set_side)
        top.addWidget(_button("✕", tr("Stop comparing"), session.work.stop_comparing, "stop comparing"))
        group = QButtonGroup(self)
        for way in Way:
            button = _button(WAY_NAMES[way], WAY_TIPS[way], partial(session.work.look_by, way), f"way {way}")
            button.setCheckable(True)
            group.addButton(button)
            self.ways[way] = button
            below.addWidget(button)
        below.addSpacing(10)
        below.addWidget(self.options, 1)
        for options in (self._curtain(), self._blink(), self._twin(), self._change()):
            self.options.addWidget(options)
        self.options.setFixedHeight(28)
        self.options.setSizePolicy(QSizePolicy.Policy.Ignored, QSizePolicy.Policy.Fixed)  # a narrow pane stays narrow
        blinker.mixed.connect(self._show_mix)
        session.work_changed.connect(self._work_changed)
        self.hide()

    def _curtain(self) -> QWidget:
        page, row = _page()
        group = QButtonGroup(page)
        for divide, name in DIVIDE_NAMES.items():
            button = _button(
                name, DIVIDE_TIPS[divide], partial(self.session.work.look_by, Way.CURTAIN, divide), f"divide {divide}"
            )
            button.setCheckable(True)
            group.addButton(button)
            self.divides[divide] = button
            row.addWidget(button)
        row.addStretch(1)
        return page

    def _blink(self) -> QWidget:
        page, row = _page()
        self.plays.setText(tr("Pause"))
        self.plays.setObjectName("blink runs")
        self.plays.clicked.connect(lambda: self._play(not self.blinker.runs))
        self.rate.setObjectName("blink rate")
        self.rate.setRange(0.1, 10.0)
        self.rate.setSingleStep(0.1)
        self.rate.setDecimals(1)
        self.rate.setValue(self.blinker.seconds)
        self.rate.setSuffix(" s")
        self.rate.setToolTip(tr("How long each side is shown"))
        self.rate.valueChanged.connect(self.blinker.set_rate)
        self.fades.setObjectName("blink fades")
        self.fades.setToolTip(tr("Let the sides fade into each other"))
        self.fades.toggled.connect(self.blinker.set_fades)
        self.mix.setObjectName("blink mix")
        self.mix.setAccessibleName(tr("How much of B is seen"))
        self.mix.setToolTip(tr("How much of B is seen; moving it stops the blinking"))
        self.mix.setRange(0, MIXES)
        self.mix.setMinimumWidth(60)
        self.mix.valueChanged.connect(self._mix_by_hand)
        for widget in (self.plays, self.rate, self.fades, PlainLabel("A")):
            row.addWidget(widget)
        row.addWidget(self.mix, 1)
        row.addWidget(PlainLabel("B"))
        return page

    def _twin(self) -> QWidget:
        page, row = _page()
        self.add_pane.setText(tr("+ pane"))
        self.add_pane.setObjectName("add pane")
        self.add_pane.setToolTip(tr("One more pane, with layers of its own"))
        self.add_pane.clicked.connect(self.pane_wanted)
        row.addWidget(self.add_pane)
        row.addStretch(1)
        return page

    def _change(self) -> QWidget:
        page, row = _page()
        row.addWidget(self.words, 1)
        return page

    def _work_changed(self, what: str) -> None:
        if what in ("layers", "comparison", "file"):
            self.show_comparison()

    def show_comparison(self) -> None:
        """Show what is compared, and how."""
        comparison = self.session.work.state.comparison
        self.setVisible(comparison is not None)
        before, self._way = self._way, comparison.way if comparison is not None else None
        if comparison is None:
            self.blinker.run(False)
            return
        for box in self.boxes:
            box.fill()
        self.ways[comparison.way].setChecked(True)
        self.divides[comparison.divide].setChecked(True)
        self.options.setCurrentIndex(list(Way).index(comparison.way))
        self.add_pane.setEnabled(len(comparison.sides) < len(SIDE_NAMES))
        if comparison.way is not Way.BLINK:
            self.blinker.run(False)
        elif before is not Way.BLINK:
            self._play(not self._calm)

    def use_less_motion(self, calm: bool) -> None:
        """Have the sides wait for a key or a click before they blink, or not."""
        self._calm = calm
        if calm and self.blinker.runs:
            self._play(False)

    def _play(self, on: bool) -> None:
        self.blinker.run(on)
        self.plays.setText(tr("Pause") if on else tr("Play"))

    def _mix_by_hand(self, value: int) -> None:
        self.blinker.show_mix(value / MIXES)
        self.plays.setText(tr("Play"))

    def _show_mix(self, mix: float) -> None:
        self.mix.blockSignals(True)
        self.mix.setValue(round(mix * MIXES))
        self.mix.blockSignals(False)

    def say(self, words: str) -> None:
        """Say what the difference on show is, or why there is none."""
        self.words.setText(words)
        self.words.setToolTip(words)


def _page() -> tuple[QWidget, QHBoxLayout]:
    page = QWidget()
    row = QHBoxLayout(page)
    row.setContentsMargins(0, 0, 0, 0)
    row.setSpacing(4)
    return page, row


def _button(text: str, tip: str, run: Callable[[], object], name: str) -> QToolButton:
    button = QToolButton()
    button.setText(text)
    button.setToolTip(tip)
    button.setObjectName(name)
    button.setAccessibleName(tip.partition("  (")[0])
    button.clicked.connect(lambda checked=False: run())
    return button
