"""The rows of a posting: added, changed and deleted, each time with what was there before."""

from __future__ import annotations

import hashlib
import json
import secrets
from collections.abc import Iterable, Iterator, Mapping
from dataclasses import dataclass
from datetime import UTC, datetime
from enum import StrEnum
from typing import Any, NamedTuple

import numpy as np
import shapely

from .posting import FieldType, Posting, Value, time_text, value_as
from .store_database import ALL, StoreConnection, StoreDatabase

TYPE_IDS = {"Point": (0, 4), "LineString": (1, 2, 5), "Polygon": (3, 6)}  # as the library numbers them, with Multi
AT_ONCE = 20_000  # rows that are read together
NO_NUMBERS, NO_BOUNDS = np.zeros(0, np.int64), np.zeros((0, 4))
ROW_BYTES = 12  # of the random names of rows, which say nothing of their number or order


class Deed(StrEnum):
    ADD = "add"
    CHANGE = "change"
    DELETE = "delete"


class RowGone(LookupError):
    """A row that is not there, or no longer."""


class BadRow(ValueError):
    """Values or a geometry that the posting can't hold, with the reason."""


class UndoConflict(RuntimeError):
    """An edit that can't be undone, as the row was changed since."""


@dataclass(frozen=True)
class PostedRow:
    """A row as it is stored. `wkb` is its geometry in the posting's CRS; `added_by` an account, "" for none."""

    name: str
    values: dict[str, Value]
    wkb: bytes | None
    added_by: str

    def as_text(self) -> str:
        """Return it as the history has it."""
        shape = self.wkb.hex() if self.wkb is not None else None
        return json.dumps({"values": self.values, "wkb": shape, "added_by": self.added_by}, ensure_ascii=False)

    @classmethod
    def from_text(cls, name: str, text: str) -> PostedRow:
        """Return the row that the history has."""
        stored = json.loads(text)
        wkb = bytes.fromhex(stored["wkb"]) if stored["wkb"] is not None else None
        return cls(name, stored["values"], wkb, stored["added_by"])


@dataclass(frozen=True)
class RowEdit:
    """What was done to a row: who, when (UTC), and the row before and after, None where there was none. `undoes` is the
    number of the edit that it takes back."""

    number: int
    row: str
    deed: Deed
    account: str
    at: str
    before: PostedRow | None
    after: PostedRow | None
    undoes: int | None = None


class RowBatch(NamedTuple):
    """Some rows of a posting: their values in the order of its fields, as they are stored, and their geometry."""

    values: list[tuple[Value, ...]]
    shapes: list[bytes | None]


def checked_values(posting: Posting, values: Mapping[str, Any]) -> dict[str, Value]:
    """Return values by field as they are stored. Raises BadRow."""
    made = {}
    for name, value in values.items():
        try:
            made[name] = value_as(value, posting.field(name).type)
        except KeyError:
            raise BadRow(f"there is no field {name}") from None
        except ValueError as error:
            raise BadRow(f"{name}: {error}") from None
    return made


def checked_wkb(posting: Posting, wkb: bytes | None) -> bytes | None:
    """Return a geometry as it is stored, little-endian. Raises BadRow for one that the posting can't hold."""
    if wkb is None:
        return None
    if not posting.has_shapes:
        raise BadRow("these rows have no geometry")
    shape = shapely.from_wkb(wkb, on_invalid="ignore")
    if shape is None or not all(map(_is_finite, shape.bounds if not shape.is_empty else (0.0,))):
        raise BadRow("the geometry can't be read, or has coordinates that are no numbers")
    wanted = posting.geometry_type.removesuffix(" Z")
    if wanted not in ("Unknown", "GeometryCollection") and shape.geom_type.removeprefix("Multi") != wanted.removeprefix(
        "Multi"
    ):
        raise BadRow(f"the geometry is a {shape.geom_type}, and these are {wanted}")
    return bytes(shapely.to_wkb(shape, byte_order=1, flavor="iso"))


