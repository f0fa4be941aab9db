"""Boreholes from the command line and from recipes: which there are, and their strip logs."""

from __future__ import annotations

from dataclasses import dataclass, replace
from pathlib import Path
from typing import TYPE_CHECKING

from brisk_atlas.core.model import AtlasError

from .line_profile import FORMATS
from .operation import Operation, Progress, Result, Source, Written, argument, layer_of, silent
from .survey_lines import ListedRows

if TYPE_CHECKING:
    from brisk_atlas.core.strip.holes.hole_set import HoleSet
    from brisk_atlas.core.workspace.workspace import Workspace


def _holes(workspace: Workspace, source: Source) -> HoleSet:
    from brisk_atlas.core.strip.holes.find_holes import holes_of

    return holes_of(workspace.cache, layer_of(workspace, source), workspace.work.layers)


@dataclass(frozen=True)
class ListHoles(Operation):
    """List the boreholes of a layer of collars with what there is of each: intervals, logs, descriptions,
    photographs."""

    source: Source = argument("a layer of collars, or a well log")
    path: Path | None = argument("a table to write, .csv, .parquet or .xlsx", None)
    has: tuple[str, ...] | None = argument("only holes of which there is this, such as photographs", None)
    shortest: float | None = argument("only holes at least so long, metres", None)
    longest: float | None = argument("only holes at most so long, metres", None)
    text: str = argument("only holes in whose facts this is", "")

    def run(self, workspace: Workspace, progress: Progress = silent) -> Result:
        from brisk_atlas.core.handover.table import write_table
        from brisk_atlas.core.strip.holes.hole_list import HoleFilter, fitting_holes, table_of_holes

        progress(0.1, "looking for what belongs to the holes")
        holes = _holes(workspace, self.source)
        by = HoleFilter(self.has or (), self.shortest, self.longest, text=self.text)
        chosen = fitting_holes(holes, by).tolist()
        table = table_of_holes(holes, chosen)
        words = f"{len(chosen):,} of {len(holes):,} holes"
        if self.path is None:
            reasons = tuple(f"{each.ref.name}: {each.role}, as {each.reason}" for each in holes.tables)
            return ListedRows(table, (words, *reasons, *holes.remarks))
        self.check_is_no_source(workspace, self.path)
        form = FORMATS.get(self.path.suffix.lower())
        if form is None:
            raise AtlasError(
                self.path, f"a list is not written as '{self.path.suffix}'", f"Choose one of {', '.join(FORMATS)}."
            )
        write_table(table, self.path, form)
        return Written((self.path,), words)


@dataclass(frozen=True)
class WriteHoles(Operation):
    """Write all that belongs to some boreholes into a folder: collars and tables cut to them, copies of their logs,
    texts and photographs."""

    source: Source = argument("a layer of collars, or a well log")
    folder: Path = argument("a new folder, or an empty one")
    hole: tuple[str, ...] | None = argument("the holes by name; all if not given", None)

    def run(self, workspace: Workspace, progress: Progress = silent) -> Written:
        from brisk_atlas.core.strip.holes.hole_folder import write_hole_folder

        layer = layer_of(workspace, self.source)
        progress(0.1, "looking for what belongs to the holes")
        holes = _holes(workspace, self.source)
        chosen = _named(holes, self.hole or tuple(hole.name for hole in holes.holes), self.folder)
        progress(0.4, "writing")
        own = [holes.holes[n] for n in chosen]
        paths = write_hole_folder(workspace.cache, layer, own, self.folder)
        return Written(paths, f"{len(chosen):,} holes with {len(paths):,} files")


def _named(holes: HoleSet, names: tuple[str, ...], path: Path) -> list[int]:
    """Return the numbers of holes by name. Raises AtlasError for one that is not there."""
    numbers = [holes.named(name) for name in names]
    strange = [name for name, number in zip(names, numbers) if number is None]
    if strange:
        there = ", ".join(hole.name for hole in holes.holes)
        raise AtlasError(path, f"there is no hole {', '.join(strange)}", f"There are: {there}.")
    return [number for number in numbers if number is not None]


