"""A picture of layers."""

from __future__ import annotations

from dataclasses import dataclass
from pathlib import Path
from typing import TYPE_CHECKING

from brisk_atlas.core.model import AtlasError, Extent
from brisk_atlas.core.model.language import tr

from .operation import Operation, Progress, Source, Written, argument, layer_of, silent

if TYPE_CHECKING:
    from brisk_atlas.core.workspace.workspace import Workspace


@dataclass(frozen=True)
class RenderView(Operation):
    """Draw layers into a PNG, as the map draws them."""

    path: Path = argument(tr("the picture to write"))
    layers: tuple[Source, ...] | None = argument(
        tr("what to draw, the top one first; all visible layers if not given"), None
    )
    within: Extent | None = argument(tr("the extent to show; all of the layers if not given"), None)
    crs: str | None = argument(tr("the CRS of the map; that of the work, or of the lowest layer, if not given"), None)
    width: int = argument("pixels", 1280)
    height: int = argument("pixels", 800)

    def run(self, workspace: Workspace, progress: Progress = silent) -> Written:
        from brisk_atlas.core.draw.frame import extent_of
        from brisk_atlas.core.draw.png import png_bytes
        from brisk_atlas.core.draw.view import View
        from brisk_atlas.core.draw.whole_frame import whole_frame
        from brisk_atlas.core.place import transform_extent
        from brisk_atlas.core.system.atomic_write import write_whole

        if self.layers is None:
            drawn = [layer for layer in workspace.work.drawn() if layer.visible and layer.style is not None]
        else:
            drawn = [layer_of(workspace, source) for source in reversed(self.layers)]
        if not drawn:
            raise AtlasError(self.path, tr("there is nothing to draw"), tr("Open a layer first."))
        cache = workspace.cache
        crs = (
            self.crs
            or (workspace.work.state.crs if self.layers is None else None)
            or cache.part(drawn[0].ref).facts.crs
        )
        extent = transform_extent(self.within, crs) if self.within else extent_of(cache, drawn, crs)
        if extent is None:
            raise AtlasError(
                self.path, tr("the layers have no place on the map"), tr("Choose an extent or another CRS.")
            )
        view = View.fitting(extent, self.width, self.height, margin=0.0 if self.within else 0.05)
        frame = whole_frame(workspace.painter, drawn, view, lambda: progress(0.5, tr("drawing")))
        write_whole(self.path, png_bytes(frame.image))
        return Written(
            (self.path,),
            tr("{width} x {height} pixels", width=self.width, height=self.height),
            tuple(frame.faults.values()),
        )
