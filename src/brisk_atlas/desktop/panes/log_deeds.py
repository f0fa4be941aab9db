"""What is done with boreholes: markers, columns, quantities worked out, files."""

from __future__ import annotations

from collections.abc import Callable
from dataclasses import replace
from pathlib import Path
from typing import TYPE_CHECKING, Protocol

import numpy as np
from PyQt6.QtGui import QColor, QImage, QPainter
from PyQt6.QtWidgets import QDialog, QFileDialog, QInputDialog, QWidget

from brisk_atlas.core.model import AtlasError
from brisk_atlas.core.model.hole_choices import HoleMarker
from brisk_atlas.core.operations.line_profile import FORMATS
from brisk_atlas.core.system.jobs import Job

from ..save_path import ask_save_path
from ..session import Session

if TYPE_CHECKING:
    from brisk_atlas.core.strip.holes.hole_set import HoleCurve
    from brisk_atlas.core.strip.holes.read_hole import HoleData
    from brisk_atlas.core.strip.holes.tracks import LogTemplate

    from .log_bar import LogBar
    from .log_canvas import LogCanvas
    from .log_content import LogContent
    from .log_list import LogList

SHARP = 2  # times that a picture is sharper than the screen


class ShowsHoles(Protocol):
    """What shows holes: the pane of the strip log."""

    content: LogContent
    canvas: LogCanvas
    bar: LogBar
    hole_list: LogList
    template: LogTemplate | None

    @property
    def first(self) -> HoleData | None: ...
    def drawn(self) -> list[str]: ...
    def turn(self, name: str, on: bool) -> None: ...
    def show_again(self) -> None: ...
    def sight_measured(self, data: HoleData) -> tuple[float, float]: ...


