"""The Relief pane: the subject's elevation in three dimensions with the map draped over it."""

from __future__ import annotations

from dataclasses import replace
from typing import TYPE_CHECKING

from PyQt6.QtCore import QPointF, QRectF, Qt, QTimer, pyqtSignal
from PyQt6.QtGui import QColor, QImage, QKeyEvent, QMouseEvent, QPainter, QPaintEvent, QWheelEvent
from PyQt6.QtWidgets import QComboBox, QFrame, QHBoxLayout, QSlider, QVBoxLayout, QWidget

from brisk_atlas.core.model import Layer
from brisk_atlas.core.relief import Camera, Stage
from brisk_atlas.core.system.jobs import Job
from brisk_atlas.core.system.workers import shared_workers

from ..plain_text import PlainLabel
from ..session import Session
from ..theme import LIGHT, Theme

if TYPE_CHECKING:
    import numpy as np

    from brisk_atlas.core.relief import Terrain

STILL_MS = 160  # after the hand rests this long the picture is drawn finely
WHEEL_ZOOM = 1.15


class ReliefCanvas(QWidget):
    """Shows the newest picture of the terrain and turns the hand into camera moves.

    Signals:
        moved(): another camera is wanted.
    """

    moved = pyqtSignal()

    def __init__(self) -> None:
        super().__init__()
        self.setObjectName("relief canvas")
        self.setFocusPolicy(Qt.FocusPolicy.StrongFocus)
        self.setMinimumSize(200, 160)
        self.theme: Theme = LIGHT
        self.camera = Camera()
        self.image: QImage | None = None
        self.message = ""
        self._last: QPointF | None = None

    def show_picture(self, pixels: np.ndarray) -> None:
        rows, cols = pixels.shape[:2]
        image = QImage(pixels.tobytes(), cols, rows, cols * 3, QImage.Format.Format_RGB888)
        self.image = image.copy()
        self.message = ""
        self.update()

    def paintEvent(self, event: QPaintEvent | None) -> None:
        painter = QPainter(self)
        painter.fillRect(self.rect(), QColor(self.theme.paper))
        if self.image is not None and not self.message:
            painter.setRenderHint(QPainter.RenderHint.SmoothPixmapTransform)
            painter.drawImage(QRectF(self.rect()), self.image)
        if self.message:
            painter.setPen(QColor(self.theme.quiet))
            painter.drawText(
                self.rect().adjusted(24, 24, -24, -24),
                Qt.AlignmentFlag.AlignCenter | Qt.TextFlag.TextWordWrap,
                self.message,
            )

    def turn(self, camera: Camera) -> None:
        self.camera = camera
        self.moved.emit()

    def mousePressEvent(self, event: QMouseEvent | None) -> None:
        assert event is not None
        self.setFocus()
        self._last = event.position()

    def mouseMoveEvent(self, event: QMouseEvent | None) -> None:
        assert event is not None
        if self._last is None:
            return
        by, self._last = event.position() - self._last, event.position()
        if event.buttons() & Qt.MouseButton.LeftButton and not event.modifiers() & Qt.KeyboardModifier.ShiftModifier:
            self.turn(self.camera.orbited(by.x(), by.y()))
        elif event.buttons():
            self.turn(self.camera.shifted(by.x(), by.y()))

    def mouseReleaseEvent(self, event: QMouseEvent | None) -> None:
        self._last = None

    def wheelEvent(self, event: QWheelEvent | None) -> None:
        assert event is not None
        self.turn(self.camera.closer(WHEEL_ZOOM ** (event.angleDelta().y() / 120)))
        event.accept()

    def keyPressEvent(self, event: QKeyEvent | None) -> None:
        assert event is not None
        turns = {
            Qt.Key.Key_Left: (-12, 0),
            Qt.Key.Key_Right: (12, 0),
            Qt.Key.Key_Up: (0, 12),
            Qt.Key.Key_Down: (0, -12),
        }
        key = event.key()
        if key in turns:
            self.turn(self.camera.orbited(*turns[Qt.Key(key)]))
        elif key in (Qt.Key.Key_Plus, Qt.Key.Key_Equal):
            self.turn(self.camera.closer(WHEEL_ZOOM))
        elif key == Qt.Key.Key_Minus:
            self.turn(self.camera.closer(1 / WHEEL_ZOOM))
        elif key == Qt.Key.Key_Home:
            self.turn(replace(Camera(), exaggeration=self.camera.exaggeration))
        else:
            super().keyPressEvent(event)

    def resizeEvent(self, event: object) -> None:
        self.moved.emit()


