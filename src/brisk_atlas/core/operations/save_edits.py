"""Writing the edits of a layer into its own file."""

from __future__ import annotations

from dataclasses import dataclass, replace
from typing import TYPE_CHECKING

from brisk_atlas.core.model import AtlasError

from .operation import Operation, Progress, Written, argument, silent

if TYPE_CHECKING:
    from brisk_atlas.core.workspace.workspace import Workspace


@dataclass(frozen=True)
class SaveEdits(Operation):
    """Write the edited values of an open layer into the file that they belong to, unless it changed meanwhile."""

    layer: str = argument("the name or id of the layer")

    def run(self, workspace: Workspace, progress: Progress = silent) -> Written:
        from brisk_atlas.core.handover.edited import save_edits

        layer = workspace.layer(self.layer)
        if not layer.rows.edits:
            raise AtlasError(layer.name, "it has no edits", "Edit values first.")
        count = save_edits(workspace.cache, layer, progress)
        return Written((layer.ref.path,), f"{count:,} edited value{'s' if count != 1 else ''}")

    def taken_over(self, workspace: Workspace) -> None:
        """Have the layer read anew, without the edits that stand in its file now. On the thread of the work."""
        layer = workspace.layer(self.layer)
        workspace.forget(layer)
        rows = replace(layer.rows, edits=(), edited_from=())
        workspace.work.change("save edits", layer.id, rows=rows)
