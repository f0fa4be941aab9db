"""The files of a dataset: what each is for, what is missing, what is out of date, and who holds it."""

from __future__ import annotations

import os
from datetime import UTC, datetime
from pathlib import Path
from typing import NamedTuple

from brisk_atlas.core.model import DataKind, DataRef, Dataset
from brisk_atlas.core.model.language import tr
from brisk_atlas.core.model.remark import RemarkCode, code_of

from .locks import Lock, locks_on

ROLES = {
    ".shx": tr("index of the shapes"),
    ".dbf": "attributes",
    ".prj": tr("coordinate reference system"),
    ".cpg": tr("text encoding"),
    ".qix": tr("spatial index"),
    ".sbn": tr("spatial index"),
    ".sbx": tr("spatial index"),
    ".lax": tr("spatial index"),
    ".ovr": tr("reduced copies for speed"),
    ".rrd": tr("reduced copies for speed"),
    ".msk": "mask",
    ".hdr": tr("how the cells are stored"),
    ".clr": "colours",
    ".stx": "statistics",
    ".dat": "attributes",
    ".map": "geometry",
    ".id": tr("index of the geometry"),
    ".ind": tr("index of the attributes"),
    ".mid": "attributes",
    ".xsd": "schema",
    ".gfs": tr("schema, as guessed by a program"),
    ".ige": tr("cells of a large grid"),
    ".csvt": tr("types of the columns"),
    **dict.fromkeys(
        [".tfw", ".jgw", ".pgw", ".j2w", ".wld", ".blw", ".tifw", ".jpgw", ".pngw"], "where the picture lies"
    ),
}
INDEXES = (".shx", ".sbn", ".sbx", ".qix", ".lax", ".ovr", ".rrd", ".ind", ".id")  # made from the data, so not older
SLACK_S = 2.0  # copies are not made in one instant
MOST_SHOWN = 2000


class Member(NamedTuple):
    """One file of a dataset: what it is for in plain words, and a remark where something is wrong."""

    ref: DataRef
    role: str
    size_bytes: int
    modified: datetime | None
    remark: str = ""


class Anatomy(NamedTuple):
    """All files of a dataset, what should be there and is not, and the locks on it."""

    members: tuple[Member, ...]
    missing: tuple[str, ...]
    locks: tuple[Lock, ...]


def _is_main(member: Path, dataset: Dataset) -> bool:
    return member == dataset.ref.path


def role_of(member: Path, dataset: Dataset) -> str:
    """Return what a member file is for."""
    if _is_main(member, dataset) or (member.name == dataset.ref.name and len(dataset.members) == 1):
        return tr("what to open") if len(dataset.members) > 1 else tr("the data")
    name = member.name.lower()
    if name.endswith(".aux.xml"):
        return tr("statistics stored by other programs")
    if name.endswith(".xml"):
        return tr("metadata record")
    if name.endswith("-wal"):
        return tr("changes that another program has not merged yet")
    if name.endswith(("-shm", "-journal")):
        return tr("working file of another program")
    if dataset.ref.path.is_dir():
        return tr("piece of the whole")
    if dataset.kind is DataKind.SCENE:
        return tr("metadata of the scene") if name.endswith(".json") else "band"
    return ROLES.get(member.suffix.lower(), tr("belongs to it"))


def anatomy_of(dataset: Dataset) -> Anatomy:
    """Return the files of a dataset, with remarks."""
    if not dataset.ref.is_local:
        only = Member(dataset.ref, tr("the data, on a server"), dataset.size_bytes, dataset.changed)
        return Anatomy((only,), (), ())
    stats = {}
    for member in dataset.members[:MOST_SHOWN]:
        try:
            stats[member] = member.stat()
        except OSError:
            continue
    main = next((stat for member, stat in stats.items() if _is_main(member, dataset)), None)
    newest = main.st_mtime if main is not None else 0.0
    members = []
    for member, stat in stats.items():
        remark = ""
        suffix = member.suffix.lower()
        if main is not None and suffix in INDEXES and stat.st_mtime < newest - SLACK_S:
            remark = tr("older than the data, may be out of date")
        elif suffix == ".shx" and main is not None:
            remark = _index_fits(member, dataset.ref.path)
        elif stat.st_size == 0:
            remark = "empty"
        changed = datetime.fromtimestamp(stat.st_mtime, UTC)
        members.append(Member(DataRef.file(member), role_of(member, dataset), stat.st_size, changed, remark))
    return Anatomy(tuple(members), tuple(_missing(dataset)), tuple(locks_on(dataset)))


def _index_fits(index: Path, shapes: Path) -> str:
    """Return what is wrong with the index of a shapefile: each of its records is 8 bytes and names a shape."""
    try:
        with index.open("rb") as file:
            head = file.read(28)
            count = (2 * int.from_bytes(head[24:28], "big") - 100) // 8
            file.seek(0, os.SEEK_END)
            size = file.tell()
            last = 0
            if count > 0 and size >= 100 + 8 * count:
                file.seek(100 + 8 * (count - 1))
                entry = file.read(8)
                last = 2 * (int.from_bytes(entry[:4], "big") + int.from_bytes(entry[4:], "big")) + 8
        whole = shapes.stat().st_size
    except OSError:
        return ""
    if size < 100 + 8 * count:
        return tr("cut short")
    if count > 0 and last != whole:
        return tr(
            "does not fit the shapes: it ends at byte {last:,} of {whole:,}, so it may be out of date",
            last=last,
            whole=whole,
        )
    return ""


def _missing(dataset: Dataset) -> list[str]:
    path = dataset.ref.path
    if path.suffix.lower() == ".shp":
        wanted = {
            ".shx": tr("without it most programs can't open the shapes"),
            ".dbf": tr("without it there are no attributes"),
            ".prj": tr("without it the coordinate reference system is unknown"),
        }
        names = {member.suffix.lower() for member in dataset.members}
        return [f"{path.stem}{ending}: {why}" for ending, why in wanted.items() if ending not in names]
    if path.suffix.lower() == ".tab":
        names = {member.suffix.lower() for member in dataset.members}
        return [f"{path.stem}{ending}" for ending in (".dat", ".map", ".id") if ending not in names]
    if path.suffix.lower() == ".mif" and not any(m.suffix.lower() == ".mid" for m in dataset.members):
        return [tr("{stem}.mid: without it there are no attributes", stem=path.stem)]
    return [text for text in dataset.warnings if code_of(text) is RemarkCode.FILES_MISSING]
