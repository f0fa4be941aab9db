"""Contour lines of a grid."""

from __future__ import annotations

from dataclasses import dataclass
from pathlib import Path
from typing import TYPE_CHECKING

from brisk_atlas.core.model.language import tr

from .operation import Operation, Progress, Source, Written, argument, grid_of, silent

if TYPE_CHECKING:
    from brisk_atlas.core.workspace.workspace import Workspace


@dataclass(frozen=True)
class WriteContours(Operation):
    """Write lines of equal value of grids, through the middles of their cells, to a GeoPackage."""

    grids: tuple[Source, ...] = argument(tr("the grids, which the field `grid` names"))
    path: Path = argument(tr("the GeoPackage to write"))
    interval: float | None = argument(tr("between lines, in the grids' unit; a round one if not given"), None)

    def run(self, workspace: Workspace, progress: Progress = silent) -> Written:
        from brisk_atlas.core.handover.contour_lines import contour_lines, write_contours
        from brisk_atlas.core.model import AtlasError
        from brisk_atlas.core.model.style import shown_band

        self.check_is_no_source(workspace, self.path)
        interval, found = self.interval, []
        if interval is not None and not interval > 0:
            raise AtlasError(
                self.path,
                tr("contours every {interval:g} can't be drawn", interval=interval),
                tr("Choose a number above 0."),
            )
        layers = [grid_of(workspace, grid) for grid in self.grids]
        for number, layer in enumerate(layers):

            def step(share: float, number: int = number) -> None:
                progress(0.9 * (number + share) / len(layers), tr("following the lines"))

            part = workspace.cache.raster(layer.ref)
            lines = contour_lines(part, shown_band(layer.style), interval, step)
            interval = lines.interval
            found.append((layer.name, lines))
        progress(0.9, tr("writing"))
        write_contours(found, self.path)
        count = sum(len(lines.lines) for _, lines in found)
        return Written((self.path,), tr("{count:,} lines, every {interval:g}", count=count, interval=interval))
