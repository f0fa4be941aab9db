"""Copies of outlets that are edited here: made, updated from their Depot, and what was done sent there."""

from __future__ import annotations

from collections.abc import Callable
from dataclasses import dataclass, field
from datetime import UTC, datetime

from brisk_atlas.core.model import CannotRead, CannotWrite, DataRef
from brisk_atlas.core.model.data_ref import COPY
from brisk_atlas.core.model.errors import NotThere
from brisk_atlas.core.model.language import tr
from brisk_atlas.core.working_copy.copy_store import WorkingCopy
from brisk_atlas.core.working_copy.draft_refs import draft_in, outlet_in, with_draft
from brisk_atlas.core.working_copy.merging import MergedRow, merged
from brisk_atlas.core.working_copy.shared_rows import SharedRow

from .connector import Item
from .outlet_client import CursorTooOld, OutletClient, RowConflict

MOST_ROWS = 500_000  # of an outlet that is copied
TRIES = 4  # to send a row that others keep changing
Check = Callable[[], None]


@dataclass
class SentReport:
    """What became of what was sent: how many rows the Depot has now, those that both changed, and those that it
    refuses, with the reason."""

    sent: int = 0
    conflicts: list[MergedRow] = field(default_factory=list)
    refused: list[tuple[MergedRow, str]] = field(default_factory=list)


class Copies:
    """The connector of working copies."""

    def list(self, ref: DataRef) -> list[Item]:
        return []

    def stat(self, ref: DataRef) -> tuple[int, datetime]:
        path = WorkingCopy.of(ref).path
        try:
            found = path.stat()
        except OSError:
            return 0, datetime.fromtimestamp(0, UTC)
        return found.st_size, datetime.fromtimestamp(found.st_mtime, UTC)

    def fingerprint(self, ref: DataRef) -> str:
        return f"{WorkingCopy.of(ref).version} {draft_in(ref)}"

    def head(self, ref: DataRef, count: int) -> bytes:
        return b""

    def localise(self, ref: DataRef) -> DataRef:
        raise CannotRead(ref, tr("a copy of an outlet is no file"), tr("Export it to a file first."))


def copy_ref(ref: DataRef) -> DataRef:
    """Return the reference to the copy of an outlet that is open as a layer of its Depot."""
    return DataRef.service(COPY, ref.address, outlet_in(ref))


def _client(ref: DataRef, crs_name: str = "") -> OutletClient:
    return OutletClient(DataRef(ref.kind, ref.place, outlet_in(ref)), ref.address, outlet_in(ref), crs_name)


def make_copy(ref: DataRef, check: Check = lambda: None) -> DataRef:
    """Copy all rows of an outlet; returns the reference to the copy, with what was done to an earlier one and not sent.
    Raises CannotRead, CannotWrite where nothing of it may be changed."""
    made = copy_ref(ref)
    client = _client(made)
    about = client.about()
    if not about.rights & {"add", "change", "delete"}:
        raise CannotWrite(ref, tr("you may only read it"), tr("Ask its owner for the right, or sign in."))
    client = _client(made, about.crs_name)
    _, _, cursor = client.changes("")
    rows: list[SharedRow] = []
    for row in client.rows(check):
        rows.append(row)
        if len(rows) > MOST_ROWS:
            raise CannotRead(
                ref,
                tr("it has more than {most_rows:,} rows", most_rows=MOST_ROWS),
                tr("Ask its owner for an outlet with fewer."),
            )
    copy = WorkingCopy.of(made)
    copy.begin(about, rows, cursor)
    left = copy.shown_draft
    return with_draft(made, left) if copy.draft_rows(left) else made


def refresh(ref: DataRef, check: Check = lambda: None) -> bool:
    """Take what others changed since into a copy; returns whether there was something. Raises CannotRead,
    NotReached."""
    copy = WorkingCopy.of(ref)
    client, begun, any_taken = _client(ref, copy.outlet.crs_name), copy.cursor, False
    try:
        while True:
            changed, gone, cursor = client.changes(begun)
            if cursor == begun:
                return any_taken
            copy.take(changed, gone, cursor)
            begun, any_taken = cursor, True
            check()
    except CursorTooOld:
        make_copy(ref, check)
        return True


def send(ref: DataRef, check: Check = lambda: None) -> SentReport:
    """Send what a draft of a copy did, row by row, each of them whole. What others changed meanwhile is taken into the
    copy; rows that both changed in the same fields stay here until that is decided. Raises CannotRead, NotReached: what
    was sent until then is noted."""
    copy, report = WorkingCopy.of(ref), SentReport()
    client = _client(ref, copy.outlet.crs_name)
    for row in copy.draft_rows(draft_in(ref), done=True):
        check()
        _send_row(copy, client, row, report)
    return report


def _send_row(copy: WorkingCopy, client: OutletClient, row: MergedRow, report: SentReport) -> None:
    for _ in range(TRIES):
        if row.in_conflict:
            report.conflicts.append(row)
            return
        if row.is_done:
            copy.was_sent(row.draft, row.theirs)
            return
        try:
            now = _sent(client, row)
        except RowConflict as conflict:
            copy.take([conflict.now], [])
            row = merged(row.draft, conflict.now)
        except NotThere:
            copy.take([], [row.draft.row])
            row = merged(row.draft, None)
        except CannotWrite as error:
            report.refused.append((row, error.reason))
            return
        else:
            copy.was_sent(row.draft, now)
            report.sent += 1
            return
    report.refused.append((row, tr("others keep changing it; send it again")))


def _sent(client: OutletClient, row: MergedRow) -> SharedRow | None:
    """Send what was done to a row; returns how it is shown then, None where it is gone."""
    if row.draft.adds:
        return client.add(row.values, row.wkb, row.draft.row)
    assert row.theirs is not None
    if row.draft.deletes:
        client.delete(row.theirs)
        return None
    return client.change(row.theirs, row.values, row.wkb, moves=row.moves)


CONNECTOR = Copies()
