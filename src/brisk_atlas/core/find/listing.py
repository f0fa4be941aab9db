"""Folders as lists of datasets: files that belong together are one row."""

from __future__ import annotations

import os
from collections.abc import Iterator
from dataclasses import dataclass
from datetime import UTC, datetime
from pathlib import Path

from brisk_atlas.core.model import CannotRead
from brisk_atlas.core.read import known_suffixes, members_of

SCENE_TEXT = "_META.txt"


@dataclass(frozen=True)
class Entry:
    """One row of the list: a folder or a dataset, before it is opened."""

    path: Path
    is_folder: bool
    size_bytes: int
    modified: datetime

    @property
    def name(self) -> str:
        return self.path.name


def list_folder(folder: Path) -> list[Entry]:
    """Return the folder's datasets and subfolders, folders first, by name.

    Sidecars, records beside data and the bands of a scene are not rows of their own. Raises
    CannotRead.
    """
    try:
        with os.scandir(folder) as scan:
            found = {item.name: item for item in scan if not item.name.startswith(".")}
    except OSError as error:
        raise CannotRead(
            folder, error.strerror or str(error), "Check that the folder is there and that you may read it."
        ) from error
    taken = _belonging(folder, set(found))
    rows = []
    for name, item in found.items():
        try:
            folder_row = item.is_dir()
            if not folder_row and (name in taken or Path(name).suffix.lower() not in known_suffixes()):
                continue
            stat = item.stat()
        except OSError:
            continue
        modified = datetime.fromtimestamp(stat.st_mtime, UTC)
        rows.append(Entry(folder / name, folder_row, 0 if folder_row else stat.st_size, modified))
    return sorted(rows, key=lambda row: (not row.is_folder, row.name.lower()))


def _belonging(folder: Path, names: set[str]) -> set[str]:
    """Return the names that are members of another dataset in the folder."""
    taken: set[str] = set()
    for name in names:
        path = folder / name
        if path.suffix.lower() in known_suffixes() and path.suffix.lower() != ".xml":
            taken.update(member.name for member in members_of(path)[1:])
        if name.endswith(SCENE_TEXT):
            stem = name.removesuffix(SCENE_TEXT)
            taken.update(n for n in names if n.startswith(stem + "_") and n.lower().endswith((".tif", ".xml")))
            taken.update(n for n in names if n == stem + ".stac.json")
    return taken


def walk(folder: Path) -> Iterator[Entry]:
    """Yield every dataset below a folder, folder by folder; unreadable folders are passed over."""
    try:
        rows = list_folder(folder)
    except CannotRead:
        return
    for row in rows:
        if not row.is_folder:
            yield row
    for row in rows:
        if row.is_folder and not row.path.is_symlink():
            yield from walk(row.path)
