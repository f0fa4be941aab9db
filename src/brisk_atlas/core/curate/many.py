"""Many records at once: chosen elements as a table, what is missing, how complete each is."""

from __future__ import annotations

import os
from collections.abc import Callable, Iterable, Iterator, Sequence
from dataclasses import dataclass
from itertools import islice
from pathlib import Path

from brisk_atlas.core.model import CannotRead
from brisk_atlas.core.model.language import tr
from brisk_atlas.core.read.grouping import group
from brisk_atlas.core.record.checks import CAUTION, FAULT, check, completeness
from brisk_atlas.core.record.detect import is_record_name
from brisk_atlas.core.record.document import read_quickly
from brisk_atlas.core.record.elements import elements, values_of
from brisk_atlas.core.record.model import Record
from brisk_atlas.core.record.safe_xml import XML_LIMIT
from brisk_atlas.core.record.standards import STANDARDS, Standard
from brisk_atlas.core.record.values import shown
from brisk_atlas.core.system.atomic_write import written_beside
from brisk_atlas.core.system.shares import CORES
from brisk_atlas.core.system.workers import Call, WorkerDied, WorkerTooSlow, shared_workers

NOT_DATA = (".brisk.json",)  # the work of this application itself
BATCH = 64  # records read by a worker at a time
WORTH_WORKERS = 600  # records from which workers are faster than their start
BROKE_DOWN = tr("the process that read it and its neighbours ended")
DEFAULT = ("title", "abstract", "contacts.organisation", "dates.day", "systems.code", "constraints.limits")


@dataclass(frozen=True)
class RecordSource:
    """A dataset and its record: either may be missing."""

    data: Path | None
    record: Path | None

    @property
    def path(self) -> Path:
        """The record, or the dataset where it has none."""
        found = self.record or self.data
        assert found is not None
        return found


@dataclass(frozen=True)
class TableRow:
    """One record of many. `values` are the chosen elements as text, "" where the record does not say.

    `standard` is "" where there is no record, and `error` says why one could not be read.
    """

    source: RecordSource
    standard: str
    values: tuple[str, ...]
    faults: int = 0
    cautions: int = 0
    stated: int = 0
    asked: int = 0
    error: str = ""

    @property
    def complete(self) -> float | None:
        """Return the share of what its standard asks for that the record says."""
        return self.stated / self.asked if self.asked else None


def sources_in(folder: Path, *, deep: bool = True) -> Iterator[RecordSource]:
    """Yield the datasets and records of a folder; a dataset without a record has None for it."""
    for here, folders, names in os.walk(folder):
        folders[:] = sorted(name for name in folders if not name.startswith(".")) if deep else []
        shown_names = {name for name in names if not name.startswith(".")}
        base = Path(here)
        for name, members in sorted(group(shown_names).items()):
            records = [m for m in members if is_record_name(m)]
            if is_record_name(name):
                yield RecordSource(None, base / name)
            elif name.endswith(NOT_DATA):
                continue
            elif records:
                yield from (RecordSource(base / name, base / record) for record in sorted(records))
            else:
                yield RecordSource(base / name, None)


def table(
    sources: Iterable[RecordSource],
    chosen: Sequence[str] = DEFAULT,
    standard: Standard | None = None,
    check_stop: Callable[[], None] = lambda: None,
) -> Iterator[TableRow]:
    """Yield a row a record, in order, each checked under `standard` or under its own.

    Few are read here; many are shared between worker processes, a batch at a time, so that memory stays flat.
    """
    unknown = [name for name in chosen if name not in elements()]
    if unknown:
        raise KeyError(tr("no element is called {unknown}", unknown=", ".join(unknown)))
    name = standard.name if standard else ""
    waiting = iter(sources)
    first = list(islice(waiting, WORTH_WORKERS))
    if len(first) < WORTH_WORKERS or CORES < 2:
        for source in first:
            check_stop()
            yield row_of(source, chosen, name)
        for source in waiting:
            check_stop()
            yield row_of(source, chosen, name)
        return
    yield from _by_workers(_chain(first, waiting), tuple(chosen), name, check_stop)


def _chain(first: list[RecordSource], rest: Iterator[RecordSource]) -> Iterator[RecordSource]:
    yield from first
    yield from rest


def _by_workers(
    sources: Iterator[RecordSource], chosen: tuple[str, ...], standard: str, check_stop: Callable[[], None]
) -> Iterator[TableRow]:
    """Yield rows read by workers, in order; only a few batches are under way at a time."""
    batches = iter(lambda: list(islice(sources, BATCH)), [])
    calls = (Call(f"{__name__}:rows_in_batch", (batch, chosen, standard)) for batch in batches)
    for call, rows in shared_workers().run_in_order(calls, check_stop):
        if isinstance(rows, WorkerDied | WorkerTooSlow):
            rows = [TableRow(source, "", ("",) * len(chosen), error=BROKE_DOWN) for source in call.arguments[0]]
        elif isinstance(rows, Exception):
            raise rows
        yield from rows


