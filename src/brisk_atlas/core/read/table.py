"""Text tables (CSV, TSV and others) through Arrow's reader."""

from __future__ import annotations

import codecs
import io
from collections.abc import Iterator
from dataclasses import dataclass, field, replace
from pathlib import Path

import pyarrow as pa
import pyarrow.csv as arrow_csv

from brisk_atlas.core.model import (
    NO_OPTIONS,
    CannotRead,
    Capability,
    DataKind,
    DataRef,
    Dataset,
    Facts,
    FeatureQuery,
    Field,
    OpenOptions,
    TablePart,
    TextForm,
)
from brisk_atlas.core.model.language import tr, trn
from brisk_atlas.core.model.words import unique_names

from .answer import ArrowTable, ParsedTable, batches_of
from .on_disk import on_disk
from .readable_text import REMARK, with_readable_text
from .text_form import guess_form, split

BROKEN = tr("The copy may have been cut short; ask for the file again.")
MOST_RAGGED = 20  # lines that are left out, whatever their share
READ_WHOLE = 64_000_000  # bytes; of longer files, types come from the start and rows are counted by line


@dataclass(frozen=True)
class TextTable(ParsedTable):
    """A text table in the form `form`."""

    form: TextForm = field(kw_only=True)


@dataclass(frozen=True)
class LongTextTable(ArrowTable):
    """A text table in the form `form` that is too long to be parsed before it is asked for."""

    able = Capability.LIMIT
    form: TextForm

    def batches(self, query: FeatureQuery) -> Iterator[pa.RecordBatch]:
        if query.limit is None:
            yield from batches_of(read_text(self.ref.path, self.form)[0])
            return
        try:
            with self.ref.path.open("rb") as file:
                read, parse, convert = _options(self.ref.path, self.form, file.read(65536))
            with arrow_csv.open_csv(self.ref.path, read, parse, convert) as stream:
                yield stream.read_next_batch().slice(0, query.limit)
        except (pa.ArrowException, OSError, UnicodeDecodeError, StopIteration) as error:
            raise CannotRead(
                self.ref.path, str(error).splitlines()[0], tr("Check the delimiter and the encoding.")
            ) from error


def _options(path: Path, form: TextForm, first: bytes) -> tuple:
    text = first.decode(form.encoding, "replace").lstrip("\ufeff")
    line = next((line for line in text.splitlines() if line.strip()), "")
    cells = (split([line], form.delimiter) or [[]])[0]
    names = [c.strip() if form.header else "" for c in cells]
    read = arrow_csv.ReadOptions(
        encoding="utf-8" if form.encoding == "utf-8" else form.encoding,
        column_names=unique_names(names, "column"),
        skip_rows=1 if form.header else 0,
    )
    parse = arrow_csv.ParseOptions(delimiter=form.delimiter, newlines_in_values=True)
    convert = arrow_csv.ConvertOptions(strings_can_be_null=True, decimal_point=form.decimal)
    return read, parse, convert


def _source(path: Path, form: TextForm) -> io.BytesIO | str:
    """Return what Arrow is to read: the file, or its text with runs of blanks made into tabs."""
    if form.delimiter != " ":
        return str(path)
    text = path.read_bytes().decode(form.encoding, "replace").lstrip("\ufeff")
    lines = ("\t".join(line.split()) for line in text.splitlines() if line.strip())
    return io.BytesIO("\n".join(lines).encode())


class _Ragged:
    """Counts the lines with another number of cells than the table has, which are left out."""

    def __init__(self) -> None:
        self.count, self.first = 0, ""

    def __call__(self, row: arrow_csv.InvalidRow) -> str:
        self.count += 1
        self.first = self.first or f"{row.actual_columns} cells instead of {row.expected_columns}: {row.text[:60]!r}"
        return "skip"


def read_text(path: Path, form: TextForm) -> tuple[pa.Table, str]:
    """Return the rows of a text file in a form, and what should be reported of lines that were left out, such as
    footnotes. Raises CannotRead, also where most lines are no rows."""
    ragged = _Ragged()
    try:
        codecs.lookup(form.encoding)
        with path.open("rb") as file:
            first = file.read(65536)
        read, parse, convert = _options(path, form, first)
        source = _source(path, form)
        parse.invalid_row_handler = ragged
        if isinstance(source, io.BytesIO):
            read.encoding, parse.delimiter = "utf-8", "\t"
        table = arrow_csv.read_csv(source, read_options=read, parse_options=parse, convert_options=convert)
        if ragged.count > max(table.num_rows, MOST_RAGGED):
            raise CannotRead(
                path,
                tr("most of its lines are no rows of it ({first})", first=ragged.first),
                tr("Check the delimiter."),
            )
        table, other = with_readable_text(table)
        remarks = [REMARK] if other else []
        remarks += (
            [
                trn(
                    "{count:,} line left out, with {first}",
                    "{count:,} lines left out, with {first}",
                    ragged.count,
                    first=ragged.first,
                )
            ]
            if ragged.count
            else []
        )
        return table, "; ".join(remarks)
    except (pa.ArrowException, OSError, UnicodeDecodeError, LookupError) as error:
        raise CannotRead(path, str(error).splitlines()[0], tr("Check the delimiter and the encoding.")) from error


def _schema_of_long(path: Path, form: TextForm) -> tuple[pa.Schema, int]:
    """Return the types that the start of a long file has, and its rows as counted by line."""
    try:
        with path.open("rb") as file:
            read, parse, convert = _options(path, form, file.read(65536))
        with arrow_csv.open_csv(path, read_options=read, parse_options=parse, convert_options=convert) as stream:
            schema = stream.schema
        with path.open("rb") as file:
            lines = sum(block.count(b"\n") for block in iter(lambda: file.read(1 << 22), b""))
    except (pa.ArrowException, OSError, UnicodeDecodeError) as error:
        raise CannotRead(path, str(error).splitlines()[0], tr("Check the delimiter and the encoding.")) from error
    return schema, lines - int(form.header)


def fields_of(schema: pa.Schema) -> tuple[Field, ...]:
    """Return the fields of a schema."""
    return tuple(Field(f.name, str(f.type)) for f in schema)


def table_dataset(ref: DataRef, format_: str, parts: tuple[TablePart, ...]) -> Dataset:
    """Return a dataset of tables; a table without rows is a warning."""
    remarks = tuple(tr("{name}: no rows", name=part.facts.name) for part in parts if part.facts.count == 0)
    return Dataset(format=format_, kind=DataKind.TABLE, parts=parts, warnings=remarks, **on_disk(ref))


def open_dataset(ref: DataRef, reading: OpenOptions = NO_OPTIONS) -> Dataset:
    """Return the dataset of a text table. Raises CannotRead."""
    path = ref.path
    form = reading.form or guess_form(path).form
    remark = ""
    part: TablePart
    if path.stat().st_size > READ_WHOLE and form.delimiter != " ":
        schema, rows = _schema_of_long(path, form)
        notes = {"rows": tr("counted by line; types from the start of the file")}
        facts = Facts(ref.stem, DataKind.TABLE, rows, None, fields_of(schema), notes=notes)
        part = LongTextTable(ref, facts, form)
    else:
        table, remark = read_text(path, form)
        facts = Facts(ref.stem, DataKind.TABLE, table.num_rows, None, fields_of(table.schema))
        part = TextTable(ref, facts, table, form=form)
    name = {"\t": "TSV", ",": "CSV"}.get(form.delimiter, "Text table") if ref.suffix != ".txt" else "Text table"
    dataset = table_dataset(ref, name, (part,))
    return replace(dataset, warnings=(*dataset.warnings, remark)) if remark else dataset
