"""What was measured along a line, as a table."""

from __future__ import annotations

from dataclasses import dataclass
from pathlib import Path
from typing import TYPE_CHECKING

from brisk_atlas.core.model import AtlasError
from brisk_atlas.core.model.language import tr

from .operation import Operation, Progress, Source, Written, argument, layer_of, silent

if TYPE_CHECKING:
    from brisk_atlas.core.workspace.workspace import Workspace

FORMATS = {".csv": "CSV", ".parquet": "Parquet", ".xlsx": "XLSX"}


@dataclass(frozen=True)
class WriteProfile(Operation):
    """Write the values of grids along a line, or the numbers of a layer of points along its points, with distances on
    the ellipsoid, to CSV, Parquet or XLSX."""

    sources: tuple[Source, ...] = argument(tr("grids, or one layer of points"))
    path: Path = argument(tr("the table to write, .csv, .parquet or .xlsx"))
    line: tuple[float, ...] | None = argument(tr("x and y of the corners, in the CRS of the first grid"), None)

    def run(self, workspace: Workspace, progress: Progress = silent) -> Written:
        import numpy as np

        from brisk_atlas.core.handover.table import write_table
        from brisk_atlas.core.strip.profile_table import table_of
        from brisk_atlas.core.strip.sources import grids_along, points_in_order

        self.check_is_no_source(workspace, self.path)
        form = FORMATS.get(self.path.suffix.lower())
        if form is None:
            raise AtlasError(
                self.path, tr("a profile is written as .csv, .parquet or .xlsx"), tr("Choose one of these.")
            )
        layers = [layer_of(workspace, source) for source in self.sources]
        progress(0.1, tr("reading along the line"))
        if all(layer.kind.has_cells for layer in layers):
            numbers = self.line or ()
            if len(numbers) < 4 or len(numbers) % 2:
                raise AtlasError(
                    self.path,
                    tr("{count} numbers are no line", count=len(numbers)),
                    tr("Give x and y of two corners or more."),
                )
            crs = workspace.cache.part(layers[0].ref).facts.crs
            found = grids_along(workspace.cache, layers, np.array(numbers, float).reshape(-1, 2), crs)
        elif len(layers) == 1 and layers[0].kind.has_shapes:
            found = points_in_order(workspace.cache, layers[0])
        else:
            raise AtlasError(
                self.path, tr("these have no profile together"), tr("Name grids alone, or one layer of points.")
            )
        progress(0.8, tr("writing"))
        write_table(table_of(found), self.path, form)
        return Written(
            (self.path,),
            tr(
                "{count:,} places along {length:,.1f} {unit}", count=len(found), length=found.length, unit=found.unit
            ).rstrip(),
        )
