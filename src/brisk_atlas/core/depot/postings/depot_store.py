"""What a Depot stores: postings with their outlets and people, and changes of rows through outlets."""

from __future__ import annotations

import json
import re
from collections.abc import Callable, Iterable, Iterator, Mapping, Sequence
from dataclasses import asdict, replace
from datetime import UTC, datetime, timedelta
from functools import cache
from itertools import islice
from pathlib import Path
from typing import Any

from pydantic import TypeAdapter

from brisk_atlas.core.model.words import free_name

from .outlet import Outlet
from .outlet_changes import ShownChanges, ShownEdit, changes_since, edit_number, edits_of
from .outlet_figures import FiguresMemory, OutletFigures
from .outlet_load import OutletLoad
from .outlet_rows import OutletRows, RowsAsked, ShownRow
from .people import People
from .posted_rows import BadRow, PostedRow, PostedRows, RowBatch, RowEdit, RowGone, UndoConflict, checked_values
from .posting import FieldType, PostedField, Posting, time_text
from .rights import Identity, Right
from .sqlite_store import SqliteStore
from .store_database import StoreConnection, StoreDatabase
from .stored_files import StoredFiles

POSTING = "id, number, title, owner, fields, crs, geometry_type, summary, record, file"  # columns of one
AT_ONCE = 20_000  # rows that are posted together
MARKS_KNOWN_FOR = timedelta(days=30)  # of rows that were sent, so that none is added twice


class NotAllowed(PermissionError):
    """Something that the one who asks may not do, with the reason."""


class EditConflict(RuntimeError):
    """A change of a row that somebody else changed meanwhile; `now` is how it is shown now."""

    def __init__(self, now: ShownRow) -> None:
        super().__init__("the row was changed meanwhile")
        self.now = now


