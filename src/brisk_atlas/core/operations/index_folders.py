"""Going through folders, so that what is in them can be searched."""

from __future__ import annotations

from dataclasses import dataclass
from pathlib import Path
from typing import TYPE_CHECKING

from brisk_atlas.core.model.language import tr

from .operation import Operation, Progress, Written, argument, silent

if TYPE_CHECKING:
    from brisk_atlas.core.workspace.workspace import Workspace


@dataclass(frozen=True)
class IndexFolders(Operation):
    """Look at every dataset below folders that is not known yet; what is found is stored at once."""

    folders: tuple[Path, ...] = argument(tr("the folders"))

    def run(self, workspace: Workspace, progress: Progress = silent) -> Written:
        from brisk_atlas.core.find.index import index

        def report(count: int, folder: str) -> None:
            progress(0.0, tr("{count:,} datasets, {folder}", count=count, folder=folder))

        folders = [folder.absolute() for folder in self.folders]
        count = index(folders, workspace.catalogue, workspace.scan_pool, report)
        return Written((), tr("{count:,} datasets", count=count))