def checked_shapes(posting: Posting, shapes: list[bytes | None]) -> tuple[list[bytes | None], np.ndarray]:
    """Return geometry as it is stored, and its bounds, (rows, 4), NaN without. Raises BadRow."""
    if not posting.has_shapes:
        if any(each is not None for each in shapes):
            raise BadRow("these rows have no geometry")
        return shapes, np.full((len(shapes), 4), np.nan)
    given = np.array(shapes, object)
    found = shapely.from_wkb(given, on_invalid="ignore")
    bounds = shapely.bounds(found)
    missing = shapely.is_missing(found)
    wanted = TYPE_IDS.get(posting.geometry_type.removesuffix(" Z").removeprefix("Multi"))
    strange = (
        np.isin(shapely.get_type_id(found), wanted, invert=True) if wanted is not None else np.zeros(len(found), bool)
    )
    known = np.array([each is not None for each in shapes], bool)
    empty = shapely.is_empty(found)
    endless = ~np.isfinite(bounds).all(axis=1) & ~empty
    for row in np.flatnonzero(known & (missing | endless | strange))[:1].tolist():
        checked_wkb(posting, shapes[row])  # which says why
        raise BadRow("the geometry can't be read")
    stored = shapely.to_wkb(found, byte_order=1, flavor="iso").tolist()
    return [bytes(each) if each is not None else None for each in stored], bounds


def new_names(count: int) -> list[str]:
    """Return random names for rows."""
    width, text = 2 * ROW_BYTES, secrets.token_bytes(ROW_BYTES * count).hex()
    return [text[begin : begin + width] for begin in range(0, width * count, width)]


def _digest(values: tuple[Value, ...], wkb: bytes | None) -> bytes:
    """Return a digest of the values and the geometry of a row; rows that are alike have the same."""
    return hashlib.blake2b(repr((values, wkb)).encode("utf-8", "surrogatepass"), digest_size=16).digest()


def _is_finite(number: float) -> bool:
    return number - number == 0.0