def rows_in_batch(sources: Sequence[RecordSource], chosen: Sequence[str], standard: str) -> list[TableRow]:
    """Return the rows of some records; runs in a worker."""
    return [row_of(source, chosen, standard) for source in sources]


def row_of(source: RecordSource, chosen: Sequence[str], standard: str = "") -> TableRow:
    """Return the row of one record: read, checked, its chosen elements as text."""
    if source.record is None:
        return TableRow(source, "", ("",) * len(chosen))
    try:
        size = source.record.stat().st_size
        if size > XML_LIMIT:
            raise CannotRead(source.record, tr("it is larger than 64 MB"), tr("Records are smaller."))
        own, record = read_quickly(source.record.read_bytes(), source.record)
    except (CannotRead, OSError) as error:
        return TableRow(source, "", ("",) * len(chosen), error=str(error))
    judged = STANDARDS[standard] if standard else own
    found = check(record, judged)
    full = completeness(record, judged)
    return TableRow(
        source,
        own.name,
        tuple(text_at(record, element) for element in chosen),
        sum(f.severity == FAULT for f in found),
        sum(f.severity == CAUTION for f in found),
        full.stated,
        full.asked,
    )


def text_at(record: Record, element: str) -> str:
    """Return all that a record says under an element as one text, items parted by semicolons."""
    about = elements()[element]
    if about.item is None:
        return "; ".join(dict.fromkeys(shown(about, value) for value in values_of(record, element)))
    return "; ".join(item_text(item) for item in values_of(record, element))


def item_text(item: object) -> str:
    """Return an item with parts on one line, what it says in the order of the model."""
    from brisk_atlas.core.record.elements import stated_places

    return ", ".join(str(value) for _, value in stated_places(item))


FIRST = ("dataset", "record", "standard", "complete", "faults", "cautions")


def columns(chosen: Sequence[str]) -> list[str]:
    """Return the heads of the table's columns."""
    return [*FIRST, *map(_head, chosen), "error"]


def _head(element: str) -> str:
    top, _, rest = element.partition(".")
    return f"{elements()[top].label}: {elements()[element].label}" if rest else elements()[top].label


def cells(row: TableRow, base: Path | None = None) -> list[str]:
    """Return a row as the texts of its cells."""

    def name(path: Path | None) -> str:
        if path is None:
            return ""
        return str(path.relative_to(base)) if base and path.is_relative_to(base) else path.name

    complete = "" if row.complete is None else f"{row.complete:.0%}"
    counts = [str(row.faults), str(row.cautions)] if row.standard else ["", ""]
    return [
        name(row.source.data),
        name(row.source.record),
        row.standard or "none",
        complete,
        *counts,
        *row.values,
        row.error,
    ]


def has_words(row: TableRow, words: str, base: Path | None = None) -> bool:
    """Return whether a cell of a row has some words in it, whatever their case."""
    return any(words.casefold() in cell.casefold() for cell in cells(row, base))


def sort_key(row: TableRow, column: int, base: Path | None = None) -> float | str:
    """Return what a row is sorted by in a column: a number for shares and counts, the text otherwise."""
    share = row.complete if row.complete is not None else -1.0
    numbers = {FIRST.index("complete"): share, FIRST.index("faults"): row.faults, FIRST.index("cautions"): row.cautions}
    return numbers[column] if column in numbers else cells(row, base)[column].casefold()


def write_csv(rows: Iterable[TableRow], chosen: Sequence[str], path: Path, base: Path | None = None) -> int:
    """Write rows to a CSV file as they come; returns how many."""
    import csv

    count = 0
    with written_beside(path) as beside, beside.open("w", encoding="utf-8", newline="") as file:
        out = csv.writer(file)
        out.writerow(columns(chosen))
        for row in rows:
            out.writerow(cells(row, base))
            count += 1
    return count


def write_xlsx(rows: Iterable[TableRow], chosen: Sequence[str], path: Path, base: Path | None = None) -> int:
    """Write rows to an XLSX workbook; returns how many."""
    from openpyxl import Workbook
    from openpyxl.cell.cell import ILLEGAL_CHARACTERS_RE

    book = Workbook(write_only=True)
    sheet = book.create_sheet("records")
    sheet.append(columns(chosen))
    count = 0
    for row in rows:
        sheet.append([ILLEGAL_CHARACTERS_RE.sub("", cell)[:32_000] for cell in cells(row, base)])
        count += 1
    with written_beside(path) as beside:
        book.save(beside)
    return count
