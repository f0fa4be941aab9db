"""Workbooks (XLSX, ODS): every sheet with a header row is a table."""

from __future__ import annotations

import zipfile
from dataclasses import dataclass
from pathlib import Path

import openpyxl
import pyarrow as pa
from openpyxl.utils.exceptions import InvalidFileException
from openpyxl.worksheet._read_only import ReadOnlyWorksheet

from brisk_atlas.core.connect.archives import members_in
from brisk_atlas.core.model import CannotRead, DataKind, DataRef, Dataset, Facts
from brisk_atlas.core.model.language import tr
from brisk_atlas.core.model.words import unique_names

from . import vector
from .answer import ParsedTable
from .table import fields_of, table_dataset

MOST_CELLS = 40_000_000  # with one more for each row; a full sheet of 36 columns
UNPACKED_LIMIT = 2_000_000_000  # bytes; a workbook that unpacks to more is refused


def _rows(path: Path) -> dict[str, list[tuple]]:
    try:
        book = openpyxl.load_workbook(path, read_only=True, data_only=True)
        return {sheet.title: _rows_of(path, sheet) for sheet in book.worksheets}
    except (zipfile.BadZipFile, InvalidFileException, KeyError, ValueError, OSError) as error:
        raise CannotRead(
            path, tr("it is not a whole workbook ({error})", error=error), tr("The copy may have been cut short.")
        ) from error


def _rows_of(path: Path, sheet: ReadOnlyWorksheet) -> list[tuple]:
    sheet.reset_dimensions()  # what a sheet states of its size may be a million rows of nothing
    rows, cells = [], 0
    for row in sheet.iter_rows(values_only=True):
        cells += len(row) + 1
        if cells > MOST_CELLS:
            raise CannotRead(
                path,
                tr("sheet {title} has more than {most_cells:,} cells", title=sheet.title, most_cells=MOST_CELLS),
                tr("Save it as CSV."),
            )
        rows.append(row)
    return rows


def _table(rows: list[tuple]) -> pa.Table:
    header, *body = rows or [()]
    names = unique_names(["" if name is None else str(name) for name in header], "column")
    columns = []
    for i in range(len(names)):
        values = [row[i] if i < len(row) else None for row in body]
        if {type(v) for v in values if v is not None} == {int, float}:
            values = [None if v is None else float(v) for v in values]
        try:
            columns.append(pa.array(values))
        except (pa.ArrowInvalid, pa.ArrowTypeError):  # mixed kinds in one column: keep what was typed
            columns.append(pa.array([None if v is None else str(v) for v in values]))
    return pa.table(columns, names=names)


@dataclass(frozen=True)
class WorkbookSheet(ParsedTable):
    """One sheet of a workbook."""


def check_archive(path: Path) -> None:
    """Raise CannotRead for a workbook that unpacks to more than it may."""
    packed = members_in(path).values()
    if sum(item.file_size for item in packed) > UNPACKED_LIMIT:
        raise CannotRead(path, tr("it unpacks to more than 2 GB"), tr("Save it as CSV or Parquet."))


def open_dataset(ref: DataRef) -> Dataset:
    """Return the dataset of a workbook. Raises CannotRead."""
    path = ref.path
    check_archive(path)
    if path.suffix.lower() == ".ods":
        return vector.open_dataset(ref)
    parts = []
    for name, rows in _rows(path).items():
        table = _table(rows)
        facts = Facts(name, DataKind.TABLE, table.num_rows, None, fields_of(table.schema))
        parts.append(WorkbookSheet(ref, facts, table))
    return table_dataset(ref, "XLSX", tuple(parts))