class ReliefPane(QWidget):
    """A canvas with its bar: which grid is the surface, and how much its height is exaggerated.

    Signals:
        settled(): the picture is final for the present camera.
    """

    settled = pyqtSignal()

    def __init__(self, session: Session) -> None:
        super().__init__()
        self.session = session
        self.stage = Stage(shared_workers())
        self.theme: Theme = LIGHT
        self.canvas = ReliefCanvas()
        self.surface = QComboBox()
        self.surface.setAccessibleName("Surface")
        self.surface.setToolTip("Which grid gives the heights")
        self.height_slider = QSlider(Qt.Orientation.Horizontal)
        self.height_slider.setRange(5, 50)
        self.height_slider.setValue(15)
        self.height_slider.setFixedWidth(90)
        self.height_slider.setAccessibleName("Vertical exaggeration")
        self.height_slider.setToolTip("Vertical exaggeration")
        self.height_text = PlainLabel("height x1.5")
        bar = QFrame()
        bar.setObjectName("paneBar")
        row = QHBoxLayout(bar)
        row.setContentsMargins(8, 2, 8, 2)
        title = PlainLabel("Relief")
        title.setObjectName("heading")
        for widget in (title, self.surface, self.height_slider, self.height_text):
            row.addWidget(widget)
        row.addStretch(1)
        column = QVBoxLayout(self)
        column.setContentsMargins(0, 0, 0, 0)
        column.setSpacing(0)
        column.addWidget(bar)
        column.addWidget(self.canvas, 1)
        self._terrain: Terrain | None = None
        self._terrain_key: tuple | None = None
        self._job: Job | None = None
        self._again = False
        self._still = QTimer(self)
        self._still.setSingleShot(True)
        self._still.setInterval(STILL_MS)
        self._still.timeout.connect(lambda: self._ask(fine=True))
        self.canvas.moved.connect(self._moved)
        self.surface.currentIndexChanged.connect(self.remake)
        self.height_slider.valueChanged.connect(self._exaggerate)
        session.work_changed.connect(self._work_changed)

    @property
    def busy(self) -> bool:
        return self.isVisible() and (self._job is not None or self._still.isActive())

    def showEvent(self, event: object) -> None:
        self._fill_surfaces()
        self.remake()

    def _work_changed(self, what: str) -> None:
        if what in ("layers", "subject", "file") and self.isVisible():
            self._fill_surfaces()
            self.remake()

    def _fill_surfaces(self) -> None:
        """Offer the single-band grids that are open; the subject first if it is one."""
        chosen = self.surface.currentData()
        self.surface.blockSignals(True)
        self.surface.clear()
        for layer in self.session.work.layers:
            facts = self.session.facts_of(layer)
            if layer.kind.has_cells and facts and facts.grid and len(facts.grid.bands) == 1:
                self.surface.addItem(layer.name, layer.id)
        subject = self.session.work.subject
        wanted = self.surface.findData(subject.id) if subject else -1
        at = wanted if wanted >= 0 else self.surface.findData(chosen)
        self.surface.setCurrentIndex(max(at, 0) if self.surface.count() else -1)
        self.surface.blockSignals(False)

    def _surface_layer(self) -> Layer | None:
        return self.session.work.layer(self.surface.currentData())

    def _draped(self, surface: Layer) -> list[Layer]:
        shown = [layer for layer in self.session.work.drawn() if layer.visible and not layer.kind.has_points]
        return shown or [surface]

    def remake(self) -> None:
        """Make the terrain anew if its grid or its drape has changed."""
        surface = self._surface_layer()
        if surface is None:
            self._terrain, self._terrain_key = None, None
            self.canvas.message = "Open an elevation grid to see it in relief."
            self.canvas.update()
            self.settled.emit()
            return
        draped = self._draped(surface)
        key = (surface.ref, tuple(draped), self.theme.paper)
        if key == self._terrain_key:
            self._ask(fine=True)
            return
        self._terrain_key = key
        if self._terrain is None:
            self.canvas.message = "Building the relief…"
            self.canvas.update()
        paper = self.theme.paper

        def work(job: Job) -> Terrain:
            from brisk_atlas.core.relief.drape import terrain_of

            return terrain_of(self.session.painter, surface, draped, paper)

        def done(terrain: Terrain) -> None:
            if self._terrain_key == key:
                self._terrain = terrain
                self._ask(fine=True)

        def failed(error: BaseException) -> None:
            self.canvas.message = str(error)
            self.canvas.update()

        self.session.run("Building the relief", work, done, failed=failed)

    def _exaggerate(self, tenths: int) -> None:
        self.height_text.setText(f"height x{tenths / 10:.1f}")
        self.canvas.turn(replace(self.canvas.camera, exaggeration=tenths / 10))

    def _moved(self) -> None:
        self._still.start()
        self._ask(fine=False)

    def _ask(self, *, fine: bool) -> None:
        """Draw the present camera; while one is being drawn, only remember to draw again."""
        if self._terrain is None or not self.isVisible():
            return
        if self._job is not None:
            self._again = True
            return
        terrain, camera = self._terrain, self.canvas.camera
        size = max(16, self.canvas.width()), max(16, self.canvas.height())
        paper = self.theme.paper

        def work(job: Job) -> np.ndarray:
            return self.stage.picture(terrain, camera, size, paper, fine=fine)

        def finished(job: Job) -> None:
            self._job = None
            if job.state == "done":
                self.canvas.show_picture(job.result)
            elif job.error is not None:
                self.canvas.message = str(job.error)
                self.canvas.update()
            if self._again:
                self._again = False
                self._ask(fine=not self._still.isActive())
            elif not self._still.isActive():
                self.settled.emit()

        self._job = self.session.jobs.start(
            "Relief", work, lambda job: self.session.call_in_gui(finished, job), shown=False
        )

    def close_stage(self) -> None:
        self.stage.close()
