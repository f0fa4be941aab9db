"""Where a path leads: to a file, into an archive, through a compression, or over the net.

A path may go on after the name of a zip archive (`delivery.zip/roads.shp`), name a file packed
with gzip (`ash.geojson.gz`), or begin with a scheme (`https://...`, `s3://...`). What is packed is
unpacked into the user's cache, within limits; what is remote is read in place by the raster and
vector libraries, and fetched for the others.
"""

from __future__ import annotations

import gzip
import hashlib
import os
import shutil
import urllib.error
import urllib.request
import zipfile
import zlib
from collections.abc import Iterator
from contextlib import contextmanager
from datetime import UTC, datetime
from email.utils import parsedate_to_datetime
from pathlib import Path, PurePath, PurePosixPath
from typing import IO, cast

from brisk_atlas.core.model import CannotRead
from brisk_atlas.core.system.folders import cache_folder, make_private

from .binary_dxf import as_text, is_binary_dxf
from .members import SQLITE_ENDINGS, names_with
from .sqlite_file import before_broken_write, has_hot_journal

ARCHIVES = (".zip",)
SCHEMES = {"http:": "/vsicurl/http://", "https:": "/vsicurl/https://", "s3:": "/vsis3/"}
PATIENCE_S = 15.0
COPY_LIMIT = 4_000_000_000  # bytes unpacked or fetched for one file
MOST_RATIO = 200  # unpacked to packed; real data stays far below
SMALL_UNPACKED = 50_000_000  # bytes; below this the ratio does not matter
KEPT_BYTES = 8_000_000_000  # of all copies; the longest unused go first
BLOCK = 1 << 20


def is_remote(path: PurePath) -> bool:
    """Return whether a path begins with a scheme, such as `https:`."""
    return bool(path.parts) and path.parts[0] in SCHEMES


def url_of(path: Path) -> str:
    """Return the address that a remote path means (paths fold the two slashes into one)."""
    return path.parts[0] + "//" + "/".join(path.parts[1:])


def settled(path: str | Path) -> Path:
    """Return a path as it is held from now on: absolute, or remote with its scheme."""
    path = Path(path)
    return path if is_remote(path) else path.expanduser().absolute()


def archive_of(path: Path) -> tuple[Path, str] | None:
    """Return the archive that a path goes through and the name within it, or None."""
    if is_remote(path):
        return None
    for outer in path.parents:
        if outer.suffix.lower() in ARCHIVES and outer.is_file():
            return outer, path.relative_to(outer).as_posix()
    return None


def _plain_name(path: PurePath) -> PurePosixPath:
    name = path.name.partition("?")[0] if is_remote(path) else path.name
    return PurePosixPath(name[:-3] if name.lower().endswith(".gz") else name)


def suffix_of(path: PurePath) -> str:
    """Return the ending that tells the format, lower case, whatever it is packed with."""
    return _plain_name(path).suffix.lower()


def suffix_of_name(name: str) -> str:
    """Return the same of a bare name; cheap, as a folder has many."""
    name = name.lower()
    name = name[:-3] if name.endswith(".gz") else name
    at = name.rfind(".")
    return name[at:] if at > 0 else ""


def stem_of(path: PurePath) -> str:
    """Return the name without endings, to call a part by."""
    return _plain_name(path).stem


def library_name(path: Path) -> str:
    """Return the name by which the raster and vector libraries reach a path."""
    return SCHEMES[path.parts[0]] + "/".join(path.parts[1:]) if is_remote(path) else str(path)


@contextmanager
def _told(path: Path) -> Iterator[None]:
    """Say what the net or an archive does not give in the words of the product."""
    try:
        yield
    except urllib.error.HTTPError as error:
        raise CannotRead(path, f"the server says {error.code} {error.reason}", "Check the address.") from error
    except (urllib.error.URLError, TimeoutError) as error:
        why = getattr(error, "reason", error)
        raise CannotRead(path, f"the server can't be reached ({why})", "Check the address and the net.") from error
    except (zipfile.BadZipFile, gzip.BadGzipFile, zlib.error, EOFError, RuntimeError, NotImplementedError) as error:
        raise CannotRead(path, f"it is packed and can't be unpacked ({error})", "Ask for it again.") from error
    except FileNotFoundError as error:
        raise CannotRead(path, "there is no such file", "Check the path; it may have been moved.") from error
    except PermissionError as error:
        raise CannotRead(path, "you may not read it", "Ask its owner for read permission.") from error
    except OSError as error:
        raise CannotRead(path, error.strerror or str(error), "See whether the disk is full or broken.") from error


