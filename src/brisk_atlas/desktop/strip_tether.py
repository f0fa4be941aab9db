"""Lets the strip, the map and the relief know of each other: the cursor, and the stretch that is in sight."""

from __future__ import annotations

from collections.abc import Callable
from typing import TYPE_CHECKING

import numpy as np

from brisk_atlas.core.model import AtlasError, Extent
from brisk_atlas.core.place import transform
from brisk_atlas.core.strip.profile import Profile

from .panes.map_pane import MapPane
from .panes.strip_pane import StripPane

if TYPE_CHECKING:
    from brisk_atlas.core.draw import View

MOST_PLACES = 4000  # of a line, that are drawn on the map and looked for under the pointer
NEAR_PX = 30  # of the pointer, within which the line follows it


class StripTether:
    """The cursor of the strip is marked on the map, and the pointer of the map moves the cursor where it comes close to
    the line. The stretch in sight is drawn on the map; zooming one zooms the other, if that is wanted. Crossovers are
    marked on the map."""

    def __init__(self, map_pane: MapPane, strip: StripPane, mark_in_relief: Callable[[float, float], None]) -> None:
        self.map, self.strip, self._mark_in_relief = map_pane, strip, mark_in_relief
        self._known: tuple[Profile, str | None, np.ndarray, np.ndarray] | None = None
        self._led_to: View | None = None  # where the strip sent the map
        self._follows = False  # while the strip goes where the map is
        strip.pointed.connect(self._mark)
        strip.seen_changed.connect(self._outline)
        strip.spots_changed.connect(self._show_spots)
        strip.closed.connect(self._forget)
        strip.draw_wanted.connect(lambda: map_pane.canvas.take_tool("distance"))
        strip.lines.map_extent = self._extent_in
        map_pane.view_changed.connect(self._map_moved)
        map_pane.canvas.pointer_moved.connect(self.follow)
        map_pane.canvas.pointer_left.connect(lambda: strip.canvas.show_cursor(None))

    def _extent_in(self, crs: str | None) -> tuple[float, float, float, float] | None:
        """Return what the map shows, in a CRS."""
        from brisk_atlas.core.place import transform_extent

        view = self.map.canvas.view
        placed = transform_extent(view.extent, crs) if view is not None else None
        return placed.bounds if placed is not None and placed.is_finite else None

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

    def _in_sight(self) -> np.ndarray:
        """Return the places on the map of the stretch that the strip shows."""
        canvas = self.strip.canvas
        places, line = self._whole()
        inside = canvas.axis.between(canvas.low, canvas.high)
        return line[(places >= inside.start) & (places < inside.stop)]

    def _outline(self) -> None:
        self.map.canvas.stretch = None
        if self.strip.profile is not None and self.strip.isVisible():
            line = self._in_sight()
            self.map.canvas.stretch = line
            view = self.map.canvas.view
            if self.strip.bar.zooms_map.isChecked() and not self._follows and len(line) and view is not None:
                (xmin, ymin), (xmax, ymax) = line.min(axis=0).tolist(), line.max(axis=0).tolist()
                self.map.fit_extent(Extent(xmin, ymin, xmax, ymax, view.crs))
                self._led_to = self.map.canvas.view
        self.map.canvas.update()

    def _map_moved(self) -> None:
        """Follow the map: the list of lines in its view, and the stretch in sight."""
        self.strip.lines.map_moved()
        view, canvas = self.map.canvas.view, self.strip.canvas
        wanted = self.strip.bar.zooms_map.isChecked() and self.strip.isVisible() and view != self._led_to
        if not wanted or view is None or self.strip.profile is None:
            return
        places, line = self._whole()
        box = view.extent
        x, y = line.T if len(line) else (np.empty(0), np.empty(0))
        inside = np.flatnonzero((x >= box.xmin) & (x <= box.xmax) & (y >= box.ymin) & (y <= box.ymax))
        if inside.size:
            ends = canvas.axis.values[places[[inside[0], inside[-1]]]]
            self._follows = True
            canvas.see(*ends.tolist())
            self._follows = False

    def _show_spots(self) -> None:
        """Mark the crossovers on the map: larger and darker for larger differences."""
        page, strip = self.strip.crossovers, self.strip
        self.map.canvas.spots = None
        if strip.isVisible() and strip.pages.currentWidget() is page and page.found is not None and len(page.found):
            xy = self._on_map(page.found.xy, page.found.of.crs)
            number = page.number
            values = page.found.differences(number) if number is not None else np.full(len(page.found), np.nan)
            self.map.canvas.spots = (xy, values) if xy is not None else None
        self.map.canvas.update()

    def _forget(self) -> None:
        self.map.canvas.cross = self.map.canvas.stretch = self.map.canvas.spots = None
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
