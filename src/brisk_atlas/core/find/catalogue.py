"""What was found out about datasets, stored in the user's cache, with an index of their words.

One SQLite file. A row is good as long as the files that it speaks of have the sizes and times that
they had; it is made anew otherwise.
"""

from __future__ import annotations

import logging
import re
import sqlite3
import threading
from collections.abc import Iterable, Iterator
from contextlib import contextmanager
from pathlib import Path

from brisk_atlas.core.model import DataRef
from brisk_atlas.core.system.folders import cache_folder, make_private
from brisk_atlas.version import VERSION

from .listing import Entry
from .summary import DatasetSummary, from_text, to_text

SCHEMA = f"5 {VERSION}"  # another one empties the cache
MOST_FOUND = 300
PATIENCE_S = 5.0  # for another window that writes
log = logging.getLogger(__name__)
_TABLES = (
    """CREATE TABLE known (
    id INTEGER PRIMARY KEY, folder TEXT NOT NULL, path TEXT NOT NULL UNIQUE, state TEXT NOT NULL, row TEXT NOT NULL,
    name TEXT, title TEXT, fields TEXT, keywords TEXT, abstract TEXT)""",
    "CREATE INDEX known_folder ON known (folder)",
    """CREATE VIRTUAL TABLE words USING fts5 (
    name, title, fields, keywords, abstract, content='known', content_rowid='id', prefix='1 2 3',
    tokenize="unicode61 remove_diacritics 2")""",
    """CREATE TRIGGER known_in AFTER INSERT ON known BEGIN
    INSERT INTO words (rowid, name, title, fields, keywords, abstract)
    VALUES (new.id, new.name, new.title, new.fields, new.keywords, new.abstract); END""",
    """CREATE TRIGGER known_out AFTER DELETE ON known BEGIN
    INSERT INTO words (words, rowid, name, title, fields, keywords, abstract)
    VALUES ('delete', old.id, old.name, old.title, old.fields, old.keywords, old.abstract); END""",
)
_TIERS = ("name : ", "{name title} : ", "{name title keywords fields} : ", "")  # where all words stand; the best first
_WORD = re.compile(r"\w+")


def catalogue_file() -> Path:
    """Return the file of the catalogue in the user's cache."""
    return cache_folder() / "catalogue.db"


@contextmanager
def _unless_locked() -> Iterator[None]:
    """Do without the cache where another program holds it, or it fails."""
    try:
        yield
    except sqlite3.Error:
        log.warning("the catalogue can't be used", exc_info=True)


