"""From the clipboard and to it: what is pasted opens as a layer, a pane is copied as a picture."""

from __future__ import annotations

from pathlib import Path
from typing import TYPE_CHECKING

from PyQt6.QtGui import QGuiApplication
from PyQt6.QtWidgets import QFileDialog

from brisk_atlas.core.model.language import tr

if TYPE_CHECKING:
    from PyQt6.QtWidgets import QWidget

    from brisk_atlas.core.read.pasted import Pasted
    from brisk_atlas.core.system.jobs import Job

    from .window import AtlasWindow


class Pasting:
    """What a window does with the clipboard."""

    def __init__(self, window: AtlasWindow) -> None:
        self.window, self.session = window, window.session

    def paste(self) -> None:
        """Open what the clipboard has: files, geometry, GeoJSON, rows, paths, addresses."""
        clipboard = QGuiApplication.clipboard()
        mime = clipboard.mimeData() if clipboard is not None else None
        files = [url.toLocalFile() for url in mime.urls() if url.isLocalFile()] if mime is not None else []
        if files:
            self.session.open_files(files)
            return
        text, crs = mime.text() if mime is not None else "", self.session.work.state.crs

        def read(job: Job) -> Pasted:
            from brisk_atlas.core.read.pasted import pasted

            return pasted(text, crs)

        self.session.run(tr("Pasting"), read, self._open, shown=False)

    def _open(self, found: Pasted) -> None:
        if found.rows:
            self._open_rows(found.rows)
            return
        if found.remark:
            self.session.noticed.emit("caution", found.remark, "")
        self.session.open_refs(found.refs)

    def _open_rows(self, rows: str) -> None:
        """Write rows to a file of the analyst's choice, and open that."""
        file = self.session.work.file
        start = (file.parent if file is not None else Path.home()) / "pasted.csv"
        chosen, _ = QFileDialog.getSaveFileName(
            self.window, tr("Write the pasted rows to a file"), str(start), tr("CSV (*.csv)")
        )
        if not chosen:
            return
        path = Path(chosen) if Path(chosen).suffix else Path(chosen).with_suffix(".csv")

        def write(job: Job) -> None:
            from brisk_atlas.core.system.atomic_write import written_beside

            with written_beside(path) as part:
                part.write_text(rows, encoding="utf-8")

        self.session.run(tr("Writing {name}", name=path.name), write, lambda done: self.session.open_files([path]))

    def copy_picture(self) -> None:
        """Copy the pane that has the keyboard as a picture; the map if none has it."""
        clipboard = QGuiApplication.clipboard()
        widget = self._pane()
        if clipboard is None or widget is None:
            return
        image = widget.grab().toImage()
        clipboard.setImage(image)
        self.session.noticed.emit(
            "good",
            tr("Copied a picture of {width:,} × {height:,} pixels", width=image.width(), height=image.height()),
            "",
        )

    def _pane(self) -> QWidget | None:
        window = self.window
        if window.page == "record":
            return window.record.views
        if window.page != "desk":
            return None
        from .album.plate_taker import pane_with_keyboard, picture_of_pane

        return picture_of_pane(window.desk, pane_with_keyboard(window.desk))
