"""What is done with the relief: measures and picks by the hand, pictures, films and models, and what can be seen."""

from __future__ import annotations

from collections.abc import Callable
from functools import partial
from pathlib import Path

import numpy as np
from PyQt6.QtCore import QObject

from brisk_atlas.core.model import AtlasError, Extent, Layer
from brisk_atlas.core.model.language import tr
from brisk_atlas.core.place import transform
from brisk_atlas.core.relief.eye import Eye
from brisk_atlas.core.system.jobs import Job, Lane
from brisk_atlas.core.workspace.named_places import NamedPlace

from .panes.map_pane import MapPane
from .panes.relief_files import ReliefFilmForm, ReliefModelForm, ReliefPictureForm
from .panes.relief_pane import ReliefPane
from .panes.relief_tool import ReliefTool, ReliefToolKind

EYE_M = 1.7  # that an observer's eye is over the ground


class ReliefDeeds(QObject):
    """Works on what the relief shows at the moment. `measured` is called with what is drawn along the ground, as
    positions of the map; `show_points` with the layer and the rows of points that were picked."""

    def __init__(
        self,
        map_pane: MapPane,
        relief: ReliefPane,
        to_map: Callable[[np.ndarray], np.ndarray | None],
        eye_of: Callable[[NamedPlace], Eye | None],
        measured: Callable[[str, np.ndarray, bool], None],
        show_points: Callable[[Layer, np.ndarray], None],
    ) -> None:
        super().__init__(relief)
        self.map, self.relief, self.session = map_pane, relief, relief.session
        self._to_map, self._eye_of, self._measured, self._show_points = to_map, eye_of, measured, show_points
        relief.canvas.line_drawn.connect(self._line_drawn)
        relief.canvas.area_drawn.connect(self._area_drawn)
        relief.deed_wanted.connect(self.do)

    def do(self, deed: str) -> None:
        """Ask what is needed and do it."""
        match deed:
            case "picture":
                self.ask_picture()
            case "film":
                self.ask_film()
            case "model":
                self.ask_model()
            case "viewshed":
                self.find_viewshed()

    # Measures

    def _line_drawn(self, tool: ReliefTool, ended: bool) -> None:
        if tool.kind is ReliefToolKind.SIGHT:
            self._look_along(tool)
            return
        steps = np.diff(np.array(tool.spots, float).reshape(-1, 3), axis=0)
        if len(steps):
            straight, level = np.linalg.norm(steps, axis=1).sum(), np.hypot(*steps[:, :2].T).sum()
            tool.words = tr(
                "{straight:,.1f} m straight, {level:,.1f} m level, {count:+,.1f} m",
                straight=straight,
                level=level,
                count=steps[:, 2].sum(),
            )
        places = self._to_map(np.array([spot[:2] for spot in tool.spots], float).reshape(-1, 2))
        if places is not None and len(places) > 1 and np.isfinite(places).all():
            self._measured("distance", places, ended)
        if ended:
            self.relief.canvas.take_tool(None)

    def _look_along(self, tool: ReliefTool) -> None:
        """Find whether the second spot is seen from the first."""
        scene = self.relief.scene
        if scene is None or len(tool.spots) < 2:
            return
        (x0, y0, _), (x1, y1, _) = tool.spots

        def work(job: Job) -> object:
            from brisk_atlas.core.relief.ground import heights_under
            from brisk_atlas.core.relief.line_of_sight import line_of_sight

            return line_of_sight(partial(heights_under, scene.heights, scene.space), (x0, y0), (x1, y1), EYE_M)

        def done(found: object) -> None:
            from brisk_atlas.core.relief.line_of_sight import SightLine

            if not isinstance(found, SightLine):
                tool.words = tr("one of them stands on no ground")
            elif found.blocked_at is None:
                tool.seen_share, tool.words = (
                    1.0,
                    tr("seen over {length:,.0f} m, from {eye_m:g} m over the ground", length=found.length, eye_m=EYE_M),
                )
            else:
                tool.seen_share = found.blocked_at / found.length
                tool.words = (tr("hidden from {blocked_at:,.0f} of {length:,.0f} m on; {missing:,.1f} m too low",
                    blocked_at=found.blocked_at, length=found.length, missing=found.missing))  # fmt: skip
            self.relief.canvas.update()

        self.session.run(tr("Looking along a line"), work, done, shown=False)

    def find_viewshed(self) -> None:
        """Find what can be seen from the spot in the middle over the upper grid, and open it as a layer."""
        content, scene = self.relief.driver.content, self.relief.scene
        if content is None or scene is None or not content.grids:
            self.session.noticed.emit("caution", tr("What can be seen needs an elevation grid as the ground."), "")
            return
        grid, spot = content.grids[0], self.relief.canvas.centre
        from brisk_atlas.core.handover.grid import derived_path
        from brisk_atlas.core.operations import FindViewshed

        x, y = scene.space.to_map(spot.east, spot.north)
        path = derived_path(f"{grid.name} seen from {x:.6g} {y:.6g}", ".tif")
        operation = FindViewshed(grid.id, (x, y), path, eye=EYE_M)
        self.session.run_operation(
            tr("Finding what can be seen"), operation, lambda result: self.session.open_files([result.path])
        )  # fmt: skip

    # Points

    def _area_drawn(self, outline: np.ndarray) -> None:
        """Pick the points that are seen within an outline: mark them and show what they are."""
        scene, canvas, size = self.relief.scene, self.relief.canvas, self.relief.canvas.drawn_size
        if scene is None:
            return
        clouds, eye, whole = scene.clouds, canvas.eye, (round(size.width()), round(size.height()))

        def work(job: Job) -> object:
            from brisk_atlas.core.relief.pick_points import points_within

            return points_within(clouds, outline, eye, scene.space.bend, whole, job.check)

        def done(found: list) -> None:
            canvas.picked = np.concatenate([each.spots for each in found]) if found else canvas.picked[:0]
            canvas.update()
            if not found:
                self.session.noticed.emit("caution", tr("No point of a cloud lies within."), "")
            for each in found[:1]:
                layer = self.session.work.layer(each.layer_id)
                if layer is not None:
                    self.session.work.choose(layer.id)
                    self._show_points(layer, each.rows)

        self.session.run(tr("Picking points"), work, done)

    # Files

    def ask_picture(self) -> None:
        """Ask where the picture is to be written and how large it is to be, and write it."""
        form = ReliefPictureForm(self._size, self.relief)
        form.wanted.connect(
            lambda path: self.write_picture(
                path, *form.size_wanted, form.caption.text().strip() if form.has_strip else None
            )
        )
        form.open()

    def write_picture(self, path: Path, cols: int, rows: int, caption: str | None = None) -> None:
        """Write what the eye sees as a PNG of a size, once all that it needs is read; with a caption, "" for none, in
        a strip below that states the scale and how it was seen."""
        scene, eye, look = self.relief.scene, self.relief.canvas.eye, self.relief.driver.look
        content, cache, away = (
            self.relief.driver.content,
            self.session.cache,
            eye.distance_to(self.relief.canvas.centre),
        )
        if scene is None or look is None or content is None:
            return

        def work(job: Job) -> None:
            from brisk_atlas.core.draw.png import png_bytes
            from brisk_atlas.core.relief.caption import captioned
            from brisk_atlas.core.relief.complete import complete_picture
            from brisk_atlas.core.relief.ground import ground_words
            from brisk_atlas.core.system.atomic_write import write_whole

            image = complete_picture(scene, eye, (cols, rows), look, partial(_step, job, "drawing")).image
            if caption is not None:
                heights = ground_words(cache, content.grids) if content.grids else ""
                image = captioned(image, caption, eye, away, heights)
            write_whole(path, png_bytes(image))

        self._run(tr("Writing the picture"), work, path)

    def ask_film(self) -> None:
        """Ask what a film is to show, and write it."""
        eyes = self._stored_eyes()
        form = ReliefFilmForm(self._size, len(eyes), self.relief)
        form.wanted.connect(
            lambda path: self.write_film(path, form.frames, form.size_wanted, eyes if form.flies else None)
        )
        form.open()

    def _stored_eyes(self) -> list[Eye]:
        found = [self._eye_of(place) for place in self.session.work.state.places if place.eye is not None]
        return [eye for eye in found if eye is not None]

    def write_film(self, path: Path, frames: int, size: tuple[int, int], eyes: list[Eye] | None = None) -> None:
        """Write a flight through eyes, or a whole turn about the spot in the middle."""
        scene, eye, look, middle = (
            self.relief.scene, self.relief.canvas.eye, self.relief.driver.look, self.relief.canvas.centre
        )  # fmt: skip
        if scene is None or look is None:
            return

        def work(job: Job) -> None:
            from brisk_atlas.core.relief.film import flight_through, turn_about, write_film

            way = flight_through(eyes, frames) if eyes else turn_about(eye, middle, frames)
            write_film(scene, way, size, look, path, partial(_step, job, tr("drawing frames")))

        self._run(tr("Writing the film"), work, path)

    def ask_model(self) -> None:
        """Ask which part of the ground is to be a model, and write it."""
        form = ReliefModelForm(self.relief)
        form.wanted.connect(
            lambda path: self.write_model(path, form.samples.value(), seen=bool(form.what.currentData()))
        )
        form.open()

    def write_model(self, path: Path, samples: int, *, seen: bool) -> None:
        """Write all of the ground, or what the map shows of it, as a model with the heights as they are seen."""
        scene, exaggeration = self.relief.scene, self.relief.canvas.eye.exaggeration
        if scene is None:
            return
        space = scene.space
        whole = Extent(space.corner[0], space.corner[1] - space.size[1], space.corner[0] + space.size[0],
                       space.corner[1], space.crs)  # fmt: skip
        extent = (self._map_extent(whole) if seen else whole) or whole

        def work(job: Job) -> None:
            from brisk_atlas.core.relief.model_file import write_model

            write_model(path, space, extent, scene.heights, scene.drape, exaggeration, samples,
                        partial(_step, job, "writing"))  # fmt: skip

        self._run(tr("Writing the model"), work, path)

    def _map_extent(self, whole: Extent) -> Extent | None:
        """Return what the map shows of the ground, in the relief's CRS."""
        view = self.map.canvas.view
        if view is None:
            return None
        box = view.extent
        corners = np.array([(x, y) for x in (box.xmin, box.xmax) for y in (box.ymin, box.ymax)], float)
        try:
            own = transform(corners, view.crs, whole.crs)
        except AtlasError:
            return None
        if not np.isfinite(own).all():
            return None
        (west, south), (east, north) = own.min(axis=0).tolist(), own.max(axis=0).tolist()
        return Extent(west, south, east, north, whole.crs).intersection(whole)

    @property
    def _size(self) -> tuple[int, int]:
        size = self.relief.canvas.drawn_size
        return round(size.width()), round(size.height())

    def _run(self, name: str, work: Callable[[Job], None], path: Path) -> None:
        def done(nothing: object) -> None:
            self.session.noticed.emit("good", tr("Wrote {path}", path=path), "")

        self.session.run(name, work, done, lane=Lane.BATCH)


def _step(job: Job, words: str, share: float) -> None:
    job.report(share, words)
