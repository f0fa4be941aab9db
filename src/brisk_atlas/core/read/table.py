"""Tables: CSV and TSV through Arrow's reader, Parquet."""

from __future__ import annotations

import csv
from dataclasses import dataclass
from pathlib import Path

import pyarrow as pa
import pyarrow.csv as arrow_csv
import pyarrow.parquet as pq

from brisk_atlas.core.model import CannotRead, Dataset, Facts, Field, TablePart

from .content import head_of
from .members import on_disk

DELIMITERS = ",;\t|"
BROKEN = "The copy may have been cut short; ask for the file again."


def delimiter_of(path: Path) -> str:
    """Return the delimiter that the first lines use."""
    text = head_of(path).decode("utf-8", "replace")
    first = "\n".join(text.splitlines()[:-1] or text.splitlines())
    try:
        return csv.Sniffer().sniff(first, DELIMITERS).delimiter
    except csv.Error:
        return "\t" if path.suffix.lower() == ".tsv" else ","


@dataclass(frozen=True)
class CsvTable(TablePart):
    """A text table with a header line."""

    def read(self) -> pa.Table:
        try:
            options = arrow_csv.ParseOptions(delimiter=delimiter_of(self.path), newlines_in_values=True)
            convert = arrow_csv.ConvertOptions(strings_can_be_null=True)
            return arrow_csv.read_csv(self.path, parse_options=options, convert_options=convert)
        except (pa.ArrowException, OSError, UnicodeDecodeError) as error:
            raise CannotRead(
                self.path, str(error).splitlines()[0], "Check the delimiter and the encoding (UTF-8)."
            ) from error


@dataclass(frozen=True)
class ParquetTable(TablePart):
    """A Parquet file without geometry."""

    def read(self) -> pa.Table:
        try:
            return pq.read_table(self.path)
        except (pa.ArrowException, OSError) as error:
            raise CannotRead(self.path, str(error).splitlines()[0], BROKEN) from error


def fields_of(schema: pa.Schema) -> tuple[Field, ...]:
    return tuple(Field(f.name, str(f.type)) for f in schema)


def table_dataset(path: Path, format_: str, parts: tuple[TablePart, ...]) -> Dataset:
    """Return a dataset of tables; a table without rows is a warning."""
    said = tuple(f"{part.facts.name}: no rows" for part in parts if part.facts.count == 0)
    return Dataset(format=format_, kind="table", parts=parts, warnings=said, **on_disk(path))


def open_dataset(path: Path) -> Dataset:
    """Return the dataset of a CSV, TSV or Parquet file. Raises CannotRead."""
    if path.suffix.lower() == ".parquet":
        try:
            meta = pq.read_metadata(path)
            facts = Facts(path.stem, "table", meta.num_rows, None, fields_of(meta.schema.to_arrow_schema()))
        except (pa.ArrowException, OSError) as error:
            raise CannotRead(path, str(error).splitlines()[0], BROKEN) from error
        return table_dataset(path, "Parquet", (ParquetTable(path, facts),))
    table = CsvTable(path, Facts(path.stem, "table")).read()
    facts = Facts(path.stem, "table", table.num_rows, None, fields_of(table.schema))
    return table_dataset(path, "CSV" if delimiter_of(path) != "\t" else "TSV", (CsvTable(path, facts),))
