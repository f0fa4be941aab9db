"""The picture in the glance: drawn like a map, so that it can be zoomed and moved."""

from __future__ import annotations

from collections.abc import Sequence
from typing import TYPE_CHECKING

from PyQt6.QtCore import QRectF, Qt, pyqtSignal
from PyQt6.QtGui import QColor, QMouseEvent, QPaintEvent

from brisk_atlas.core.draw import View
from brisk_atlas.core.model.language import tr

from ..panes.coming_pieces import ComingPieces
from ..panes.map_canvas import MapCanvas
from ..panes.renderer import Renderer, Wish
from ..picture_painter import picture_painter
from ..session import Session

if TYPE_CHECKING:
    from brisk_atlas.core.draw.frame import Frame
    from brisk_atlas.core.model import Extent, Layer

MARGIN = 0.03
MAKING = tr("an overview is being made")
COMING = tr("the server is drawing it")


class GlancePicture(MapCanvas):
    """Layers that are not open, as they would look. Double click shows all of them again.

    Signals:
        unfinished(list): layers of which more is to be seen once they are prepared.
    """

    unfinished = pyqtSignal(list)

    def __init__(self, session: Session) -> None:
        super().__init__()
        self.setObjectName("glance picture")
        self.setAccessibleName(tr("Picture of the dataset; the wheel zooms, a drag moves"))
        self.layers: tuple[Layer, ...] = ()
        self.extent: Extent | None = None
        self.words = ""
        self._renderer = Renderer(session)
        self._renderer.drawn.connect(self._drawn)
        self._pieces = ComingPieces(session)
        self._pieces.more.connect(self._want)
        self.view_changed.connect(self._want)

    @property
    def busy(self) -> bool:
        return self.settling or self._renderer.busy or self._pieces.busy

    def show_words(self, words: str) -> None:
        """Show words in place of a picture."""
        self.layers, self.extent, self.view, self.frames, self.words = (), None, None, [], words
        self._pieces.take([])
        self.update()

    def show_layers(self, layers: Sequence[Layer], extent: Extent) -> None:
        self.layers, self.extent, self.frames, self.words = tuple(layers), extent, [], ""
        self.show_all()

    def show_all(self) -> None:
        """Look at all of it."""
        if self.extent is not None:
            self.look(View.fitting(self.extent, self.width(), self.height(), margin=MARGIN))

    def draw_again(self) -> None:
        """Draw the same view anew, as more can be seen now."""
        if self.view is not None:
            self.look(self.view)

    def _want(self) -> None:
        view = self.wanted_view()
        if view is not None and self.layers and self.isVisible():
            self._pieces.begin(self.layers)
            self._renderer.want(Wish((self.layers,), view))

    def _drawn(self, frames: list[Frame]) -> None:
        if not frames or self.view is None:
            return
        frame = frames[0]
        waiting = [layer for layer in self.layers if layer.kind.has_cells and layer.ref in frame.unfinished]
        self._pieces.take(frames)
        if frame.faults:
            self.show_words(tr("no picture: {iter}", iter=next(iter(frame.faults.values()))))
            return
        self.show_frames(frames)
        self.words = MAKING if waiting and not frame.image.any() else ""
        if frame.coming and not frame.image.any():
            self.words = COMING
        elif frame.failing and not frame.image.any():
            self.words = tr("no picture: {iter}", iter=next(iter(frame.notes.values()), ""))
        self.unfinished.emit(waiting)

    def showEvent(self, event: object) -> None:
        if self.layers and not self.frames:
            self.draw_again()

    def paintEvent(self, event: QPaintEvent | None) -> None:
        super().paintEvent(event)
        if self.words:
            painter = picture_painter(self)
            painter.setPen(QColor(self.theme.quiet))
            box = QRectF(self.rect()).adjusted(12, 8, -12, -8)
            painter.drawText(box, Qt.AlignmentFlag.AlignCenter | Qt.TextFlag.TextWordWrap, self.words)

    def mouseDoubleClickEvent(self, event: QMouseEvent | None) -> None:
        self.show_all()
