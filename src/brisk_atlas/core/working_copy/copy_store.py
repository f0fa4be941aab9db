"""The file of a working copy: SQLite, so that nothing that was done is lost when the program ends at any moment.

What was done is a tree of steps: each knows the one before it, so that a draft is named by its last step, and going
back to an earlier one is another name and no deed.
"""

from __future__ import annotations

import hashlib
import json
import sqlite3
from collections.abc import Iterable, Iterator, Mapping, Sequence
from contextlib import closing, contextmanager
from pathlib import Path
from typing import Any

from pydantic import TypeAdapter

from brisk_atlas.core.model import CannotRead, DataRef
from brisk_atlas.core.model.language import tr
from brisk_atlas.core.system.folders import data_folder, make_private

from .draft_refs import outlet_in
from .merging import MergedRow, folded, merged
from .shared_rows import DraftStep, RowDraft, SharedOutlet, SharedRow, StepDeed

VERSION = 1
BUSY_S = 10.0
SCHEMA = """
CREATE TABLE about (name TEXT PRIMARY KEY, value TEXT NOT NULL);
CREATE TABLE base (id INTEGER PRIMARY KEY AUTOINCREMENT, name TEXT NOT NULL UNIQUE, state TEXT NOT NULL,
    content TEXT NOT NULL, wkb BLOB);
CREATE TABLE step (number INTEGER PRIMARY KEY AUTOINCREMENT, parent INTEGER NOT NULL, row TEXT NOT NULL,
    deed TEXT NOT NULL, content TEXT NOT NULL, wkb BLOB, moves INTEGER NOT NULL, base TEXT, base_wkb BLOB,
    sent INTEGER NOT NULL DEFAULT 0);
CREATE TABLE sent_row (mark TEXT PRIMARY KEY, name TEXT NOT NULL);
"""
_ABOUT = TypeAdapter(SharedOutlet)


class WorkingCopy:
    """A copy of an outlet. Safe for threads and processes: each question has a connection of its own."""

    def __init__(self, path: Path) -> None:
        self.path = path

    @classmethod
    def of(cls, ref: DataRef) -> WorkingCopy:
        """Return the copy that a reference means, whether it is there or not."""
        place = f"{ref.address}#{outlet_in(ref)}"
        return cls(data_folder("copies") / f"{hashlib.sha256(place.encode()).hexdigest()[:32]}.sqlite")

    @property
    def is_there(self) -> bool:
        """Whether something was copied."""
        return self.path.is_file()

    @contextmanager
    def _opened(self, *, changing: bool = False) -> Iterator[sqlite3.Connection]:
        if not changing and not self.is_there:
            raise CannotRead(self.path, tr("there is no copy of this outlet here"), tr("Open it from its Depot again."))
        if not self.path.parent.is_dir():
            make_private(self.path.parent)
        try:
            with closing(sqlite3.connect(self.path, timeout=BUSY_S, isolation_level=None)) as database:
                database.execute("PRAGMA journal_mode = WAL")
                database.execute("PRAGMA synchronous = FULL")
                if changing:
                    database.execute("BEGIN IMMEDIATE")
                    if database.execute("PRAGMA user_version").fetchone()[0] == 0:
                        for statement in SCHEMA.split(";"):
                            database.execute(statement)
                        database.execute(f"PRAGMA user_version = {VERSION}")
                yield database
                if changing:
                    database.execute("COMMIT")
        except sqlite3.DatabaseError as error:
            raise CannotRead(
                self.path, tr("the copy can't be used ({error})", error=error), tr("Free space, or copy it anew.")
            ) from error

    # The rows as the Depot shows them

    def begin(self, about: SharedOutlet, rows: Iterable[SharedRow], cursor: str) -> None:
        """Take all rows of an outlet. What was done here before stays."""
        with self._opened(changing=True) as database:
            database.execute("DELETE FROM base")
            self._take(database, rows)
            _note(database, {"outlet": _ABOUT.dump_json(about).decode(), "cursor": cursor})

    def take(self, changed: Iterable[SharedRow], gone: Iterable[str], cursor: str | None = None) -> None:
        """Take rows that the Depot shows otherwise now, and the names of those that it shows no longer."""
        with self._opened(changing=True) as database:
            self._take(database, changed)
            database.executemany("DELETE FROM base WHERE name = ?", [(name,) for name in gone])
            _note(database, {"cursor": cursor} if cursor is not None else {})

    @staticmethod
    def _take(database: sqlite3.Connection, rows: Iterable[SharedRow]) -> None:
        database.executemany(
            "INSERT INTO base (name, state, content, wkb) VALUES (?, ?, ?, ?) ON CONFLICT (name) DO UPDATE SET "
            "state = excluded.state, content = excluded.content, wkb = excluded.wkb",
            ((row.name, row.state, _text(row.values), row.wkb) for row in rows),
        )

    @property
    def outlet(self) -> SharedOutlet:
        """What the outlet is. Raises CannotRead."""
        return _ABOUT.validate_json(self._about("outlet"))

    @property
    def cursor(self) -> str:
        """Up to where changes of the outlet are known here."""
        return self._about("cursor")

    @property
    def version(self) -> str:
        """A text that differs once other rows were taken."""
        return self._about("version")

    @property
    def shown_draft(self) -> int:
        """The draft that was shown last, by which work goes on that was closed and not saved in a project."""
        with self._opened() as database:
            found = database.execute("SELECT value FROM about WHERE name = 'shown'").fetchone()
        return int(found[0]) if found is not None else 0

    def note_shown(self, draft: int) -> None:
        """Note which draft is shown."""
        if draft != self.shown_draft:
            with self._opened(changing=True) as database:
                database.execute("INSERT OR REPLACE INTO about VALUES ('shown', ?)", [str(draft)])

    def _about(self, name: str) -> str:
        with self._opened() as database:
            found = database.execute("SELECT value FROM about WHERE name = ?", [name]).fetchone()
        if found is None:
            raise CannotRead(self.path, tr("the copy is not complete"), tr("Open the outlet from its Depot again."))
        return str(found[0])

    def rows(self) -> list[SharedRow]:
        """Return all rows as the Depot last showed them, in the order in which they came."""
        with self._opened() as database:
            found = database.execute("SELECT name, content, wkb, state FROM base ORDER BY id").fetchall()
        return [SharedRow(name, json.loads(content), wkb, state) for name, content, wkb, state in found]

    def row(self, name: str) -> SharedRow | None:
        """Return a row as the Depot last showed it."""
        with self._opened() as database:
            return _row_in(database, name)

    # What was done here

    def add_steps(self, draft: int, steps: Sequence[DraftStep]) -> int:
        """Note what was done after a draft; returns the draft that this makes."""
        with self._opened(changing=True) as database:
            for step in steps:
                base = _text({**step.base.values, "": step.base.state}) if step.base is not None else None
                (draft,) = database.execute(
                    "INSERT INTO step (parent, row, deed, content, wkb, moves, base, base_wkb) "
                    "VALUES (?, ?, ?, ?, ?, ?, ?, ?) RETURNING number",
                    [draft, step.row, step.deed, _text(step.values), step.wkb, step.moves, base,
                     step.base.wkb if step.base is not None else None],
                ).fetchone()  # fmt: skip
        return draft

    def draft_rows(self, draft: int, *, done: bool = False) -> list[MergedRow]:
        """Return the rows that a draft changes and that were not sent yet, on top of how the Depot shows them; those
        that it shows so already only where `done`."""
        with self._opened() as database:
            drafts = folded(_steps(database, draft))
            found = [merged(each, _row_in(database, name)) for name, each in drafts.items()]
        return [each for each in found if done or not each.is_done]

    def was_sent(self, draft: RowDraft, now: SharedRow | None) -> None:
        """Note that the Depot has what was done to a row, which it shows as `now`."""
        with self._opened(changing=True) as database:
            marks = ", ".join("?" * len(draft.steps))
            database.execute(f"UPDATE step SET sent = 1 WHERE number IN ({marks})", draft.steps)
            if now is None:
                database.execute("DELETE FROM base WHERE name = ?", [draft.row])
                return
            self._take(database, [now])
            _note(database, {})
            if draft.adds:
                database.execute("INSERT OR IGNORE INTO sent_row VALUES (?, ?)", [draft.row, now.name])


