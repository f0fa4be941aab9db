"""Boreholes from the command line and from recipes: which there are, and their strip logs."""

from __future__ import annotations

from dataclasses import dataclass, replace
from pathlib import Path
from typing import TYPE_CHECKING

from brisk_atlas.core.model import AtlasError
from brisk_atlas.core.model.language import tr

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

    source: Source = argument(tr("a layer of collars, or a well log"))
    path: Path | None = argument(tr("a table to write, .csv, .parquet or .xlsx"), None)
    has: tuple[str, ...] | None = argument(tr("only holes of which there is this, such as photographs"), None)
    shortest: float | None = argument(tr("only holes at least so long, metres"), None)
    longest: float | None = argument(tr("only holes at most so long, metres"), None)
    text: str = argument(tr("only holes in whose facts this is"), "")

    def run(self, workspace: Workspace, progress: Progress = silent) -> Result:
        from brisk_atlas.core.handover.table import write_table
        from brisk_atlas.core.strip.holes.hole_list import HoleFilter, fitting_holes, table_of_holes

        progress(0.1, tr("looking for what belongs to the holes"))
        holes = _holes(workspace, self.source)
        by = HoleFilter(self.has or (), self.shortest, self.longest, text=self.text)
        chosen = fitting_holes(holes, by).tolist()
        table = table_of_holes(holes, chosen)
        words = tr("{count:,} of {count2:,} holes", count=len(chosen), count2=len(holes))
        if self.path is None:
            reasons = tuple(
                tr("{name}: {role}, as {reason}", name=each.ref.name, role=each.role, reason=each.reason)
                for each in holes.tables
            )
            return ListedRows(table, (words, *reasons, *holes.remarks))
        self.check_is_no_source(workspace, self.path)
        form = FORMATS.get(self.path.suffix.lower())
        if form is None:
            raise AtlasError(
                self.path,
                tr("a list is not written as '{suffix}'", suffix=self.path.suffix),
                tr("Choose one of {formats}.", formats=", ".join(FORMATS)),
            )
        write_table(table, self.path, form)
        return Written((self.path,), words)


@dataclass(frozen=True)
class WriteHoles(Operation):
    """Write all that belongs to some boreholes into a folder: collars and tables cut to them, copies of their logs,
    texts and photographs."""

    source: Source = argument(tr("a layer of collars, or a well log"))
    folder: Path = argument(tr("a new folder, or an empty one"))
    hole: tuple[str, ...] | None = argument(tr("the holes by name; all if not given"), None)

    def run(self, workspace: Workspace, progress: Progress = silent) -> Written:
        from brisk_atlas.core.strip.holes.hole_folder import write_hole_folder

        layer = layer_of(workspace, self.source)
        progress(0.1, tr("looking for what belongs to the holes"))
        holes = _holes(workspace, self.source)
        chosen = _named(holes, self.hole or tuple(hole.name for hole in holes.holes), self.folder)
        progress(0.4, tr("writing"))
        own = [holes.holes[n] for n in chosen]
        paths = write_hole_folder(workspace.cache, layer, own, self.folder)
        return Written(paths, tr("{count:,} holes with {count2:,} files", count=len(chosen), count2=len(paths)))


def _named(holes: HoleSet, names: tuple[str, ...], path: Path) -> list[int]:
    """Return the numbers of holes by name. Raises AtlasError for one that is not there."""
    numbers = [holes.named(name) for name in names]
    strange = [name for name, number in zip(names, numbers) if number is None]
    if strange:
        there = ", ".join(hole.name for hole in holes.holes)
        raise AtlasError(
            path, tr("there is no hole {strange}", strange=", ".join(strange)), tr("There are: {there}.", there=there)
        )
    return [number for number in numbers if number is not None]


@dataclass(frozen=True)
class WriteHoleLog(Operation):
    """Write the strip log of boreholes as PDF at a true scale, or the numbers of one as LAS 2.0, CSV, Parquet or
    XLSX."""

    source: Source = argument(tr("a layer of collars, or a well log"))
    out: Path = argument(tr("the file to write: .pdf, .las, .csv, .parquet or .xlsx"))
    hole: tuple[str, ...] | None = argument(
        tr("the holes by name, beside each other in a PDF; the first if not given"), None
    )
    curves: tuple[str, ...] | None = argument(
        tr("the curves to show or write; the first of each kind if not given"), None
    )
    scale: float = argument(tr("of the PDF, 200 for 1:200"), 200.0)
    page: str = argument(tr("of the PDF, A4 or A3"), "A4")
    template: Path | None = argument(tr("a template of tracks to use"), None)
    vertical: bool = argument(tr("depths are vertical, not along the hole"), False)
    sea: bool = argument(tr("depths are counted from sea level"), False)
    feet: bool = argument(tr("depths are stated in feet"), False)
    step: float | None = argument(tr("of a LAS log, metres; the depths that the curves have if not given"), None)

    def run(self, workspace: Workspace, progress: Progress = silent) -> Written:
        from brisk_atlas.core.handover.table import write_table
        from brisk_atlas.core.strip.holes.hole_numbers import numbers_of, write_las
        from brisk_atlas.core.strip.holes.read_hole import read_hole
        from brisk_atlas.core.strip.holes.template_file import read_template
        from brisk_atlas.core.strip.holes.tracks import DepthScale, DepthZero, curve_track, default_template

        self.check_is_no_source(workspace, self.out)
        progress(0.1, tr("looking for what belongs to the holes"))
        holes = _holes(workspace, self.source)
        names = self.hole or (holes.holes[0].name,)
        numbers = _named(holes, names, self.out)
        progress(0.3, tr("reading what was measured"))
        found = [read_hole(workspace.cache, holes.holes[n]) for n in numbers]
        depth = DepthScale(self.vertical, DepthZero.SEA if self.sea else DepthZero.COLLAR, self.feet)
        suffix = self.out.suffix.lower()
        if suffix == ".pdf":
            from brisk_atlas.core.strip.holes.draw_paper import PAGES_MM, write_pages
            from brisk_atlas.core.strip.holes.log_drawing import HoleOnShow

            if self.page not in PAGES_MM or not self.scale > 0:
                raise AtlasError(
                    self.out,
                    tr("a page {page} at 1:{scale:g} is not known", page=self.page, scale=self.scale),
                    tr("Choose A4 or A3."),
                )
            template = read_template(self.template) if self.template is not None else default_template(found[0])
            if self.curves is not None:
                plain = tuple(track for track in template.tracks if not track.curves)
                template = replace(template, tracks=(*plain, *(curve_track([name]) for name in self.curves)))
            template = replace(template, depth=depth)
            markers = next((la.holes.markers for la in workspace.work.layers if la.id == found[0].hole.layer_id), ())
            shown = [HoleOnShow(each) for each in found]
            pages = write_pages(shown, template, self.out, scale=self.scale, page=self.page, markers=markers)
            remarks = tuple(remark for each in found for remark in each.remarks)
            return Written(
                (self.out,),
                tr("{names} at 1:{scale:g} on {pages} pages", names=", ".join(names), scale=self.scale, pages=pages),
                remarks,
            )
        if len(found) > 1:
            raise AtlasError(
                self.out, tr("the numbers of one hole go into a file"), tr("Name one hole, or write a PDF.")
            )
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
                self.out,
                tr("a log is not written as '{suffix}'", suffix=suffix),
                tr("Choose .pdf, .las, .csv, .parquet or .xlsx."),
            )
        return Written((self.out,), tr("{name}: {count:,} depths", name=data.hole.name, count=count), data.remarks)
