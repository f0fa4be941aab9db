"""What can be seen from a place."""

from __future__ import annotations

from dataclasses import dataclass
from pathlib import Path
from typing import TYPE_CHECKING, Any

from brisk_atlas.core.model.language import tr
from brisk_atlas.core.model.style import shown_band

from .operation import Operation, Progress, Source, argument, grid_of, silent

if TYPE_CHECKING:
    from brisk_atlas.core.workspace.workspace import Workspace


@dataclass(frozen=True)
class ViewshedResult:
    """How much is seen of what was looked at, and the file."""

    path: Path
    seen_m2: float
    looked_at_m2: float

    def lines(self) -> list[str]:
        share = self.seen_m2 / self.looked_at_m2 if self.looked_at_m2 else 0.0
        return [
            tr(
                "seen: {seen_m2:,.0f} m² of {looked_at_m2:,.0f} m² ({share:.1%})",
                seen_m2=self.seen_m2,
                looked_at_m2=self.looked_at_m2,
                share=share,
            ),
            tr("Written: {path}", path=self.path),
        ]

    def as_json(self) -> dict[str, Any]:
        return {"path": str(self.path), "seen_m2": self.seen_m2, "looked_at_m2": self.looked_at_m2}


@dataclass(frozen=True)
class FindViewshed(Operation):
    """Write what can be seen from a place over a grid of heights: by how many metres things are too low to be seen.

    It is 0 where they are seen. The Earth's curvature counts, less a share for refraction.
    """

    grid: Source = argument(tr("the grid of heights"))
    at: tuple[float, float] = argument(tr("x and y of the observer, in the grid's CRS"))
    path: Path = argument(tr("the GeoTIFF to write"))
    eye: float = argument(tr("metres that the eye is over the ground"), 1.7)
    target: float = argument(tr("metres that what is looked for is over the ground"), 0.0)
    reach: float | None = argument(tr("metres; all of the grid if not given"), None)
    refraction: float = argument(tr("the share of the Earth's curvature that light follows"), 0.13)

    def run(self, workspace: Workspace, progress: Progress = silent) -> ViewshedResult:
        from brisk_atlas.core.handover.grid import write_grid_file
        from brisk_atlas.core.relief.ground import metres_in
        from brisk_atlas.core.relief.viewshed import SightQuestion, viewshed

        self.check_is_no_source(workspace, self.path)
        layer = grid_of(workspace, self.grid)
        part = workspace.cache.raster(layer.ref)
        question = SightQuestion(self.at, self.eye, self.target, self.reach, self.refraction)
        found = viewshed(part, shown_band(layer.style), metres_in(workspace.cache, layer), question,
                         lambda share: progress(0.9 * share, tr("following lines of sight")))  # fmt: skip
        progress(0.9, tr("writing"))
        write_grid_file(found.missing, self.path, unit="m", description="too low to be seen by")
        return ViewshedResult(self.path, found.seen_m2, found.looked_at_m2)
