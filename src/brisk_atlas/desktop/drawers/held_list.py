"""The held probes: one list that the drawer, the map and the chart read."""

from __future__ import annotations

from dataclasses import replace
from typing import TYPE_CHECKING

from PyQt6.QtCore import QObject, pyqtSignal

if TYPE_CHECKING:
    from brisk_atlas.core.inspect import Held, ProbeResult


class HeldList(QObject):
    """Keeps held probes in order.

    Signals:
        changed(): one was added, named, moved or removed, or fields were matched.
    """

    changed = pyqtSignal()

    def __init__(self) -> None:
        super().__init__()
        self.held: list[Held] = []
        self.mapping: dict[str, str] = {}  # other name -> the name it is compared under

    def __len__(self) -> int:
        return len(self.held)

    def hold(self, finding: ProbeResult, x: float, y: float, crs: str | None) -> None:
        from brisk_atlas.core.inspect import Held

        number = max((h.number for h in self.held), default=0) + 1
        self.held.append(Held(number, finding.title, x, y, crs, finding))
        self.changed.emit()

    def name(self, at: int, name: str) -> None:
        self.held[at] = replace(self.held[at], name=name)
        self.changed.emit()

    def move(self, at: int, by: int) -> int:
        """Move one along; returns where it stands now."""
        to = min(max(at + by, 0), len(self.held) - 1)
        self.held.insert(to, self.held.pop(at))
        self.changed.emit()
        return to

    def remove(self, at: int) -> None:
        self.held.pop(at)
        self.changed.emit()

    def clear(self) -> None:
        self.held.clear()
        self.mapping.clear()
        self.changed.emit()

    def match(self, other: str, own: str) -> None:
        """Compare a line of another name with this one from now on."""
        self.mapping[other] = own
        self.changed.emit()
