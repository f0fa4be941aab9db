"""How high and how steep the ground is under the pointer, at the lower right of a relief."""

from __future__ import annotations

from PyQt6.QtWidgets import QWidget

from ..plain_text import PlainLabel

RIM_PX = 8


class ReliefReading(PlainLabel):
    """Hidden while there is nothing to read."""

    def __init__(self, canvas: QWidget) -> None:
        super().__init__("", canvas)
        self.setObjectName("reliefReading")
        self.hide()

    def show_text(self, text: str) -> None:
        """Show a text, nothing for none."""
        self.setText(text)
        self.setVisible(bool(text))
        self.place()

    def place(self) -> None:
        """Go to the corner."""
        canvas = self.parentWidget()
        if canvas is not None:
            self.adjustSize()
            self.move(canvas.width() - self.width() - RIM_PX, canvas.height() - self.height() - RIM_PX)
