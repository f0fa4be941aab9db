"""Handing over rows of a table."""

from __future__ import annotations

import datetime
import zipfile
from collections.abc import Callable
from decimal import Decimal
from pathlib import Path
from typing import Any

import numpy as np
import pyarrow as pa
import pyarrow.csv as arrow_csv
import pyarrow.parquet as pq

from brisk_atlas.core.model import CannotWrite
from brisk_atlas.core.model.plain_values import values_of
from brisk_atlas.core.system.atomic_write import reason_of, written_beside

FORMATS = {
    "CSV": (".csv", "Types are lost; numbers and dates become text."),
    "Parquet": (".parquet", ""),
    "XLSX": (".xlsx", "At most 1,048,575 rows."),
}
MOST_XLSX = 1_048_575  # rows of a sheet besides its head
WRITE_EVERY = 10_000  # rows between two looks at whether to stop


def hand_over_table(
    table: pa.Table, path: Path, format_: str, rows: np.ndarray | None, fields: tuple[str, ...] | None
) -> int:
    """Write rows and fields of a table; returns how many rows. Raises CannotWrite."""
    suffix = FORMATS[format_][0]
    path = path if path.suffix.lower() == suffix else path.with_name(path.name + suffix)
    chosen = table.select(list(table.column_names if fields is None else fields))
    chosen = chosen if rows is None else chosen.take(pa.array(rows))
    if not chosen.num_rows:
        raise CannotWrite(path, "the choice leaves no row", "Widen the filter.")
    write_table(chosen, path, format_)
    return chosen.num_rows


def write_table(table: pa.Table, path: Path, format_: str, check: Callable[[], None] = lambda: None) -> None:
    """Write a table through a temporary sibling. Raises CannotWrite; `check` may stop it."""
    if format_ == "XLSX" and table.num_rows > MOST_XLSX:
        raise CannotWrite(path, f"a sheet of XLSX has room for {MOST_XLSX:,} rows", "Write CSV or Parquet.")
    with written_beside(path) as beside:
        try:
            if format_ == "CSV":
                arrow_csv.write_csv(_flat(table), beside)
            elif format_ == "Parquet":
                pq.write_table(table, beside)
            else:
                _write_xlsx(table, beside, check)
            _check_written(beside, format_, table.num_rows)
        except Exception as error:  # each library has its own for a disk that is full
            raise reason_of(error, path) from error


def _check_written(path: Path, format_: str, rows: int) -> None:
    """Raise OSError for a file that can't be read back with all its rows."""
    if format_ == "Parquet":
        found = pq.read_metadata(path).num_rows
    elif format_ == "CSV":
        with arrow_csv.open_csv(path, parse_options=arrow_csv.ParseOptions(newlines_in_values=True)) as batches:
            found = sum(batch.num_rows for batch in batches)
    else:
        with zipfile.ZipFile(path) as book:
            damaged = book.testzip()
        if damaged:
            raise OSError(f"{damaged} in it can't be read back")
        return
    if found != rows:
        raise OSError(f"of {rows:,} rows {found:,} were written")


def _flat(table: pa.Table) -> pa.Table:
    """Return a table whose columns can be written as text."""
    for at, field in enumerate(table.schema):
        if pa.types.is_binary(field.type) or pa.types.is_nested(field.type):
            texts = [
                None if v is None else v.hex() if isinstance(v, bytes) else str(v) for v in table.column(at).to_pylist()
            ]
            table = table.set_column(at, field.name, pa.array(texts, pa.string()))
    return table


def _write_xlsx(table: pa.Table, path: Path, check: Callable[[], None]) -> None:
    from openpyxl import Workbook

    book = Workbook(write_only=True)
    sheet = book.create_sheet(path.stem[:31] or "rows")
    sheet.append(table.column_names)
    for batch in table.to_batches(max_chunksize=WRITE_EVERY):
        check()
        for row in zip(*(values_of(column) for column in batch.columns)):
            sheet.append([_cell(value) for value in row])
    book.save(path)


def _cell(value: Any) -> Any:
    """Return a value as a cell of a workbook can hold it."""
    if isinstance(value, datetime.datetime):
        return value.replace(tzinfo=None)
    if value is None or isinstance(value, int | float | str | bool | datetime.date | datetime.time):
        return None if value != value else value
    return float(value) if isinstance(value, Decimal) else str(value)
