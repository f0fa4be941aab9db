"""Knowing all datasets of a folder: from what is stored, and by looking at the rest."""

from __future__ import annotations

import time
from collections.abc import Callable, Iterable, Iterator
from datetime import UTC, datetime
from pathlib import Path

from brisk_atlas.core.model import DataRef, PlaceKind
from brisk_atlas.core.read import read_in_place

from .catalogue import Catalogue
from .entry_filter import EntryRow
from .listing import NO_DATE, Entry, entry_of, walk
from .scan_pool import ScanPool
from .summary import DatasetSummary, from_text

KEEP_EVERY_S = 0.5


def summaries(
    folder: Path | DataRef,
    entries: Iterable[Entry],
    catalogue: Catalogue,
    scan_pool: ScanPool,
    check: Callable[[], None] = lambda: None,
    first: Callable[[], Iterable[DataRef]] = lambda: (),
) -> Iterator[tuple[DataRef, DatasetSummary]]:
    """Yield the row of every dataset in a folder: the pinned ones first, the others as they are looked at.

    `first` is asked again and again which of them matter most now.

    What is found out is stored at once, so that a look that is broken off goes on where it stopped.
    """
    known, rest = catalogue.known(folder, entries)
    for ref, text in known.items():
        yield ref, from_text(text)
    rest = [entry for entry in rest if entry.ref.kind is not PlaceKind.ADDRESS or read_in_place(entry.ref)]
    by_path = {str(entry.ref): entry for entry in rest}
    unstored: list[tuple[Entry, DatasetSummary]] = []
    kept_at = time.monotonic()
    try:
        turn = _in_turn([entry.ref for entry in rest], first)
        is_local = isinstance(folder, Path)
        for row in scan_pool.scan_all(turn, check) if is_local else (scan_pool.scan(ref, check) for ref in turn):
            entry = by_path.get(row.path) or _asked(by_path, row)
            if entry is None:
                continue
            unstored.append((entry, row))
            if time.monotonic() - kept_at > KEEP_EVERY_S:
                catalogue.store(folder, unstored)
                unstored, kept_at = [], time.monotonic()
            yield entry.ref, row
    finally:
        if unstored:
            catalogue.store(folder, unstored)


def _in_turn(refs: list[DataRef], first: Callable[[], Iterable[DataRef]]) -> Iterator[DataRef]:
    """Yield each place once: those that matter most now before the others."""
    waiting, rest = set(refs), iter(refs)
    while waiting:
        ref = next((r for r in first() if r in waiting), None) or next(r for r in rest if r in waiting)
        waiting.remove(ref)
        yield ref


def rows_found(summaries: Iterable[DatasetSummary]) -> list[EntryRow]:
    """Return the rows of what a search found; what is gone from disk is left out."""
    rows = []
    for summary in summaries:
        if not summary.path.startswith("/"):
            ref = DataRef.parse(summary.path)
            name = summary.title or ref.name.rpartition(":")[2]
            rows.append(EntryRow(Entry(ref, name, False, summary.size_bytes, NO_DATE, 0), summary))
            continue
        path = Path(summary.path)
        modified = datetime.fromisoformat(summary.modified) if summary.modified else datetime.fromtimestamp(0, UTC)
        if path.exists():
            rows.append(
                EntryRow(
                    Entry(DataRef.file(path), path.name, False, summary.size_bytes, modified, summary.files), summary
                )
            )
    return rows


def _asked(by_path: dict[str, Entry], row: DatasetSummary) -> Entry | None:
    """Return the entry that a row is of where a dataset goes by another path (an archive's only one)."""
    return next((by_path[str(p)] for p in Path(row.path).parents if str(p) in by_path), None)


def index(
    shelves: Iterable[Path],
    catalogue: Catalogue,
    scan_pool: ScanPool,
    report: Callable[[int, str], None] = lambda count, folder: None,
) -> int:
    """Look at everything below the shelves that is not known yet; returns how many datasets there are.

    `report` gets the datasets so far and the folder, and may raise to stop; the next call goes on.
    """
    count = 0
    for shelf in shelves:
        for entries in walk(shelf):
            if not entries:
                continue
            folder = _folder_of(entries[0])
            report(count, str(folder))
            for _ in summaries(folder, entries, catalogue, scan_pool, lambda: report(count, str(folder))):  # noqa: B023
                count += 1
            catalogue.forget_gone(folder, [entry.path for entry in entries])
    return count


def _folder_of(entry: Entry) -> Path:
    """Return the folder in which an entry is a row: one up where the entry stands for its folder."""
    return entry.path.parent.parent if entry.path.name != entry.name else entry.path.parent


def known_now(
    ref: DataRef, catalogue: Catalogue, scan_pool: ScanPool, check: Callable[[], None] = lambda: None
) -> DatasetSummary:
    """Return the row of one dataset: the one stored while its files are as they were, else after a look."""
    entry = entry_of(ref.path) if ref.is_local else None
    if entry is None:
        return scan_pool.scan(ref, check)
    path = ref.path
    known, _ = catalogue.known(path.parent, [entry])
    if entry.ref in known:
        return from_text(known[entry.ref])
    row = scan_pool.scan(ref, check)
    catalogue.store(path.parent, [(entry, row)])
    return row
