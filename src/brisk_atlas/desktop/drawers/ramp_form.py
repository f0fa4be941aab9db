"""A colour ramp of one's own: its colours, where they stand, and whether it runs smoothly or in steps."""

from __future__ import annotations

from itertools import pairwise
from typing import TYPE_CHECKING

from PyQt6.QtCore import QRectF, Qt, pyqtSignal
from PyQt6.QtGui import QColor, QMouseEvent, QPainter, QPaintEvent, QPen
from PyQt6.QtWidgets import (
    QColorDialog,
    QComboBox,
    QDialog,
    QDoubleSpinBox,
    QFormLayout,
    QHBoxLayout,
    QPushButton,
    QSpinBox,
    QVBoxLayout,
    QWidget,
)

from brisk_atlas.core.model.language import tr

from ..frame_image import ramp_strip
from ..picture_painter import picture_painter
from ..plain_text import PlainLabel
from ..theme import LIGHT

if TYPE_CHECKING:
    from brisk_atlas.core.draw.ramps import OwnRamp

STRIP_PX, GRIP_PX = 34, 7
TAKEN_STOPS = 5  # of a ramp that another begins with


class RampStrip(QWidget):
    """The ramp as it will be, with a grip below each colour that can be dragged. Double click adds one.

    Signals:
        stop_chosen(int): a colour was chosen.
        stop_moved(int, float): a colour is to stand at another share.
        stop_added(float): a colour is wanted at a share.
    """

    stop_chosen = pyqtSignal(int)
    stop_moved = pyqtSignal(int, float)
    stop_added = pyqtSignal(float)

    def __init__(self) -> None:
        super().__init__()
        self.setMinimumSize(360, STRIP_PX + 2 * GRIP_PX + 4)
        self.ramp: OwnRamp | None = None
        self.current = 0
        self._dragged: int | None = None

    def _x(self, share: float) -> float:
        return GRIP_PX + share * (self.width() - 2 * GRIP_PX)

    def _share(self, x: float) -> float:
        return min(max((x - GRIP_PX) / max(1, self.width() - 2 * GRIP_PX), 0.0), 1.0)

    def paintEvent(self, event: QPaintEvent | None) -> None:
        if self.ramp is None:
            return
        painter = picture_painter(self)
        painter.setRenderHint(QPainter.RenderHint.Antialiasing)
        painter.drawImage(QRectF(self._x(0), 0, self._x(1) - self._x(0), STRIP_PX), ramp_strip(str(self.ramp)))
        for number, (colour, share) in enumerate(zip(self.ramp.colours, self.ramp.shares)):
            painter.setPen(QPen(QColor(LIGHT.accent if number == self.current else LIGHT.quiet), 2))
            painter.setBrush(QColor(colour))
            painter.drawEllipse(QRectF(self._x(share) - GRIP_PX, STRIP_PX + 2, 2 * GRIP_PX, 2 * GRIP_PX))

    def _at(self, x: float) -> int | None:
        assert self.ramp is not None
        near = [(abs(self._x(share) - x), number) for number, share in enumerate(self.ramp.shares)]
        distance, number = min(near)
        return number if distance <= GRIP_PX + 2 else None

    def mousePressEvent(self, event: QMouseEvent | None) -> None:
        assert event is not None
        self._dragged = self._at(event.position().x())
        if self._dragged is not None:
            self.stop_chosen.emit(self._dragged)

    def mouseMoveEvent(self, event: QMouseEvent | None) -> None:
        assert event is not None
        if self._dragged is not None and event.buttons() & Qt.MouseButton.LeftButton:
            self.stop_moved.emit(self._dragged, self._share(event.position().x()))

    def mouseDoubleClickEvent(self, event: QMouseEvent | None) -> None:
        assert event is not None
        if self._at(event.position().x()) is None:
            self.stop_added.emit(self._share(event.position().x()))


