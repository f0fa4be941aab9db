"""Two quantities of a hole against each other, in the colours of a third; a brush picks the depths."""

from __future__ import annotations

from collections.abc import Sequence
from typing import TYPE_CHECKING

import numpy as np
from PyQt6.QtCore import QPointF, QRectF, Qt, pyqtSignal
from PyQt6.QtGui import QColor, QImage, QMouseEvent, QPainter, QPaintEvent, QPen
from PyQt6.QtWidgets import QComboBox, QHBoxLayout, QVBoxLayout, QWidget

from brisk_atlas.core.model import number_text
from brisk_atlas.core.model.language import tr

from ..chart import Chart
from ..frame_image import picture_of
from ..picture_painter import picture_painter
from ..plain_text import PlainLabel
from ..theme import LIGHT, Theme, mono_font
from .strip_axis import ticks

if TYPE_CHECKING:
    from brisk_atlas.core.strip.holes.hole_set import HoleCurve
    from brisk_atlas.core.strip.holes.read_hole import HoleData

LEFT_PX, FOOT_PX, TOP_PX, RIGHT_PX = 62, 38, 8, 12
RAMP = "ember"


class CrossplotCanvas(QWidget):
    """Signals:
    brushed(object): (n,) bool of the places that the brush picks, None for none.
    """

    brushed = pyqtSignal(object)

    def __init__(self) -> None:
        super().__init__()
        self.setObjectName("crossplot")
        self.setAccessibleName(tr("Cross-plot"))
        self.setMinimumSize(200, 140)
        self.setFocusPolicy(Qt.FocusPolicy.ClickFocus)
        self.theme: Theme = LIGHT
        self.across = self.up = self.shade = np.empty(0)
        self.names = ("", "")
        self.picked: np.ndarray | None = None
        self._box: QRectF | None = None
        self._begin: QPointF | None = None
        self._picture: tuple[tuple, QImage] | None = None

    def show_values(self, x: np.ndarray, y: np.ndarray, ink: np.ndarray, names: tuple[str, str]) -> None:
        """Show values against each other; `ink` (n,) gives the colours, NaN for one colour."""
        self.across, self.up, self.shade, self.names = x, y, ink, names
        self.picked, self._box, self._picture = None, None, None
        self.update()

    @property
    def plot(self) -> QRectF:
        """Where the points are drawn."""
        return QRectF(
            LEFT_PX, TOP_PX, max(1, self.width() - LEFT_PX - RIGHT_PX), max(1, self.height() - TOP_PX - FOOT_PX)
        )

    def limits(self, values: np.ndarray) -> tuple[float, float]:
        """Return the values at the sides."""
        known = values[np.isfinite(self.across) & np.isfinite(self.up)]
        if not known.size:
            return 0.0, 1.0
        low, high = float(known.min()), float(known.max())
        rim = (high - low) * 0.04 or max(abs(high) * 0.01, 0.5)
        return low - rim, high + rim

    def pixels(self) -> tuple[np.ndarray, np.ndarray]:
        """Return where each point is."""
        box = self.plot
        (x0, x1), (y0, y1) = self.limits(self.across), self.limits(self.up)
        return (box.left() + (self.across - x0) / (x1 - x0) * box.width(),
                box.bottom() - (self.up - y0) / (y1 - y0) * box.height())  # fmt: skip

    def paintEvent(self, event: QPaintEvent | None) -> None:
        painter = picture_painter(self)
        painter.fillRect(self.rect(), QColor(self.theme.raised))
        if not (np.isfinite(self.across) & np.isfinite(self.up)).any():
            painter.setPen(QColor(self.theme.quiet))
            painter.drawText(self.rect(), Qt.AlignmentFlag.AlignCenter, tr("No depth has both values."))
            return
        self._paint_axes(painter)
        state = (self.size(), self.theme)
        if self._picture is None or self._picture[0] != state:
            self._picture = state, self._points()
        painter.drawImage(0, 0, self._picture[1])
        if self._box is not None:
            painter.setPen(QPen(QColor(self.theme.accent), 1.2, Qt.PenStyle.DashLine))
            painter.drawRect(self._box)

    def _paint_axes(self, painter: QPainter) -> None:
        box = self.plot
        painter.setFont(mono_font())
        (x0, x1), (y0, y1) = self.limits(self.across), self.limits(self.up)
        for value in ticks(x0, x1, box.width() / 80):
            x = box.left() + (value - x0) / (x1 - x0) * box.width()
            painter.setPen(QPen(QColor(self.theme.rule), 1))
            painter.drawLine(QPointF(x, box.top()), QPointF(x, box.bottom()))
            painter.setPen(QColor(self.theme.quiet))
            painter.drawText(
                QRectF(x - 40, box.bottom() + 2, 80, 16), Qt.AlignmentFlag.AlignHCenter, number_text(value)
            )
        for value in ticks(y0, y1, box.height() / 30):
            y = box.bottom() - (value - y0) / (y1 - y0) * box.height()
            painter.setPen(QPen(QColor(self.theme.rule), 1))
            painter.drawLine(QPointF(box.left(), y), QPointF(box.right(), y))
            painter.setPen(QColor(self.theme.quiet))
            painter.drawText(QRectF(0, y - 8, LEFT_PX - 6, 16), Qt.AlignmentFlag.AlignRight, number_text(value))
        painter.setFont(self.font())
        painter.setPen(QColor(self.theme.ink))
        below = QRectF(box.left(), box.bottom() + 18, box.width(), 18)
        painter.drawText(
            below,
            Qt.AlignmentFlag.AlignHCenter,
            tr("across: {names}   up: {names2}", names=self.names[0], names2=self.names[1]),
        )

    def _points(self) -> QImage:
        from brisk_atlas.core.draw.ramps import ramp

        inks = ramp(RAMP)
        known = np.isfinite(self.across) & np.isfinite(self.up)
        colour = np.tile(np.array([*QColor(self.theme.second).getRgb()[:3]], np.uint8), (len(self.across), 1))
        shaded = known & np.isfinite(self.shade)
        if shaded.any():
            low, high = np.percentile(self.shade[shaded], [1, 99])
            share = np.clip((self.shade[shaded] - low) / ((high - low) or 1.0), 0, 1)
            colour[shaded] = np.asarray(inks)[(share * (len(inks) - 1)).astype(int)]
        picture = np.zeros((self.height() + 3, self.width() + 3, 4), np.uint8)
        px, py = self.pixels()
        at = np.flatnonzero(known)
        if self.picked is not None:
            at = np.concatenate([at[~self.picked[at]], at[self.picked[at]]])
            colour[self.picked] = QColor(self.theme.accent).getRgb()[:3]
        x = np.clip(px[at].astype(int), 0, self.width() - 1)
        y = np.clip(py[at].astype(int), 0, self.height() - 1)
        for dx, dy in ((0, 0), (1, 0), (0, 1), (1, 1), (2, 1), (1, 2)):
            picture[y + dy, x + dx, :3], picture[y + dy, x + dx, 3] = colour[at], 255
        return picture_of(np.ascontiguousarray(picture))

    def mousePressEvent(self, event: QMouseEvent | None) -> None:
        assert event is not None
        self._begin, self._box = event.position(), None

    def mouseMoveEvent(self, event: QMouseEvent | None) -> None:
        assert event is not None
        if self._begin is not None:
            self._box = QRectF(self._begin, event.position()).normalized()
            self.update()

    def mouseReleaseEvent(self, event: QMouseEvent | None) -> None:
        self._begin = None
        self.brush(self._box)

    def brush(self, box: QRectF | None) -> None:
        """Pick the points in a box of the canvas, or none."""
        self._box, self.picked = box, None
        if box is not None and box.width() > 2 and box.height() > 2:
            x, y = self.pixels()
            self.picked = (x >= box.left()) & (x <= box.right()) & (y >= box.top()) & (y <= box.bottom())
        self._picture = None
        self.brushed.emit(self.picked)
        self.update()


