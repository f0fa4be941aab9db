"""What a hand does on the relief, as events."""

from __future__ import annotations

from PyQt6.QtCore import QEvent, QPoint, QPointF, Qt
from PyQt6.QtGui import QMouseEvent
from PyQt6.QtWidgets import QApplication

LEFT, RIGHT, MIDDLE = Qt.MouseButton.LeftButton, Qt.MouseButton.RightButton, Qt.MouseButton.MiddleButton
PLAIN, CTRL, SHIFT = (
    Qt.KeyboardModifier.NoModifier,
    Qt.KeyboardModifier.ControlModifier,
    Qt.KeyboardModifier.ShiftModifier,
)


def pane_of(d):
    return d.window.desk.relief


def drag(d, begin, end, button=LEFT, keys=PLAIN):
    canvas = pane_of(d).canvas
    d.qtbot.mousePress(canvas, button, keys, QPoint(*begin))
    for share in (0.5, 1.0):
        at = QPoint(*(round(a + (b - a) * share) for a, b in zip(begin, end)))
        moved = QMouseEvent(QEvent.Type.MouseMove, QPointF(at), QPointF(canvas.mapToGlobal(at)), Qt.MouseButton.NoButton,
                            button, keys)  # fmt: skip
        QApplication.sendEvent(canvas, moved)
    d.qtbot.mouseRelease(canvas, button, keys, QPoint(*end))
    d.settle()


def middle(canvas):
    return canvas.width() // 2, canvas.height() // 2 + 30
