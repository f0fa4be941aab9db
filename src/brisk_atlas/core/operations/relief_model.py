"""The ground of a relief as a model for other programs."""

from __future__ import annotations

from dataclasses import dataclass
from pathlib import Path
from typing import TYPE_CHECKING

from brisk_atlas.core.model import Extent
from brisk_atlas.core.model.language import tr

from .operation import Operation, Progress, Source, Written, argument, silent
from .relief_scene import scene_of

if TYPE_CHECKING:
    from brisk_atlas.core.workspace.workspace import Workspace


@dataclass(frozen=True)
class ReliefModel(Operation):
    """Write the ground as a model: GLB (binary glTF 2.0) or OBJ with the layers over it as a picture, or a closed STL.

    Lengths are metres from the middle of the extent.
    """

    sources: tuple[Source, ...] = argument(tr("grids of heights, the first above the others"))
    path: Path = argument(tr("the model to write, .glb, .obj or .stl"))
    drape: tuple[Source, ...] | None = argument(
        tr("layers over the ground, the top one first; else the first grid"), None
    )
    extent: tuple[float, float, float, float] | None = argument(
        tr("west, south, east and north in the CRS of the first grid; all if not given"), None
    )
    exaggeration: float = argument(tr("of heights"), 1.0)
    samples: int = argument(tr("about how many heights"), 250_000)

    def run(self, workspace: Workspace, progress: Progress = silent) -> Written:
        from brisk_atlas.core.relief.model_file import write_model

        self.check_is_no_source(workspace, self.path)
        progress(0.05, tr("reading the ground"))
        scene = scene_of(workspace, self.path, self.sources, self.drape)
        space = scene.space
        box = self.extent or (space.corner[0], space.corner[1] - space.size[1], space.corner[0] + space.size[0],
                              space.corner[1])  # fmt: skip
        counts = write_model(
            self.path, space, Extent(*box, space.crs), scene.heights, scene.drape, self.exaggeration, self.samples,
            lambda share: progress(0.1 + 0.9 * share, tr("writing the model")),
        )  # fmt: skip
        return Written(
            (self.path,),
            tr(
                "{counts:,} vertices, {counts2:,} faces, heights x {exaggeration:g}",
                counts=counts[0],
                counts2=counts[1],
                exaggeration=self.exaggeration,
            ),
        )
