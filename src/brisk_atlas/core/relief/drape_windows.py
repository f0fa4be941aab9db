"""The pictures over a ground, window by window, as a map would draw them."""

from __future__ import annotations

import threading
from collections.abc import Callable

import numpy as np

from brisk_atlas.core.draw import View

from .space import WindowPlace
from .window_store import WindowStore


class DrapeWindows:
    """Holds windows of one drape; `pixels` (slots, side, side, 4) uint8 takes memory as it is written to."""

    def __init__(self, slots: int, side: int, read: Callable[[View], np.ndarray]) -> None:
        self.read = read
        self._reading = threading.Lock()  # a painter draws one picture at a time
        self.store = WindowStore(slots)
        self.pixels = np.empty((slots, side, side, 4), np.uint8)

    def load(self, place: WindowPlace, view: View, base: int) -> None:
        """Read a window. Raises what reading raises."""
        found = self.draw(view)
        with self.store.filling(place, base) as slot:
            self.pixels[slot, : place.rows, : place.cols] = found

    def draw(self, view: View) -> np.ndarray:
        """Return (rows, cols, 4) uint8 of a view."""
        with self._reading:
            return self.read(view)

    def use(self, read: Callable[[View], np.ndarray]) -> None:
        """Have other pictures from now on; those before are shown until they are read."""
        self.read = read
        self.store.renew()