@dataclass(frozen=True)
class WriteHoleLog(Operation):
    """Write the strip log of boreholes as PDF at a true scale, or the numbers of one as LAS 2.0, CSV, Parquet or
    XLSX."""

    source: Source = argument("a layer of collars, or a well log")
    out: Path = argument("the file to write: .pdf, .las, .csv, .parquet or .xlsx")
    hole: tuple[str, ...] | None = argument(
        "the holes by name, beside each other in a PDF; the first if not given", None
    )
    curves: tuple[str, ...] | None = argument("the curves to show or write; the first of each kind if not given", None)
    scale: float = argument("of the PDF, 200 for 1:200", 200.0)
    page: str = argument("of the PDF, A4 or A3", "A4")
    template: Path | None = argument("a template of tracks to use", None)
    vertical: bool = argument("depths are vertical, not along the hole", False)
    sea: bool = argument("depths are counted from sea level", False)
    feet: bool = argument("depths are stated in feet", False)
    step: float | None = argument("of a LAS log, metres; the depths that the curves have if not given", None)

    def run(self, workspace: Workspace, progress: Progress = silent) -> Written:
        from brisk_atlas.core.handover.table import write_table
        from brisk_atlas.core.strip.holes.hole_numbers import numbers_of, write_las
        from brisk_atlas.core.strip.holes.read_hole import read_hole
        from brisk_atlas.core.strip.holes.template_file import read_template
        from brisk_atlas.core.strip.holes.tracks import DepthScale, DepthZero, curve_track, default_template

        self.check_is_no_source(workspace, self.out)
        progress(0.1, "looking for what belongs to the holes")
        holes = _holes(workspace, self.source)
        names = self.hole or (holes.holes[0].name,)
        numbers = _named(holes, names, self.out)
        progress(0.3, "reading what was measured")
        found = [read_hole(workspace.cache, holes.holes[n]) for n in numbers]
        depth = DepthScale(self.vertical, DepthZero.SEA if self.sea else DepthZero.COLLAR, self.feet)
        suffix = self.out.suffix.lower()
        if suffix == ".pdf":
            from brisk_atlas.core.strip.holes.draw_paper import PAGES_MM, write_pages
            from brisk_atlas.core.strip.holes.log_drawing import HoleOnShow

            if self.page not in PAGES_MM or not self.scale > 0:
                raise AtlasError(self.out, f"a page {self.page} at 1:{self.scale:g} is not known", "Choose A4 or A3.")
            template = read_template(self.template) if self.template is not None else default_template(found[0])
            if self.curves is not None:
                plain = tuple(track for track in template.tracks if not track.curves)
                template = replace(template, tracks=(*plain, *(curve_track([name]) for name in self.curves)))
            template = replace(template, depth=depth)
            markers = next((la.holes.markers for la in workspace.work.layers if la.id == found[0].hole.layer_id), ())
            shown = [HoleOnShow(each) for each in found]
            pages = write_pages(shown, template, self.out, scale=self.scale, page=self.page, markers=markers)
            remarks = tuple(remark for each in found for remark in each.remarks)
            return Written((self.out,), f"{', '.join(names)} at 1:{self.scale:g} on {pages} pages", remarks)
        if len(found) > 1:
            raise AtlasError(self.out, "the numbers of one hole go into a file", "Name one hole, or write a PDF.")
        (data,) = found
        chosen = self.curves or tuple(curve.name for curve in data.curves)
        if suffix == ".las":
            count = write_las(data, chosen, self.out, self.step)
        elif suffix in FORMATS:
            intervals = () if self.curves else tuple(each.name for each in data.intervals)
            table = numbers_of(data, (*intervals, *chosen), depth)
            write_table(table, self.out, FORMATS[suffix])
            count = table.num_rows
        else:
            raise AtlasError(
                self.out, f"a log is not written as '{suffix}'", "Choose .pdf, .las, .csv, .parquet or .xlsx."
            )
        return Written((self.out,), f"{data.hole.name}: {count:,} depths", data.remarks)
