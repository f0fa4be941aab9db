"""Lets the map and the relief know of each other: pointer, what is seen, and, tethered, place and scale."""

from __future__ import annotations

from collections.abc import Callable
from math import radians, tan

import numpy as np
from PyQt6.QtCore import QSizeF

from brisk_atlas.core.draw import View
from brisk_atlas.core.inspect import Where
from brisk_atlas.core.model import AtlasError
from brisk_atlas.core.place import transform
from brisk_atlas.core.relief.eye import Eye, GroundSpot
from brisk_atlas.core.relief.rays import UNDIVIDED, Division
from brisk_atlas.core.workspace.comparison import Divide, Way
from brisk_atlas.core.workspace.named_places import NamedPlace, StoredEye

from .panes.map_pane import MapPane
from .panes.relief_pane import ReliefPane

PICK_SHARE = 0.002  # of what the picture shows from top to bottom, within which a thing is picked


class ReliefTether:
    """The pointer of one pane is marked on the other, and the map shows what the relief sees. A click in the relief
    probes the place. Tethered, each goes where the other goes."""

    def __init__(self, map_pane: MapPane, relief: ReliefPane, probed: Callable[[Where], None]) -> None:
        self.map, self.relief, self._probed = map_pane, relief, probed
        self._waiting: NamedPlace | None = None  # whose eye is taken once the relief stands
        self._leads: object | None = None  # the pane that the other one follows at the moment
        map_pane.canvas.pointer_moved.connect(self.show_in_relief)
        map_pane.canvas.pointer_left.connect(lambda: relief.canvas.show_mark(None))
        map_pane.canvas.looked.connect(self._follow_map)
        relief.pointed.connect(self._show_on_map)
        relief.clicked.connect(self._probe)
        relief.canvas.point_clicked.connect(self._probe_point)
        relief.seen_changed.connect(self._follow_relief)
        relief.driver.pictured.connect(lambda picture: self._outline())
        relief.tethered.toggled.connect(lambda on: self._follow_map() if on else None)
        relief.closed.connect(self._forget)
        relief.driver.begun.connect(lambda scene: self._take_waiting())
        map_pane.canvas.sides_changed.connect(self._divide)

    def to_map(self, places: np.ndarray) -> np.ndarray | None:
        """Return (n, 2) positions of the map's CRS of metres of the relief; None where that can't be said."""
        scene, view = self.relief.scene, self.map.canvas.view
        if scene is None or view is None:
            return None
        own = np.array([scene.space.to_map(*place) for place in places.tolist()], float).reshape(-1, 2)
        try:
            return transform(own, scene.space.crs, view.crs)
        except AtlasError:
            return None

    def _spot(self, x: float, y: float) -> GroundSpot | None:
        """Return the spot of the relief at a position of the map, None where it has no ground."""
        scene, view = self.relief.scene, self.map.canvas.view
        if scene is None or view is None:
            return None
        try:
            (own,) = transform(np.array([[x, y]], float), view.crs, scene.space.crs).tolist()
        except AtlasError:
            return None
        if not np.isfinite(own).all():
            return None
        east, north = scene.space.to_metres(*own)
        up = scene.ground_up(east, north, self.relief.canvas.eye.exaggeration)
        return GroundSpot(east, north, up) if up is not None else None

    # Named places

    def stored_eye(self) -> StoredEye | None:
        """Return from where the relief is seen, as a named place stores it; None while it is closed."""
        eye, view = self.relief.canvas.eye, self.map.canvas.view
        there = self.to_map(np.array([[eye.east, eye.north]])) if self.relief.isVisible() else None
        if there is None or view is None or not np.isfinite(there).all():
            return None
        x, y = there[0].tolist()
        return x, y, eye.up, eye.azimuth, eye.tilt, eye.field, eye.exaggeration

    def go_to_place(self, place: NamedPlace) -> None:
        """See a named place from where its relief was seen, once the relief stands."""
        if place.eye is not None:
            self._waiting = place
            self._take_waiting()

    def eye_of(self, place: NamedPlace) -> Eye | None:
        """Return from where a named place was seen in the relief that stands, None where that can't be stated."""
        scene = self.relief.scene
        if place.eye is None or scene is None:
            return None
        x, y, up, azimuth, tilt, field, exaggeration = place.eye
        try:
            (own,) = transform(np.array([[x, y]], float), place.crs, scene.space.crs).tolist()
        except AtlasError:
            return None
        if not np.isfinite(own).all():
            return None
        east, north = scene.space.to_metres(*own)
        return Eye(east, north, up, azimuth, tilt, field, exaggeration)

    def _take_waiting(self) -> None:
        place = self._waiting
        if place is None or self.relief.scene is None:
            return
        self._waiting = None
        eye = self.eye_of(place)
        if eye is not None:
            self.relief.canvas.jump(eye)

    # The pointer, and what is seen

    def show_in_relief(self, x: float, y: float) -> None:
        """Mark a position of the map in the relief."""
        if self.relief.isVisible():
            self.relief.canvas.show_mark(self._spot(x, y))

    def _show_on_map(self, spot: GroundSpot | None) -> None:
        found = self.to_map(np.array([spot[:2]])) if spot is not None else None
        known = found is not None and np.isfinite(found).all()
        self.map.canvas.cross = tuple(found[0].tolist()) if found is not None and known else None
        self.map.canvas.update()

    def _outline(self) -> None:
        picture = self.relief.canvas.picture
        found = self.to_map(picture.footprint()) if picture is not None else None
        self.map.canvas.seen = found if found is not None and len(found) > 2 and np.isfinite(found).all() else None
        self.map.canvas.update()

    def _forget(self) -> None:
        self.map.canvas.seen = self.map.canvas.cross = None
        self.map.canvas.update()

    def _probe(self, spot: GroundSpot) -> None:
        found = self.to_map(np.array([spot[:2]]))
        view, eye = self.map.canvas.view, self.relief.canvas.eye
        if found is None or view is None or not np.isfinite(found).all():
            return
        near = PICK_SHARE * 2 * tan(radians(eye.field) / 2) * eye.distance_to(spot)
        scene = self.relief.scene
        assert scene is not None
        x, y = found[0].tolist()
        self._probed(Where.at(x, y, view.crs or "", near / scene.space.per_unit[1]))

    def _probe_point(self, layer_id: str, row: int) -> None:
        """Probe where a point of a cloud lies that was clicked."""
        session = self.relief.session
        layer, scene = session.work.layer(layer_id), self.relief.scene
        if layer is None or scene is None:
            return
        near = next((cloud.spacing for cloud in scene.clouds if cloud.layer_id == layer_id), 1.0)
        points = session.cache.points(layer.ref)
        x, y, _ = points.xyz[row].tolist()
        session.work.choose(layer_id)
        self._probed(Where.at(x, y, points.crs or "", 2 * near / scene.space.per_unit[1]))

    def _divide(self) -> None:
        """Have A and B share the relief as they share the map."""
        canvas, sides = self.map.canvas, self.map.canvas.sides
        if sides.titles is None:
            self.relief.use_division(UNDIVIDED)
        elif sides.way is Way.BLINK:
            self.relief.use_division(Division(4, sides.mix))
        elif sides.divide is Divide.GLASS:
            width, height = max(1, canvas.width()), max(1, canvas.height())
            at = sides.glass_centre(QSizeF(width, height))
            self.relief.use_division(Division(3, 0.0, at.x() / width, at.y() / height, sides.radius / height))
        else:
            self.relief.use_division(Division(1 if sides.divide is Divide.UPRIGHT else 2, sides.at))

    # Place and scale

    def _follow_relief(self) -> None:
        scene, view, eye = self.relief.scene, self.map.canvas.view, self.relief.canvas.eye
        if self._leads is self.map or not self.relief.tethered.isChecked() or scene is None or view is None:
            return
        spot = self.relief.canvas.centre
        metres = 2 * tan(radians(eye.field) / 2) * eye.distance_to(spot) / max(1, self.relief.canvas.height())
        x, y = scene.space.to_map(spot.east, spot.north)
        resolution = metres / scene.space.per_unit[1]
        there = View(x, y, resolution, view.width, view.height, scene.space.crs).shown_in(view.crs)
        if there is not None:
            self._leads = self.relief
            self.map.canvas.look_at_centre(there.x, there.y, there.resolution, view.crs)
            self._leads = None

    def _follow_map(self) -> None:
        scene, view, eye = self.relief.scene, self.map.canvas.view, self.relief.canvas.eye
        if self._leads is self.relief or not self.relief.tethered.isChecked() or scene is None or view is None:
            return
        own, spot = view.shown_in(scene.space.crs), self._spot(view.x, view.y)
        if own is None:
            return
        if spot is None:
            spot = GroundSpot(*scene.space.to_metres(own.x, own.y), 0.0)
        metres = own.resolution * scene.space.per_unit[1] * max(1, self.relief.canvas.height())
        away = metres / (2 * tan(radians(eye.field) / 2))
        self._leads = self.map
        self.relief.canvas.turn(Eye.looking_at(spot, away, eye.azimuth, eye.tilt, eye.field, eye.exaggeration))
        self._leads = None