class PostedRows:
    """The rows of one posting in a store."""

    def __init__(self, store: StoreDatabase, posting: Posting) -> None:
        self.store, self.posting = store, posting
        self.table = f"rows_{posting.number}"
        # Beside what was done to rows stands that a posting got another record.
        self._done = "posting = ? AND row <> 'record'" if posting.has_rows else "posting = ?"
        self._columns = ", ".join(f"f{at}" for at in range(len(posting.fields)))

    # Reading

    def row(self, name: str, database: StoreConnection | None = None) -> PostedRow:
        """Return a row by its name. Raises RowGone."""
        asked = f"SELECT name, added_by, wkb{self._more} FROM {self.table} WHERE name = ?"
        found = (database or self.store.reading).execute(asked, [name]).fetchone()
        if found is None:
            raise RowGone(name)
        return self._row(found)

    def all_rows(self) -> Iterator[PostedRow]:
        """Yield all rows, in the order in which they came."""
        asked = f"SELECT name, added_by, wkb{self._more} FROM {self.table} ORDER BY id"
        for some in self.store.batches(asked, [], AT_ONCE):
            yield from map(self._row, some)

    @property
    def _more(self) -> str:
        return f", {self._columns}" if self._columns else ""

    def _row(self, found: tuple) -> PostedRow:
        name, added_by, wkb, *stored = found
        values = {field.name: bool(value) if field.type is FieldType.BOOLEAN and value is not None else value
                  for field, value in zip(self.posting.fields, stored)}  # fmt: skip
        return PostedRow(name, values, wkb, added_by)

    # Changing, within a transaction of the store

    def create(self, database: StoreConnection) -> None:
        """Make the tables of a posting; `add_batches` is to follow."""
        form = self.store.form
        columns = "".join(f", f{at} {form.types[each.type]}" for at, each in enumerate(self.posting.fields))
        database.execute(
            f"CREATE TABLE {self.table} (id {form.serial}, name {form.text} NOT NULL, "
            f"added_by {form.text} NOT NULL, wkb {form.binary}{columns})"
        )
        if self.posting.has_shapes:
            self.store.places.create(database, self.posting)

    def drop(self, database: StoreConnection) -> None:
        """Remove the tables of a posting."""
        if self.posting.has_shapes:
            self.store.places.drop(database, self.posting)
        database.execute(f"DROP TABLE {self.table}")

    def add(self, database: StoreConnection, values: Mapping[str, Any], wkb: bytes | None, account: str) -> PostedRow:
        """Add a row. Raises BadRow."""
        row = self._new(values, wkb, account)
        self._put(database, row)
        self._note(database, Deed.ADD, account, None, row)
        return row

    def add_batches(self, database: StoreConnection, batches: Iterable[RowBatch], account: str) -> int:
        """Add the rows that a posting begins with, which are no edits; returns how many. Raises BadRow."""
        places = list[tuple[np.ndarray, np.ndarray]]()
        count = 0

        def rows() -> Iterator[tuple[Any, ...]]:
            nonlocal count
            for batch in batches:
                shapes, bounds = checked_shapes(self.posting, batch.shapes)
                numbers = range(count + 1, count + len(batch.values) + 1)
                names = new_names(len(numbers))
                yield from ((number, name, account, wkb, *values)
                            for number, name, wkb, values in zip(numbers, names, shapes, batch.values))  # fmt: skip
                known = np.flatnonzero(np.isfinite(bounds[:, 0]))
                places.append((known + count + 1, bounds[known]))
                count += len(batch.values)

        self.store.fill(database, self.table, f"id, name, added_by, wkb{self._more}", rows())
        database.execute(f"CREATE UNIQUE INDEX row_names_{self.posting.number} ON {self.table} (name)")
        if self.posting.has_shapes:
            numbers, bounds = (np.concatenate(each) for each in zip(*places)) if places else (NO_NUMBERS, NO_BOUNDS)
            self.store.places.fill(database, self.posting, numbers, bounds)
        return count

    def replace_all(self, database: StoreConnection, batches: Iterable[RowBatch], account: str) -> tuple[int, int]:
        """Have these rows from now on, each difference an edit: what is there just so stays, so that whoever follows
        changes hears of the others alone. Returns how many were added and deleted. Raises BadRow."""
        there = dict[bytes, list[str]]()
        for row in self.all_rows():
            there.setdefault(_digest(tuple(row.values.values()), row.wkb), []).append(row.name)
        fields, coming = [field.name for field in self.posting.fields], list[tuple[dict[str, Any], bytes | None]]()
        for batch in batches:
            shapes, _ = checked_shapes(self.posting, batch.shapes)
            for values, wkb in zip(batch.values, shapes):
                alike = there.get(_digest(values, wkb))
                if alike:
                    alike.pop(0)
                else:
                    coming.append((dict(zip(fields, values)), wkb))
        gone = [name for names in there.values() for name in names]
        for name in gone:
            self.delete(database, name, account)
        for given, wkb in coming:
            self.add(database, given, wkb, account)
        return len(coming), len(gone)

    def _new(self, values: Mapping[str, Any], wkb: bytes | None, account: str) -> PostedRow:
        made = {field.name: None for field in self.posting.fields} | checked_values(self.posting, values)
        return PostedRow(new_names(1)[0], made, checked_wkb(self.posting, wkb), account)

    def change(
        self, database: StoreConnection, name: str, values: Mapping[str, Any], wkb: bytes | None, account: str
    ) -> PostedRow:
        """Change some values of a row, and its geometry to `wkb`. Raises RowGone, BadRow."""
        before = self.row(name, database)
        made = before.values | checked_values(self.posting, values)
        after = PostedRow(name, made, checked_wkb(self.posting, wkb), before.added_by)
        self._put(database, after)
        self._note(database, Deed.CHANGE, account, before, after)
        return after

    def delete(self, database: StoreConnection, name: str, account: str) -> None:
        """Delete a row. Raises RowGone."""
        before = self.row(name, database)
        self._take(database, name)
        self._note(database, Deed.DELETE, account, before, None)

    def undo(self, database: StoreConnection, number: int, account: str) -> PostedRow | None:
        """Take an edit back; returns the row as it is then, None where it is gone. Raises RowGone for an edit that
        there is not, UndoConflict where what it made was changed since, or it was taken back already."""
        edit = self.edit(number, database)
        if database.execute("SELECT 1 FROM edit WHERE undoes = ?", [number]).fetchone():
            raise UndoConflict("it was taken back already")
        try:
            now: PostedRow | None = self.row(edit.row, database)
        except RowGone:
            now = None
        if now != edit.after:
            raise UndoConflict("the row was changed since")
        self._take(database, edit.row)
        if edit.before is not None:
            self._put(database, edit.before)
        deed = Deed.CHANGE if edit.before and edit.after else Deed.ADD if edit.before else Deed.DELETE
        self._note(database, deed, account, now, edit.before, number)
        return edit.before

    def _put(self, database: StoreConnection, row: PostedRow) -> None:
        stored = [row.values[field.name] for field in self.posting.fields]
        marks = "".join(f", f{at} = excluded.f{at}" for at in range(len(stored)))
        (number,) = database.execute(
            f"INSERT INTO {self.table} (name, added_by, wkb{self._more}) VALUES ({', '.join('?' * (3 + len(stored)))}) "
            f"ON CONFLICT (name) DO UPDATE SET wkb = excluded.wkb{marks} RETURNING id",
            [row.name, row.added_by, row.wkb, *stored],
        ).fetchone()
        if self.posting.has_shapes:
            xmin, ymin, xmax, ymax = shapely.bounds(shapely.from_wkb(row.wkb)).tolist()
            box = (xmin, ymin, xmax, ymax) if _is_finite(xmin) else None
            self.store.places.put(database, self.posting, number, box)

    def _take(self, database: StoreConnection, name: str) -> None:
        found = database.execute(f"DELETE FROM {self.table} WHERE name = ? RETURNING id", [name]).fetchone()
        if found is not None and self.posting.has_shapes:
            self.store.places.put(database, self.posting, found[0], None)

    # History

    def note_other(self, database: StoreConnection, what: str, before: str, after: str, account: str) -> None:
        """Note that a posting has another file or record from now on."""
        was, now = (PostedRow(what, {what: text}, None, account) for text in (before, after))
        self._note(database, Deed.CHANGE, account, was, now)

    def _note(
        self, database: StoreConnection, deed: Deed, account: str, before: PostedRow | None,
        after: PostedRow | None, undoes: int | None = None,
    ) -> None:  # fmt: skip
        row = after or before
        assert row is not None
        asked = "SELECT at FROM edit WHERE posting = ? ORDER BY number DESC LIMIT 1"
        (last,) = database.execute(asked, [self.posting.id]).fetchone() or ("",)
        at = max(time_text(datetime.now(UTC)), last)  # a clock that is set back does not turn time round
        texts = (each.as_text() if each is not None else None for each in (before, after))
        database.execute(
            "INSERT INTO edit (posting, row, deed, account, at, before, after, undoes) VALUES (?, ?, ?, ?, ?, ?, ?, ?)",
            [self.posting.id, row.name, deed.value, account, at, *texts, undoes],
        )

    def edits(self, row: str | None = None, *, after: int = 0, limit: int = ALL) -> list[RowEdit]:
        """Return what was done, to one row or to all, in its order, from after the number of an edit on; at most
        `limit` edits."""
        where, given = ("AND row = ?", [row]) if row is not None else ("", [])
        found = self.store.reading.execute(
            f"SELECT number, row, deed, account, at, before, after, undoes FROM edit "
            f"WHERE {self._done} AND number > ? {where} ORDER BY number LIMIT ?",
            [self.posting.id, after, *given, limit],
        )
        return [_edit(each) for each in found]

    def last_edits(self, count: int) -> list[RowEdit]:
        """Return what was done last, newest first."""
        found = self.store.reading.execute(
            f"SELECT number, row, deed, account, at, before, after, undoes FROM edit WHERE {self._done} "
            "ORDER BY number DESC LIMIT ?",
            [self.posting.id, count],
        )
        return [_edit(each) for each in found]

    @property
    def last_edit(self) -> int:
        """The number of the last edit, 0 before there was one."""
        asked = "SELECT coalesce(max(number), 0) FROM edit WHERE posting = ?"
        (found,) = self.store.reading.execute(asked, [self.posting.id]).fetchone()
        return int(found)

    def edit(self, number: int, database: StoreConnection | None = None) -> RowEdit:
        """Return an edit by its number. Raises RowGone."""
        found = (database or self.store.reading).execute(
            f"SELECT number, row, deed, account, at, before, after, undoes FROM edit WHERE {self._done} AND number = ?",
            [self.posting.id, number],
        ).fetchone()  # fmt: skip
        if found is None:
            raise RowGone(str(number))
        return _edit(found)

    def rows_at(self, when: str) -> dict[str, PostedRow]:
        """Return the rows as they were at a time (UTC, ISO 8601), by name."""
        with self.store.one_moment():
            rows = {row.name: row for row in self.all_rows()}
            later = [edit for edit in self.edits() if edit.at > when]
        for edit in reversed(later):
            if edit.before is None:
                rows.pop(edit.row, None)
            else:
                rows[edit.row] = edit.before
        return rows


def _edit(found: tuple) -> RowEdit:
    number, row, deed, account, at, before, after, undoes = found
    was, now = (PostedRow.from_text(row, text) if text is not None else None for text in (before, after))
    return RowEdit(number, row, Deed(deed), account, at, was, now, undoes)
