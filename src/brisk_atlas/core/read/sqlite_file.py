"""SQLite files by SQLite's own rules: write-ahead logs, journals of broken-off writes, and locks."""

from __future__ import annotations

import shutil
import sqlite3
from contextlib import closing
from pathlib import Path
from urllib.parse import quote

from brisk_atlas.core.model import CannotRead

JOURNAL_HEAD = bytes.fromhex("d9d505f920a163d7")  # sqlite.org/fileformat2, 3.0


def read_only(path: Path) -> str:
    """Return the address by which SQLite opens a file and changes nothing, not even beside it."""
    still = not path.with_name(path.name + "-wal").exists()
    return f"file:{quote(str(path))}?mode=ro{'&immutable=1' if still else ''}"


def in_place(path: Path) -> str:
    """Return the address by which SQLite opens a file to write to it, and makes none where there is none."""
    return f"file:{quote(str(path))}?mode=rw"


def has_hot_journal(path: Path) -> bool:
    """Return whether another program's write to a file was broken off, or is going on."""
    journal = path.with_name(path.name + "-journal")
    try:
        with journal.open("rb") as file:
            return file.read(8) == JOURNAL_HEAD
    except OSError:
        return False


def before_broken_write(path: Path, folder: Path) -> Path:
    """Return a copy in `folder` of a file as it was before a write to it that was broken off. Raises CannotRead."""
    copy = folder / path.name
    if not copy.exists():
        for name in (path.name + "-journal", path.name):  # the journal first: alone it does no harm
            shutil.copy(path.with_name(name), folder / name)
        try:
            with closing(sqlite3.connect(in_place(copy), uri=True)) as database:
                database.execute("SELECT COUNT(*) FROM sqlite_master").fetchone()  # rolls back what was not finished
        except sqlite3.Error as error:
            copy.unlink()
            reason = f"another program's write to it was broken off, and can't be undone ({error})"
            raise CannotRead(path, reason, "Open it once with the program that wrote it.") from error
    return copy
