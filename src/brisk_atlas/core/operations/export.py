"""Handing over a piece of a layer as a file."""

from __future__ import annotations

from collections.abc import Iterator
from dataclasses import dataclass
from pathlib import Path
from typing import TYPE_CHECKING

import numpy as np

from brisk_atlas.core.kinds import kind_of
from brisk_atlas.core.kinds.kind import Piece
from brisk_atlas.core.model import AtlasError, DataKind, Extent, Layer
from brisk_atlas.core.model.language import tr
from brisk_atlas.core.system.scratch import ScratchFolder

from .operation import Operation, Progress, Source, Written, argument, layer_of, silent

if TYPE_CHECKING:
    from brisk_atlas.core.handover.step import Step
    from brisk_atlas.core.workspace.workspace import Workspace


@dataclass(frozen=True)
class Export(Operation):
    """Write a piece of a layer to a file: rows, fields or bands, an extent, in another CRS.

    Edits, joined and computed fields of an open layer are written too. The ending of `path` says the format.
    """

    source: Source = argument(tr("the layer or dataset to export"))
    path: Path = argument(tr("the file to write; its ending is the format"))
    fields: tuple[str, ...] | None = argument(tr("the fields, or bands, to write; all if not given"), None)
    where: str = argument(tr("an SQL condition that rows must meet"), "")
    rows: tuple[int, ...] | None = argument(tr("numbers of the rows to write, the first is 0"), None)
    within: Extent | None = argument(tr("an extent to cut to"), None)
    clip: Source | None = argument(tr("a layer of polygons to clip features to"), None)
    crs: str | None = argument(tr("the CRS of the result; that of the source if not given"), None)
    resolution: float | None = argument(tr("the cell size of a grid, in units of the result's CRS"), None)

    def run(self, workspace: Workspace, progress: Progress = silent) -> Written:
        layer = layer_of(workspace, self.source)
        self.check_is_no_source(workspace, self.path)
        kind = kind_of(layer.kind)
        format_ = kind.formats.get(self.path.suffix.lower())
        if format_ is None:
            return self._by_steps(workspace, layer, progress)
        self._check_fields(workspace, layer)
        clip = None
        if self.clip is not None:
            zones = workspace.cache.features(layer_of(workspace, self.clip).ref)
            clip = (zones.wkb, zones.crs)
        rows = self._chosen(workspace, layer, progress) if layer.kind.has_rows else None
        piece = Piece(self.path, format_, self.fields, rows, self.within, clip, self.crs, self.resolution)
        return Written((self.path,), kind.export(workspace.cache, layer, piece, progress))

    def _by_steps(self, workspace: Workspace, layer: Layer, progress: Progress) -> Written:
        """Write the piece in any other format, by the steps of recipes."""
        from brisk_atlas.core.handover.formats import format_for
        from brisk_atlas.core.handover.step import StepContext
        from brisk_atlas.core.handover.steps.write import WriteStep

        from .recipe_sources import WorkspaceSources

        format_for(layer.kind, self.path, "")
        if layer.kind.has_rows or layer.kind.has_cells:
            self._check_fields(workspace, layer)
        sources = WorkspaceSources(workspace)
        flow = sources.flow(layer.id if workspace.work.layer(layer.id) is not None else layer.ref)
        with ScratchFolder() as scratch:
            context = StepContext(sources.flow, scratch, lambda: progress(0.1, tr("computing")))
            for step in self._steps(layer.kind):
                flow = step.flow(flow, context)
            made = WriteStep(str(self.path)).write(flow, context, progress)
        paths = tuple(Path(str(each.path)) for each in made)
        return Written(paths, made[0].words, tuple(context.warnings))

    def _steps(self, kind: DataKind) -> Iterator[Step]:
        """Yield the steps that make the piece."""
        from brisk_atlas.core.handover.steps.cells import ChooseBands, ResampleCells
        from brisk_atlas.core.handover.steps.coordinates import Reproject
        from brisk_atlas.core.handover.steps.fields import Fields
        from brisk_atlas.core.handover.steps.places import Clip, WithinExtent
        from brisk_atlas.core.handover.steps.rows import RowsByNumber, RowsWhere

        if self.rows is not None:
            yield RowsByNumber(self.rows)
        if self.where.strip():
            yield RowsWhere(self.where)
        if self.fields is not None:
            yield ChooseBands(self.fields) if kind.has_cells else Fields(self.fields)
        if self.within is not None:
            yield WithinExtent(self.within)
        if self.clip is not None:
            yield Clip(self.clip)
        if self.crs is not None:
            yield Reproject(self.crs, resolution=self.resolution)
        elif self.resolution is not None:
            yield ResampleCells(self.resolution)

    def _check_fields(self, workspace: Workspace, layer: Layer) -> None:
        """Raise AtlasError for a field or band that is not there."""
        grid = workspace.cache.part(layer.ref).facts.grid
        there = [b.name for b in grid.bands] if grid else [f.name for f in workspace.fields_of(layer)]
        strange = [name for name in self.fields or () if name not in there]
        if strange:
            word = "band" if grid else "field"
            raise AtlasError(
                layer.name,
                tr("it has no {word} {strange}", word=word, strange=", ".join(strange)),
                tr("There are: {there}.", there=", ".join(there)),
            )

    def _chosen(self, workspace: Workspace, layer: Layer, progress: Progress) -> np.ndarray | None:
        """Return the numbers of the rows to write; None for all. Raises BadExpression."""
        found = np.array(self.rows, np.int64) if self.rows is not None else None
        if not self.where.strip():
            return found
        progress(0.01, tr("finding rows"))
        matching = workspace.sheet_of(layer).matching(self.where)
        return matching if found is None else found[np.isin(found, matching)]