def head_of(path: Path, count: int) -> bytes:
    """Return the first bytes of a plain or remote file. Raises CannotRead."""
    with _told(path):
        if not is_remote(path):
            with path.open("rb") as file:
                return file.read(count)
        if path.parts[0] == "s3:":
            return b""  # left to the libraries, which know how to ask a bucket
        asked = urllib.request.Request(url_of(path), headers={"Range": f"bytes=0-{count - 1}"})
        with urllib.request.urlopen(asked, timeout=PATIENCE_S) as answer:
            return answer.read(count)


def remote_stat(path: Path) -> tuple[int, datetime]:
    """Return bytes and time of the last change of a remote file, as its server says. Raises CannotRead."""
    nothing = datetime.fromtimestamp(0, UTC)
    if path.parts[0] == "s3:":
        return 0, nothing
    with (
        _told(path),
        urllib.request.urlopen(urllib.request.Request(url_of(path), method="HEAD"), timeout=PATIENCE_S) as answer,
    ):
        changed = answer.headers.get("Last-Modified")
        return int(answer.headers.get("Content-Length") or 0), parsedate_to_datetime(changed) if changed else nothing


def members_in(archive: Path) -> dict[str, zipfile.ZipInfo]:
    """Return the files in a zip archive by name. Raises CannotRead for a hostile or broken one."""
    with _told(archive), zipfile.ZipFile(archive) as opened:
        infos = opened.infolist()
    for info in infos:
        name = info.filename.replace("\\", "/")
        if name.startswith("/") or ".." in PurePosixPath(name).parts or (name[1:2] == ":"):
            raise CannotRead(archive, f"it names {name!r}, which leads out of the archive", "Don't unpack it.")
        if info.file_size > max(SMALL_UNPACKED, MOST_RATIO * max(1, info.compress_size)):
            told = f"{name} would unpack from {info.compress_size:,} to {info.file_size:,} bytes"
            raise CannotRead(archive, f"{told}, which looks like an attack", "Ask its sender what it is.")
    return {info.filename: info for info in infos if not info.is_dir()}


def copies_folder() -> Path:
    return cache_folder("copies")


def brought(path: Path) -> Path:
    """Return a plain file (or folder) with what a packed path leads to; other paths come back as they are.

    Members that belong to the same dataset are brought along. Raises CannotRead.
    """
    inside = archive_of(path)
    if inside:
        return _unpacked(*inside)
    if path.suffix.lower() == ".gz":
        return fetched(path)
    if path.suffix.lower() in SQLITE_ENDINGS and not is_remote(path) and has_hot_journal(path):
        with _told(path):
            return before_broken_write(path, make_private(_room(path)))
    if path.suffix.lower() == ".dxf" and not is_remote(path):
        with _told(path):
            return as_text(path, _room(path)) if is_binary_dxf(path) else path
    return path


def _unpacked(archive: Path, name: str) -> Path:
    found = members_in(archive)
    folder = PurePosixPath(name).parent
    if name in found:
        beside = {PurePosixPath(n).name for n in found if PurePosixPath(n).parent == folder}
        wanted = [str(folder / n) if str(folder) != "." else n for n in names_with(PurePosixPath(name).name, beside)]
        if PurePosixPath(name).suffix.lower() in (".txt", ".json", ".vrt"):  # a scene's metadata names its bands
            wanted = [n for n in found if PurePosixPath(n).parent == folder]
    else:
        wanted = [n for n in found if n.startswith(name + "/")]
        if not wanted:
            raise CannotRead(archive / name, "the archive does not hold it", "Look at the archive in Find.")
    _check_sum(archive, name, [found[each] for each in wanted])
    root = _room(archive)
    with _told(archive / name), zipfile.ZipFile(archive) as opened:
        for each in wanted:
            with opened.open(each) as source:
                changed = _dated(found[each])
                _copy(archive / each, source, root / each, found[each].file_size, changed)
    _prune()
    target = root / name
    return brought(target) if target.suffix.lower() in (".gz", ".dxf") else target