class DepotStore:
    """The postings, outlets and people of a Depot: in a folder, or in a database that is open."""

    def __init__(self, place: Path | StoreDatabase, people: Callable[[StoreDatabase], People] = People) -> None:
        self.database: StoreDatabase = SqliteStore(place) if isinstance(place, Path) else place
        self.files = StoredFiles(self.database.files)
        self.people = people(self.database)
        self.load = OutletLoad(self.database)
        self._looked_at: dict[str, int] = {}
        self._figures = FiguresMemory()

    def close(self) -> None:
        self.database.close()

    # Postings

    @property
    def postings(self) -> list[Posting]:
        """All postings, by title."""
        found = self.database.reading.execute(f"SELECT {POSTING} FROM posting ORDER BY title, id")
        return [_posting(*each) for each in found]

    def posting(self, name: str) -> Posting:
        """Return a posting by its id. Raises KeyError."""
        asked = f"SELECT {POSTING} FROM posting WHERE id = ?"
        found = self.database.reading.execute(asked, [name]).fetchone()
        return _posting(*found) if found is not None else _missing(name)

    def post(
        self, title: str, fields: Sequence[PostedField], rows: Iterable[tuple[Mapping[str, Any], bytes | None]],
        *, owner: str, crs: str | None = None, geometry_type: str = "", summary: str = "", record: str = "",
    ) -> Posting:  # fmt: skip
        """Post rows with their geometry as well-known binary in a CRS. Nobody sees them before there is an outlet.
        Raises BadRow."""
        made = Posting("", 0, title, owner, tuple(fields), crs, geometry_type, summary, record)
        return self.post_batches(made, _batches(made, rows))

    def post_batches(self, wanted: Posting, batches: Iterable[RowBatch]) -> Posting:
        """Post rows; `wanted` is the posting without its id and number, which are found. Raises BadRow."""
        with self.database.changing() as database:
            made = self._note_posting(database, wanted)
            rows = PostedRows(self.database, made)
            rows.create(database)
            rows.add_batches(database, batches, made.owner)
        return made

    def post_file(self, wanted: Posting, path: Path) -> Posting:
        """Post a file, which is copied into the store; `wanted` is the posting without its id, number and file. Raises
        OSError, and BadRow where there is no folder for files."""
        with self.database.changing() as database:
            return self._note_posting(database, replace(wanted, file=self.files.add(path)))

    def post_record(self, title: str, record: str, *, owner: str, summary: str = "") -> Posting:
        """Post a metadata record, in ISO 19115-3, of data that are elsewhere."""
        with self.database.changing() as database:
            return self._note_posting(database, Posting("", 0, title, owner, (), summary=summary, record=record))

    def replace_record(self, posting: str, record: str, *, by: str) -> Posting:
        """Have a posting have another record from now on; the one before stays in its history. Raises KeyError."""
        before = self.posting(posting)
        with self.database.changing() as database:
            database.execute("UPDATE posting SET record = ? WHERE id = ?", [record, posting])
            PostedRows(self.database, before).note_other(database, "record", before.record, record, by)
            self.people.note_in(database, by, "replace record", posting)
        return replace(before, record=record)

    def replace_rows(self, posting: str, batches: Iterable[RowBatch], *, by: str) -> tuple[int, int]:
        """Have a posting have other rows of the same fields from now on; its outlets stay, and each difference is an
        edit of its history. Returns how many rows were added and deleted. Raises KeyError, BadRow."""
        before = self.posting(posting)
        if not before.has_rows:
            raise NotAllowed("it is a file, and has no rows")
        with self.database.changing() as database:
            done = PostedRows(self.database, before).replace_all(database, batches, by)
            self.people.note_in(database, by, "replace", posting)
        return done

    def replace_file(self, posting: str, path: Path, *, by: str) -> Posting:
        """Have a posting be another file from now on; the one before stays in the store. Raises KeyError, OSError."""
        before = self.posting(posting)
        if not before.file:
            raise NotAllowed("it has rows, and is no file")
        with self.database.changing() as database:
            made = replace(before, file=self.files.add(path))
            database.execute("UPDATE posting SET file = ? WHERE id = ?", [made.file, posting])
            PostedRows(self.database, before).note_other(database, "file", before.file, made.file, by)
            self.people.note_in(database, by, "replace", posting)
        return made

    def file_of(self, posting: Posting) -> Path:
        """Return where the file of a posting lies."""
        return self.files.path(posting.file)

    def _note_posting(self, database: StoreConnection, wanted: Posting) -> Posting:
        """Note a new posting under an id and a number of its own."""
        taken = {name for (name,) in database.execute("SELECT id FROM posting UNION SELECT id FROM outlet")}
        (last,) = database.execute("SELECT coalesce(max(number), 0) FROM posting").fetchone()
        made = replace(wanted, id=free_name(id_of(wanted.title), taken), number=last + 1)
        database.execute(
            "INSERT INTO posting (id, number, title, owner, crs, geometry_type, summary, fields, record, file) "
            "VALUES (?, ?, ?, ?, ?, ?, ?, ?, ?, ?)",
            [made.id, made.number, made.title, made.owner, made.crs, made.geometry_type, made.summary,
             json.dumps([asdict(field) for field in made.fields]), made.record, made.file],
        )  # fmt: skip
        self.people.note_in(database, made.owner, "post", made.id)
        return made

    def last_edit(self, posting: str) -> tuple[str, str] | None:
        """Return when a posting was last edited (UTC) and by which account, None where it was not."""
        asked = "SELECT at, account FROM edit WHERE posting = ? ORDER BY number DESC LIMIT 1"
        found = self.database.reading.execute(asked, [posting]).fetchone()
        return (found[0], found[1]) if found is not None else None

    def withdraw(self, name: str, *, by: str) -> None:
        """Remove a posting with its outlets, rows and history. Raises KeyError."""
        posting = self.posting(name)
        with self.database.changing() as database:
            if posting.file:
                self._drop_files(posting)
            elif posting.has_rows:
                PostedRows(self.database, posting).drop(database)
            database.execute("DELETE FROM posting WHERE id = ?", [name])
            self.people.note_in(database, by, "withdraw", name)

    def _drop_files(self, posting: Posting) -> None:
        """Remove the files that a posting is and was."""
        names = {posting.file}
        for edit in PostedRows(self.database, posting).edits():
            names |= {str(row.values["file"]) for row in (edit.before, edit.after) if row and row.name == "file"}
        self.files.remove(names)

    def rows(self, posting: str) -> PostedRows:
        """Return all rows of a posting, for its owners. Raises KeyError."""
        return PostedRows(self.database, self.posting(posting))

    # Outlets

    @property
    def outlets(self) -> list[Outlet]:
        """All outlets, by id."""
        return [
            _outlets().validate_json(text)
            for (text,) in self.database.reading.execute("SELECT about FROM outlet ORDER BY id")
        ]

    def outlet(self, name: str) -> Outlet:
        """Return an outlet by its id. Raises KeyError."""
        found = self.database.reading.execute("SELECT about FROM outlet WHERE id = ?", [name]).fetchone()
        return _outlets().validate_json(found[0]) if found is not None else _missing(name)

    def offer(self, outlet: Outlet, *, by: str) -> Outlet:
        """Offer a posting through a new outlet, or change the one of this id. Raises KeyError, BadOutlet and
        BadExpression for one that its posting does not allow."""
        posting = self.posting(outlet.posting)
        outlet.check(posting)
        if posting.has_rows:
            OutletRows(PostedRows(self.database, posting), outlet).count()  # its condition can be asked
        with self.database.changing() as database:
            if not outlet.id:
                taken = {name for (name,) in database.execute("SELECT id FROM outlet")}
                outlet = replace(outlet, id=free_name(id_of(outlet.title), taken))
            database.execute(
                "INSERT INTO outlet VALUES (?, ?, ?) ON CONFLICT (id) DO UPDATE SET about = excluded.about",
                [outlet.id, outlet.posting, _outlets().dump_json(outlet).decode()],
            )
            self.people.note_in(database, by, "offer", outlet.id)
        return outlet

    def close_outlet(self, name: str, *, by: str) -> None:
        """Offer an outlet no longer."""
        with self.database.changing() as database:
            database.execute("DELETE FROM outlet WHERE id = ?", [name])
            self.people.note_in(database, by, "close outlet", name)

    # Through an outlet

    def readable(self, who: Identity) -> list[Outlet]:
        """Return the outlets that somebody may read."""
        return [outlet for outlet in self.outlets if Right.READ in self.rights(outlet, who)]

    def rights(self, outlet: Outlet, who: Identity) -> frozenset[Right]:
        """Return what somebody may do with an outlet now."""
        return outlet.rights_of(who, datetime.now(UTC))

    def seen(self, name: str, who: Identity) -> tuple[Outlet, Posting]:
        """Return an outlet and its posting for somebody who may read it. Raises KeyError for one that there is not, or
        not for them, which is the same."""
        outlet = self.outlet(name)
        if Right.READ not in self.rights(outlet, who):
            _missing(name)
        return outlet, self.posting(outlet.posting)

    def through(self, name: str, who: Identity) -> OutletRows:
        """Return the rows of an outlet for somebody who may read it. Raises KeyError for one that there is not, not for
        them, or without rows."""
        outlet, posting = self.seen(name, who)
        return self.rows_shown(outlet, posting) if posting.has_rows else _missing(name)

    def rows_shown(self, outlet: Outlet, posting: Posting) -> OutletRows:
        """Return the rows of an outlet, whoever may read it."""
        return OutletRows(PostedRows(self.database, posting), outlet)

    def add_row(self, name: str, who: Identity, values: dict[str, Any], wkb: bytes | None, mark: str = "") -> ShownRow:
        """Add a row. What comes with a `mark` that the same account sent before is not added again. Raises KeyError,
        NotAllowed, BadRow, and RowGone for what was added before and is not shown any more."""
        shown = self._for(name, who, Right.ADD)
        made = _sources(shown, values)
        with self.database.changing() as database:
            if mark and (before := self._sent_before(database, shown, who, mark)):
                found = shown.row(before)
                if found is None:
                    raise RowGone(before)
                return found
            row = shown.rows.add(database, made, wkb, who.account)
            if mark:
                now = time_text(datetime.now(UTC))
                stated = [who.account, mark, shown.rows.posting.id, row.name, now]
                database.execute("INSERT INTO sent VALUES (?, ?, ?, ?, ?)", stated)
            return _still_shown(shown, row.name)

    @staticmethod
    def _sent_before(database: StoreConnection, shown: OutletRows, who: Identity, mark: str) -> str:
        """Return the row that was added with a mark, "" for none. Marks are known for some days."""
        database.execute("DELETE FROM sent WHERE at < ?", [time_text(datetime.now(UTC) - MARKS_KNOWN_FOR)])
        asked = "SELECT row FROM sent WHERE account = ? AND mark = ? AND posting = ?"
        found = database.execute(asked, [who.account, mark, shown.rows.posting.id]).fetchone()
        return found[0] if found is not None else ""

    def change_row(
        self, name: str, who: Identity, row: str, state: str, values: dict[str, Any],
        wkb: Callable[[bytes | None], bytes | None] = lambda wkb: wkb,
    ) -> ShownRow:  # fmt: skip
        """Change values of a row that is still in the state in which it was seen; `wkb` gives its new geometry from the
        stored one. Raises KeyError, RowGone, NotAllowed, EditConflict, BadRow."""
        shown = self._for(name, who, Right.CHANGE)
        made = _sources(shown, values)
        with self.database.changing() as database:
            stored = self._touched(shown, who, row, state, database)
            geometry = wkb(stored.wkb)
            if geometry != stored.wkb and shown.outlet.blur:
                raise NotAllowed("places are not exact here, and can't be changed")
            shown.rows.change(database, row, made, geometry, who.account)
            return _still_shown(shown, row)

    def delete_row(self, name: str, who: Identity, row: str, state: str) -> None:
        """Delete a row that is still in the state in which it was seen. Raises KeyError, RowGone, NotAllowed,
        EditConflict."""
        shown = self._for(name, who, Right.DELETE)
        with self.database.changing() as database:
            self._touched(shown, who, row, state, database)
            shown.rows.delete(database, row, who.account)

    def figures(self, shown: OutletRows) -> OutletFigures:
        """Return how many rows an outlet shows and where they lie."""
        return self._figures.of(shown)

    def changes(self, name: str, who: Identity, cursor: str) -> ShownChanges:
        """Return what changed since a cursor in what an outlet shows. Raises KeyError, BadCursor."""
        return changes_since(self.through(name, who), cursor, self._looked_at)

    def history(self, name: str, who: Identity, row: str) -> list[ShownEdit]:
        """Return what was done to a row, as an outlet shows it, for those who may change something there. Raises
        KeyError, RowGone, NotAllowed."""
        shown = self.through(name, who)
        self._check_may_look_back(shown, who)
        found = edits_of(shown, row)
        if not found and shown.row(row) is None:
            raise RowGone(row)
        return found

    def as_it_was(self, name: str, who: Identity, when: datetime) -> list[ShownRow]:
        """Return the rows that an outlet as it is offered now would have shown at a time, for those who may change
        something there. Raises KeyError, NotAllowed."""
        shown = self.through(name, who)
        self._check_may_look_back(shown, who)
        return list(shown.as_shown(list(shown.rows.rows_at(time_text(when)).values())).values())

    def _check_may_look_back(self, shown: OutletRows, who: Identity) -> None:
        if not self.rights(shown.outlet, who) - {Right.READ}:
            raise NotAllowed("who did what is for those who may change something here")

    def undo_through(self, name: str, who: Identity, row: str, edit: str) -> ShownRow | None:
        """Take back an edit that the history of a row has. Returns the row as it is shown then, None where it is gone.
        Raises KeyError, RowGone, NotAllowed, UndoConflict, BadCursor."""
        shown = self.through(name, who)
        self.history(name, who, row)  # for those who may look at it alone
        number = edit_number(shown, edit)
        if shown.rows.edit(number).row != row:
            raise RowGone(row)
        self.undo(shown.rows.posting.id, number, who)
        return shown.row(row)

    def undo(self, posting: str, number: int, who: Identity) -> PostedRow | None:
        """Take back an edit of one's own, or any edit as an owner. Raises KeyError, RowGone, NotAllowed,
        UndoConflict."""
        rows = self.rows(posting)
        with self.database.changing() as database:
            edit: RowEdit = rows.edit(number, database)
            if not (who.is_owner or (who.account and edit.account == who.account)):
                raise NotAllowed("it was done by somebody else")
            return rows.undo(database, number, who.account)

    def _for(self, name: str, who: Identity, right: Right) -> OutletRows:
        shown = self.through(name, who)
        if right not in self.rights(shown.outlet, who):
            raise NotAllowed(f"you may not {right} here")
        return shown

    @staticmethod
    def _touched(shown: OutletRows, who: Identity, row: str, state: str, database: StoreConnection) -> PostedRow:
        seen = shown.row(row)  # by the connection of this thread, which the transaction is of
        if seen is None:
            raise RowGone(row)
        stored = shown.rows.row(row, database)
        if not shown.may_touch(stored, who):
            raise NotAllowed("it was added by somebody else")
        if seen.state != state:
            raise EditConflict(seen)
        return stored


