"""What is done with lines: checked, compared where they cross, levelled, saved."""

from __future__ import annotations

from dataclasses import replace
from pathlib import Path
from typing import TYPE_CHECKING

from PyQt6.QtWidgets import QFileDialog, QWidget

from brisk_atlas.core.model.language import tr
from brisk_atlas.core.model.table_view import ComputedField
from brisk_atlas.core.operations.line_profile import FORMATS
from brisk_atlas.core.system.jobs import Job

from ..save_path import ask_save_path
from ..session import Session

if TYPE_CHECKING:
    from brisk_atlas.core.strip.crossovers import Crossovers
    from brisk_atlas.core.strip.levelling import Levelling
    from brisk_atlas.core.strip.line_checks import LineCheck
    from brisk_atlas.core.strip.profile import Profile

    from .strip_check_page import StripCheckPage
    from .strip_crossovers_page import StripCrossoversPage
    from .strip_lines import StripLines

LINE_FORMS = {".mgd77": "MGD77", ".csv": "CSV", ".parquet": "Parquet", ".gpkg": "GeoPackage", ".xlsx": "XLSX"}


class StripDeeds:
    """Runs the work on lines and shows what came of it."""

    def __init__(
        self,
        session: Session,
        lines: StripLines,
        check: StripCheckPage,
        crossovers: StripCrossoversPage,
        parent: QWidget,
    ) -> None:
        self.session, self.lines, self.check, self.crossovers, self.parent = session, lines, check, crossovers, parent
        check.check_wanted.connect(self.check_lines)
        crossovers.find_wanted.connect(self.find_crossovers)
        crossovers.level_wanted.connect(self.add_levelled)
        crossovers.save_wanted.connect(self.ask_save_crossovers)

    def offer_land(self) -> None:
        """Offer the layers that can be land."""
        found = []
        for layer in self.session.work.layers:
            facts = self.session.facts_of(layer)
            polygons = layer.kind.has_shapes and facts is not None and "Polygon" in (facts.geometry_type or "")
            heights = (
                layer.kind.has_cells and facts is not None and facts.grid is not None and len(facts.grid.bands) == 1
            )
            if polygons or heights:
                found.append(layer)
        self.check.offer_land(found)

    def check_lines(self) -> None:
        """Look for what is wrong along the lines that are listed."""
        lines, cache = self._listed_set(), self.session.cache
        land = self.session.work.layer(self.check.land.currentData()) if self.check.land.currentData() else None
        fastest = self.check.fastest.value()
        if lines is None:
            return

        def work(job: Job) -> LineCheck:
            from brisk_atlas.core.strip.line_checks import check_lines

            return check_lines(cache, lines, land, fastest, job.check)

        self.session.run(tr("Checking the lines"), work, lambda found: self.check.show_check(found, len(lines)))

    def find_crossovers(self) -> None:
        """Find where the lines that are listed cross."""
        lines = self._listed_set()
        if lines is None:
            return

        def work(job: Job) -> Crossovers:
            from brisk_atlas.core.strip.crossovers import crossovers_of

            return crossovers_of(lines, job.check)

        self.session.run(tr("Finding crossovers"), work, self.crossovers.show_crossovers)

    def _listed_set(self):  # type: ignore[no-untyped-def]
        """Return the lines that the list shows, as a set of their own."""
        from brisk_atlas.core.strip.survey_lines import chosen_lines

        listed, numbers = self.lines.listed, self.lines.numbers.tolist()
        if listed is None or not numbers:
            return None
        return listed.lines if len(numbers) == len(listed) else chosen_lines(listed.lines, numbers)

    def add_levelled(self) -> None:
        """Add the levelled quantity to the layers of the lines as a computed field, a step of undo each."""
        from brisk_atlas.core.strip.levelling import levelled_expression

        found, levelling = self.crossovers.found, self.crossovers.levelling
        if found is None or levelling is None:
            return
        name, added = f"{levelling.quantity}_levelled", []
        unit = dict(found.of.quantities).get(levelling.quantity, "")
        for layer_id in dict.fromkeys(layer.id for layer in found.of.layers):
            layer = self.session.work.layer(layer_id)
            if layer is None:
                continue
            field = ComputedField(name, levelled_expression(levelling, found, layer_id), "DOUBLE", unit)
            others = tuple(each for each in layer.rows.computed if each.name != name)
            self.session.work.change(
                tr("add a levelled field"), layer_id, rows=replace(layer.rows, computed=(*others, field))
            )
            added.append(layer.name)
        about = tr("{shifts} The sheet shows the field, and the strip can draw it.", shifts=_shifts(found, levelling))
        self.session.noticed.emit("good", tr("Added {name} to {added}", name=name, added=", ".join(added)), about)

    def ask_save_crossovers(self) -> None:
        """Ask where the crossovers are to be written, and write them."""
        chosen = ask_save_path(
            self.parent, tr("Save the crossovers"), "crossovers", {".gpkg": tr("GeoPackage, points"), **FORMATS}
        )
        if chosen is not None:
            self.save_crossovers(chosen)

    def save_crossovers(self, path: Path) -> None:
        """Write the crossovers as a table or as points."""
        found = self.crossovers.found
        if found is None:
            return

        def work(job: Job) -> None:
            from brisk_atlas.core.handover.point_table import write_points
            from brisk_atlas.core.handover.table import write_table
            from brisk_atlas.core.strip.crossovers import table_of_crossovers

            table = table_of_crossovers(found)
            if path.suffix.lower() == ".gpkg":
                write_points(table, path, "crossovers", found.of.crs)
            else:
                write_table(table, path, FORMATS[path.suffix.lower()])

        self._write(tr("Saving the crossovers"), work, str(path))

    def ask_save_profile(self, profile: Profile) -> None:
        """Ask where what is drawn is to be written, and write it."""
        chosen = ask_save_path(self.parent, tr("Save the line"), "line", FORMATS)
        if chosen is not None:
            self.save_profile(profile, chosen)

    def save_profile(self, drawn: Profile, path: Path) -> None:
        """Write the places of a line with its quantities."""

        def work(job: Job) -> None:
            from brisk_atlas.core.handover.table import write_table
            from brisk_atlas.core.strip.profile_table import table_of

            write_table(table_of(drawn), path, FORMATS[path.suffix.lower()])

        self._write(tr("Saving the line"), work, str(path))

    def ask_save_lines(self) -> None:
        """Ask where the lines that are selected are to be written, as they are stored, and write them."""
        numbers = self.lines.chosen_lines() or self.lines.numbers.tolist()
        if not numbers:
            return
        if len(numbers) == 1:
            chosen = ask_save_path(self.parent, tr("Save the line"), "line", LINE_FORMS)
        else:
            forms = {suffix: words for suffix, words in LINE_FORMS.items() if suffix != ".mgd77"}
            chosen = ask_save_path(self.parent, tr("Save {count} lines", count=len(numbers)), "lines", forms)
        if chosen is not None:
            self.save_lines(numbers, chosen)

    def ask_save_surveys(self) -> None:
        """Ask for a folder, and write the lines that are selected into it, an MGD77 file each."""
        numbers = self.lines.chosen_lines() or self.lines.numbers.tolist()
        folder = QFileDialog.getExistingDirectory(
            self.parent, tr("Save {count} surveys as MGD77 into a folder", count=len(numbers))
        )
        if folder and numbers:
            self.save_lines(numbers, Path(folder) / "surveys" if Path(folder).suffix else Path(folder))

    def save_lines(self, numbers: list[int], path: Path) -> None:
        """Write lines as they are stored: those of one layer, to a file or a folder."""
        listed, cache = self.lines.listed, self.session.cache
        assert listed is not None
        lines = listed.lines
        owners = {lines.layers[n] for n in numbers}
        if len(owners) > 1 and path.suffix:
            about = tr("Choose lines of one, or a folder for MGD77 files.")
            self.session.noticed.emit(
                "caution", tr("The lines are of several layers, and a file has those of one"), about
            )
            return
        layers = [(self.session.work.layer(owner.id), owner) for owner in owners]

        def work(job: Job) -> int:
            from brisk_atlas.core.handover.survey_lines import write_lines

            count = 0
            for layer, owner in layers:
                own = [(lines.names[n], lines.rows[lines.places(n)]) for n in numbers if lines.layers[n] == owner]
                assert layer is not None
                count += len(write_lines(cache, layer, owner.field, own, path, job.check))
            return count

        self._write(tr("Saving the lines"), work, str(path))

    def _write(self, title: str, work, words: str) -> None:  # type: ignore[no-untyped-def]
        self.session.run(
            title, work, lambda nothing: self.session.noticed.emit("good", tr("Wrote {words}", words=words), "")
        )


def _shifts(found: Crossovers, levelling: Levelling) -> str:
    """Return in words what is added to the lines."""
    import numpy as np

    unit = dict(found.of.quantities).get(levelling.quantity, "")
    shifts = [(found.of.names[n], shift) for n, shift in enumerate(levelling.shifts.tolist()) if np.isfinite(shift)]
    shifts.sort(key=lambda each: -abs(each[1]))
    named = ", ".join(f"{name} {shift:+.3g} {unit}".rstrip() for name, shift in shifts[:4])
    return f"{named}{' and more' if len(shifts) > 4 else ''}."
