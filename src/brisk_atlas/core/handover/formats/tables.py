"""Rows as tables: CSV, with geometry as text or coordinates, workbooks, Parquet."""

from __future__ import annotations

import datetime
from collections.abc import Iterator, Mapping
from decimal import Decimal
from pathlib import Path
from typing import Any

import pyarrow as pa
import pyarrow.csv as arrow_csv
import pyarrow.parquet as pq
import pyogrio
import shapely

from brisk_atlas.core.model import CannotWrite, DataKind
from brisk_atlas.core.model.language import tr
from brisk_atlas.core.model.plain_values import values_of
from brisk_atlas.core.model.words import free_name
from brisk_atlas.core.system.atomic_write import reason_of

from ..flows import BATCH, GEOMETRY, Flow, RowFlow
from ..geometry_column import shapes_of
from ..step import StepContext
from .features import common_losses, fields_that, iso_times, texts
from .format import FileFormat, FormatOption, Loss, Report, enter
from .row_groups import RowGroups

MOST_SHEET_ROWS = 1_048_575  # of a workbook besides its head
BOTH = frozenset({DataKind.VECTOR, DataKind.TABLE})
WKT, XY, NO_GEOMETRY = "WKT", "x and y", "none"
GEOMETRY_OPTION = FormatOption("geometry", WKT, tr("How geometry is written"), (WKT, XY, NO_GEOMETRY))
DECIMALS = FormatOption("decimals", 9, tr("Decimals of coordinates"))


def _as_columns(flow: RowFlow, how: str, decimals: int, context: StepContext) -> Iterator[pa.Table]:
    """Yield rows with geometry as fields of text or numbers, or without."""
    for table in flow.batches():
        context.check()
        if flow.has_shapes:
            shapes = shapes_of(table)
            table = table.drop_columns([GEOMETRY])
            if how == WKT:
                text = shapely.to_wkt(shapes, rounding_precision=decimals, output_dimension=4)
                table = table.append_column(free_name("WKT", flow.fields), pa.array(text, pa.string()))
            elif how == XY:
                points = shapely.point_on_surface(shapes)
                for axis, values in (("x", shapely.get_x(points)), ("y", shapely.get_y(points))):
                    rounded = pa.array(values.round(decimals), from_pandas=True)
                    table = table.append_column(free_name(axis, table.column_names), rounded)
        yield table


def _geometry_losses(flow: RowFlow, options: Mapping[str, Any]) -> list[Loss]:
    if not flow.has_shapes:
        return []
    how = options.get("geometry", WKT)
    if how == WKT:
        return [Loss(tr("the CRS is not stated in the file; geometry is text"), "GeoPackage")]
    what = tr("lines and polygons become a point on them") if how == XY else tr("geometry is left out")
    return [Loss(tr("{what}; the CRS is not stated", what=what), "GeoPackage")]


def _csv_losses(flow: Flow, options: Mapping[str, Any]) -> list[Loss]:
    assert isinstance(flow, RowFlow)
    return [
        Loss(
            tr("the types of fields are not stated: readers guess them"), "GeoPackage" if flow.has_shapes else "Parquet"
        ),
        *_geometry_losses(flow, options),
        *common_losses(flow, ("binary", tr("bytes become hexadecimal digits")), ("nested", tr("lists become text"))),
    ]


def write_csv(flow: Flow, path: Path, options: Mapping[str, Any], context: StepContext, report: Report) -> int:
    """Write rows as CSV in UTF-8 (RFC 4180): a missing value is empty, an empty text is in quotes. Raises
    CannotWrite."""
    assert isinstance(flow, RowFlow)
    count, writer = 0, None
    form = arrow_csv.WriteOptions(delimiter={"comma": ",", "semicolon": ";", "tab": "\t"}[options["separator"]])
    try:
        with path.open("wb") as file:
            if options["byte_order_mark"]:
                file.write(b"\xef\xbb\xbf")
            for table in _as_columns(flow, options["geometry"], options["decimals"], context):
                table = _flat(table)
                writer = writer or arrow_csv.CSVWriter(file, table.schema, write_options=form)
                writer.write_table(table)
                count += table.num_rows
                report(0.95 * min(1.0, count / max(1, flow.count or count)), tr("writing"))
            if writer is not None:
                writer.close()
    except (pa.ArrowException, OSError) as error:
        raise reason_of(error, path) from error
    return count


def _flat(table: pa.Table) -> pa.Table:
    """Return rows whose columns can be written as text, times as ISO 8601."""
    for at, each in enumerate(table.schema):
        if pa.types.is_binary(each.type) or pa.types.is_large_binary(each.type) or pa.types.is_nested(each.type):
            table = table.set_column(at, each.name, texts(table.column(at)))
        elif pa.types.is_timestamp(each.type):
            table = table.set_column(at, each.name, iso_times(table.column(at)))
    return table


