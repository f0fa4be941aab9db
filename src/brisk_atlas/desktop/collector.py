"""Garbage is collected on the window's thread alone.

Python collects on whichever thread makes the next object. Where that is one of the background, a widget that waits to
be collected would be deleted there, and Qt ends the program for it.
"""

from __future__ import annotations

import gc

from PyQt6.QtCore import QObject, QTimer

LOOK_MS = 200
YOUNG, MIDDLE, OLD = (50_000, 20, 50)  # objects, and collections of the younger, before each is looked through


class Collector(QObject):
    """Looks from time to time whether enough was made, from `start` to `stop`."""

    def __init__(self, parent: QObject | None = None) -> None:
        super().__init__(parent)
        self._timer = QTimer(self)
        self._timer.setInterval(LOOK_MS)
        self._timer.timeout.connect(self.look)
        self._all = False

    def start(self) -> None:
        """Take it over from Python."""
        gc.disable()
        self._timer.start()

    def stop(self) -> None:
        """Leave it to Python again."""
        self._timer.stop()
        gc.enable()

    def all_soon(self) -> None:
        """Go through all at the next look, as after much was closed."""
        self._all = True

    def look(self) -> int | None:
        """Collect what is due; returns the oldest generation that was looked through, None for none."""
        young, middle, old = gc.get_count()
        if young < YOUNG and not self._all:
            return None
        generation = 2 if old >= OLD or self._all else 1 if middle >= MIDDLE else 0
        self._all = False
        gc.collect(generation)
        return generation
