"""Steps through dates by itself, as fast as the map can show them."""

from __future__ import annotations

from collections.abc import Callable

from PyQt6.QtCore import QTimer
from PyQt6.QtWidgets import QToolButton

from brisk_atlas.core.model.language import tr

STEP_MS = 700


class Player(QToolButton):
    """A button that calls `step` time and again while it is down, whenever `ready` says that the last one is shown."""

    def __init__(self, step: Callable[[], object], ready: Callable[[], bool] = lambda: True) -> None:
        super().__init__()
        self.setText(tr("Play"))
        self.setCheckable(True)
        self.setToolTip(tr("Step through the dates; the first follows the last"))
        self.ready = ready
        self._timer = QTimer(self)
        self._timer.setInterval(STEP_MS)
        self._timer.timeout.connect(lambda: step() if self.ready() else None)
        self.toggled.connect(self._turn)

    def _turn(self, on: bool) -> None:
        self.setText(tr("Pause") if on else tr("Play"))
        if on:
            self._timer.start()
        else:
            self._timer.stop()

    def hideEvent(self, event: object) -> None:
        self.setChecked(False)
