"""All of the map in small, with what the pane shows of it; a click goes there."""

from __future__ import annotations

from typing import TYPE_CHECKING

from PyQt6.QtCore import QPointF, Qt, pyqtSignal
from PyQt6.QtGui import QColor, QImage, QMouseEvent, QPainter, QPaintEvent, QPen, QPolygonF, QResizeEvent, QShowEvent
from PyQt6.QtWidgets import QWidget

from brisk_atlas.core.draw import View
from brisk_atlas.core.model.language import tr

from ..frame_image import image_of
from ..later import Later
from ..picture_painter import picture_painter
from ..session import Session
from ..theme import LIGHT, Theme

if TYPE_CHECKING:
    from brisk_atlas.core.draw.frame import Frame
    from brisk_atlas.core.system.jobs import Job

HEIGHT_PX, LATER_MS = 170, 350
SMALLEST_PX = 7.0  # what a closer view is marked with


class OverviewMap(QWidget):
    """Signals:
    place_chosen(float, float): a position of the map to put in the centre.
    """

    place_chosen = pyqtSignal(float, float)

    def __init__(self, session: Session) -> None:
        super().__init__()
        self.setObjectName("overview")
        self.setAccessibleName(tr("Overview of the map"))
        self.setFixedHeight(HEIGHT_PX)
        self.session = session
        self.theme: Theme = LIGHT
        self.picture: tuple[QImage, View] | None = None
        self.view: View | None = None
        self._later = Later(self, LATER_MS, self._draw)
        session.work_changed.connect(lambda what: self._want() if what in ("layers", "file") else None)

    def show_view(self, view: View | None) -> None:
        """Mark what the map pane shows."""
        self.view = view
        self.update()
        if self.picture is None or (view is not None and self.picture[1].crs != view.crs):
            self._want()

    def _want(self) -> None:
        if self.isVisible():
            self._later.start()

    def showEvent(self, event: QShowEvent | None) -> None:
        self._later.start()

    def resizeEvent(self, event: QResizeEvent | None) -> None:
        self._want()

    def _draw(self) -> None:
        layers, crs = [la for la in self.session.work.drawn() if la.visible], self.session.work.state.crs
        size, session = (max(self.width(), 1), HEIGHT_PX), self.session

        def work(job: Job) -> Frame | None:
            from brisk_atlas.core.draw.frame import extent_of
            from brisk_atlas.core.draw.whole_frame import whole_frame

            extent = extent_of(session.cache, layers, crs)
            return whole_frame(session.painter, layers, View.fitting(extent, *size), job.check) if extent else None

        def done(frame: Frame | None) -> None:
            self.picture = (image_of(frame), frame.view) if frame is not None else None
            self.update()

        # What is wrong with a layer is reported by the map.
        session.run(tr("Drawing the overview"), work, done, shown=False, failed=lambda error: None)

    def paintEvent(self, event: QPaintEvent | None) -> None:
        painter = picture_painter(self)
        painter.fillRect(self.rect(), QColor(LIGHT.paper))
        if self.picture is None:
            return
        painter.drawImage(0, 0, self.picture[0])
        if self.view is None or self.view.crs != self.picture[1].crs:
            return
        painter.setRenderHint(QPainter.RenderHint.Antialiasing)
        seen, width, height = self.view, self.view.width, self.view.height
        corners = [(0, 0), (width, 0), (width, height), (0, height)]
        points = [QPointF(*self.picture[1].to_pixel(*seen.to_map(*corner))) for corner in corners]
        around = QPolygonF(points).boundingRect()
        for ink, pen in ((LIGHT.raised, 4.0), (LIGHT.accent, 1.8)):
            painter.setPen(QPen(QColor(ink), pen))
            if max(around.width(), around.height()) < SMALLEST_PX:
                painter.drawEllipse(around.center(), SMALLEST_PX, SMALLEST_PX)
            else:
                painter.drawPolygon(QPolygonF(points))

    def mousePressEvent(self, event: QMouseEvent | None) -> None:
        assert event is not None
        if event.button() == Qt.MouseButton.LeftButton:
            self._go(event.position())

    def mouseMoveEvent(self, event: QMouseEvent | None) -> None:
        assert event is not None
        if event.buttons() & Qt.MouseButton.LeftButton:
            self._go(event.position())

    def _go(self, at: QPointF) -> None:
        if self.picture is not None:
            self.place_chosen.emit(*self.picture[1].to_map(at.x(), at.y()))
