"""Swaps side A and side B by time: at a rate, hard or fading, with a key that holds one of them."""

from __future__ import annotations

import time
from math import cos, pi

from PyQt6.QtCore import QObject, Qt, QTimer, pyqtSignal

FADE_TICK_MS = 16  # about a frame of the screen
RATE_S = 0.8


class Blinker(QObject):
    """Tells how much of B is seen.

    Signals:
        mixed(float): 0 for A alone, 1 for B alone.
    """

    mixed = pyqtSignal(float)

    def __init__(self, parent: QObject | None = None) -> None:
        super().__init__(parent)
        self.seconds = RATE_S  # for each side
        self.fades = False
        self.mix = 1.0
        self._held: float | None = None
        self._began = 0.0
        self._timer = QTimer(self)
        self._timer.setTimerType(Qt.TimerType.PreciseTimer)
        self._timer.timeout.connect(self._tick)

    @property
    def runs(self) -> bool:
        """Whether the sides swap by themselves."""
        return self._timer.isActive()

    def run(self, on: bool = True) -> None:
        """Swap from now on, or stop with what is seen."""
        if not on:
            self._timer.stop()
            return
        self._began = time.monotonic()
        self._timer.start(FADE_TICK_MS if self.fades else max(20, round(1000 * self.seconds)))

    def set_rate(self, seconds: float) -> None:
        """Show each side for some seconds."""
        self.seconds = seconds
        if self.runs:
            self.run()

    def set_fades(self, on: bool) -> None:
        """Let the sides fade into each other, or swap at once."""
        self.fades = on
        if self.runs:
            self.run()

    def show_mix(self, mix: float) -> None:
        """Show so much of B and stop there."""
        self.run(False)
        self._become(mix)

    def hold(self, mix: float | None) -> None:
        """Show one side as long as a key is down; None lets it go on."""
        self._held = mix
        if mix is not None:
            self._become(mix)

    def _tick(self) -> None:
        if self._held is not None:
            return
        if self.fades:
            turn = (time.monotonic() - self._began) / (2 * self.seconds)
            self._become(0.5 - 0.5 * cos(2 * pi * turn))
        else:
            self._become(0.0 if self.mix >= 0.5 else 1.0)

    def _become(self, mix: float) -> None:
        if mix != self.mix:
            self.mix = mix
            self.mixed.emit(mix)
