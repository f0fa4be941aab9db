"""What is on show of boreholes as files: paper, pictures, logs, tables, a folder."""

from __future__ import annotations

from collections.abc import Callable
from pathlib import Path

from PyQt6.QtGui import QColor, QImage
from PyQt6.QtWidgets import QFileDialog, QInputDialog, QMenu, QWidget

from brisk_atlas.core.model import AtlasError
from brisk_atlas.core.model.digit_groups import typed_number
from brisk_atlas.core.model.hole_choices import HoleMarker
from brisk_atlas.core.model.language import tr
from brisk_atlas.core.operations.line_profile import FORMATS
from brisk_atlas.core.system.jobs import Job

from ..picture_painter import picture_painter
from ..save_path import ask_save_path
from ..session import Session
from .log_shows import ShowsHoles

SHARP = 2  # times that a picture is sharper than the screen


class LogFiles:
    """Asks where, and writes. `markers` gives those of the holes."""

    def __init__(self, session: Session, pane: ShowsHoles, markers: Callable[[], tuple[HoleMarker, ...]]) -> None:
        self.session, self.pane, self.markers = session, pane, markers

    @property
    def _parent(self) -> QWidget:
        return self.pane.canvas

    def fill_menu(self, menu: QMenu) -> None:
        """Offer what can be written of what is on show."""
        menu.clear()
        if self.pane.first is None:
            return
        menu.addAction(tr("Log as PDF at a true scale…"), self.ask_pages)
        menu.addAction(tr("What is in sight as a picture…"), self.ask_picture)
        menu.addAction(tr("Curves on show as LAS 2.0…"), self.ask_las)
        menu.addAction(tr("Numbers in sight as a table…"), self.ask_numbers)
        count = len(self.pane.content.chosen)
        words = (
            tr("All of this hole into a folder…")
            if count == 1
            else tr("All of {count} holes into a folder…", count=count)
        )
        menu.addAction(words, self.ask_folder)
        if self.markers():
            menu.addAction(tr("Markers as a table…"), self.ask_markers)

    def ask_pages(self) -> None:
        """Ask for a scale and a file, and write the log as PDF."""
        scales = ["1:50", "1:100", "1:200", "1:500", "1:1000", "1:2000"]
        words, chosen = QInputDialog.getItem(self._parent, tr("Log as PDF"), tr("Scale"), scales, 2, True)
        try:
            scale = float(typed_number(words.replace(" ", "").removeprefix("1:")))
        except ValueError:
            return
        path = (
            ask_save_path(self._parent, tr("Save the log"), "strip_log", {".pdf": "PDF"})
            if chosen and scale > 0
            else None
        )
        if path is not None:
            self.write_pages(path, scale)

    def write_pages(self, path: Path, scale: float) -> None:
        """Write what is on show as PDF at a true scale."""
        holes, template, markers = self.pane.canvas.holes, self.pane.template, self.markers()
        assert template is not None

        def work(job: Job) -> int:
            from brisk_atlas.core.strip.holes.draw_paper import write_pages

            return write_pages(holes, template, path, scale=scale, markers=markers, check=job.check)

        self._write(tr("Writing the log"), work, path)

    def ask_picture(self) -> None:
        """Ask for a file, and write what is in sight as a picture."""
        path = ask_save_path(self._parent, tr("Save a picture"), "strip_log", {".png": "PNG"})
        if path is not None:
            self.write_picture(path)

    def write_picture(self, path: Path) -> None:
        """Write what is in sight, all its tracks, sharper than the screen."""
        from .log_canvas import PX_MM

        canvas = self.pane.canvas
        drawing = canvas.drawing()
        scale = PX_MM * SHARP
        image = QImage(round(drawing.width * scale), round(drawing.height * scale), QImage.Format.Format_RGB32)
        image.fill(QColor(canvas.theme.raised))
        painter = picture_painter(image)
        canvas.painted.paint(painter, drawing, scale)
        painter.end()
        from brisk_atlas.core.system.atomic_write import written_beside

        try:
            with written_beside(path) as beside:
                image.save(str(beside), "PNG")
        except AtlasError as error:
            self.session.noticed.emit("fault", str(error), "")
            return
        self.session.noticed.emit("good", tr("Wrote {path}", path=path), "")

    def ask_las(self) -> None:
        """Ask for a file, and write the curves on show as LAS 2.0."""
        path = ask_save_path(self._parent, tr("Save the curves"), "log", {".las": tr("LAS 2.0")})
        if path is not None:
            self.write_las(path)

    def write_las(self, path: Path) -> None:
        """Write the curves on show of the first hole."""
        data, names = self.pane.first, self.pane.drawn()
        assert data is not None

        def work(job: Job) -> int:
            from brisk_atlas.core.strip.holes.hole_numbers import write_las

            return write_las(data, names, path)

        self._write(tr("Writing the curves"), work, path)

    def ask_numbers(self) -> None:
        """Ask for a file, and write the numbers in sight."""
        path = ask_save_path(self._parent, tr("Save the numbers"), "log", FORMATS)
        if path is not None:
            self.write_numbers(path)

    def write_numbers(self, path: Path) -> None:
        """Write the numbers of the first hole that are in sight."""
        data, names, template = self.pane.first, self.pane.drawn(), self.pane.template
        assert data is not None and template is not None
        sight = self.pane.sight_measured(data)

        def work(job: Job) -> None:
            from brisk_atlas.core.handover.table import write_table
            from brisk_atlas.core.strip.holes.hole_numbers import numbers_of

            write_table(numbers_of(data, names, template.depth, sight), path, FORMATS[path.suffix.lower()])

        self._write(tr("Writing the numbers"), work, path)

    def ask_folder(self) -> None:
        """Ask for a folder, and write all that belongs to the holes on show into it."""
        chosen = QFileDialog.getExistingDirectory(self._parent, tr("A new folder, or an empty one"))
        if chosen:
            self.write_folder(Path(chosen))

    def write_folder(self, folder: Path) -> None:
        """Write all that belongs to the holes on show: tables cut to them, copies of their files."""
        holes, cache = self.pane.content.holes, self.session.cache
        layer = self.session.work.layer(self.pane.content.layer_id)
        if holes is None:
            return
        own = [holes.holes[n] for n in self.pane.content.chosen]

        def work(job: Job) -> object:
            from brisk_atlas.core.strip.holes.hole_folder import write_hole_folder

            return write_hole_folder(cache, layer, own, folder, job.check)

        self._write(tr("Writing the holes"), work, folder)

    def ask_markers(self) -> None:
        """Ask for a file, and write the markers."""
        path = ask_save_path(self._parent, tr("Save the markers"), "markers", FORMATS)
        if path is not None:
            self.write_markers(path)

    def write_markers(self, path: Path) -> None:
        """Write a row a marker: its name, hole and depth."""
        markers = self.markers()

        def work(job: Job) -> None:
            import pyarrow as pa

            from brisk_atlas.core.handover.table import write_table

            rows = {
                "marker": [m.name for m in markers],
                "hole": [m.hole for m in markers],
                "depth_m": [m.depth for m in markers],
            }
            write_table(pa.table(rows), path, FORMATS[path.suffix.lower()])

        self._write(tr("Writing the markers"), work, path)

    def _write(self, title: str, work: Callable[[Job], object], path: Path) -> None:
        self.session.run(
            title, work, lambda nothing: self.session.noticed.emit("good", tr("Wrote {path}", path=path), "")
        )