class LogCrossplot(Chart):
    """Choices of three quantities, and their plot.

    Signals:
        picked(object): (n,) depths along the hole, metres, that the brush picks; None for none.
    """

    picked = pyqtSignal(object)

    def __init__(self) -> None:
        super().__init__()
        self.data: HoleData | None = None
        self.depths = np.empty(0)
        self.across, self.up, self.colour = (self._choice(name) for name in ("across", "up", "colour"))
        self.canvas = CrossplotCanvas()
        self.words = PlainLabel(tr("Drag a box to pick depths."))
        self.words.setObjectName("quiet")
        row = QHBoxLayout()
        for label, box in ((tr("Across"), self.across), (tr("Up"), self.up), (tr("Colour"), self.colour)):
            row.addWidget(PlainLabel(label))
            row.addWidget(box, 1)
        column = QVBoxLayout(self)
        column.setContentsMargins(6, 4, 6, 4)
        column.addLayout(row)
        column.addWidget(self.canvas, 1)
        column.addWidget(self.words)
        for box in (self.across, self.up, self.colour):
            box.activated.connect(lambda n: self._show())
        self.canvas.brushed.connect(self._brushed)

    @property
    def title_words(self) -> str:
        across, up = self.canvas.names
        return tr("{value} over {over}", value=up, over=across) if up and across else ""

    @property
    def drawing(self) -> QWidget:
        return self.canvas

    def _choice(self, name: str) -> QComboBox:
        box = QComboBox()
        box.setObjectName(f"crossplot {name}")
        box.setAccessibleName(tr("Quantity {name}", name=name))
        box.setMinimumContentsLength(5)
        box.setSizeAdjustPolicy(QComboBox.SizeAdjustPolicy.AdjustToMinimumContentsLengthWithIcon)
        return box

    def show_data(self, data: HoleData | None, drawn: Sequence[str] = ()) -> None:
        """Offer the curves of a hole; those that were chosen stay."""
        self.data = data
        curves = [c for c in data.curves if c.texts is None and np.isfinite(c.values).any()] if data is not None else []
        order = sorted(curves, key=lambda c: drawn.index(c.name) if c.name in drawn else len(drawn))
        for number, box in enumerate((self.across, self.up, self.colour)):
            now = box.currentText()
            box.clear()
            if box is self.colour:
                box.addItem(tr("one colour"), None)
            for curve in curves:
                box.addItem(f"{curve.name}, {curve.unit}" if curve.unit else curve.name, curve.name)
            at = box.findText(now)
            usual = box.findData(order[number].name) if number < min(2, len(order)) else 0
            box.setCurrentIndex(at if at >= 0 else max(0, usual))
        self._show()

    def _curve(self, box: QComboBox) -> HoleCurve | None:
        name = box.currentData()
        return self.data.curve(name) if self.data is not None and name is not None else None

    def _show(self) -> None:
        from brisk_atlas.core.strip.holes.hole_numbers import on_depths

        x, y, ink = (self._curve(box) for box in (self.across, self.up, self.colour))
        if x is None or y is None:
            self.depths = np.empty(0)
            self.canvas.show_values(np.empty(0), np.empty(0), np.empty(0), ("", ""))
            return
        self.depths = x.depth
        a, b = (on_depths(each, x.depth, between=True) for each in (x, y))
        shade = on_depths(ink, x.depth, between=True) if ink is not None else np.full(len(x.depth), np.nan)
        self.canvas.show_values(a, b, shade, (self.across.currentText(), self.up.currentText()))
        self.words.setText(tr("Drag a box to pick depths."))

    def _brushed(self, picked: np.ndarray | None) -> None:
        depths = self.depths[picked] if picked is not None else None
        if depths is None or not len(depths):
            self.words.setText(tr("Drag a box to pick depths."))
        else:
            ends = tr(
                "{float} to {float2} m", float=number_text(float(depths.min())), float2=number_text(float(depths.max()))
            )
            self.words.setText(tr("{count:,} depths picked, {ends} along the hole", count=len(depths), ends=ends))
        self.picked.emit(depths if depths is not None and len(depths) else None)
