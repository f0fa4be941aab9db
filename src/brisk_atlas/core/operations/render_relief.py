"""A picture or a film of a relief."""

from __future__ import annotations

from dataclasses import dataclass
from pathlib import Path
from typing import TYPE_CHECKING

from brisk_atlas.core.model import AtlasError
from brisk_atlas.core.model.language import tr

from .operation import Operation, Progress, Source, Written, argument, silent
from .relief_scene import scene_of

if TYPE_CHECKING:
    from brisk_atlas.core.relief.eye import Eye, GroundSpot
    from brisk_atlas.core.relief.scene import ReliefScene
    from brisk_atlas.core.workspace.workspace import Workspace

INK = (29.0, 42.0, 53.0)
PAPER, SKY, GROUND = (246.0, 242.0, 234.0), (234.0, 223.0, 203.0), (217.0, 209.0, 195.0)


@dataclass(frozen=True)
class RenderRelief(Operation):
    """Draw grids and point clouds in three dimensions, with layers draped over them and others standing on them, into a
    PNG, or a turn about the middle into an MP4 or a GIF."""

    sources: tuple[Source, ...] = argument(tr("grids of heights, the first above the others, and point clouds"))
    path: Path = argument(tr("the picture to write, .png, or .mp4 or .gif for a turn about the middle"))
    drape: tuple[Source, ...] | None = argument(
        tr("layers over the ground, the top one first; else the first grid"), None
    )
    at: tuple[float, float] | None = argument(
        tr("what is in the middle, in the CRS of the first source; else all"), None
    )
    distance: float | None = argument(tr("metres from the eye to the middle; so that all is seen if not given"), None)
    azimuth: float = argument(tr("towards which it is looked, degrees clockwise from north"), 340.0)
    tilt: float = argument(tr("degrees below the horizon"), 32.0)
    field: float = argument(tr("degrees from the top to the bottom of the picture"), 36.0)
    exaggeration: float = argument(tr("of heights"), 1.5)
    sun: tuple[float, float] | None = argument(tr("azimuth and height of a light that casts shadows, degrees"), None)
    width: int = argument("pixels", 1280)
    height: int = argument("pixels", 800)
    frames: int = argument(tr("of a film"), 60)
    flight: tuple[float, ...] | None = argument(
        tr("views that a film flies through instead, five numbers each: x and y, distance, azimuth, tilt"), None
    )
    standing: tuple[Source, ...] | None = argument(
        tr("layers that stand: polygons raised, lines, points, boreholes"), None
    )
    height_by: str | None = argument(tr("the field or expression of their heights, metres"), None)
    contours: float = argument(tr("metres between contour lines, 0 for none"), 0.0)
    opacity: float = argument(tr("of the ground, 1 for all"), 1.0)
    caption: str | None = argument(tr("below the picture, with a note of the scale and how it was seen"), None)

    def run(self, workspace: Workspace, progress: Progress = silent) -> Written:
        from brisk_atlas.core.draw.png import png_bytes
        from brisk_atlas.core.relief.caption import captioned
        from brisk_atlas.core.relief.complete import complete_picture
        from brisk_atlas.core.relief.file_kinds import FILM_SUFFIXES
        from brisk_atlas.core.relief.film import flight_through, turn_about, write_film
        from brisk_atlas.core.relief.rays import Look
        from brisk_atlas.core.system.atomic_write import write_whole

        self.check_is_no_source(workspace, self.path)
        if not (16 <= self.width <= 8192 and 16 <= self.height <= 8192):
            raise AtlasError(
                self.path,
                tr("a picture of {width} x {height} pixels can't be drawn", width=self.width, height=self.height),
                tr("Choose 16 to 8,192 pixels."),
            )
        progress(0.05, tr("reading the ground"))
        scene = scene_of(
            workspace, self.path, self.sources, self.drape, standing=self.standing or (), height_by=self.height_by,
            sun=self.sun, exaggeration=self.exaggeration,
        )  # fmt: skip
        progress(0.3, tr("drawing"))
        size, eye = (self.width, self.height), self._eye(scene)
        look = Look(GROUND, PAPER, SKY, contours=self.contours, contour=INK, solid=min(max(self.opacity, 0.0), 1.0))

        def step(share: float) -> None:
            progress(0.3 + 0.65 * share, tr("drawing"))

        if self.path.suffix.lower() in FILM_SUFFIXES:
            if self.flight:
                way = flight_through(self._flown(scene), self.frames)
            else:
                way = turn_about(eye, self._middle(scene, eye), self.frames)
            write_film(scene, way, size, look, self.path, step)
        else:
            image = complete_picture(scene, eye, size, look, step).image
            if self.caption is not None:
                image = captioned(image, self.caption, eye, eye.distance_to(self._middle(scene, eye)))
            write_whole(self.path, png_bytes(image))
        return Written(
            (self.path,),
            tr(
                "{width} x {height} pixels, heights x {exaggeration:g}",
                width=self.width,
                height=self.height,
                exaggeration=self.exaggeration,
            ),
        )

    def _middle(self, scene: ReliefScene, eye: Eye) -> GroundSpot:
        """Return what is in the middle of the picture."""
        from brisk_atlas.core.relief.eye import GroundSpot

        if self.at is not None:
            return self._spot(scene, *self.at)
        low, high = scene.outline.min(axis=0), scene.outline.max(axis=0)
        east, north, up = ((low + high) / 2).tolist()
        return GroundSpot(east, north, up * eye.exaggeration)

    def _spot(self, scene: ReliefScene, x: float, y: float) -> GroundSpot:
        from brisk_atlas.core.relief.eye import GroundSpot

        east, north = scene.space.to_metres(x, y)
        return GroundSpot(east, north, scene.ground_up(east, north, self.exaggeration) or 0.0)

    def _flown(self, scene: ReliefScene) -> list[Eye]:
        """Return the views of a flight."""
        from brisk_atlas.core.relief.eye import Eye

        numbers = self.flight or ()
        if len(numbers) % 5 or len(numbers) < 10:
            raise AtlasError(self.path, tr("{count} numbers are no views of a flight", count=len(numbers)),
                             tr("Give five for each of two views or more: x, y, distance, azimuth, tilt."))  # fmt: skip
        views = [numbers[first : first + 5] for first in range(0, len(numbers), 5)]
        return [
            Eye.looking_at(self._spot(scene, x, y), away, azimuth, tilt, self.field, self.exaggeration)
            for x, y, away, azimuth, tilt in views
        ]

    def _eye(self, scene: ReliefScene) -> Eye:
        from brisk_atlas.core.relief.eye import Eye, eye_over

        look = Eye(azimuth=self.azimuth % 360, tilt=self.tilt, field=self.field, exaggeration=self.exaggeration)
        eye = eye_over(scene.outline, self.width / self.height, look)
        if self.at is None and self.distance is None:
            return eye
        spot = self._middle(scene, eye)
        away = self.distance if self.distance is not None else eye.distance_to(spot)
        eye = Eye.looking_at(spot, away, look.azimuth, look.tilt, look.field, look.exaggeration)
        below = scene.ground_up(eye.east, eye.north, self.exaggeration)
        return eye.within(scene.space, below, scene.space.longer * 0.0005)
