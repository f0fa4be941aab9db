"""A photograph in full: the wheel comes closer, a drag moves it."""

from __future__ import annotations

from PyQt6.QtGui import QImage, QPainter, QPixmap, QWheelEvent
from PyQt6.QtWidgets import QDialog, QGraphicsScene, QGraphicsView, QVBoxLayout, QWidget

from brisk_atlas.core.model.language import tr

WHEEL_ZOOM = 1.25


class PhotoView(QGraphicsView):
    """A picture that is zoomed and moved."""

    def __init__(self, image: QImage) -> None:
        super().__init__()
        self.setAccessibleName(tr("Photograph"))
        self.held = QGraphicsScene()
        self.held.addPixmap(QPixmap.fromImage(image))
        self.setScene(self.held)
        self.setDragMode(QGraphicsView.DragMode.ScrollHandDrag)
        self.setRenderHint(QPainter.RenderHint.SmoothPixmapTransform)
        self.setTransformationAnchor(QGraphicsView.ViewportAnchor.AnchorUnderMouse)

    def wheelEvent(self, event: QWheelEvent | None) -> None:
        assert event is not None
        factor = WHEEL_ZOOM ** (event.angleDelta().y() / 120)
        self.scale(factor, factor)


class PhotoWindow(QDialog):
    """Shows one photograph, all of it at first."""

    def __init__(self, image: QImage, name: str, parent: QWidget) -> None:
        super().__init__(parent)
        self.setWindowTitle(name)
        self.resize(900, 620)
        self.view = PhotoView(image)
        column = QVBoxLayout(self)
        column.setContentsMargins(0, 0, 0, 0)
        column.addWidget(self.view)

    def showEvent(self, event: object) -> None:
        from PyQt6.QtCore import Qt

        self.view.fitInView(self.view.held.itemsBoundingRect(), Qt.AspectRatioMode.KeepAspectRatio)
