"""An album as files."""

from __future__ import annotations

from dataclasses import dataclass
from pathlib import Path
from typing import TYPE_CHECKING

from brisk_atlas.core.model import CannotWrite
from brisk_atlas.core.model.language import tr, trn
from brisk_atlas.core.paper.layout import PaperSize

from .operation import Operation, Progress, Written, argument, silent

if TYPE_CHECKING:
    from brisk_atlas.core.album.page_parts import PageContent
    from brisk_atlas.core.workspace.workspace import Workspace


@dataclass(frozen=True)
class WriteAlbum(Operation):
    """Write the album of a project: as one page that any browser opens, with all pictures, features and rows in it; as
    a folder for a web server, as PDF, as slides, or its pictures alone."""

    needs_work = True

    path: Path = argument(tr("a page (.html), a PDF (.pdf), slides (.odp, .pptx), pictures (.zip), or a new folder"))
    paper: PaperSize = argument(tr("of a PDF"), PaperSize.A4)
    wide: bool = argument(tr("lay the pages of a PDF on their long side"), False)

    def run(self, workspace: Workspace, progress: Progress = silent) -> Written:
        from brisk_atlas.core.system.atomic_write import write_whole
        from brisk_atlas.version import VERSION

        from .album_content import content_of

        album = workspace.work.state.album
        if not album.items:
            raise CannotWrite(self.path, tr("the album is empty"), tr("Capture a view first."))
        self.check_is_no_source(workspace, self.path)
        suffix = self.path.suffix.lower()
        content = content_of(workspace, album, progress, with_maps=suffix == ".pdf")
        remarks: tuple[str, ...] = ()
        match suffix:
            case ".html" | ".htm":
                from brisk_atlas.core.album.page_file import album_page

                write_whole(self.path, album_page(content, VERSION))
            case ".pdf":
                from brisk_atlas.core.album.paper_maps import PaperMaps
                from brisk_atlas.core.album.pdf_file import album_pdf

                maps = PaperMaps(workspace.painter, lambda: progress(0.9, tr("pages")))
                made = album_pdf(content, paper=self.paper, wide=self.wide, maps=maps)
                write_whole(self.path, made)
                remarks = tuple(maps.faults)
            case ".odp":
                from brisk_atlas.core.album.odp_file import album_odp

                write_whole(self.path, album_odp(content, check=lambda: progress(0.9, tr("slides"))))
            case ".pptx":
                from brisk_atlas.core.album.pptx_file import album_pptx

                write_whole(self.path, album_pptx(content, check=lambda: progress(0.9, tr("slides"))))
            case ".zip":
                from brisk_atlas.core.album.picture_set import album_pictures

                write_whole(self.path, album_pictures(content))
            case "":
                self._write_folder(content, VERSION)
            case other:
                raise CannotWrite(self.path, tr("an album is not written as {other}", other=other),
                                  tr("Choose .html, .pdf, .odp, .pptx, .zip or a folder."))  # fmt: skip
        plates = len(album.plates)
        return Written((self.path,), trn("{count} plate", "{count} plates", plates), remarks)

    def _write_folder(self, content: PageContent, version: str) -> None:
        """Write a folder beside where it is to be, and move it there when it is whole."""
        from brisk_atlas.core.album.page_file import album_folder
        from brisk_atlas.core.system.atomic_write import written_beside

        if self.path.exists() and (not self.path.is_dir() or any(self.path.iterdir())):
            raise CannotWrite(self.path, tr("there is something already"), tr("Choose a new folder."))
        with written_beside(self.path) as folder:
            for name, data in album_folder(content, version).items():
                (folder / name).parent.mkdir(exist_ok=True)
                (folder / name).write_bytes(data)
