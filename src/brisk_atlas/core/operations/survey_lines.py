"""Lines of surveys from the command line and from recipes: which there are, what looks wrong, where they cross."""

from __future__ import annotations

from dataclasses import dataclass
from pathlib import Path
from typing import TYPE_CHECKING, Any

from brisk_atlas.core.model import AtlasError
from brisk_atlas.core.model.digit_groups import grouped
from brisk_atlas.core.model.language import tr

from .line_profile import FORMATS
from .operation import Operation, Progress, Result, Source, Written, argument, layer_of, silent

if TYPE_CHECKING:
    import pyarrow as pa

    from brisk_atlas.core.strip.line_list import LineList
    from brisk_atlas.core.workspace.workspace import Workspace

MOST_LINES = 60  # of a table, that are printed


@dataclass(frozen=True)
class ListedRows:
    """A table as a result, printed as text; `more` are remarks below."""

    table: pa.Table
    more: tuple[str, ...] = ()

    def lines(self) -> list[str]:
        head = [
            self.table.column_names,
            *([_text(v) for v in row.values()] for row in self.table.slice(0, MOST_LINES).to_pylist()),
        ]
        widths = [max(len(row[n]) for row in head) for n in range(len(head[0]))]
        out = ["  ".join(text.ljust(width) for text, width in zip(row, widths)).rstrip() for row in head]
        left = self.table.num_rows - MOST_LINES
        return [*out, *([f"and {grouped(left)} more; --path writes all"] if left > 0 else []), *self.more]

    def as_json(self) -> dict[str, Any]:
        rows = [{name: _plain(value) for name, value in row.items()} for row in self.table.to_pylist()]
        return {"rows": rows, "remarks": list(self.more)}


def _text(value: Any) -> str:
    if value is None:
        return ""
    if isinstance(value, float):
        return grouped(value, ",.3f").rstrip("0").rstrip(".")
    return str(value)


def _plain(value: Any) -> Any:
    return value if value is None or isinstance(value, str | int | float | bool) else str(value)


def _listed(workspace: Workspace, sources: tuple[Source, ...], begin: str, end: str, measured: tuple[str, ...] | None,
            text: str) -> tuple[LineList, list[int]]:  # fmt: skip
    from brisk_atlas.core.strip.line_list import LineFilter, fitting, list_lines

    layers = [layer_of(workspace, source) for source in sources]
    for layer in layers:
        if not layer.kind.has_shapes:
            raise AtlasError(
                layer.name,
                tr("it is a {kind} and has no lines of points", kind=layer.kind),
                tr("Name layers of points."),
            )
    every = list_lines(workspace.cache, layers) if len(layers) > 1 else list_lines(workspace.cache, layers, layers[0])
    return every, fitting(every, LineFilter(measured or (), begin, end, None, text)).tolist()


def _write(table: pa.Table, path: Path, points: tuple[str, str | None] | None = None) -> None:
    """Write a table; to a GeoPackage as points of the columns x and y in a CRS."""
    from brisk_atlas.core.handover.table import write_table

    if points is not None and path.suffix.lower() == ".gpkg":
        from brisk_atlas.core.handover.point_table import write_points

        write_points(table, path, points[0], points[1])
        return
    form = FORMATS.get(path.suffix.lower())
    if form is None:
        raise AtlasError(
            path,
            tr("a table is not written as '{suffix}'", suffix=path.suffix),
            tr("Choose one of {formats}.", formats=", ".join(FORMATS)),
        )
    write_table(table, path, form)


@dataclass(frozen=True)
class ListLines(Operation):
    """List the lines of surveys: what each measured, dates, length, vessel and records; filtered by these."""

    sources: tuple[Source, ...] = argument(tr("layers of points along lines, or files or folders of surveys"))
    path: Path | None = argument(tr("a table to write, .csv, .parquet or .xlsx"), None)
    measured: tuple[str, ...] | None = argument(tr("only lines that measured these, such as magnetics"), None)
    begin: str = argument(tr("only lines on the way on this day or later, yyyy-mm-dd"), "")
    end: str = argument(tr("only lines on the way on this day or earlier, yyyy-mm-dd"), "")
    text: str = argument(tr("only lines whose name or vessel holds this"), "")

    def run(self, workspace: Workspace, progress: Progress = silent) -> Result:
        from brisk_atlas.core.strip.line_list import table_of_lines

        progress(0.1, tr("reading lines"))
        listed, chosen = _listed(workspace, self.sources, self.begin, self.end, self.measured, self.text)
        table = table_of_lines(listed, chosen)
        if self.path is None:
            return ListedRows(table, (tr("{count:,} of {count2:,} lines", count=len(chosen), count2=len(listed)),))
        self.check_is_no_source(workspace, self.path)
        _write(table, self.path)
        return Written((self.path,), tr("{count:,} of {count2:,} lines", count=len(chosen), count2=len(listed)))


