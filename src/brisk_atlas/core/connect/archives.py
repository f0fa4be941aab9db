"""Zip archives on the disk: their members are listed without unpacking, and unpacked within limits."""

from __future__ import annotations

import shutil
import zipfile
from datetime import UTC, datetime
from pathlib import Path, PurePosixPath

from brisk_atlas.core.model import CannotRead, DataRef
from brisk_atlas.core.model.language import tr
from brisk_atlas.core.system.folders import make_private

from .connector import Item
from .copies import copy_folder, prune, store_copy, unpacked_limit
from .failures import explained
from .files import CONNECTOR as FILES
from .members import names_with

NAMES_ITS_BESIDE = (".txt", ".json", ".vrt")  # endings of files that name others of their folder


def members_in(archive: Path) -> dict[str, zipfile.ZipInfo]:
    """Return the files in a zip archive by name. Raises CannotRead for a hostile or broken one."""
    with explained(DataRef.file(archive)), zipfile.ZipFile(archive) as opened:
        infos = opened.infolist()
    for info in infos:
        name = info.filename.replace("\\", "/")
        if name.startswith("/") or ".." in PurePosixPath(name).parts or (name[1:2] == ":"):
            raise CannotRead(
                archive, tr("it names {name!r}, which leads out of the archive", name=name), tr("Don't unpack it.")
            )
        if info.file_size > unpacked_limit(max(1, info.compress_size)):
            sizes = tr(
                "{name} would unpack from {compress_size:,} to {file_size:,} bytes",
                name=name,
                compress_size=info.compress_size,
                file_size=info.file_size,
            )
            raise CannotRead(
                archive, tr("{sizes}, which looks like an attack", sizes=sizes), tr("Ask its sender what it is.")
            )
    return {info.filename: info for info in infos if not info.is_dir()}


class Archives:
    """A member is unpacked together with the files that make one dataset with it."""

    def list(self, ref: DataRef) -> list[Item]:
        archive = Path(ref.place)
        return [
            Item(DataRef.member(archive, name), name, False, info.file_size, _modified(info), f"{info.CRC:x}")
            for name, info in members_in(archive).items()
        ]

    def stat(self, ref: DataRef) -> tuple[int, datetime]:
        info = self._member(ref)
        return info.file_size, datetime.fromtimestamp(_modified(info), UTC)

    def fingerprint(self, ref: DataRef) -> str:
        return FILES.fingerprint(DataRef.file(ref.place))

    def head(self, ref: DataRef, count: int) -> bytes:
        self._member(ref)
        with explained(ref), zipfile.ZipFile(ref.place) as opened, opened.open(ref.inner) as member:
            return member.read(count)

    def localise(self, ref: DataRef) -> DataRef:
        archive = Path(ref.place)
        found = members_in(archive)
        wanted = _belonging(ref, found)
        room = copy_folder(ref, self.fingerprint(ref))
        _check_room(ref, [found[each] for each in wanted], room)
        with explained(ref), zipfile.ZipFile(archive) as opened:
            for name in wanted:
                with opened.open(name) as source:
                    info = found[name]
                    store_copy(DataRef.member(archive, name), source, room / name, info.file_size, _modified(info))
        prune()
        return FILES.localise(DataRef.file(room / ref.inner).with_part(ref.part))

    def _member(self, ref: DataRef) -> zipfile.ZipInfo:
        info = members_in(Path(ref.place)).get(ref.inner)
        if info is None:
            raise _missing(ref)
        return info


def _missing(ref: DataRef) -> CannotRead:
    return CannotRead(ref, tr("the archive does not hold it"), tr("Look at the archive in Find."))


def _belonging(ref: DataRef, found: dict[str, zipfile.ZipInfo]) -> list[str]:
    """Return the members that make one dataset with the one that is meant; of a folder, all in it."""
    name = PurePosixPath(ref.inner)
    if ref.inner not in found:
        inside = [n for n in found if n.startswith(f"{ref.inner}/")]
        if not inside:
            raise _missing(ref)
        return inside
    beside = {PurePosixPath(n).name: n for n in found if PurePosixPath(n).parent == name.parent}
    if name.suffix.lower() in NAMES_ITS_BESIDE:  # a scene's metadata names its bands
        return list(beside.values())
    return [beside[n] for n in names_with(name.name, beside)]


def _check_room(ref: DataRef, wanted: list[zipfile.ZipInfo], room: Path) -> None:
    """Raise CannotRead where all that comes along with a member would be far more than the archive can hold, or more
    than there is room for."""
    whole, packed = sum(info.file_size for info in wanted), Path(ref.place).stat().st_size
    if whole > unpacked_limit(packed):
        sizes = tr(
            "{inner} and the {count:,} files beside it would unpack from {packed:,} to {whole:,} bytes",
            inner=ref.inner,
            count=len(wanted) - 1,
            packed=packed,
            whole=whole,
        )
        raise CannotRead(
            ref.place, tr("{sizes}, which looks like an attack", sizes=sizes), tr("Ask its sender what it is.")
        )
    make_private(room)
    missing = sum(info.file_size for info in wanted if not (room / info.filename).exists())
    free = shutil.disk_usage(room).free
    if missing > free:
        sizes = tr(
            "{inner} unpacks to {missing:,} bytes and {free:,} are free", inner=ref.inner, missing=missing, free=free
        )
        raise CannotRead(ref.place, sizes, tr("Make room on the disk of the cache."))


def _modified(member: zipfile.ZipInfo) -> float:
    """Return when a member was changed; the beginning of the format's calendar where it states no date."""
    try:
        return datetime(*member.date_time).timestamp()
    except (ValueError, OverflowError):
        return datetime(1980, 1, 1).timestamp()


CONNECTOR = Archives()