def _check_sum(archive: Path, name: str, wanted: list[zipfile.ZipInfo]) -> None:
    """Raise CannotRead where all that comes along with a member would be far more than the archive can hold, or more
    than there is room for."""
    whole, packed = sum(info.file_size for info in wanted), archive.stat().st_size
    if whole > max(SMALL_UNPACKED, MOST_RATIO * packed):
        told = f"{name} and the {len(wanted) - 1:,} files beside it would unpack from {packed:,} to {whole:,} bytes"
        raise CannotRead(archive, f"{told}, which looks like an attack", "Ask its sender what it is.")
    room = make_private(_room(archive))
    wanting = sum(info.file_size for info in wanted if not (room / info.filename).exists())
    free = shutil.disk_usage(room).free
    if wanting > free:
        told = f"{name} unpacks to {wanting:,} bytes and {free:,} are free"
        raise CannotRead(archive, told, "Make room on the disk of the cache.")


def _dated(member: zipfile.ZipInfo) -> float:
    """Return when a member was changed; the beginning of the format's calendar where it says no date."""
    try:
        return datetime(*member.date_time).timestamp()
    except (ValueError, OverflowError):
        return datetime(1980, 1, 1).timestamp()


def fetched(path: Path) -> Path:
    """Return a plain copy of a remote file or of one packed with gzip. Raises CannotRead."""
    name = path.name.partition("?")[0]
    packed = name.lower().endswith(".gz")
    if not packed and not is_remote(path):
        return path
    with _told(path):
        if is_remote(path):
            size, modified = remote_stat(path)
            changed = modified.timestamp()
        else:
            size, changed = path.stat().st_size, path.stat().st_mtime
        target = _room(path) / (name[:-3] if packed else name)
        source = urllib.request.urlopen(url_of(path), timeout=PATIENCE_S) if is_remote(path) else path.open("rb")
        with source, gzip.GzipFile(fileobj=source) if packed else source as plain:
            _copy(
                path,
                cast(IO[bytes], plain),
                target,
                max(SMALL_UNPACKED, MOST_RATIO * size) if packed else COPY_LIMIT,
                changed,
            )
    _prune()
    return target


def _room(path: Path) -> Path:
    """Return the folder in the cache for what is unpacked from, or fetched as, a file in its present state."""
    if is_remote(path):
        size, changed = remote_stat(path)
        state = f"{path}|{size}|{changed.timestamp()}"
    else:
        stat = path.stat()
        state = f"{path}|{stat.st_size}|{stat.st_mtime_ns}"
    return copies_folder() / hashlib.sha256(state.encode("utf-8", "surrogateescape")).hexdigest()[:32]


def _copy(path: Path, source: IO[bytes], target: Path, most: int, changed: float) -> None:
    """Write a stream to `target`, dated as its source, if it is not there yet.

    Raises CannotRead where it goes on too long.
    """
    if target.exists():
        os.utime(target.parent)
        return
    make_private(target.parent)
    beside = target.with_name(f".{target.name}.{os.getpid()}.new")
    taken = 0
    try:
        with beside.open("wb") as out:
            while block := source.read(BLOCK):
                taken += len(block)
                if taken > min(most, COPY_LIMIT):
                    raise CannotRead(
                        path, f"it unpacks to more than {min(most, COPY_LIMIT):,} bytes", "Unpack it first."
                    )
                out.write(block)
        os.utime(beside, (changed, changed))
        beside.replace(target)
    finally:
        beside.unlink(missing_ok=True)


def _prune() -> None:
    kept = 0
    for each in sorted(copies_folder().iterdir(), key=lambda f: f.stat().st_mtime, reverse=True):
        kept += sum(f.stat().st_size for f in each.rglob("*") if f.is_file())
        if kept > KEPT_BYTES:
            shutil.rmtree(each, ignore_errors=True)