def _note(database: sqlite3.Connection, values: Mapping[str, str]) -> None:
    """Note something of the copy, and that its rows are others now."""
    (before,) = database.execute(
        "SELECT coalesce(max(CAST(value AS INTEGER)), 0) FROM about WHERE name = 'version'"
    ).fetchone()
    stated = {**values, "version": str(before + 1)}
    database.executemany("INSERT OR REPLACE INTO about VALUES (?, ?)", stated.items())


def _row_in(database: sqlite3.Connection, name: str) -> SharedRow | None:
    found = database.execute("SELECT name, content, wkb, state FROM base WHERE name = ?", [name]).fetchone()
    return SharedRow(found[0], json.loads(found[1]), found[2], found[3]) if found is not None else None


def _steps(database: sqlite3.Connection, draft: int) -> list[DraftStep]:
    """Return the steps of a draft that were not sent, in their order. Rows that were sent have the Depot's name."""
    found = database.execute(
        "WITH RECURSIVE chain(number) AS (VALUES (?) UNION ALL SELECT parent FROM step JOIN chain USING (number) "
        "WHERE parent > 0) SELECT s.number, coalesce(r.name, s.row), deed, content, wkb, moves, base, base_wkb "
        "FROM step s LEFT JOIN sent_row r ON r.mark = s.row WHERE s.number IN (SELECT number FROM chain) AND NOT sent "
        "ORDER BY s.number",
        [draft],
    )
    return [_step(database, *each) for each in found]


def _step(
    database: sqlite3.Connection, number: int, row: str, deed: str, content: str, wkb: bytes | None, moves: int,
    base: str | None, base_wkb: bytes | None,
) -> DraftStep:  # fmt: skip
    before = None
    if base is not None:
        values: dict[str, Any] = json.loads(base)
        before = SharedRow(row, values, base_wkb, values.pop("", ""))
    elif deed != StepDeed.ADD:  # of a row that was sent since: as the Depot shows it
        before = _row_in(database, row)
    return DraftStep(row, StepDeed(deed), json.loads(content), wkb, bool(moves), before, number)


def _text(values: Mapping[str, Any]) -> str:
    return json.dumps(dict(values), ensure_ascii=False)
