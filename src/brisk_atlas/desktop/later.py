"""What is done a moment after the hand rests: each new wish puts it off."""

from __future__ import annotations

from collections.abc import Callable
from weakref import WeakSet

from PyQt6 import sip
from PyQt6.QtCore import QObject, QTimer, pyqtBoundSignal

_ALL: WeakSet[Later] = WeakSet()


class Later(QTimer):
    """Calls `do` once, so many milliseconds after the last `start`. It belongs to `parent`. A signal is given as it is:
    its `emit` would outlive the widget that it belongs to."""

    def __init__(self, parent: QObject, ms: int, do: Callable[[], object] | pyqtBoundSignal) -> None:
        super().__init__(parent)
        self.setSingleShot(True)
        self.setInterval(ms)
        self.timeout.connect(do)
        _ALL.add(self)


def begins_within(ms: int) -> bool:
    """Return whether anything is about to be done within so many milliseconds of its wish."""
    return any(not sip.isdeleted(each) and each.isActive() and each.interval() < ms for each in list(_ALL))
