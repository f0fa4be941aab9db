"""Statistics of a grid in each polygon of a layer."""

from __future__ import annotations

from dataclasses import dataclass
from pathlib import Path
from typing import TYPE_CHECKING

from brisk_atlas.core.kinds import kind_of
from brisk_atlas.core.model import AtlasError, DataKind, DataRef
from brisk_atlas.core.model.language import tr
from brisk_atlas.core.model.words import file_name_of

from .operation import Operation, Progress, Source, Written, argument, grid_of, layer_of, silent

if TYPE_CHECKING:
    from brisk_atlas.core.workspace.workspace import Workspace


@dataclass(frozen=True)
class ZonalStatistics(Operation):
    """Write a table with a row a polygon: its fields and the numbers of the cells whose centre lies in it.

    They are count, area, minimum, mean, median, maximum, sum, standard deviation, and mode of whole numbers.
    """

    zones: Source = argument(tr("a layer of polygons"))
    grid: Source = argument(tr("the grid whose cells are counted"))
    band: int = argument(tr("the band, the first is 1"), 1)
    path: Path | None = argument(
        tr("the table to write (.csv, .xlsx, .parquet); among one's own data if not given"), None
    )

    def run(self, workspace: Workspace, progress: Progress = silent) -> Written:
        from brisk_atlas.core.handover.grid import derived_folder
        from brisk_atlas.core.handover.table import write_table
        from brisk_atlas.core.inspect.zonal import zonal_table

        zones, grid = layer_of(workspace, self.zones), grid_of(workspace, self.grid)
        facts = workspace.cache.raster(grid.ref).facts.grid
        if facts is None or not 1 <= self.band <= len(facts.bands):
            raise AtlasError(grid.name, tr("it has no band {band}", band=self.band), tr("Count bands from 1."))
        table = zonal_table(
            workspace.cache, zones, grid, self.band, lambda share: progress(share, tr("counting cells"))
        )
        path = self.path
        if path is None:
            names = (zones.name, grid.name, facts.bands[self.band - 1].name)
            folder = derived_folder()
            folder.mkdir(parents=True, exist_ok=True)
            path = folder / "{}_by_{}_{}.parquet".format(*map(file_name_of, names))
        else:
            self.check_is_no_source(workspace, path)
        workspace.cache.forget(DataRef.file(path.absolute()))
        write_table(table, path, _format(path), lambda: progress(0.98, tr("writing")))
        return Written((path,), tr("{num_rows:,} zones", num_rows=table.num_rows))


def _format(path: Path) -> str:
    found = kind_of(DataKind.TABLE).formats.get(path.suffix.lower())
    if found is None:
        raise AtlasError(
            path, tr("a table is not written as '{suffix}'", suffix=path.suffix), tr("Choose .csv, .xlsx or .parquet.")
        )
    return found
