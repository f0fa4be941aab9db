"""Which windows of the ground are there: one a level, each in a slot of arrays, filled while others are read."""

from __future__ import annotations

import threading
from collections import Counter
from collections.abc import Collection, Iterator
from contextlib import contextmanager
from typing import NamedTuple

from .space import WindowPlace


class StoredWindow(NamedTuple):
    """A window and the slot that has it."""

    place: WindowPlace
    slot: int


class WindowStore:
    """Safe for threads: what is being read stays as it is until it is given back."""

    def __init__(self, slots: int) -> None:
        self._changed = threading.Condition()
        self._slots = slots
        self._windows: dict[int, StoredWindow] = {}
        self._read: Counter[int] = Counter()
        self._filled: set[int] = set()
        self._stale: set[int] = set()

    def at(self, level: int) -> WindowPlace | None:
        """Return the window of a level, None without or where it is to be read anew."""
        found = self._windows.get(level)
        return found.place if found is not None and level not in self._stale else None

    @contextmanager
    def reading(self) -> Iterator[list[StoredWindow]]:
        """Give the windows, the finest first, which stay as they are meanwhile."""
        with self._changed:
            found = [self._windows[level] for level in sorted(self._windows)]
            self._read.update(each.slot for each in found)
        try:
            yield found
        finally:
            with self._changed:
                self._read.subtract(each.slot for each in found)
                self._changed.notify_all()

    @contextmanager
    def filling(self, place: WindowPlace, spare: int) -> Iterator[int]:
        """Give a slot to be filled with a window, which is there afterwards. Where all slots are taken, the window of
        the farthest level makes room, but never that of `spare`."""
        with self._changed:
            slot = self._free()
            while slot is None:
                levels = [level for level in self._windows if level not in (place.level, spare)]
                if levels and not any(self._read.values()):
                    del self._windows[max(levels, key=lambda level: abs(level - place.level))]
                else:
                    self._changed.wait(1.0)
                slot = self._free()
            self._filled.add(slot)
        try:
            yield slot
            with self._changed:
                self._windows[place.level] = StoredWindow(place, slot)
                self._stale.discard(place.level)
        finally:
            with self._changed:
                self._filled.discard(slot)
                self._changed.notify_all()

    def renew(self) -> None:
        """Have all windows read anew; they are shown until then."""
        with self._changed:
            self._stale = set(self._windows)

    def drop_others(self, levels: Collection[int]) -> None:
        """Drop the windows of other levels, as they are not seen, and those that were to be read anew and are not."""
        with self._changed:
            for level in [each for each in self._windows if each not in levels or each in self._stale]:
                del self._windows[level]
            self._stale.clear()

    def _free(self) -> int | None:
        taken = {each.slot for each in self._windows.values()} | self._filled
        return next((slot for slot in range(self._slots) if slot not in taken and self._read[slot] <= 0), None)
