"""Handing over a piece of a layer as a file."""

from __future__ import annotations

from dataclasses import dataclass
from pathlib import Path
from typing import TYPE_CHECKING

import numpy as np

from brisk_atlas.core.kinds import kind_of
from brisk_atlas.core.kinds.kind import Piece
from brisk_atlas.core.model import AtlasError, Extent, Layer

from .operation import Operation, Progress, Source, Written, argument, layer_of, silent

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
        self.check_is_no_source(workspace, self.path)
        kind = kind_of(layer.kind)
        formats = kind.formats
        if not formats:
            raise AtlasError(layer.name, f"a {layer.kind} can't be exported yet", "Export a grid, features or rows.")
        format_ = formats.get(self.path.suffix.lower())
        if format_ is None:
            raise AtlasError(self.path, f"a {layer.kind} is not written as '{self.path.suffix}'",
                             f"Choose one of {', '.join(formats)}.")  # fmt: skip
        self._check_fields(workspace, layer)
        clip = None
        if self.clip is not None:
            zones = workspace.cache.features(layer_of(workspace, self.clip).ref)
            clip = (zones.wkb, zones.crs)
        rows = self._chosen(workspace, layer, progress) if layer.kind.has_rows else None
        piece = Piece(self.path, format_, self.fields, rows, self.within, clip, self.crs, self.resolution)
        return Written((self.path,), kind.export(workspace.cache, layer, piece, progress))

    def _check_fields(self, workspace: Workspace, layer: Layer) -> None:
        """Raise AtlasError for a field or band that is not there."""
        grid = workspace.cache.part(layer.ref).facts.grid
        there = [b.name for b in grid.bands] if grid else [f.name for f in workspace.fields_of(layer)]
        strange = [name for name in self.fields or () if name not in there]
        if strange:
            word = "band" if grid else "field"
            raise AtlasError(layer.name, f"it has no {word} {', '.join(strange)}", f"There are: {', '.join(there)}.")

    def _chosen(self, workspace: Workspace, layer: Layer, progress: Progress) -> np.ndarray | None:
        """Return the numbers of the rows to write; None for all. Raises BadExpression."""
        found = np.array(self.rows, np.int64) if self.rows is not None else None
        if not self.where.strip():
            return found
        progress(0.01, "finding rows")
        matching = workspace.sheet_of(layer).matching(self.where)
        return matching if found is None else found[np.isin(found, matching)]
