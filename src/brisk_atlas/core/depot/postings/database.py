"""The file that a Depot stores everything in: SQLite, written ahead, so that a change is there whole or not at all."""

from __future__ import annotations

import os
import secrets
import sqlite3
import threading
from collections.abc import Iterator
from contextlib import contextmanager
from functools import cached_property
from pathlib import Path

from brisk_atlas.core.model import CannotRead

from .shape_functions import add_shape_functions

FILE, FILES = "depot.sqlite", "files"  # the rows of postings, and those that are files
BUSY_MS = 10_000
SCHEMA = (  # what each version has besides the ones before
    """
CREATE TABLE posting (id TEXT PRIMARY KEY, number INTEGER NOT NULL UNIQUE, title TEXT NOT NULL, owner TEXT NOT NULL,
    crs TEXT, geometry_type TEXT NOT NULL, summary TEXT NOT NULL, fields TEXT NOT NULL);
CREATE TABLE outlet (id TEXT PRIMARY KEY, posting TEXT NOT NULL REFERENCES posting ON DELETE CASCADE,
    about TEXT NOT NULL);
CREATE TABLE edit (number INTEGER PRIMARY KEY AUTOINCREMENT, posting TEXT NOT NULL REFERENCES posting ON DELETE CASCADE,
    row TEXT NOT NULL, deed TEXT NOT NULL, account TEXT NOT NULL, at TEXT NOT NULL, before TEXT, after TEXT,
    undoes INTEGER UNIQUE REFERENCES edit ON DELETE CASCADE);
CREATE INDEX edit_of_row ON edit (posting, row, number);
CREATE INDEX edit_in_time ON edit (posting, number);
CREATE TABLE account (name TEXT PRIMARY KEY, password TEXT NOT NULL, is_owner INTEGER NOT NULL,
    failures INTEGER NOT NULL DEFAULT 0, shut_until TEXT NOT NULL DEFAULT '');
CREATE TABLE member (circle TEXT NOT NULL, account TEXT NOT NULL REFERENCES account ON DELETE CASCADE,
    PRIMARY KEY (circle, account));
CREATE TABLE token (digest TEXT PRIMARY KEY, account TEXT NOT NULL REFERENCES account ON DELETE CASCADE,
    label TEXT NOT NULL, scope TEXT NOT NULL, until TEXT NOT NULL);
CREATE TABLE invitation (digest TEXT PRIMARY KEY, is_owner INTEGER NOT NULL, circles TEXT NOT NULL,
    until TEXT NOT NULL);
CREATE TABLE audit (number INTEGER PRIMARY KEY AUTOINCREMENT, at TEXT NOT NULL, account TEXT NOT NULL,
    deed TEXT NOT NULL, about TEXT NOT NULL);
""",
    """
CREATE TABLE setting (name TEXT PRIMARY KEY, value TEXT NOT NULL);
CREATE TABLE sent (account TEXT NOT NULL, mark TEXT NOT NULL,
    posting TEXT NOT NULL REFERENCES posting ON DELETE CASCADE, row TEXT NOT NULL, at TEXT NOT NULL,
    PRIMARY KEY (account, mark)) WITHOUT ROWID;
CREATE INDEX sent_in_time ON sent (at);
""",
    "ALTER TABLE posting ADD COLUMN record TEXT NOT NULL DEFAULT ''",
    "ALTER TABLE posting ADD COLUMN file TEXT NOT NULL DEFAULT ''",
    "CREATE TABLE session (digest TEXT PRIMARY KEY, account TEXT NOT NULL REFERENCES account ON DELETE CASCADE, "
    "until TEXT NOT NULL)",
)
VERSION = len(SCHEMA)


class StoreFile:
    """The database in a folder, made where there is none. Safe for threads, each of which has a connection of its own;
    several processes may use one folder. Raises CannotRead for a folder that holds another database."""

    def __init__(self, folder: Path) -> None:
        folder.mkdir(parents=True, exist_ok=True, mode=0o700)
        self.path, self.files = folder / FILE, folder / FILES
        self._own = threading.local()
        self._all: list[sqlite3.Connection] = []
        self._lock = threading.Lock()
        if not self.path.exists():
            os.close(os.open(self.path, os.O_CREAT | os.O_RDWR, 0o600))  # nobody else reads it
        with self.changing() as database:
            (version,) = database.execute("PRAGMA user_version").fetchone()
            if version > VERSION:
                raise CannotRead(self.path, f"it is a Depot of version {version}", "Use the program that made it.")
            for added in SCHEMA[version:]:
                for statement in added.split(";"):
                    database.execute(statement)
            database.execute(f"PRAGMA user_version = {VERSION}")

    @property
    def reading(self) -> sqlite3.Connection:
        """The connection of this thread, to read by."""
        database: sqlite3.Connection | None = getattr(self._own, "database", None)
        if database is None:
            try:
                database = sqlite3.connect(self.path, isolation_level=None, check_same_thread=False)
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
            self._own.database = database
            with self._lock:
                self._all.append(database)
        return database

    def version_seen(self) -> tuple[int, int]:
        """Return what differs once another connection than that of this thread has changed something."""
        (found,) = self.reading.execute("PRAGMA data_version").fetchone()
        return id(self.reading), int(found)

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

    @cached_property
    def key(self) -> bytes:
        """A secret of this store, made once."""
        with self.changing() as database:
            database.execute("INSERT OR IGNORE INTO setting VALUES ('key', ?)", [secrets.token_hex(32)])
            (found,) = database.execute("SELECT value FROM setting WHERE name = 'key'").fetchone()
        return bytes.fromhex(found)

    def close(self) -> None:
        """Close all connections."""
        with self._lock:
            for database in self._all:
                database.close()
            self._all.clear()
        self._own = threading.local()