def _book_losses(flow: Flow, options: Mapping[str, Any]) -> list[Loss]:
    assert isinstance(flow, RowFlow)
    zones = fields_that(flow, "zone")
    found = _geometry_losses(flow, options)
    if zones:
        found.append(Loss(tr("{zones}: times lose their zone; they are in UTC", zones=", ".join(zones)), "Parquet"))
    if flow.count is not None and flow.count > MOST_SHEET_ROWS:
        found.append(Loss(tr("a sheet has room for {most_sheet_rows:,} rows", most_sheet_rows=MOST_SHEET_ROWS),
                          "Parquet",
                          ("first-rows", {"count": MOST_SHEET_ROWS}), tr("Write the first of them")))  # fmt: skip
    return found


def _check_room(flow: RowFlow, path: Path, count: int) -> None:
    if count > MOST_SHEET_ROWS:
        raise CannotWrite(
            path,
            tr("a sheet has room for {most_sheet_rows:,} rows", most_sheet_rows=MOST_SHEET_ROWS),
            tr("Write CSV or Parquet."),
        )


def write_xlsx(flow: Flow, path: Path, options: Mapping[str, Any], context: StepContext, report: Report) -> int:
    """Write rows as a workbook. Raises CannotWrite."""
    assert isinstance(flow, RowFlow)
    from openpyxl import Workbook
    from openpyxl.cell import WriteOnlyCell
    from openpyxl.styles import Font

    _check_room(flow, path, flow.count or 0)
    book = Workbook(write_only=True)
    sheet = book.create_sheet(path.stem[:31] or "rows")
    sheet.freeze_panes = "A2"
    count, headed = 0, False
    for table in _as_columns(flow, options["geometry"], options["decimals"], context):
        if not headed:
            cells = [WriteOnlyCell(sheet, value=name) for name in table.column_names]
            for cell in cells:
                cell.font = Font(bold=True)
            sheet.append(cells)
            headed = True
        count += table.num_rows
        _check_room(flow, path, count)
        for row in zip(*(values_of(column) for column in table.columns)):
            sheet.append([_cell(value) for value in row])
        report(0.9 * min(1.0, count / max(1, flow.count or count)), tr("writing"))
    try:
        book.save(path)
    except OSError as error:
        raise reason_of(error, path) from error
    return count


def _cell(value: Any) -> Any:
    """Return a value as a cell of a workbook can hold it."""
    if isinstance(value, datetime.datetime):
        return value.astimezone(datetime.UTC).replace(tzinfo=None) if value.tzinfo else value
    if value is None or isinstance(value, int | float | str | bool | datetime.date | datetime.time):
        return None if value != value else value
    return float(value) if isinstance(value, Decimal) else str(value)


def write_ods(flow: Flow, path: Path, options: Mapping[str, Any], context: StepContext, report: Report) -> int:
    """Write rows as an OpenDocument sheet. Raises CannotWrite."""
    assert isinstance(flow, RowFlow)
    _check_room(flow, path, flow.count or 0)
    tables = [_flat(table) for table in _as_columns(flow, options["geometry"], options["decimals"], context)]
    whole = pa.concat_tables(tables)
    _check_room(flow, path, whole.num_rows)
    report(0.5, tr("writing"))
    try:
        pyogrio.write_arrow(whole, path, driver="ODS", layer=path.stem[:31] or "rows")
    except (RuntimeError, ValueError, OSError, pyogrio.errors.DataSourceError) as error:
        raise reason_of(error, path) from error
    return whole.num_rows


def write_parquet(flow: Flow, path: Path, options: Mapping[str, Any], context: StepContext, report: Report) -> int:
    """Write rows without geometry as Parquet. Raises CannotWrite."""
    assert isinstance(flow, RowFlow)
    count = 0
    try:
        with (
            pq.ParquetWriter(path, flow.schema, compression=options["compression"]) as out,
            RowGroups(out, BATCH) as groups,
        ):
            for table in flow.batches():
                context.check()
                groups.put(table)
                count += table.num_rows
                report(0.95 * min(1.0, count / max(1, flow.count or count)), tr("writing"))
            groups.finish()
    except (pa.ArrowException, OSError) as error:
        raise reason_of(error, path) from error
    return count


enter(FileFormat(
    "CSV", (".csv", ".txt", ".tsv"), BOTH, write_csv, _csv_losses,
    (GEOMETRY_OPTION, DECIMALS,
     FormatOption("separator", "comma", tr("What stands between values"), ("comma", "semicolon", "tab")),
     FormatOption("byte_order_mark", False, tr("Begin with the mark by which some sheets know UTF-8"))),
    tr("Text for every program."),
))  # fmt: skip
enter(FileFormat(
    "Parquet", (".parquet",), frozenset({DataKind.TABLE}), write_parquet, lambda flow, options: [],
    (FormatOption("compression", "zstd", tr("How columns are packed"), ("zstd", "snappy", "gzip", "none")),),
    tr("Columns of all types, packed."),
))  # fmt: skip
enter(FileFormat(
    "XLSX", (".xlsx",), BOTH, write_xlsx, _book_losses, (GEOMETRY_OPTION, DECIMALS), tr("A workbook with one sheet."),
))  # fmt: skip
enter(FileFormat(
    "ODS", (".ods",), BOTH, write_ods,
    lambda flow, options: [*_book_losses(flow, options), *common_losses(flow, ("time", tr("times become text")))],  # type: ignore[arg-type]
    (GEOMETRY_OPTION, DECIMALS), tr("An OpenDocument sheet."),
))  # fmt: skip
