"""A picture of a relief."""

from __future__ import annotations

from dataclasses import dataclass
from functools import partial
from pathlib import Path
from typing import TYPE_CHECKING

from brisk_atlas.core.model import AtlasError

from .operation import Operation, Progress, Source, Written, argument, grid_of, layer_of, silent

if TYPE_CHECKING:
    from brisk_atlas.core.relief.eye import Eye, GroundSpot
    from brisk_atlas.core.relief.scene import ReliefScene
    from brisk_atlas.core.workspace.workspace import Workspace

PAPER, SKY, GROUND = (246.0, 242.0, 234.0), (234.0, 223.0, 203.0), (217.0, 209.0, 195.0)


@dataclass(frozen=True)
class RenderRelief(Operation):
    """Draw grids and point clouds in three dimensions, with layers draped over them, into a PNG or a turning GIF."""

    sources: tuple[Source, ...] = argument("grids of heights, the first above the others, and point clouds")
    path: Path = argument("the picture to write, .png, or .gif for a turn about the middle")
    drape: tuple[Source, ...] | None = argument("layers over the ground, the top one first; else the first grid", None)
    at: tuple[float, float] | None = argument("what is in the middle, in the CRS of the first source; else all", None)
    distance: float | None = argument("metres from the eye to the middle; so that all is seen if not given", None)
    azimuth: float = argument("towards which it is looked, degrees clockwise from north", 340.0)
    tilt: float = argument("degrees below the horizon", 32.0)
    field: float = argument("degrees from the top to the bottom of the picture", 36.0)
    exaggeration: float = argument("of heights", 1.5)
    sun: tuple[float, float] | None = argument("azimuth and height of a light that casts shadows, degrees", None)
    width: int = argument("pixels", 1280)
    height: int = argument("pixels", 800)
    frames: int = argument("of a turn, for a .gif", 60)

    def run(self, workspace: Workspace, progress: Progress = silent) -> Written:
        from brisk_atlas.core.draw.png import png_bytes
        from brisk_atlas.core.relief.complete import complete_picture
        from brisk_atlas.core.relief.rays import Look
        from brisk_atlas.core.relief.turntable import turntable
        from brisk_atlas.core.system.atomic_write import write_whole

        self.check_is_no_source(workspace, self.path)
        if not (16 <= self.width <= 8192 and 16 <= self.height <= 8192):
            raise AtlasError(self.path, f"a picture of {self.width} x {self.height} pixels can't be drawn",
                             "Choose 16 to 8,192 pixels.")  # fmt: skip
        progress(0.05, "reading the ground")
        scene = self._scene(workspace)
        progress(0.3, "drawing")
        size, look, eye = (self.width, self.height), Look(GROUND, PAPER, SKY), self._eye(scene)

        def step(share: float) -> None:
            progress(0.3 + 0.65 * share, "drawing")

        if self.path.suffix.lower() == ".gif":
            middle = self._middle(scene, eye)
            write_whole(self.path, turntable(scene, eye, middle, size, look, min(max(self.frames, 2), 720), step))
        else:
            write_whole(self.path, png_bytes(complete_picture(scene, eye, size, look, step).image))
        return Written((self.path,), f"{self.width} x {self.height} pixels, heights x {self.exaggeration:g}")

    def _scene(self, workspace: Workspace) -> ReliefScene:
        from brisk_atlas.core.kinds import painter_for
        from brisk_atlas.core.relief.ground import drape_in, draped, heights_in, no_heights, space_of
        from brisk_atlas.core.relief.light import Light, Lighting
        from brisk_atlas.core.relief.points import relief_points, space_around
        from brisk_atlas.core.relief.scene import ReliefScene

        cache = workspace.cache
        layers = [layer_of(workspace, source) for source in self.sources]
        clouds = [layer for layer in layers if layer.kind.has_points]
        grids = [grid_of(workspace, source) for source, layer in zip(self.sources, layers) if layer not in clouds]
        if not layers:
            raise AtlasError(self.path, "there is nothing to draw", "Name a grid or a cloud.")
        over = [layer_of(workspace, source) for source in reversed(self.drape)] if self.drape else grids[:1]
        space = space_of(cache, grids) if grids else space_around(cache, clouds)
        for layer in clouds:
            cache.points(layer.ref)  # all of them
        lighting = Lighting()
        if self.sun is not None:
            lighting = Lighting((Light(*self.sun, shadows=True), lighting.lights[1]), lighting.ambience)
        scene = ReliefScene(
            space, partial(heights_in, cache, grids) if grids else no_heights,
            partial(drape_in, painter_for(cache), draped(over)), lighting, self.exaggeration,
        )  # fmt: skip
        scene.load_base()
        scene.show_clouds([relief_points(cache, layer, space) for layer in clouds])
        return scene

    def _middle(self, scene: ReliefScene, eye: Eye) -> GroundSpot:
        """Return what is in the middle of the picture."""
        from brisk_atlas.core.relief.eye import GroundSpot

        if self.at is None:
            low, high = scene.outline.min(axis=0), scene.outline.max(axis=0)
            east, north, up = ((low + high) / 2).tolist()
            return GroundSpot(east, north, up * eye.exaggeration)
        east, north = scene.space.to_metres(*self.at)
        return GroundSpot(east, north, scene.ground_up(east, north, eye.exaggeration) or 0.0)

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
