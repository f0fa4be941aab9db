"""An album as files."""

from __future__ import annotations

from dataclasses import dataclass
from pathlib import Path
from typing import TYPE_CHECKING

from brisk_atlas.core.model import CannotWrite

from .operation import Operation, Progress, Written, argument, silent

if TYPE_CHECKING:
    from brisk_atlas.core.workspace.workspace import Workspace


@dataclass(frozen=True)
class WriteAlbum(Operation):
    """Write the album of a project as one page that any browser opens, with all pictures, features and rows in it."""

    path: Path = argument("the page to write, .html")

    def run(self, workspace: Workspace, progress: Progress = silent) -> Written:
        from brisk_atlas import __version__
        from brisk_atlas.core.album.page_file import album_page
        from brisk_atlas.core.system.atomic_write import write_whole

        from .album_content import content_of

        album = workspace.work.state.album
        if not album.items:
            raise CannotWrite(self.path, "the album is empty", "Capture a view first.")
        self.check_is_no_source(workspace, self.path)
        content = content_of(workspace, album, progress)
        write_whole(self.path, album_page(content, __version__).encode())
        plates = len(album.plates)
        return Written((self.path,), f"{plates} plate{'s' if plates != 1 else ''}", ())
