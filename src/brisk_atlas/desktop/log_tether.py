"""Lets the strip log, the map and the relief know of each other: where the cursor is, and which holes are on show."""

from __future__ import annotations

from collections.abc import Callable

import numpy as np

from brisk_atlas.core.model import AtlasError
from brisk_atlas.core.place import transform, transform_extent

from .panes.log_pane import LogPane
from .panes.map_pane import MapPane

MOST_NAMES = 300  # of holes that are written on the map


class LogTether:
    """The place of the cursor, true to where the hole runs, is marked on the map and in the relief; the list of holes
    can follow the map."""

    def __init__(self, map_pane: MapPane, log: LogPane, mark_in_relief: Callable[[float, float], None]) -> None:
        self.map, self.log, self._mark_in_relief = map_pane, log, mark_in_relief
        log.pointed.connect(self._mark)
        log.shown_changed.connect(self._show_path)
        log.shown_changed.connect(self._show_names)
        map_pane.view_changed.connect(self._show_names)
        log.closed.connect(self._forget)
        log.hole_list.map_view = self._view
        map_pane.view_changed.connect(log.hole_list.map_moved)

    def _view(self) -> tuple[tuple[float, float, float, float], str | None] | None:
        """Return what the map shows, in the CRS of the holes."""
        view, holes = self.map.canvas.view, self.log.content.holes
        crs = holes.holes[0].crs if holes is not None and len(holes) else None
        placed = transform_extent(view.extent, crs) if view is not None and crs is not None else None
        if placed is None and view is not None and crs is None:
            return view.extent.bounds, None
        return (placed.bounds, crs) if placed is not None and placed.is_finite else None

    def _on_map(self, xy: np.ndarray, crs: str | None) -> np.ndarray | None:
        view = self.map.canvas.view
        if view is None:
            return None
        try:
            found = transform(xy, crs, view.crs)
        except AtlasError:
            return None
        return found if np.isfinite(found).all() else None

    def _mark(self, place: tuple[float, float, str | None] | None) -> None:
        found = self._on_map(np.array([place[:2]]), place[2]) if place is not None else None
        self.map.canvas.cross = tuple(found[0].tolist()) if found is not None else None
        self.map.canvas.update()
        if self.map.canvas.cross is not None:
            self._mark_in_relief(*self.map.canvas.cross)

    def _show_path(self) -> None:
        """Draw where the first hole on show runs on the map, where it deviates."""
        self.map.canvas.stretch = None
        data = self.log.first
        if data is not None and data.hole.xy is not None and data.hole.deviates:
            along = np.linspace(0.0, data.hole.length or data.depth_range[1], 60)
            path = data.hole.way.position_at(along)[:, :2] + np.array(data.hole.xy)
            self.map.canvas.stretch = self._on_map(path, data.hole.crs)
        self.map.canvas.update()

    def _show_names(self) -> None:
        """Write the names of the holes beside their collars while the log is open."""
        holes, canvas = self.log.content.holes, self.map.canvas
        canvas.names = ()
        if holes is not None and self.log.isVisible():
            placed = [(n, hole) for n, hole in enumerate(holes.holes) if hole.xy is not None]
            xy = self._on_map(np.array([hole.xy for _, hole in placed]), placed[0][1].crs) if placed else None
            if xy is not None:
                canvas.names = tuple(
                    (hole.name, x, y, n in self.log.content.chosen)
                    for (n, hole), (x, y) in zip(placed[:MOST_NAMES], xy.tolist())
                )
        canvas.update()

    def _forget(self) -> None:
        self.map.canvas.names = ()
        self.map.canvas.cross = self.map.canvas.stretch = None
        self.map.canvas.update()
