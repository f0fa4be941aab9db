"""Lets the strip, the map and the relief know of each other: the cursor, and the stretch that is in sight."""

from __future__ import annotations

from collections.abc import Callable

import numpy as np

from brisk_atlas.core.model import AtlasError
from brisk_atlas.core.place import transform
from brisk_atlas.core.strip.profile import Profile

from .panes.map_pane import MapPane
from .panes.strip_pane import StripPane

MOST_PLACES = 4000  # of a line, that are drawn on the map and looked for under the pointer
NEAR_PX = 30  # of the pointer, within which the line follows it


class StripTether:
    """The cursor of the strip is marked on the map, and the pointer of the map moves the cursor where it comes close to
    the line. The stretch in sight is drawn on the map."""

    def __init__(self, map_pane: MapPane, strip: StripPane, mark_in_relief: Callable[[float, float], None]) -> None:
        self.map, self.strip, self._mark_in_relief = map_pane, strip, mark_in_relief
        self._known: tuple[Profile, str | None, np.ndarray, np.ndarray] | None = None
        strip.pointed.connect(self._mark)
        strip.seen_changed.connect(self._outline)
        strip.closed.connect(self._forget)
        strip.draw_wanted.connect(lambda: map_pane.canvas.take_tool("distance"))
        map_pane.canvas.pointer_moved.connect(self.follow)
        map_pane.canvas.pointer_left.connect(lambda: strip.canvas.show_cursor(None))

    def _on_map(self, xy: np.ndarray, crs: str | None) -> np.ndarray | None:
        view = self.map.canvas.view
        if view is None:
            return None
        try:
            return transform(xy, crs, view.crs)
        except AtlasError:
            return None

    def _mark(self, place: tuple[float, float, str | None] | None) -> None:
        found = self._on_map(np.array([place[:2]]), place[2]) if place is not None else None
        known = found is not None and bool(np.isfinite(found).all())
        self.map.canvas.cross = tuple(found[0].tolist()) if found is not None and known else None
        self.map.canvas.update()
        if self.map.canvas.cross is not None:
            self._mark_in_relief(*self.map.canvas.cross)

    def _whole(self) -> tuple[np.ndarray, np.ndarray]:
        """Return some places all along the line, and where they are on the map; found once for a line and a CRS."""
        profile, view = self.strip.profile, self.map.canvas.view
        if profile is None or view is None:
            return np.empty(0, np.int64), np.empty((0, 2))
        if self._known is None or self._known[0] is not profile or self._known[1] != view.crs:
            places = np.arange(0, len(profile), max(1, len(profile) // MOST_PLACES))
            found = self._on_map(profile.xy[places], profile.crs)
            known = np.isfinite(found).all(axis=1) if found is not None else np.zeros(len(places), bool)
            line = found[known] if found is not None else np.empty((0, 2))
            self._known = profile, view.crs, places[known], line
        return self._known[2], self._known[3]

    def _outline(self) -> None:
        profile, canvas = self.strip.profile, self.strip.canvas
        self.map.canvas.stretch = None
        if profile is not None and self.strip.isVisible():
            places, line = self._whole()
            inside = profile.between(canvas.low, canvas.high)
            self.map.canvas.stretch = line[(places >= inside.start) & (places < inside.stop)]
        self.map.canvas.update()

    def _forget(self) -> None:
        self.map.canvas.cross = self.map.canvas.stretch = None
        self.map.canvas.update()

    def follow(self, x: float, y: float) -> None:
        """Move the cursor of the strip to the place of the line that is close to a position of the map."""
        view = self.map.canvas.view
        if view is None or not self.strip.isVisible():
            return
        places, line = self._whole()
        if not len(places):
            return
        off = np.hypot(line[:, 0] - x, line[:, 1] - y)
        at = int(np.argmin(off))
        self.strip.canvas.show_cursor(int(places[at]) if off[at] <= NEAR_PX * view.resolution else None)
