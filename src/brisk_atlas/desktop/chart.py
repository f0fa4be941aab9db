"""What the charts of panes and drawers have in common: they can be captured as plates."""

from __future__ import annotations

from PyQt6.QtGui import QImage, QPixmap
from PyQt6.QtWidgets import QWidget


class Chart(QWidget):
    """Values drawn over something, which are captured while the chart has the keyboard."""

    is_captured = False  # while it is drawn for a plate, without a sign of the keyboard

    @property
    def title_words(self) -> str:
        """What is drawn, "" while nothing is."""
        raise NotImplementedError

    @property
    def drawing(self) -> QWidget:
        """The part that is drawn, without what chooses it."""
        return self

    def image(self, density: float) -> QImage:
        """Return it drawn with a number of pixels for each of the screen."""
        drawing = self.drawing
        made = QPixmap(drawing.size() * density)
        made.setDevicePixelRatio(density)
        made.fill(drawing.palette().window().color())
        self.is_captured = True
        QWidget.render(drawing, made)  # a view of a scene has a render of its own, which takes a painter
        self.is_captured = False
        return made.toImage()
