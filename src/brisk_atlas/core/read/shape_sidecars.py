"""The files beside a shapefile: its spatial indexes may be older than it, or of another file."""

from __future__ import annotations

from collections.abc import Iterator
from contextlib import contextmanager
from pathlib import Path

from brisk_atlas.core.model import DataRef
from brisk_atlas.core.system.scratch import ScratchFolder

from .library_names import vector_name

INDEXES = (".sbn", ".sbx", ".qix")


@contextmanager
def without_foreign_index(ref: DataRef, by_extent: bool) -> Iterator[str]:
    """Give the name by which the library reads a file. It takes the index beside a shapefile for right and so
    hides features where it is not, which can't be seen from the index: it is put out of the library's sight."""
    if not by_extent or not ref.is_local or ref.suffix != ".shp":
        yield vector_name(ref)
        return
    path = ref.path
    siblings = [other for other in path.parent.glob("*") if other.stem == path.stem]
    if not any(other.suffix.lower() in INDEXES for other in siblings):
        yield vector_name(ref)
        return
    with ScratchFolder() as folder:
        for other in siblings:
            if other.suffix.lower() not in INDEXES:
                Path(folder, other.name).symlink_to(other.absolute())
        yield str(Path(folder, path.name))
