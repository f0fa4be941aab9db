"""Writing the edits of a layer into its own file or table."""

from __future__ import annotations

from dataclasses import dataclass
from typing import TYPE_CHECKING

from brisk_atlas.core.model import AtlasError
from brisk_atlas.core.model.language import tr, trn

from .operation import Operation, Progress, Written, argument, silent

if TYPE_CHECKING:
    from brisk_atlas.core.workspace.workspace import Workspace


@dataclass(frozen=True)
class SaveEdits(Operation):
    """Write the edited values of an open layer into the file or table that they belong to, unless it changed meanwhile.

    The layer is read anew after that; `Workspace.drop_edits` takes the edits from it, on the thread of the work.
    """

    needs_work = True

    layer: str = argument(tr("the name or id of the layer"))

    def run(self, workspace: Workspace, progress: Progress = silent) -> Written:
        from brisk_atlas.core.table.write_back import save_edits

        layer = workspace.layer(self.layer)
        if not layer.rows.edits:
            raise AtlasError(layer.name, tr("it has no edits"), tr("Edit values first."))
        count = save_edits(workspace.cache, layer, progress)
        workspace.forget(layer)
        return Written(
            (layer.ref.path,) if layer.ref.is_local else (),
            trn("{count:,} edited value", "{count:,} edited values", count),
        )