@dataclass(frozen=True)
class CheckLines(Operation):
    """Report what looks wrong along lines, by record: positions on land, speeds, jumps, values beyond the limits of the
    format."""

    sources: tuple[Source, ...] = argument(tr("layers of points along lines, or files or folders of surveys"))
    path: Path | None = argument(tr("a table to write, .csv, .parquet or .xlsx"), None)
    land: Source | None = argument(tr("polygons of land, or a grid of heights"), None)
    fastest: float = argument(tr("the highest speed that a vessel has, metres a second"), 15.0)

    def run(self, workspace: Workspace, progress: Progress = silent) -> Result:
        from brisk_atlas.core.strip.line_checks import check_lines, table_of_check

        progress(0.1, tr("reading lines"))
        listed, _ = _listed(workspace, self.sources, "", "", None, "")
        land = layer_of(workspace, self.land) if self.land is not None else None
        progress(0.4, tr("looking for faults"))
        found = check_lines(workspace.cache, listed.lines, land, self.fastest)
        table = table_of_check(found)
        words = tr(
            "{count:,} faults in {count2:,} records of {count3:,} lines",
            count=len(found),
            count2=len(listed.lines.rows),
            count3=len(listed),
        )
        if self.path is None:
            return ListedRows(table, (words, *(tr("looked for: {each}", each=each) for each in found.looked)))
        self.check_is_no_source(workspace, self.path)
        _write(table, self.path)
        return Written((self.path,), words)


@dataclass(frozen=True)
class FindCrossovers(Operation):
    """Report where lines cross, and by how much what they measured differs there; level lines by least squares."""

    sources: tuple[Source, ...] = argument(tr("layers of points along lines, or files or folders of surveys"))
    path: Path | None = argument(
        tr("a table of the crossovers to write, .csv, .parquet, .xlsx, or .gpkg with points"), None
    )
    quantity: tuple[str, ...] | None = argument(tr("the quantities to compare; all if not given"), None)
    levels: Path | None = argument(
        tr("a table of the shifts that level the lines to write, .csv, .parquet or .xlsx"), None
    )

    def run(self, workspace: Workspace, progress: Progress = silent) -> Result:
        import pyarrow as pa

        from brisk_atlas.core.strip.crossovers import crossovers_of, table_of_crossovers
        from brisk_atlas.core.strip.levelling import level, table_of_levels

        progress(0.1, tr("reading lines"))
        listed, _ = _listed(workspace, self.sources, "", "", None, "")
        lines = listed.lines
        numbers = tuple(lines.quantity(name) for name in self.quantity) if self.quantity else lines.measured
        progress(0.4, tr("finding crossovers"))
        found = crossovers_of(lines)
        summaries = []
        for number in numbers:
            of = found.summary(number)
            name, unit = lines.quantities[number]
            summaries.append({"quantity": name, "unit": unit, "crossovers": of.count, "mean": of.mean,
                              "standard_deviation": of.deviation, "rms": of.rms, "largest": of.largest})  # fmt: skip
        paths = []
        if self.path is not None:
            self.check_is_no_source(workspace, self.path)
            _write(table_of_crossovers(found, numbers), self.path, ("crossovers", lines.crs))
            paths.append(self.path)
        if self.levels is not None:
            _write(table_of_levels([level(found, number) for number in numbers], lines), self.levels)
            paths.append(self.levels)
        words = tr("{count:,} crossovers of {count2:,} lines", count=len(found), count2=len(lines))
        if paths:
            each = [tr("{of}: mean {of2:,.3f}, RMS {of3:,.3f} {of4}", of=of['quantity'], of2=of['mean'],
                    of3=of['rms'], of4=of['unit']).rstrip()
                    for of in summaries if of["crossovers"]]  # fmt: skip
            return Written(tuple(paths), "; ".join([words, *each]))
        return ListedRows(pa.Table.from_pylist(summaries), (words,))


@dataclass(frozen=True)
class WriteLines(Operation):
    """Write lines of surveys: as MGD77, byte for byte where nothing was changed, a file a survey in a folder; or all in
    one table or layer."""

    source: Source = argument(tr("a layer of points along lines, or a file or folder of surveys"))
    path: Path = argument(tr("the file to write, .mgd77, .csv, .parquet, .xlsx or .gpkg; or a folder for MGD77 files"))
    line: tuple[str, ...] | None = argument(tr("the lines to write, by name; all if not given"), None)

    def run(self, workspace: Workspace, progress: Progress = silent) -> Written:
        from brisk_atlas.core.handover.survey_lines import write_lines
        from brisk_atlas.core.strip.line_list import list_lines

        layer = layer_of(workspace, self.source)
        self.check_is_no_source(workspace, self.path)
        progress(0.1, tr("reading lines"))
        lines = list_lines(workspace.cache, [layer], layer).lines
        strange = [name for name in self.line or () if name not in lines.names]
        if strange:
            raise AtlasError(
                layer.name,
                tr("it has no line {strange}", strange=", ".join(strange)),
                tr("There are: {names}.", names=", ".join(lines.names)),
            )
        chosen = [
            (name, lines.rows[lines.places(n)])
            for n, name in enumerate(lines.names)
            if name in (self.line or lines.names)
        ]
        progress(0.4, tr("writing"))
        paths = write_lines(workspace.cache, layer, lines.layers[0].field, chosen, self.path)
        count = sum(len(rows) for _, rows in chosen)
        return Written(paths, tr("{count:,} lines with {count2:,} records", count=len(chosen), count2=count))
