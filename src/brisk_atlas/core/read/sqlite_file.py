"""SQLite files by SQLite's own rules: write-ahead logs, journals of broken-off writes, and locks."""

from __future__ import annotations

import shutil
import sqlite3
from contextlib import closing
from pathlib import Path
from urllib.parse import quote

from brisk_atlas.core.model import CannotRead
from brisk_atlas.core.model.language import tr

OF_GEOMETRY = (  # how tables begin that say how geometry is stored, by the conventions of SpatiaLite 5
    "sqlite_", "geometry_columns", "geom_cols_", "views_", "virts_", "spatial_ref_sys", "spatialite_", "spatialindex",
    "elementarygeometries", "vector_layers", "layer_statistics", "data_licenses", "sql_statements_log", "knn",
    "raster_coverages", "vector_coverages", "se_external_graphics", "se_fonts", "se_vector_style", "se_raster_style",
    "se_group_style", "wms_getcapabilities", "wms_getmap", "wms_settings", "wms_ref_sys", "iso_metadata", "rl2map_",
    "stored_procedures", "stored_variables",
)  # fmt: skip
JOURNAL_HEAD = bytes.fromhex("d9d505f920a163d7")  # sqlite.org/fileformat2, 3.0


def read_only(path: Path) -> str:
    """Return the address by which SQLite opens a file and changes nothing, not even beside it."""
    still = not path.with_name(path.name + "-wal").exists()
    return f"file:{quote(str(path))}?mode=ro{'&immutable=1' if still else ''}"


def in_place(path: Path) -> str:
    """Return the address by which SQLite opens a file to write to it, and makes none where there is none."""
    return f"file:{quote(str(path))}?mode=rw"


def plain_tables(path: Path) -> list[str]:
    """Return the tables and views of a file that are not part of how it stores geometry, none where they can't be
    read."""
    try:
        with closing(sqlite3.connect(read_only(path), uri=True)) as database:
            made = database.execute(
                "SELECT name, coalesce(sql, '') FROM sqlite_master WHERE type IN ('table', 'view') ORDER BY rowid"
            ).fetchall()
    except sqlite3.Error:
        return []
    virtual = tuple(name for name, sql in made if sql.upper().startswith("CREATE VIRTUAL"))
    shadows = {name + ending for name in virtual for ending in ("_node", "_parent", "_rowid")}
    return [name for name, _ in made if name not in {*virtual, *shadows} and not name.lower().startswith(OF_GEOMETRY)]


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
            reason = tr("another program's write to it was broken off, and can't be undone ({error})", error=error)
            raise CannotRead(path, reason, tr("Open it once with the program that wrote it.")) from error
    return copy