class LogDeeds:
    """Asks, runs the work, and shows what came of it."""

    def __init__(self, session: Session, pane: ShowsHoles) -> None:
        self.session, self.pane = session, pane

    @property
    def _parent(self) -> QWidget:
        return self.pane.canvas

    # Markers

    def markers(self) -> tuple[HoleMarker, ...]:
        """Return the markers of the holes' layer."""
        layer = self.session.work.layer(self.pane.content.layer_id)
        return layer.holes.markers if layer is not None else ()

    def _set_markers(self, what: str, markers: tuple[HoleMarker, ...]) -> None:
        layer = self.session.work.layer(self.pane.content.layer_id)
        if layer is not None:
            self.session.work.change(what, layer.id, holes=replace(layer.holes, markers=markers))
            self.pane.show_again()

    def ask_marker(self, hole: str, depth: float) -> None:
        """Ask for the name of a marker, and add it."""
        names = list(dict.fromkeys(marker.name for marker in self.markers()))
        name, chosen = QInputDialog.getItem(
            self._parent, "Add a marker", f"Level at {depth:,.2f} m of {hole}", names, -1, True
        )
        if chosen and name.strip():
            self.add_marker(name.strip(), hole, depth)

    def add_marker(self, name: str, hole: str, depth: float) -> None:
        """Add a marker to a hole, in the place of its own of that name."""
        others = tuple(m for m in self.markers() if (m.name, m.hole) != (name, hole))
        self._set_markers("add a marker", (*others, HoleMarker(name, hole, round(depth, 3))))

    def move_marker(self, marker: HoleMarker, depth: float) -> None:
        """Move a marker along its hole."""
        moved = replace(marker, depth=round(depth, 3))
        self._set_markers("move a marker", tuple(moved if m == marker else m for m in self.markers()))

    def remove_marker(self, marker: HoleMarker) -> None:
        """Remove a marker."""
        self._set_markers("remove a marker", tuple(m for m in self.markers() if m != marker))

    # Columns and regions

    def ask_columns(self) -> None:
        """Ask how tables belong to the holes, and take them so from now on."""
        from ..hole_columns_form import HoleColumnsForm

        holes, cache = self.pane.content.holes, self.session.cache
        layer = self.session.work.layer(self.pane.content.layer_id)
        if holes is None or layer is None or not holes.tables:
            return
        fields = {table.ref: [field.name for field in cache.part(table.ref).facts.fields] for table in holes.tables}
        form = HoleColumnsForm(holes.tables, fields, self._parent)
        if form.exec() == QDialog.DialogCode.Accepted and form.changed():
            stated = {each.ref: each for each in (*layer.holes.tables, *form.changed())}
            choices = replace(layer.holes, tables=tuple(stated.values()))
            self.session.work.change("state the columns of tables of boreholes", layer.id, holes=choices)

    def list_in_region(self) -> None:
        """List only holes in the polygons that are picked on the map."""
        holes, picks, cache = self.pane.content.holes, self.session.work.picks, self.session.cache
        region = self.session.work.layer(picks.layer_id) if picks is not None and picks.rows else None
        facts = self.session.facts_of(region) if region is not None else None
        polygons = facts is not None and "Polygon" in (facts.geometry_type or "")
        if holes is None or picks is None or region is None or not polygons:
            self.pane.hole_list.in_region.setChecked(False)
            self.session.noticed.emit("caution", "No polygon is picked", "Pick one on the map or in the sheet first.")
            return
        rows = tuple(picks.rows)

        def work(job: Job) -> np.ndarray:
            from brisk_atlas.core.strip.holes.hole_list import holes_in

            return holes_in(cache, holes, region, rows)

        def done(found: np.ndarray) -> None:
            self.pane.hole_list.region = found
            self.pane.hole_list.refilter()

        self.session.run("Finding holes in the region", work, done, shown=False)

    # Quantities that are worked out

    def ask_expression(self) -> None:
        """Ask for an expression over the curves, and draw it."""
        words = "Name [unit] = an expression over curves and depth_m, in SQL, such as  phi [%] = (2.65 - RHOB) / 0.0165"
        text, chosen = QInputDialog.getText(self._parent, "Work out a curve", words)
        name, _, expression = text.partition("=")
        plain, _, unit = name.partition("[")
        if chosen and plain.strip() and expression.strip():
            self.add_expression(plain.strip(), expression.strip(), unit.replace("]", "").strip())

    def add_expression(self, name: str, expression: str, unit: str = "") -> None:
        """Work out a curve of each hole on show, and draw it."""
        from brisk_atlas.core.strip.holes.derive import expression_curve

        self._derive(name, lambda data, job: expression_curve(data, name, expression, unit, job.check))

    def add_despiked(self, name: str) -> None:
        """Draw a curve without its spikes."""
        from brisk_atlas.core.strip.holes.derive import without_spikes

        self._derive_from(name, f"{name} without spikes", without_spikes)

    def ask_step(self, name: str) -> None:
        """Ask for a step, and draw a curve on it."""
        step, chosen = QInputDialog.getDouble(
            self._parent, "Other steps", f"{name} on steps of so many metres", 1.0, 0.001, 1000.0, 3
        )
        if chosen:
            self.add_resampled(name, step)

    def add_resampled(self, name: str, step: float) -> None:
        """Draw a curve on other steps."""
        from brisk_atlas.core.strip.holes.derive import resampled

        self._derive_from(name, f"{name} each {step:g} m", lambda curve: resampled(curve, step))

    def _derive_from(self, name: str, new: str, make: Callable[[HoleCurve], HoleCurve]) -> None:
        def of(data: HoleData, job: Job) -> HoleCurve | None:
            curve = data.curve(name)
            return make(curve) if curve is not None and curve.texts is None else None

        self._derive(new, of)

    def _derive(self, name: str, make: Callable[[HoleData, Job], HoleCurve | None]) -> None:
        shown = self.pane.content.shown()

        def work(job: Job) -> list[HoleCurve | None]:
            return [make(data, job) for data in shown]

        def done(found: list[HoleCurve | None]) -> None:
            for data, curve in zip(shown, found):
                if curve is not None:
                    others = tuple(each for each in data.curves if each.name != name)
                    self.pane.content.data[data.hole.name] = replace(data, curves=(*others, curve))
            if name not in self.pane.drawn():
                self.pane.turn(name, True)
            else:
                self.pane.show_again()

        def failed(error: BaseException) -> None:
            if isinstance(error, AtlasError):
                self.session.noticed.emit("caution", str(error), "")
            else:
                self.session.fault(error)

        self.session.run(f"Working out {name}", work, done, failed=failed)

    def ask_net(self, name: str) -> None:
        """Ask for a cut-off, and state how much of what is in sight lies beyond it."""
        data = self.pane.first
        curve = data.curve(name) if data is not None else None
        if data is None or curve is None:
            return
        words = f"How much of what is in sight has {name} of at least so many {curve.unit or 'units'}?"
        cut_off, chosen = QInputDialog.getDouble(
            self._parent, "Net of gross", words, float(np.nanmedian(curve.values)), -1e9, 1e9, 4
        )
        if chosen:
            self.show_net(name, cut_off)

    def show_net(self, name: str, cut_off: float) -> None:
        """State how much of what is in sight lies at or above a cut-off."""
        from brisk_atlas.core.strip.holes.derive import net_of_gross

        data = self.pane.first
        curve = data.curve(name) if data is not None else None
        if data is None or curve is None:
            return
        top, base = self.pane.sight_measured(data)
        top, base = max(top, 0.0), min(base, data.depth_range[1])
        found = net_of_gross(curve, cut_off, top, base)
        mean = f"{found.mean:,.4g} {curve.unit}".strip()
        about = f"{found.unknown:,.1f} m have no value; the mean of what lies beyond is {mean}."
        words = f"{data.hole.name}, {top:,.1f} to {base:,.1f} m: {found.net:,.1f} of {found.gross:,.1f} m"
        self.session.noticed.emit("good", f"{words} have {name} ≥ {cut_off:g} {curve.unit} ({found.share:.1%})", about)

    def compare_rocks(self) -> None:
        """Report the intervals whose values look more like those of another rock."""
        from brisk_atlas.core.strip.holes.tracks import TrackKind

        data, template = self.pane.first, self.pane.template
        if data is None or template is None:
            return
        named = next((track.name for track in template.tracks if track.kind is TrackKind.ROCKS), None)
        rocks = next((each for each in data.intervals if each.name == named), None)
        names = [curve.name for track in template.tracks for curve in track.curves]
        if rocks is None or not names:
            self.session.noticed.emit(
                "caution", "A track of rocks and a curve are needed", "Add them under Quantities."
            )
            return

        def work(job: Job) -> tuple:
            from brisk_atlas.core.strip.holes.derive import doubtful_rocks

            return doubtful_rocks(data, rocks, names)

        def done(found: tuple) -> None:
            lines = [
                f"{d.top:g} to {d.base:g} m: {d.stated}, {d.share:.0%} of its values look like {d.looks_like}"
                for d in found
            ]
            count = f"{len(found)} of {len(rocks.values)} intervals look like another rock by {', '.join(names)}"
            self.session.noticed.emit(
                "good" if not found else "caution", f"{data.hole.name}: {count}", "\n".join(lines)
            )

        self.session.run("Comparing rocks with the logs", work, done)

    # Files

    def fill_save_menu(self) -> None:
        """Offer what can be written of what is on show."""
        menu, data = self.pane.bar.save_menu, self.pane.first
        menu.clear()
        if data is None:
            return
        menu.addAction("Log as PDF at a true scale…", self.ask_pages)
        menu.addAction("What is in sight as a picture…", self.ask_picture)
        menu.addAction("Curves on show as LAS 2.0…", self.ask_las)
        menu.addAction("Numbers in sight as a table…", self.ask_numbers)
        count = len(self.pane.content.chosen)
        words = "All of this hole into a folder…" if count == 1 else f"All of {count} holes into a folder…"
        menu.addAction(words, self.ask_folder)
        if self.markers():
            menu.addAction("Markers as a table…", self.ask_markers)
        menu.addSeparator()
        menu.addAction("Work out a curve…", self.ask_expression)
        for name in (
            curve.name for track in (self.pane.template.tracks if self.pane.template else ()) for curve in track.curves
        ):
            below = menu.addMenu(f"From {name}")
            assert below is not None
            below.addAction("Without spikes", lambda name=name: self.add_despiked(name))
            below.addAction("On other steps…", lambda name=name: self.ask_step(name))
            below.addAction("Net of gross over a cut-off…", lambda name=name: self.ask_net(name))
        menu.addAction("Compare rocks with the curves", self.compare_rocks)

    def ask_pages(self) -> None:
        """Ask for a scale and a file, and write the log as PDF."""
        scales = ["1:50", "1:100", "1:200", "1:500", "1:1000", "1:2000"]
        words, chosen = QInputDialog.getItem(self._parent, "Log as PDF", "Scale", scales, 2, True)
        try:
            scale = float(words.replace("1:", "").replace(",", ""))
        except ValueError:
            return
        path = (
            ask_save_path(self._parent, "Save the log", "strip_log", {".pdf": "PDF"}) if chosen and scale > 0 else None
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

        self._write("Writing the log", work, path)

    def ask_picture(self) -> None:
        """Ask for a file, and write what is in sight as a picture."""
        path = ask_save_path(self._parent, "Save a picture", "strip_log", {".png": "PNG"})
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
        painter = QPainter(image)
        canvas.painted.paint(painter, drawing, scale)
        painter.end()
        from brisk_atlas.core.system.atomic_write import written_beside

        try:
            with written_beside(path) as beside:
                image.save(str(beside), "PNG")
        except AtlasError as error:
            self.session.noticed.emit("fault", str(error), "")
            return
        self.session.noticed.emit("good", f"Wrote {path}", "")

    def ask_las(self) -> None:
        """Ask for a file, and write the curves on show as LAS 2.0."""
        path = ask_save_path(self._parent, "Save the curves", "log", {".las": "LAS 2.0"})
        if path is not None:
            self.write_las(path)

    def write_las(self, path: Path) -> None:
        """Write the curves on show of the first hole."""
        data, names = self.pane.first, self.pane.drawn()
        assert data is not None

        def work(job: Job) -> int:
            from brisk_atlas.core.strip.holes.hole_numbers import write_las

            return write_las(data, names, path)

        self._write("Writing the curves", work, path)

    def ask_numbers(self) -> None:
        """Ask for a file, and write the numbers in sight."""
        path = ask_save_path(self._parent, "Save the numbers", "log", FORMATS)
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

        self._write("Writing the numbers", work, path)

    def ask_folder(self) -> None:
        """Ask for a folder, and write all that belongs to the holes on show into it."""
        chosen = QFileDialog.getExistingDirectory(self._parent, "A new folder, or an empty one")
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

        self._write("Writing the holes", work, folder)

    def ask_markers(self) -> None:
        """Ask for a file, and write the markers."""
        path = ask_save_path(self._parent, "Save the markers", "markers", FORMATS)
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

        self._write("Writing the markers", work, path)

    def _write(self, title: str, work: Callable[[Job], object], path: Path) -> None:
        self.session.run(title, work, lambda nothing: self.session.noticed.emit("good", f"Wrote {path}", ""))
