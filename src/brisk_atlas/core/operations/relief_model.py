"""The ground of a relief as a model for other programs."""

from __future__ import annotations

from dataclasses import dataclass
from pathlib import Path
from typing import TYPE_CHECKING

from brisk_atlas.core.model import Extent

from .operation import Operation, Progress, Source, Written, argument, silent
from .relief_scene import scene_of

if TYPE_CHECKING:
    from brisk_atlas.core.workspace.workspace import Workspace


@dataclass(frozen=True)
class ReliefModel(Operation):
    """Write the ground as a model: GLB (binary glTF 2.0) or OBJ with the layers over it as a picture, or a closed STL.

    Lengths are metres from the middle of the extent.
    """

    sources: tuple[Source, ...] = argument("grids of heights, the first above the others")
    path: Path = argument("the model to write, .glb, .obj or .stl")
    drape: tuple[Source, ...] | None = argument("layers over the ground, the top one first; else the first grid", None)
    extent: tuple[float, float, float, float] | None = argument("west, south, east and north in the CRS of the first "
                                                                "grid; all if not given", None)  # fmt: skip
    exaggeration: float = argument("of heights", 1.0)
    samples: int = argument("about how many heights", 250_000)

    def run(self, workspace: Workspace, progress: Progress = silent) -> Written:
        from brisk_atlas.core.relief.model_file import write_model

        self.check_is_no_source(workspace, self.path)
        progress(0.05, "reading the ground")
        scene = scene_of(workspace, self.path, self.sources, self.drape)
        space = scene.space
        box = self.extent or (space.corner[0], space.corner[1] - space.size[1], space.corner[0] + space.size[0],
                              space.corner[1])  # fmt: skip
        counts = write_model(
            self.path, space, Extent(*box, space.crs), scene.heights, scene.drape, self.exaggeration, self.samples,
            lambda share: progress(0.1 + 0.9 * share, "writing the model"),
        )  # fmt: skip
        return Written((self.path,), f"{counts[0]:,} vertices, {counts[1]:,} faces, heights x {self.exaggeration:g}")