class Catalogue:
    """The stored rows. Used from several threads, one at a time; a cache that can't be used is done without."""

    def __init__(self, file: Path | None = None) -> None:
        self._lock = threading.Lock()
        self._database = self._opened(file or catalogue_file())

    def _opened(self, file: Path) -> sqlite3.Connection:
        try:
            make_private(file.parent)
            return self._ready(sqlite3.connect(file, check_same_thread=False, timeout=PATIENCE_S))
        except (sqlite3.Error, OSError) as error:
            log.warning("the catalogue %s can't be opened", file, exc_info=True)
            try:
                if getattr(error, "sqlite_errorcode", 0) & 0xFF not in (sqlite3.SQLITE_CORRUPT, sqlite3.SQLITE_NOTADB):
                    raise
                for ending in ("", "-wal", "-shm"):  # damaged: it is only a cache
                    file.with_name(file.name + ending).unlink(missing_ok=True)
                return self._ready(sqlite3.connect(file, check_same_thread=False, timeout=PATIENCE_S))
            except (sqlite3.Error, OSError):
                return self._ready(sqlite3.connect(":memory:", check_same_thread=False))

    @staticmethod
    def _ready(database: sqlite3.Connection) -> sqlite3.Connection:
        database.execute("PRAGMA journal_mode = WAL")
        database.execute("PRAGMA synchronous = NORMAL")
        database.isolation_level = None
        database.execute("BEGIN IMMEDIATE")  # several windows may start at once; one of them makes the tables
        try:
            database.execute("CREATE TABLE IF NOT EXISTS about (schema TEXT)")
            found = database.execute("SELECT schema FROM about").fetchone()
            if found is None or found[0] != SCHEMA:
                for name in ("words", "known"):
                    database.execute(f"DROP TABLE IF EXISTS {name}")
                database.execute("DELETE FROM about")
                for statement in _TABLES:
                    database.execute(statement)
                database.execute("INSERT INTO about VALUES (?)", (SCHEMA,))
            database.execute("COMMIT")
        except BaseException:
            database.execute("ROLLBACK")
            raise
        database.isolation_level = "DEFERRED"
        return database

    def rows_in(self, folder: Path | DataRef) -> dict[str, tuple[str, str]]:
        """Return state and row (as text) of all that is known in a folder, by path."""
        with self._lock, _unless_locked():
            found = self._database.execute("SELECT path, state, row FROM known WHERE folder = ?", (_text(folder),))
            return {path: (state, row) for path, state, row in found}
        return {}

    def known(self, folder: Path | DataRef, entries: Iterable[Entry]) -> tuple[dict[DataRef, str], list[Entry]]:
        """Return the rows (as text, see `summary.from_text`) that still hold, and the entries without one."""
        stored = self.rows_in(folder)
        good: dict[DataRef, str] = {}
        rest = []
        for entry in entries:
            state, row = stored.get(_text(entry.ref), ("", ""))
            if row and state == entry.state:
                good[entry.ref] = row
            else:
                rest.append(entry)
        return good, rest

    def store(self, folder: Path | DataRef, found: Iterable[tuple[Entry, DatasetSummary]]) -> None:
        """Keep rows; what was stored of the same paths goes."""
        values = []
        for entry, row in found:
            text = to_text(row._replace(abstract="", fields="", keywords=""))
            words = (entry.name, row.title, row.fields, row.keywords, row.abstract)
            values.append((_text(folder), _text(entry.ref), entry.state, text, *map(_text, words)))
        with self._lock, _unless_locked(), self._database as database:
            database.executemany("DELETE FROM known WHERE path = ?", [(value[1],) for value in values])
            database.executemany(
                "INSERT INTO known (folder, path, state, row, name, title, fields, keywords, abstract)"
                " VALUES (?, ?, ?, ?, ?, ?, ?, ?, ?)",
                values,
            )

    def forget_gone(self, folder: Path, present: Iterable[Path]) -> None:
        """Drop the rows of a folder for what is no longer in it."""
        here = {_text(path) for path in present}
        gone = [(path,) for path in self.rows_in(folder) if path not in here]
        if gone:
            with self._lock, _unless_locked(), self._database as database:
                database.executemany("DELETE FROM known WHERE path = ?", gone)

    def search(self, text: str, below: Iterable[Path | DataRef], most: int = MOST_FOUND) -> list[DatasetSummary]:
        """Return the datasets below some folders, and those listed of some databases and services, that have all words
        of `text`, or their beginnings, in their name, field names, title, keywords or summary; those with them in the
        name first.

        Each step stops at `most`, so that a word that stands everywhere is answered as fast as a rare one.
        """
        words = _WORD.findall(text)
        roots = [
            f"{_text(place)}#" if isinstance(place, DataRef) else f"{_text(place).rstrip('/')}/" for place in below
        ]
        if not words or not roots:
            return []
        places = " OR ".join("k.path LIKE ? ESCAPE '!'" for _ in roots)
        likes = [re.sub(r"([!%_])", r"!\1", root) + "%" for root in roots]
        asked = (
            "SELECT k.id, k.path, k.row FROM words JOIN known k ON k.id = words.rowid"
            f" WHERE words MATCH ? AND ({places}) LIMIT ?"
        )
        found: dict[int, tuple[str, str]] = {}
        with self._lock, _unless_locked():
            for columns in _TIERS if len(words) < 3 else _TIERS[-1:]:  # names seldom have many words
                rest = most - len(found)
                if rest <= 0:
                    break
                for number, path, row in self._database.execute(asked, (_in_columns(columns, words), *likes, most)):
                    found.setdefault(number, (path, row))
        return [from_text(row)._replace(path=path) for path, row in list(found.values())[:most]]

    def __len__(self) -> int:
        with self._lock:
            return self._database.execute("SELECT COUNT(*) FROM known").fetchone()[0]

    def close(self) -> None:
        with self._lock:
            self._database.close()


def _in_columns(columns: str, words: list[str]) -> str:
    """Return the question to the index: all words, or their beginnings, in some of its columns."""
    return columns + "(" + " AND ".join(f'"{word}"*' for word in words) + ")"


def _text(words: Path | DataRef | str) -> str:
    """Return a path or words as SQLite can keep them, names in other encodings included."""
    return str(words).encode("utf-8", "surrogateescape").decode("utf-8", "backslashreplace")
