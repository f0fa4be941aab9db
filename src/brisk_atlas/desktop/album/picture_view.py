"""A picture of a plate as large as there is room, side B behind a curtain that stands in the middle."""

from __future__ import annotations

from PyQt6.QtCore import QRectF, QSize, Qt
from PyQt6.QtGui import QColor, QImage, QPainter, QPaintEvent
from PyQt6.QtWidgets import QSizePolicy, QWidget

from ..theme import LIGHT, Theme


class PictureView(QWidget):
    """Paints one picture or two."""

    def __init__(self) -> None:
        super().__init__()
        self.theme: Theme = LIGHT
        self.pictures: list[QImage] = []
        self.setSizePolicy(QSizePolicy.Policy.Ignored, QSizePolicy.Policy.Ignored)
        self.setMinimumHeight(120)

    def show_pictures(self, pictures: list[QImage]) -> None:
        """Show pictures; none for none."""
        self.pictures = pictures
        self.update()

    def sizeHint(self) -> QSize:
        return QSize(640, 400)

    def paintEvent(self, event: QPaintEvent | None) -> None:
        if not self.pictures:
            return
        painter = QPainter(self)
        painter.setRenderHint(QPainter.RenderHint.SmoothPixmapTransform)
        size = self.pictures[0].size().scaled(self.size(), Qt.AspectRatioMode.KeepAspectRatio)
        box = QRectF((self.width() - size.width()) / 2, 0.0, size.width(), size.height())
        painter.drawImage(box, self.pictures[0])
        if len(self.pictures) > 1:
            half = QRectF(box.center().x(), box.top(), box.width() / 2, box.height())
            painter.setClipRect(half)
            painter.drawImage(box, self.pictures[1])
            painter.setClipping(False)
            painter.fillRect(QRectF(half.left() - 1, half.top(), 2, half.height()), QColor(self.theme.ink))
        painter.setPen(QColor(self.theme.rule))
        painter.drawRect(box.adjusted(0, 0, -1, -1))
