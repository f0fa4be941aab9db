"""Writing what came of a branch: the format, its options, the file, and what goes with it."""

from __future__ import annotations

import re
import shutil
from collections.abc import Callable, Iterator
from contextlib import contextmanager
from dataclasses import dataclass, field, replace
from pathlib import Path
from tempfile import TemporaryDirectory
from typing import Any, ClassVar

import pyarrow as pa
import pyarrow.compute as pc

from brisk_atlas.core.model import AtlasError, CannotWrite, DataKind, DataRef
from brisk_atlas.core.model.argument import argument
from brisk_atlas.core.model.errors import PANICS
from brisk_atlas.core.model.language import tr, trn
from brisk_atlas.core.system.atomic_write import reason_of, written_beside

from ..flows import Flow, GridFlow, PointFlow, RowFlow
from ..formats import FileFormat, Loss, TableFormat, WrittenFile, format_for, formats_of, table_format_of, table_in
from ..formats.reading_back import check_written
from ..package import write_package
from ..record_handed import RecordPlan, put_beside, put_inside, record_of_piece
from ..row_facts import MULTI_OF, RowFacts, promoted, with_facts
from ..step import PLACED, Step, StepContext, step

Report = Callable[[float, str], None]
RECORDS = ("none", "beside", "inside")
MOST_PARTS = 5_000  # files that one layer is parted into
NO_PLAN = RecordPlan()
SIGNS = re.compile(r"[^\w .()+-]+")


