"""Knowing all datasets of a folder: from what is stored, and by looking at the rest."""

from __future__ import annotations

import time
from collections.abc import Callable, Iterable, Iterator
from datetime import UTC, datetime
from pathlib import Path

from brisk_atlas.core.model import DataRef

from .catalogue import Catalogue
from .entry_filter import EntryRow
from .listing import Entry, entry_of, walk
from .scan_pool import ScanPool
from .summary import DatasetSummary, from_text

KEEP_EVERY_S = 0.5


def summaries(
    folder: Path,
    entries: Iterable[Entry],
    catalogue: Catalogue,
    scan_pool: ScanPool,
    check: Callable[[], None] = lambda: None,
    first: Callable[[], Iterable[Path]] = lambda: (),
) -> Iterator[tuple[Path, DatasetSummary]]:
    """Yield the row of every dataset in a folder: the pinned ones first, the others as they are looked at.

    `first` is asked again and again which of them matter most now.

    What is found out is stored at once, so that a look that is broken off goes on where it stopped.
    """
    known, rest = catalogue.known(folder, entries)
    for path, text in known.items():
        yield path, from_text(text)
    by_path = {str(entry.path): entry for entry in rest}
    unstored: list[tuple[Entry, DatasetSummary]] = []
    kept_at = time.monotonic()
    try:
        for row in scan_pool.scan_all(_in_turn([entry.path for entry in rest], first), check):
            entry = by_path.get(row.path) or _asked(by_path, row)
            if entry is None:
                continue
            unstored.append((entry, row))
            if time.monotonic() - kept_at > KEEP_EVERY_S:
                catalogue.store(folder, unstored)
                unstored, kept_at = [], time.monotonic()
            yield entry.path, row
    finally:
        if unstored:
            catalogue.store(folder, unstored)


def _in_turn(paths: list[Path], first: Callable[[], Iterable[Path]]) -> Iterator[Path]:
    """Yield each path once: those that matter most now before the others."""
    waiting, rest = set(paths), iter(paths)
    while waiting:
        path = next((p for p in first() if p in waiting), None) or next(p for p in rest if p in waiting)
        waiting.remove(path)
        yield path


def rows_found(summaries: Iterable[DatasetSummary]) -> list[EntryRow]:
    """Return the rows of what a search found; what is gone from disk is left out."""
    rows = []
    for summary in summaries:
        path = Path(summary.path)
        modified = datetime.fromisoformat(summary.modified) if summary.modified else datetime.fromtimestamp(0, UTC)
        if path.exists():
            rows.append(EntryRow(Entry(path, path.name, False, summary.size_bytes, modified, summary.files), summary))
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
    if path in known:
        return from_text(known[path])
    row = scan_pool.scan(ref, check)
    catalogue.store(path.parent, [(entry, row)])
    return row