class RampForm(QDialog):
    """Makes a ramp; `ramp` is what it comes to, as styles store it."""

    def __init__(self, start: str, parent: QWidget) -> None:
        super().__init__(parent)
        from brisk_atlas.core.draw.ramps import MAX_CLASSES, NAMES

        self.setWindowTitle(tr("A ramp of your own"))
        self.strip = RampStrip()
        self.start = QComboBox()
        self.start.setObjectName("ramp start")
        self.start.addItems(NAMES)
        self.colour, self.at = QPushButton(), QDoubleSpinBox()
        self.colour.setObjectName("ramp colour")
        self.at.setObjectName("ramp share")
        self.at.setSuffix(" %")
        self.at.setKeyboardTracking(False)
        self.add, self.remove, self.turn = (
            QPushButton(tr("Add a colour")),
            QPushButton(tr("Remove it")),
            QPushButton(tr("Reverse")),
        )
        self.steps = QSpinBox()
        self.steps.setObjectName("ramp steps")
        self.steps.setRange(1, MAX_CLASSES)
        self.steps.setSpecialValueText(tr("smooth"))
        self.steps.setPrefix(tr("in "))
        self.steps.setSuffix(tr(" steps"))
        self.use = QPushButton(tr("Use it"))
        self.use.setObjectName("main")
        hint = PlainLabel(tr("Drag a colour along the ramp; double-click the ramp to add one."))
        hint.setObjectName("quiet")
        row = QHBoxLayout()
        for button in (self.add, self.remove, self.turn):
            row.addWidget(button)
        row.addStretch(1)
        form = QFormLayout()
        form.addRow(tr("Begin with"), self.start)
        form.addRow(tr("Colour"), self.colour)
        form.addRow(tr("At"), self.at)
        form.addRow("", row)
        form.addRow(tr("Runs"), self.steps)
        column = QVBoxLayout(self)
        column.addWidget(self.strip)
        column.addWidget(hint)
        column.addLayout(form)
        column.addWidget(self.use, 0, Qt.AlignmentFlag.AlignRight)
        self._filling = False
        self._take(start)
        self.start.activated.connect(lambda i: self._take(self.start.itemText(i)))
        self.strip.stop_chosen.connect(self._choose)
        self.strip.stop_moved.connect(self._move)
        self.strip.stop_added.connect(self._add_at)
        self.colour.clicked.connect(self._ask_colour)
        self.at.valueChanged.connect(
            lambda value: None if self._filling else self._move(self.strip.current, value / 100)
        )
        self.add.clicked.connect(lambda: self._add_at(self._widest_gap()))
        self.remove.clicked.connect(self._remove)
        self.turn.clicked.connect(self._reverse)
        self.steps.valueChanged.connect(lambda value: None if self._filling else self._count(value))
        self.use.clicked.connect(self.accept)

    @property
    def ramp(self) -> str:
        return str(self._ramp)

    def _take(self, text: str) -> None:
        """Begin with a ramp; of a named one, a few of its colours."""
        from brisk_atlas.core.draw.ramps import NAMES, STEPS, OwnRamp, hex_of, ramp

        own = OwnRamp.parse(text) if text not in NAMES else OwnRamp((), (), 0, text)
        if own.name:
            shares = tuple(i / (TAKEN_STOPS - 1) for i in range(TAKEN_STOPS))
            colours = tuple(hex_of(ramp(own.name)[round(share * (STEPS - 1))]) for share in shares)
            own = OwnRamp(colours, shares, own.classes)
        self._show(own, 0)

    def _show(self, own: OwnRamp, current: int) -> None:
        from brisk_atlas.core.draw.ramps import lightness, rgb_of

        self._ramp = self.strip.ramp = own
        self.strip.current = current
        self._filling = True
        self.at.setValue(own.shares[current] * 100)
        self.colour.setText(own.colours[current])
        ink = "#FFFDF8" if lightness(rgb_of(own.colours[current])[None])[0] < 0.62 else LIGHT.ink
        self.colour.setStyleSheet(f"background: {own.colours[current]}; color: {ink};")
        self.steps.setValue(own.classes or 1)
        self._filling = False
        self.remove.setEnabled(len(own.colours) > 2)
        self.strip.update()

    def _choose(self, number: int) -> None:
        self._show(self._ramp, number)

    def _move(self, number: int, share: float) -> None:
        """Move a colour, as far as its neighbours."""
        shares = list(self._ramp.shares)
        low = shares[number - 1] if number else 0.0
        high = shares[number + 1] if number + 1 < len(shares) else 1.0
        shares[number] = round(min(max(share, low), high), 4)
        self._show(self._ramp._replace(shares=tuple(shares)), number)

    def _share_typed(self, percent: float) -> None:
        if not self._filling:
            self._move(self.strip.current, percent / 100)

    def _widest_gap(self) -> float:
        shares = self._ramp.shares
        _, at = max((b - a, (a + b) / 2) for a, b in pairwise(shares))
        return at

    def _add_at(self, share: float) -> None:
        from brisk_atlas.core.draw.ramps import STEPS, hex_of, ramp

        smooth = str(self._ramp._replace(classes=0))
        colour = hex_of(ramp(smooth)[round(share * (STEPS - 1))])
        stops = sorted([*zip(self._ramp.shares, self._ramp.colours), (round(share, 4), colour)])
        number = stops.index((round(share, 4), colour))
        shares, colours = zip(*stops)
        self._show(self._ramp._replace(colours=colours, shares=shares), number)

    def _remove(self) -> None:
        number = self.strip.current
        colours, shares = ((*each[:number], *each[number + 1 :]) for each in (self._ramp.colours, self._ramp.shares))
        self._show(self._ramp._replace(colours=tuple(colours), shares=tuple(shares)), max(0, number - 1))

    def _reverse(self) -> None:
        shares = tuple(round(1 - share, 4) for share in reversed(self._ramp.shares))
        last = len(shares) - 1
        self._show(self._ramp._replace(colours=self._ramp.colours[::-1], shares=shares), last - self.strip.current)

    def _count(self, steps: int) -> None:
        self._show(self._ramp._replace(classes=steps if steps > 1 else 0), self.strip.current)

    def _ask_colour(self) -> None:
        chosen = QColorDialog.getColor(QColor(self._ramp.colours[self.strip.current]), self, tr("Colour"))
        if chosen.isValid():
            self.use_colour(chosen.name())

    def use_colour(self, colour: str) -> None:
        """Give the chosen place of the ramp another colour."""
        colours = list(self._ramp.colours)
        colours[self.strip.current] = colour
        self._show(self._ramp._replace(colours=tuple(colours)), self.strip.current)
