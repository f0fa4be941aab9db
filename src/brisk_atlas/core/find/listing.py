"""Folders as lists of datasets: files that belong together are one row."""

from __future__ import annotations

from collections.abc import Iterator
from dataclasses import replace
from datetime import UTC, datetime
from pathlib import Path
from typing import NamedTuple

from brisk_atlas.core.connect import Item, connector_for
from brisk_atlas.core.connect.members import members_of, sources_of
from brisk_atlas.core.model import CannotRead, DataRef, PlaceKind
from brisk_atlas.core.read import folder_suffixes
from brisk_atlas.core.read.grouping import group
from brisk_atlas.core.read.scene_names import META_ENDINGS, bands_named_like
from brisk_atlas.core.read.tile_folder import is_tile_folder

MOST_PEEKED = 300  # subfolders looked into to see whether they are one dataset
NO_DATE = datetime.fromtimestamp(0, UTC)


class Entry(NamedTuple):
    """One row of the list: a folder or a dataset, before it is opened.

    `state` changes whenever any of its files does.
    """

    ref: DataRef
    name: str
    is_folder: bool
    size_bytes: int
    modified: datetime
    files: int = 1
    state: str = ""

    @property
    def path(self) -> Path:
        """Where it lies on the disk. Raises ValueError for what lies elsewhere."""
        return self.ref.path


def list_place(place: DataRef) -> list[Entry]:
    """Return what is in a folder, a database or a schema of one, folders first, by name. Raises CannotRead."""
    if place.is_local:
        return list_folder(place.path)
    items = connector_for(place).list(place)
    if place.kind is PlaceKind.ADDRESS:
        return _web_rows(items)
    rows = [Entry(i.ref, i.name, i.is_folder, i.size_bytes, NO_DATE, 0, f"{i.size_bytes}.{i.state}") for i in items]
    return sorted(rows, key=lambda row: (not row.is_folder, row.name.lower()))


def _web_rows(items: list[Item]) -> list[Entry]:
    """Return the folders and datasets among the files of a web server; files that belong together are one row."""
    found = {item.name: item for item in items}
    files = group([item.name for item in items if not item.is_folder])
    rows = [Entry(item.ref, item.name, True, 0, NO_DATE) for item in items if item.is_folder]
    rows += [
        Entry(found[name].ref, name, False, 0, NO_DATE, len(members), found[name].state)
        for name, members in files.items()
    ]
    return sorted(rows, key=lambda row: (not row.is_folder, row.name.lower()))


def place_above(place: DataRef) -> DataRef | None:
    """Return the place in which a folder or a schema lies, None for the topmost."""
    if place.kind is PlaceKind.ADDRESS:
        scheme, _, rest = place.place.rstrip("/").partition("://")
        outer, slash, _ = rest.rpartition("/")
        return DataRef(PlaceKind.ADDRESS, f"{scheme}://{outer}/") if slash else None
    if not place.is_local:
        return replace(place, inner="", part=None) if place.inner else None
    above = place.path.parent
    return DataRef.file(above) if above != place.path else None


def list_folder(folder: Path) -> list[Entry]:
    """Return the folder's datasets and subfolders, folders first, by name.

    Sidecars, records beside data and the bands of a scene are not rows of their own; a folder that is
    one dataset is its row. Raises CannotRead.
    """
    found = _items(folder)
    folders = {name for name, item in found.items() if item.is_folder}
    rows = [_folder_row(folder, found[name], len(folders) <= MOST_PEEKED) for name in folders]
    groups = group(found.keys() - folders)
    for name in [name for name in groups if name.lower().endswith(".vrt")]:
        for source in sources_of(folder / name):  # what a virtual raster is made of is no row of its own
            groups[name] += groups.pop(source, [])
    here = f"{DataRef.file(folder).place.rstrip('/')}/"  # joining paths is most of the work for a folder of many files
    rows += [
        _row(DataRef(PlaceKind.FILE, here + name), name, [found[member] for member in members])
        for name, members in groups.items()
    ]
    return sorted(rows, key=lambda row: (not row.is_folder, row.name.lower()))


def _items(folder: Path) -> dict[str, Item]:
    ref = DataRef.file(folder)
    return {item.name: item for item in connector_for(ref).list(ref)}


def _row(ref: DataRef, name: str, items: list[Item]) -> Entry:
    latest = max((item.modified for item in items), default=0.0)
    modified = datetime.fromtimestamp(latest, UTC) if latest else NO_DATE
    size, state = sum(item.size_bytes for item in items), "-".join(item.state for item in items)
    return Entry(ref, name, False, size, modified, len(items), state)


def _folder_row(folder: Path, item: Item, peek: bool) -> Entry:
    name, path = item.name, folder / item.name
    modified = datetime.fromtimestamp(item.modified, UTC)
    if path.suffix.lower() in folder_suffixes() or (peek and is_tile_folder(path)):
        return Entry(item.ref, name, False, 0, modified, 0, item.state)
    scene = _only_scene(path) if peek else None
    return scene._replace(name=name) if scene else Entry(item.ref, name, True, 0, modified)


def _only_scene(folder: Path) -> Entry | None:
    """Return the row of the scene that is all that a folder holds, or None."""
    try:
        found = _items(folder)
    except CannotRead:
        return None
    metas = [name for name in found if name.endswith(META_ENDINGS)]
    if len(metas) != 1:
        return None
    members = [metas[0], *bands_named_like(metas[0], found.keys())]
    if len(members) < 3 or found.keys() - set(members):
        return None
    return _row(DataRef.file(folder / metas[0]), metas[0], [found[name] for name in members])


def walk(folder: Path) -> Iterator[list[Entry]]:
    """Yield the datasets of every folder below one, folder by folder; unreadable folders are passed over."""
    waiting = [folder]
    while waiting:
        here = waiting.pop()
        try:
            rows = list_folder(here)
        except CannotRead:
            continue
        yield [row for row in rows if not row.is_folder]
        waiting += [row.path for row in rows if row.is_folder and not row.path.is_symlink()]


def entry_of(path: Path) -> Entry | None:
    """Return the row of one file by itself, or None for what is not a plain file."""
    try:
        if not path.is_file():
            return None
        return _entry_of([path, *members_of(path)[1:]])
    except OSError:
        return None


def _entry_of(members: list[Path]) -> Entry:
    stats = [member.stat() for member in members]
    states = "-".join(f"{stat.st_size:x}.{stat.st_mtime_ns:x}" for stat in stats)
    modified = datetime.fromtimestamp(max(stat.st_mtime for stat in stats), UTC)
    size = sum(stat.st_size for stat in stats)
    return Entry(DataRef.file(members[0]), members[0].name, False, size, modified, len(members), states)