def _batches(posting: Posting, rows: Iterable[tuple[Mapping[str, Any], bytes | None]]) -> Iterator[RowBatch]:
    """Yield rows as they are stored. Raises BadRow."""
    empty = dict.fromkeys(field.name for field in posting.fields)
    coming = iter(rows)
    while some := list(islice(coming, AT_ONCE)):
        values = [tuple((empty | checked_values(posting, each)).values()) for each, _ in some]
        yield RowBatch(values, [shape for _, shape in some])


def id_of(title: str) -> str:
    """Return a title as it stands in addresses."""
    return re.sub(r"[^a-z0-9]+", "_", title.casefold()).strip("_")[:60] or "posting"


def _missing(name: str) -> Any:
    raise KeyError(name)


def _sources(shown: OutletRows, values: dict[str, Any]) -> dict[str, Any]:
    try:
        return shown.sources_of(values)
    except KeyError as error:
        raise BadRow(f"there is no field {error.args[0]}") from None
    except PermissionError as error:
        raise NotAllowed(str(error)) from None


def _still_shown(shown: OutletRows, row: str) -> ShownRow:
    """Return a row as it is shown after a change, in the middle of the transaction. Raises NotAllowed for one that is
    not shown any more: who sees some rows makes no others."""
    found = shown.row(row)
    if found is None:
        raise NotAllowed("the row would not be among those that are shown here")
    return found


def _posting(
    name: str, number: int, title: str, owner: str, fields: str, crs: str | None, geometry_type: str, summary: str,
    record: str, file: str,
) -> Posting:  # fmt: skip
    stated = tuple(PostedField(each["name"], FieldType(each["type"]), each["unit"]) for each in json.loads(fields))
    return Posting(name, number, title, owner, stated, crs, geometry_type, summary, record, file)


@cache
def _outlets() -> TypeAdapter[Outlet]:
    return TypeAdapter(Outlet)


__all__ = ["DepotStore", "EditConflict", "NotAllowed", "RowsAsked", "UndoConflict"]
