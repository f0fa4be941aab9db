"""Handing over a piece of a layer as a file."""

from __future__ import annotations

from dataclasses import dataclass, replace
from pathlib import Path
from typing import TYPE_CHECKING

import numpy as np

from brisk_atlas.core.kinds import kind_of
from brisk_atlas.core.model import AtlasError, DataKind, Extent, GridStyle, Layer

from .operation import Operation, Progress, Source, Written, argument, check_is_no_source, layer_of, silent

if TYPE_CHECKING:
    from brisk_atlas.core.workspace.workspace import Workspace


@dataclass(frozen=True)
class Export(Operation):
    """Write a piece of a layer to a file: rows, fields or bands, an extent, in another CRS.

    Edits, joined and computed fields of an open layer are written too. The ending of `path` says the format.
    """

    source: Source = argument("the layer or dataset to export")
    path: Path = argument("the file to write; its ending is the format")
    fields: tuple[str, ...] | None = argument("the fields, or bands, to write; all if not given", None)
    where: str = argument("an SQL condition that rows must meet", "")
    rows: tuple[int, ...] | None = argument("numbers of the rows to write, the first is 0", None)
    within: Extent | None = argument("an extent to cut to", None)
    clip: Source | None = argument("a layer of polygons to clip features to", None)
    crs: str | None = argument("the CRS of the result; that of the source if not given", None)
    resolution: float | None = argument("the cell size of a grid, in units of the result's CRS", None)

    def run(self, workspace: Workspace, progress: Progress = silent) -> Written:
        layer = layer_of(workspace, self.source)
        check_is_no_source(workspace, self.path)
        formats = kind_of(layer.kind).formats
        if not formats:
            raise AtlasError(layer.name, f"a {layer.kind} can't be exported yet", "Export a grid, features or rows.")
        format_ = formats.get(self.path.suffix.lower())
        if format_ is None:
            raise AtlasError(self.path, f"a {layer.kind} is not written as '{self.path.suffix}'",
                             f"Choose one of {', '.join(formats)}.")  # fmt: skip
        self._check_fields(workspace, layer)
        write = {DataKind.RASTER: self._grid, DataKind.TABLE: self._table, DataKind.VECTOR: self._features}
        return write[layer.kind](workspace, layer, format_, progress)

    def _check_fields(self, workspace: Workspace, layer: Layer) -> None:
        """Raise AtlasError for a field or band that is not there."""
        grid = workspace.cache.part(layer.ref).facts.grid
        there = [b.name for b in grid.bands] if grid else [f.name for f in workspace.fields_of(layer)]
        strange = [name for name in self.fields or () if name not in there]
        if strange:
            word = "band" if grid else "field"
            raise AtlasError(layer.name, f"it has no {word} {', '.join(strange)}", f"There are: {', '.join(there)}.")

    def _grid(self, workspace: Workspace, layer: Layer, format_: str, progress: Progress) -> Written:
        from brisk_atlas.core.handover import RasterOrder, hand_over_raster

        part = workspace.cache.raster(layer.ref)
        assert part.facts.grid is not None
        bands = tuple(b.index for b in part.facts.grid.bands if self.fields is None or b.name in self.fields)
        if not bands:
            raise AtlasError(layer.name, "no band was chosen", "Choose at least one band.")
        smooth = layer.style.resample != "nearest" if isinstance(layer.style, GridStyle) else True
        order = RasterOrder(self.path, bands, self.crs, self.resolution, self.within, smooth)
        columns, rows = hand_over_raster(part, order, progress)
        return Written((self.path,), f"{columns:,} x {rows:,} cells, {len(bands)} band{'s' if len(bands) != 1 else ''}")

    def _table(self, workspace: Workspace, layer: Layer, format_: str, progress: Progress) -> Written:
        from brisk_atlas.core.handover import hand_over_table
        from brisk_atlas.core.rows import rows_of

        table = rows_of(workspace.cache, layer, lambda: progress(0.0, "reading rows"))
        count = hand_over_table(table, self.path, format_, self._chosen(workspace, layer, progress), self.fields)
        return Written((self.path,), f"{count:,} rows")

    def _features(self, workspace: Workspace, layer: Layer, format_: str, progress: Progress) -> Written:
        from brisk_atlas.core.cache.by_view import is_stream, piece_of
        from brisk_atlas.core.handover import VectorOrder, hand_over_vector
        from brisk_atlas.core.rows import rows_of

        cache, clip = workspace.cache, None
        if self.clip is not None:
            zones = cache.features(layer_of(workspace, self.clip).ref)
            clip = (zones.wkb, zones.crs)
        rows = self._chosen(workspace, layer, progress)
        order = VectorOrder(self.path, format_, self.path.stem, rows, self.fields, self.crs, self.within, clip)
        features = piece_of(cache, layer.ref, self.within)
        if not is_stream(cache, layer.ref):
            features = replace(features, table=rows_of(cache, layer, lambda: progress(0.0, "reading rows")))
        return Written((self.path,), f"{hand_over_vector(features, order, progress):,} features")

    def _chosen(self, workspace: Workspace, layer: Layer, progress: Progress) -> np.ndarray | None:
        """Return the numbers of the rows to write; None for all. Raises BadExpression."""
        found = np.array(self.rows, np.int64) if self.rows is not None else None
        if not self.where.strip():
            return found
        progress(0.01, "finding rows")
        matching = workspace.sheet_of(layer).matching(self.where)
        return matching if found is None else found[np.isin(found, matching)]
