"""Which files on disk make one dataset."""

from __future__ import annotations

from datetime import UTC, datetime
from pathlib import Path
from typing import Any

SHAPEFILE = (".shx", ".dbf", ".prj", ".cpg", ".sbn", ".sbx", ".qix", ".shp.xml")
BESIDE_ANY = (".xml", ".aux.xml", ".ovr", ".msk")  # appended to the whole name
WORLD_FILES = (".tfw", ".jgw", ".pgw", ".wld", ".prj")
SQLITE = ("-wal", "-shm", "-journal")


def members_of(path: Path) -> tuple[Path, ...]:
    """Return the files that belong to the dataset at `path`, itself first."""
    suffix = path.suffix.lower()
    found = [path.with_name(path.name + ending) for ending in BESIDE_ANY]
    if suffix == ".shp":
        found += [path.with_suffix(ending) for ending in SHAPEFILE]
    elif suffix in (".tif", ".tiff", ".jpg", ".jpeg", ".png"):
        found += [path.with_suffix(ending) for ending in WORLD_FILES]
    elif suffix == ".gpkg":
        found += [path.with_name(path.name + ending) for ending in SQLITE]
    return (path, *dict.fromkeys(p for p in found if p.is_file()))


def on_disk(path: Path, members: tuple[Path, ...] | None = None) -> dict[str, Any]:
    """Return the arguments of Dataset that the file system knows: path, members, size, modified."""
    members = members or members_of(path)
    stats = [member.stat() for member in members]
    return {
        "path": path,
        "members": members,
        "size_bytes": sum(stat.st_size for stat in stats),
        "modified": datetime.fromtimestamp(max(stat.st_mtime for stat in stats), UTC),
    }
