"""How many rows a layer has, counted now."""

from __future__ import annotations

from dataclasses import dataclass
from typing import TYPE_CHECKING

from brisk_atlas.core.model import AtlasError, RowsPart
from brisk_atlas.core.model.language import tr

from .operation import Operation, Progress, Source, Written, argument, layer_of, silent

if TYPE_CHECKING:
    from brisk_atlas.core.workspace.workspace import Workspace


@dataclass(frozen=True)
class CountRows(Operation):
    """Count the rows of a layer where its facts have an estimate, such as those of a large table of a database."""

    layer: Source = argument(tr("the layer"))

    def run(self, workspace: Workspace, progress: Progress = silent) -> Written:
        layer = layer_of(workspace, self.layer)
        part = workspace.cache.part(layer.ref)
        if not isinstance(part, RowsPart):
            raise AtlasError(layer.name, tr("it has no rows"), tr("Choose features or a table."))
        progress(0.1, tr("counting"))
        count = part.count_rows()
        stated = part.facts.count
        remark = (tr("its facts state {stated:,}", stated=stated),) if stated is not None and stated != count else ()
        return Written((), tr("{name} has {count:,} rows", name=layer.name, count=count), remark)
