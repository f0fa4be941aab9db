"""How the pictures of side A and side B share a canvas: divided by an edge or a glass, or one over the other."""

from __future__ import annotations

from collections.abc import Callable

from PyQt6.QtCore import QPointF, QRectF, QSizeF, Qt
from PyQt6.QtGui import QColor, QCursor, QImage, QPainter, QPainterPath, QPen, QPixmap

from brisk_atlas.core.draw import View
from brisk_atlas.core.workspace.comparison import Divide, Way

from ..theme import Theme
from .map_label import paint_label

GRIP_PX = 9  # how near the edge can be gripped
STEP = 0.05  # of the width or height, that a key moves the edge by
GLASS_PX, GLASS_STEP_PX, GLASS_RANGE_PX = 120, 15, (40, 400)

Picture = tuple[QImage, View]


class SidesView:
    """Where the sides meet on a canvas, and which is seen; holds no pictures.

    `titles` are what A and B are called, None while nothing is compared by curtain or blink. `at` is the share of the
    width (or height) at which the edge stands, `mix` how much is seen of B when blinking: 0 is A alone, 1 is B alone.
    """

    def __init__(self) -> None:
        self.titles: tuple[str, str] | None = None
        self.way, self.divide = Way.CURTAIN, Divide.UPRIGHT
        self.at = 0.5
        self.radius = GLASS_PX
        self.pointer: QPointF | None = None
        self.mix = 1.0

    @property
    def divides(self) -> bool:
        """Whether both sides are seen beside each other."""
        return self.titles is not None and self.way is Way.CURTAIN

    def near_edge(self, at: QPointF, size: QSizeF) -> bool:
        """Return whether the edge can be gripped at a pixel."""
        if not self.divides or self.divide is Divide.GLASS:
            return False
        along, length = (at.x(), size.width()) if self.divide is Divide.UPRIGHT else (at.y(), size.height())
        return abs(along - length * self.at) <= GRIP_PX

    @property
    def cursor(self) -> QCursor:
        """The pointer over the edge."""
        upright = self.divide is Divide.UPRIGHT
        return QCursor(Qt.CursorShape.SplitHCursor if upright else Qt.CursorShape.SplitVCursor)

    def drag(self, at: QPointF, size: QSizeF) -> None:
        """Put the edge where the pointer is."""
        upright = self.divide is Divide.UPRIGHT
        self.move(at.x() / max(1.0, size.width()) if upright else at.y() / max(1.0, size.height()))

    def move(self, share: float) -> None:
        """Put the edge at a share of the width or height."""
        self.at = min(max(share, 0.0), 1.0)

    def step(self, direction: int) -> None:
        """Move the edge, or make the glass smaller or larger, by one press of a key."""
        if self.divide is Divide.GLASS:
            low, high = GLASS_RANGE_PX
            self.radius = min(max(self.radius + direction * GLASS_STEP_PX, low), high)
        else:
            self.move(self.at + direction * STEP)

    def glass_centre(self, size: QSizeF) -> QPointF:
        """Return where the glass is: at the pointer, in the middle while the pointer is elsewhere."""
        return self.pointer if self.pointer is not None else QPointF(size.width() / 2, size.height() / 2)

    def paint(
        self, painter: QPainter, frames: list[Picture], size: QSizeF, theme: Theme,
        paint_frame: Callable[[QPainter, QImage, View], None],
    ) -> None:  # fmt: skip
        """Paint the pictures of A and B; any other number of pictures one over the other."""
        if self.titles is None or len(frames) != 2:
            for image, view in frames:
                paint_frame(painter, image, view)
            return
        if self.way is Way.BLINK:
            self._paint_mixed(painter, frames, size, theme, paint_frame)
            return
        for side, (image, view) in enumerate(frames):
            painter.setClipPath(self._room(side, size))
            if side and self.divide is Divide.GLASS:
                painter.fillRect(QRectF(QPointF(0, 0), size), QColor(theme.paper))
            paint_frame(painter, image, view)
        painter.setClipping(False)

    def _room(self, side: int, size: QSizeF) -> QPainterPath:
        """Return where a side is seen."""
        path, width, height = QPainterPath(), size.width(), size.height()
        match self.divide:
            case Divide.UPRIGHT:
                edge = round(width * self.at)
                path.addRect(QRectF(0, 0, edge, height) if side == 0 else QRectF(edge, 0, width - edge, height))
            case Divide.LEVEL:
                edge = round(height * self.at)
                path.addRect(QRectF(0, 0, width, edge) if side == 0 else QRectF(0, edge, width, height - edge))
            case Divide.GLASS:
                if side == 0:
                    path.addRect(QRectF(0, 0, width, height))
                else:
                    path.addEllipse(self.glass_centre(size), self.radius, self.radius)
        return path

    def _paint_mixed(
        self, painter: QPainter, frames: list[Picture], size: QSizeF, theme: Theme,
        paint_frame: Callable[[QPainter, QImage, View], None],
    ) -> None:  # fmt: skip
        """Paint one side, or both so that what is seen of B fades in over A with its own background."""
        if self.mix <= 0.0 or self.mix >= 1.0:
            paint_frame(painter, *frames[round(self.mix)])
            return
        paint_frame(painter, *frames[0])
        over = QPixmap((size * painter.device().devicePixelRatioF()).toSize())  # type: ignore[union-attr]
        over.setDevicePixelRatio(painter.device().devicePixelRatioF())  # type: ignore[union-attr]
        over.fill(QColor(theme.paper))
        within = QPainter(over)
        paint_frame(within, *frames[1])
        within.end()
        painter.setOpacity(self.mix)
        painter.drawPixmap(0, 0, over)
        painter.setOpacity(1.0)

    def paint_marks(self, painter: QPainter, size: QSizeF, theme: Theme) -> None:
        """Paint the edge or the rim of the glass, and what the sides are called."""
        if self.titles is None:
            return
        painter.setRenderHint(QPainter.RenderHint.Antialiasing)
        width, height = size.width(), size.height()
        a, b = (f"{name}  {title}" for name, title in zip("AB", self.titles))
        if self.way is Way.BLINK:
            both = f"{a}   {1 - self.mix:.0%}   {b}   {self.mix:.0%}"
            words = a if self.mix <= 0 else b if self.mix >= 1 else both
            paint_label(painter, words, QPointF(width / 2, 12), width, theme, middle=True)
            return
        if self.divide is Divide.GLASS:
            centre = self.glass_centre(size)
            for colour, thick in ((theme.raised, 5), (theme.accent, 2)):
                painter.setPen(QPen(QColor(colour), thick))
                painter.drawEllipse(centre, self.radius, self.radius)
            paint_label(painter, a, QPointF(width / 2, 12), width, theme, middle=True)
            below = centre.y() + self.radius + 6
            at = below if below < height - 26 else centre.y() - self.radius - 28
            paint_label(painter, b, QPointF(centre.x(), at), width, theme, middle=True)
            return
        upright = self.divide is Divide.UPRIGHT
        edge = round((width if upright else height) * self.at)
        ends = (QPointF(edge, 0), QPointF(edge, height)) if upright else (QPointF(0, edge), QPointF(width, edge))
        for colour, thick in ((theme.raised, 4), (theme.accent, 2)):
            painter.setPen(QPen(QColor(colour), thick))
            painter.drawLine(*ends)
        grip = QRectF(edge - 6, height / 2 - 18, 12, 36) if upright else QRectF(width / 2 - 18, edge - 6, 36, 12)
        painter.setBrush(QColor(theme.accent))
        painter.setPen(QPen(QColor(theme.raised), 2))
        painter.drawRoundedRect(grip, 6, 6)
        painter.setBrush(Qt.BrushStyle.NoBrush)
        if upright:
            paint_label(painter, a, QPointF(edge - 12, 12), width, theme, right=True)
            paint_label(painter, b, QPointF(edge + 12, 12), width, theme)
        else:
            paint_label(painter, a, QPointF(12, edge - 34), width, theme)
            paint_label(painter, b, QPointF(12, edge + 12), width, theme)
