"""Zip archives: the datasets inside, each of which can be opened by its own path."""

from __future__ import annotations

from dataclasses import replace
from pathlib import Path, PurePosixPath

from brisk_atlas.core.connect.archives import members_in
from brisk_atlas.core.model import CannotRead, DataKind, DataRef, Dataset, Facts, Part
from brisk_atlas.core.model.language import tr

from .on_disk import on_disk

MOST_LISTED = 500


def datasets_in(path: Path) -> list[str]:
    """Return the names of what can be opened in an archive; members of other datasets are left out.

    Raises CannotRead.
    """
    from .grouping import group
    from .registry import folder_suffixes

    folders: dict[str, list[str]] = {}
    whole: set[str] = set()
    for name in members_in(path):
        pure = PurePosixPath(name)
        inside = next((p for p in reversed(pure.parents) if p.suffix.lower() in folder_suffixes()), None)
        if inside is not None:
            whole.add(str(inside))
        else:
            folders.setdefault(str(pure.parent), []).append(pure.name)
    found = sorted(whole)
    for folder, names in sorted(folders.items()):
        shown = [main for main in group(names) if not main.startswith(".")]
        found += [main if folder == "." else f"{folder}/{main}" for main in sorted(shown)]
    return found


def open_dataset(ref: DataRef) -> Dataset:
    """Return the one dataset in an archive, or the list of several. Raises CannotRead."""
    from .registry import open as open_inside

    path = ref.path
    names = datasets_in(path)
    if not names:
        raise CannotRead(ref, tr("it holds nothing that can be opened here"), tr("Unpack it to look at its files."))
    if len(names) == 1:
        member = DataRef.member(path, names[0])
        inside = open_inside(member)
        return replace(inside, ref=member, format=f"{inside.format}, zipped")
    parts: list[Part] = [
        Part(DataRef.member(path, name), Facts(name, DataKind.PACKED, notes={"inside": path.name}))
        for name in names[:MOST_LISTED]
    ]
    stated = (
        ()
        if len(names) <= MOST_LISTED
        else (tr("only the first {most_listed} of {count:,} are listed", most_listed=MOST_LISTED, count=len(names)),)
    )
    return Dataset(
        format="zip archive", kind=DataKind.ARCHIVE, parts=tuple(parts), warnings=stated, **on_disk(ref, (path,))
    )
