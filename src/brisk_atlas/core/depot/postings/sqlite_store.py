"""A Depot in a folder: an SQLite file, written ahead, so that a change is there whole or not at all."""

from __future__ import annotations

import os
import sqlite3
import threading
from collections.abc import Iterable, Iterator, Sequence
from contextlib import contextmanager
from functools import cached_property
from itertools import count
from pathlib import Path
from typing import Any
from weakref import WeakSet

from brisk_atlas.core.model import CannotRead
from brisk_atlas.core.table.server_sql import SQLITE

from .schema import VERSION, statements_since
from .shape_functions import add_shape_functions
from .sqlite_places import SqlitePlaces
from .store_database import SqlForm, StoreConnection
from .store_key import key_in

FILE, FILES = "depot.sqlite", "files"  # the rows of postings, and those that are files
BUSY_MS = 10_000


class _Link(sqlite3.Connection):
    """A connection that is closed with its thread: unlike its base it may be referred to without being held."""

    number = 0  # which no other connection has


class SqliteStore:
    """The database in a folder, made where there is none. Safe for threads, each of which has a connection of its own;
    several processes may use one folder. Raises CannotRead for a folder that holds another database."""

    form = SqlForm(
        "TEXT", "INTEGER", "REAL", "BLOB", "INTEGER PRIMARY KEY AUTOINCREMENT", "CAST(? AS {0})",
        "(round({0}, {1}) + 0.0)", SQLITE,
    )  # fmt: skip  # a zero has no sign, by which it would be known from which side it was rounded
    places = SqlitePlaces()

    def __init__(self, folder: Path) -> None:
        folder.mkdir(parents=True, exist_ok=True, mode=0o700)
        self.path, self.files = folder / FILE, folder / FILES
        self._own = threading.local()
        self._all: WeakSet[_Link] = WeakSet()
        self._numbers = count()
        self._lock = threading.Lock()
        if not self.path.exists():
            os.close(os.open(self.path, os.O_CREAT | os.O_RDWR, 0o600))  # nobody else reads it
        with self.changing() as database:
            (version,) = database.execute("PRAGMA user_version").fetchone()
            if version > VERSION:
                raise CannotRead(self.path, f"it is a Depot of version {version}", "Use the program that made it.")
            for statement in statements_since(version, self.form):
                database.execute(statement)
            database.execute(f"PRAGMA user_version = {VERSION}")

    @property
    def reading(self) -> _Link:
        """The connection of this thread, to read by."""
        database: _Link | None = getattr(self._own, "database", None)
        if database is None:
            try:
                database = sqlite3.connect(self.path, isolation_level=None, check_same_thread=False, factory=_Link)
                database.execute(f"PRAGMA busy_timeout = {BUSY_MS}")
                database.execute("PRAGMA journal_mode = WAL")
                database.execute("PRAGMA synchronous = FULL")
                database.execute("PRAGMA foreign_keys = ON")
                database.execute("PRAGMA trusted_schema = OFF")
                database.execute("PRAGMA case_sensitive_like = ON")
                add_shape_functions(database)
            except sqlite3.DatabaseError as error:
                raise CannotRead(
                    self.path, f"it is no database of a Depot ({error})", "Choose another folder."
                ) from error
            database.number = next(self._numbers)
            self._own.database = database
            with self._lock:
                self._all.add(database)
        return database

    def version_seen(self) -> tuple[int, int]:
        """Return what differs once another connection than that of this thread has changed something."""
        (found,) = self.reading.execute("PRAGMA data_version").fetchone()
        return self.reading.number, int(found)

    @contextmanager
    def changing(self) -> Iterator[sqlite3.Connection]:
        """Give the connection in a transaction that no other can come between: it is written when the block ends, and
        taken back where it raises."""
        database = self.reading
        database.execute("BEGIN IMMEDIATE")
        try:
            yield database
        except BaseException:
            database.execute("ROLLBACK")
            raise
        database.execute("COMMIT")

    @contextmanager
    def one_moment(self) -> Iterator[sqlite3.Connection]:
        """Give the connection to read by, and have all that is read in the block be of one moment."""
        database = self.reading
        database.execute("BEGIN")
        try:
            yield database
        finally:
            database.execute("COMMIT")

    def batches(self, statement: str, given: Sequence[Any], size: int) -> Iterator[list[tuple[Any, ...]]]:
        """Yield what a statement finds, some rows at a time, however many there are."""
        found = self.reading.execute(statement, given)
        while rows := found.fetchmany(size):
            yield rows

    def fill(self, database: StoreConnection, table: str, columns: str, rows: Iterable[Sequence[Any]]) -> None:
        """Add many rows to a table, whose key called `id` is among the columns."""
        marks = ", ".join("?" * len(columns.split(",")))
        database.executemany(f"INSERT INTO {table} ({columns}) VALUES ({marks})", rows)

    @cached_property
    def key(self) -> bytes:
        """A secret of this store, made once."""
        with self.changing() as database:
            return key_in(database)

    def close(self) -> None:
        """Close all connections."""
        with self._lock:
            for database in self._all:
                database.close()
        self._own = threading.local()
