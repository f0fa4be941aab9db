"""Values of a grid at the points of a layer."""

from __future__ import annotations

from dataclasses import dataclass, replace
from pathlib import Path
from typing import TYPE_CHECKING

import numpy as np
import pyarrow as pa

from brisk_atlas.core.kinds import kind_of
from brisk_atlas.core.model import AtlasError, DataKind
from brisk_atlas.core.model.language import tr
from brisk_atlas.core.model.words import free_name

from .operation import Operation, Progress, Source, Written, argument, grid_of, layer_of, silent

if TYPE_CHECKING:
    from brisk_atlas.core.workspace.workspace import Workspace


@dataclass(frozen=True)
class SampleGrid(Operation):
    """Write points with the values of the cells that they lie in, a field a band; empty outside and without data."""

    points: Source = argument(tr("a layer of points"))
    grid: Source = argument(tr("the grid"))
    path: Path = argument(tr("the file to write; its ending is the format"))
    bands: tuple[int, ...] | None = argument(tr("the bands, the first is 1; all if not given"), None)

    def run(self, workspace: Workspace, progress: Progress = silent) -> Written:
        from brisk_atlas.core.handover import VectorOrder, hand_over_vector
        from brisk_atlas.core.inspect.sampling import values_at
        from brisk_atlas.core.table import rows_of

        self.check_is_no_source(workspace, self.path)
        layer, grid = layer_of(workspace, self.points), grid_of(workspace, self.grid)
        formats = kind_of(DataKind.VECTOR).formats
        format_ = formats.get(self.path.suffix.lower())
        if format_ is None:
            raise AtlasError(self.path, tr("points are not written as '{suffix}'", suffix=self.path.suffix),
                             tr("Choose one of {formats}.", formats=', '.join(formats)))  # fmt: skip
        features = workspace.cache.features(layer.ref)
        vertices = np.diff(features.shapes.path_starts[features.shapes.feature_starts])
        if not np.isin(vertices, (0, 1)).all():
            raise AtlasError(layer.name, tr("it has more than single points"), tr("Choose a layer of points."))
        part = workspace.cache.raster(grid.ref)
        assert part.facts.grid is not None
        named = {band.index: band for band in part.facts.grid.bands}
        bands = self.bands or tuple(named)
        if not set(bands) <= set(named):
            raise AtlasError(grid.name, tr("it has {count} bands", count=len(named)), tr("Count bands from 1."))
        xy = np.full((len(features), 2), np.nan)
        xy[vertices == 1] = features.shapes.xy
        values = values_at(part, xy, features.crs, bands, lambda share: progress(0.8 * share, tr("reading cells")))
        table = rows_of(workspace.cache, layer, lambda: progress(0.8, tr("reading rows")))
        for number, band in enumerate(bands):
            name = f"{grid.name}_{named[band].name}" if len(named) > 1 else grid.name
            table = table.append_column(
                free_name(name, table.column_names), pa.array(values[:, number], from_pandas=True)
            )
        order = VectorOrder(self.path, format_, self.path.stem)
        count = hand_over_vector(replace(features, table=table), order, progress)
        missing = int(np.isnan(values).all(axis=1).sum())
        remarks = (tr("{missing:,} of them without a value", missing=missing),) if missing else ()
        return Written((self.path,), tr("{count:,} points", count=count), remarks)