@step
@dataclass(frozen=True)
class WriteStep(Step):
    """Write the data to a file; its ending says the format, unless that is named. A file that is there is replaced. Or
    write rows to a table of a database, by an address that ends with #schema.table, or the data into a Depot, by
    depot://FOLDER#TITLE."""

    word: ClassVar = "write"
    label: ClassVar = tr("Write")
    group: ClassVar = tr("Write")
    takes: ClassVar = PLACED | {DataKind.TABLE}

    path: str = argument(
        tr("the file or table to write; ${name} is the name of the source, ${out} the folder of the run")
    )
    format: str = argument(tr("the format by its name, where the ending does not say it"), "")
    options: dict[str, Any] = field(
        default_factory=dict, metadata={"help": "options of the format, by name", "placed": False, "choices": ()}
    )
    append: bool = argument(tr("add a layer, or rows, to a file that is there, where the format can"), False)
    empty: bool = argument(tr("write a file without rows too; else that is a failure"), False)
    record: str = argument(tr("where the record goes that goes with it"), "none", choices=RECORDS)
    licence: str = argument(tr("of a zip: the text of the licence that goes with it"), "")

    @property
    def summary(self) -> str:
        return self.path

    @property
    def table(self) -> DataRef | None:
        """The table of a database that is written, None where a file is. Raises AtlasError."""
        return table_in(self.path)

    @property
    def target(self) -> Path:
        """The file that is written, where it is none of a database."""
        return Path(self.path).expanduser()

    @property
    def is_package(self) -> bool:
        """Whether what is written goes into a zip, with what belongs to it."""
        return self.target.suffix.lower() == ".zip"

    def chosen_format(self, flow: Flow) -> FileFormat | TableFormat:
        """Return the format that the data is written in. Raises AtlasError."""
        table = self.table
        return self._file_format(flow) if table is None else table_format_of(table)

    def _file_format(self, flow: Flow) -> FileFormat:
        if self.is_package and not self.format:
            return formats_of(flow.kind)[0]
        return format_for(flow.kind, self.target, self.format)

    def check(self, flow: Flow) -> None:
        """Raise AtlasError where the data can't be written so."""
        if not self.path.strip():
            raise self.refused(tr("it has no file to write to"), tr("Choose one."))
        format_ = self.chosen_format(flow)
        format_.chosen(self.options)
        if self.append and not format_.appends:
            raise self.refused(
                tr("nothing can be added to a file of {name}", name=format_.name), tr("Choose GeoPackage.")
            )
        if flow.kind not in format_.kinds:
            raise self.refused(
                tr("a {kind} is not written to a table of a database", kind=flow.kind), tr("Write a file.")
            )
        if self.table is not None and isinstance(flow, PointFlow) and flow.tile_size > 0:
            raise self.refused(tr("tiles of points go to files"), tr("Leave out the step that makes them."))
        if self.table is not None and isinstance(flow, RowFlow) and flow.parted:
            raise self.refused(tr("rows that are parted go to files"), tr("Leave out the step that parts them."))
        if self.record not in RECORDS:
            raise self.refused(
                tr("a record is not put {record}", record=self.record),
                tr("It is one of {records}.", records=", ".join(RECORDS)),
            )
        if self.record != "none" and isinstance(format_, TableFormat) and not format_.has_record:
            raise self.refused(tr("no record goes with a table"), tr("Write the record to a file by itself."))
        if self.record == "inside" and format_.name != "GeoPackage":
            raise self.refused(tr("a file of {name} has no record inside", name=format_.name), tr("Choose beside."))

    def check_record(self, plan: RecordPlan) -> None:
        """Raise BadStep where steps make a record that is not written."""
        table = self.table
        always = self.is_package if table is None else table_format_of(table).has_record
        if plan.edits and self.record == "none" and not always:
            raise self.refused(
                tr("the record that the steps make goes nowhere"), tr("Choose a record beside or inside.")
            )

    def losses(self, flow: Flow) -> list[Loss]:
        """Return what the format does not hold of the data."""
        format_ = self.chosen_format(flow)
        return format_.losses(flow, format_.chosen(self.options))

    def flow(self, flow: Flow, context: StepContext) -> Flow:
        self.check(flow)
        return flow

    def write(
        self, flow: Flow, context: StepContext, report: Report = lambda share, step: None, plan: RecordPlan = NO_PLAN
    ) -> list[WrittenFile]:
        """Write the data; returns the files. Each is written beside its place and moved there when it is whole.
        `plan` says how the record comes about. Raises AtlasError."""
        self.check(flow)
        self.check_record(plan)
        for loss in self.losses(flow):
            context.warn(loss.text)
        table = self.table
        if table is not None:
            return [self._into_table(flow, table, context, report, plan)]
        written = []
        for path, part in self._parts(flow, context):
            try:
                path.parent.mkdir(parents=True, exist_ok=True)
            except OSError as error:
                raise reason_of(error, path) from error
            one = self._packed if self.is_package else self._written
            written += one(part, path, context, report, plan)[0]
        return written

    def _into_table(
        self, flow: Flow, table: DataRef, context: StepContext, report: Report, plan: RecordPlan
    ) -> WrittenFile:
        """Write rows to a table of a database, or what there is to another place."""
        format_ = table_format_of(table)
        options = format_.chosen(self.options)
        report(0.05, tr("computing"))
        facts = RowFacts()
        if isinstance(flow, RowFlow):
            flow, facts = with_facts(flow, context.scratch, context.check)
            if not facts.count and not self.empty:
                raise CannotWrite(table, tr("the steps leave nothing to write"), tr("Look at which one leaves it out."))
            if facts.common is not None and facts.common in MULTI_OF.values() and len(facts.codes) > 1:
                flow = promoted(flow, facts.common)
        count = format_.writer.write(flow, facts, table, self.append, options, context, report, plan)
        report(1.0, tr("written"))
        return WrittenFile(table, format_.name, count, words_of(flow, count))

    def _written(
        self, flow: Flow, path: Path, context: StepContext, report: Report, plan: RecordPlan
    ) -> tuple[list[WrittenFile], str]:
        """Write one file, and its record; returns what was written, and the title of the record, "" without one."""
        title = ""
        format_ = self._file_format(flow)
        with written_beside(path) as there:
            if self.append and path.exists():
                shutil.copy2(path, there)
            options = format_.chosen(self.options)
            with _reasoned(path):
                count = format_.write(flow, there, options, context, report)
            if not count and not self.empty:
                raise CannotWrite(path, tr("the steps leave nothing to write"), tr("Look at which one leaves it out."))
            report(0.96, tr("reading it back"))
            if not self.append:
                check_written(there, count, path)
            context.check()
            if self.record == "inside":
                document = record_of_piece(there, flow.source, plan, context.warn)
                title = document.record.title
                put_inside(document, there)
            report(0.98, tr("moving into place"))
        found = [WrittenFile(path, format_.name, count, words_of(flow, count))]
        if self.record == "beside":
            document = record_of_piece(path, flow.source, plan, context.warn)
            title = document.record.title
            beside = put_beside(document, path)
            found.append(WrittenFile(beside, "record", 0, "the record"))
        report(1.0, tr("written"))
        return found, title

    def _packed(
        self, flow: Flow, path: Path, context: StepContext, report: Report, plan: RecordPlan
    ) -> tuple[list[WrittenFile], str]:
        """Write a zip of the file and of what belongs to it."""
        format_ = self._file_format(flow)
        with TemporaryDirectory(dir=context.scratch) as folder:
            inner = Path(folder, "package", path.stem + format_.endings[0])
            inner.parent.mkdir()
            record = "beside" if self.record == "none" else self.record
            plain = replace(self, path=str(inner), format=format_.name, record=record, append=False)
            (made, *_), title = plain._written(flow, inner, context, report, plan)
            with written_beside(path) as there:
                write_package(inner.parent, there, title or path.stem, self.licence, plan.words, context.check)
        return [WrittenFile(path, f"zip of {format_.name}", made.count, made.words)], title

    def _parts(self, flow: Flow, context: StepContext) -> Iterator[tuple[Path, Flow]]:
        """Yield each file with what goes into it: one, or one for each value or tile."""
        target = self.target
        if isinstance(flow, RowFlow) and flow.parted:
            yield from self._by_value(flow, flow.parted, target, context)
        elif isinstance(flow, PointFlow) and flow.tile_size > 0:
            from ..point_tiles import tiles_of

            for name, tile in tiles_of(flow, context):
                yield target.with_name(f"{target.stem}_{name}{target.suffix}"), tile
        else:
            yield target, flow

    def _by_value(self, flow: RowFlow, name: str, target: Path, context: StepContext) -> Iterator[tuple[Path, RowFlow]]:
        whole = flow.whole(context.check)
        values = pc.unique(whole.column(name)).to_pylist()
        if len(values) > MOST_PARTS:
            raise self.refused(tr("{name} has {count:,} values, and {most_parts:,} files are the most", name=name,
                               count=len(values), most_parts=MOST_PARTS),
                               tr("Choose another field."))  # fmt: skip
        taken: set[str] = set()
        for value in values:
            column = whole.column(name)
            mask = pc.is_null(column) if value is None else pc.equal(column, pa.scalar(value, column.type))
            rows = whole.filter(mask)
            word = SIGNS.sub("_", "missing" if value is None else str(value)).strip(" .") or "_"
            word = next(w for w in (word, *(f"{word}_{i}" for i in range(2, 10**6))) if w.lower() not in taken)
            taken.add(word.lower())
            part = replace(flow, batches=lambda rows=rows: iter([rows]), count=rows.num_rows, parted="")  # type: ignore[misc]
            yield target.with_name(f"{target.stem}_{word}{target.suffix}"), part


@contextmanager
def _reasoned(path: Path) -> Iterator[None]:
    """Turn what a library raises that writes into CannotWrite: each has its own error for a disk that is full."""
    try:
        yield
    except (AtlasError, MemoryError):
        raise
    except Exception as error:
        raise reason_of(error, path) from error
    except BaseException as error:
        if type(error).__name__ not in PANICS:
            raise
        raise reason_of(error, path) from error


def words_of(flow: Flow, count: int) -> str:
    """Return how much was written, in words."""
    if isinstance(flow, GridFlow):
        bands = len(flow.bands)
        return tr("{columns:,} × {rows:,} cells", columns=flow.lattice.columns, rows=flow.lattice.rows) + (
            tr(", {bands} bands", bands=bands) if bands > 1 else ""
        )
    if isinstance(flow, PointFlow):
        return trn("{count:,} point", "{count:,} points", count)
    if flow.has_shapes:
        return trn("{count:,} feature", "{count:,} features", count)
    return trn("{count:,} row", "{count:,} rows", count)
