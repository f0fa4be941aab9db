"""Writing files so that a crash, a full disk or a change of mind leaves the old ones or the new.

What is written stands in a hidden folder beside its place until it is whole. Files that belong together
are moved one after another; a list of them is stored first, so that a move that was broken off is
finished by whoever writes to or opens from the folder next.
"""

from __future__ import annotations

import errno
import json
import logging
import os
import shutil
import tempfile
from collections.abc import Iterator
from contextlib import contextmanager, suppress
from pathlib import Path

from brisk_atlas.core.model import CannotWrite
from brisk_atlas.core.model.language import tr

from .processes import is_running, own_mark
from .scratch import ScratchFolder

log = logging.getLogger(__name__)
ROOM = ".brisk-atlas-writing-"
LIST = "moves.json"
FULL_BYTES = 65_536  # of room, with which next to nothing can be written
DERIVED = (".ovr", ".msk", ".aux.xml")  # appended to a name: made from the file that it belonged to
OF_SHAPEFILE = (".shx", ".dbf", ".prj", ".cpg", ".qpj", ".sbn", ".sbx", ".qix")
ODD = set(";!?#%*")  # signs that libraries take for something else in the name of a file


def reason_of(error: BaseException, path: Path) -> CannotWrite:
    """Return the message for a failure to write `path`."""
    path = path.parent.parent / path.name if path.parent.name.startswith(ROOM) else path
    code, whole = getattr(error, "errno", None), str(error)
    text = whole.splitlines()[0][:200] if whole else type(error).__name__
    states_full = any(words in whole.lower() for words in ("no space left", "enospc", "disk is full"))
    if code in (errno.ENOSPC, errno.EDQUOT) or states_full or (code is None and _is_full(path.parent)):
        return CannotWrite(
            path, tr("the disk is full"), tr("Free some space or choose another folder; nothing was changed.")
        )
    if code in (errno.EACCES, errno.EPERM, errno.EROFS):
        return CannotWrite(path, tr("you may not write there"), tr("Choose another folder; nothing was changed."))
    return CannotWrite(path, text, tr("Nothing was changed."))


def _is_full(folder: Path) -> bool:
    """Return whether a folder has no room left, which not every library says."""
    try:
        room = shutil.disk_usage(folder)
    except OSError:
        return False
    return room.total > 0 and room.free < FULL_BYTES


@contextmanager
def written_beside(path: Path, *, same_data: bool = False) -> Iterator[Path]:
    """Give a name in a hidden folder beside `path`; what stands there afterwards is moved into place.

    All files written under that folder move (a Shapefile has several), or a folder that is one dataset. Of a file that
    is replaced, what was made from its data (overviews, masks, indexes) goes, unless `same_data` says that it still
    holds. A link is followed; permissions stay as they were. On any error `path` is as it was. Raises CannotWrite.
    """
    place = checked_place(path)
    finish_moves(place.parent)
    try:
        room = Path(tempfile.mkdtemp(prefix=f"{ROOM}{own_mark()}-", dir=place.parent))
    except OSError as error:
        raise reason_of(error, path) from error
    plain = "".join("_" if sign in ODD else sign for sign in place.name)  # as the libraries can take it
    try:
        with _plainly_named(room) as reached:
            yield reached / plain
        made = {file.name: file.name.replace(_stem(plain), _stem(place.name), 1) for file in room.iterdir()}
        if plain not in made:
            raise CannotWrite(path, tr("nothing was written"), tr("Try another format."))
        for name, final in made.items():
            _flush(room / name)
            _take_on(room / name, place.with_name(final))
        moves = sorted(made.items(), key=lambda move: move[0] == plain)  # the file itself comes last
        gone = [] if same_data else _derived_from(place, set(made.values()))
        if len(moves) + len(gone) > 1 or any((room / name).is_dir() for name in made):
            list_ = room / f".{LIST}"
            list_.write_text(json.dumps({"moves": moves, "gone": gone}), "utf-8")
            _flush(list_)
            list_.replace(room / LIST)
        _move(room, place.parent, moves, gone)
    except OSError as error:
        raise reason_of(error, path) from error
    finally:
        shutil.rmtree(room, ignore_errors=True)


@contextmanager
def _plainly_named(room: Path) -> Iterator[Path]:
    """Give a path to a folder without signs that libraries take for something else: itself, or a link to it."""
    if not ODD & set(str(room)):
        yield room
        return
    with ScratchFolder() as folder:
        link = Path(folder, "room")
        link.symlink_to(room, target_is_directory=True)
        yield link


def write_whole(path: Path, data: bytes) -> None:
    """Write a file so that there is the old one or the new. Raises CannotWrite."""
    with written_beside(path) as beside:
        beside.write_bytes(data)


def checked_place(path: Path) -> Path:
    """Return where a file is to be written: what a link leads to. Raises CannotWrite for one that is protected."""
    try:
        place = path.resolve() if path.is_symlink() else path.absolute()
        mode = place.stat().st_mode
    except FileNotFoundError:
        return place
    except (OSError, RuntimeError) as error:
        raise reason_of(error, path) from error
    if not mode & 0o222:
        raise CannotWrite(path, tr("it is write-protected"), tr("Take its protection off, or choose another name."))
    return place


def finish_moves(folder: Path) -> None:
    """Finish, or clean away, what processes that are gone left of writing into a folder."""
    try:
        with os.scandir(folder) as scan:
            rooms = [Path(item.path) for item in scan if item.name.startswith(ROOM)]
    except OSError:
        return
    for room in rooms:
        if not _is_abandoned(room.name):
            continue
        try:
            if (room / LIST).is_file():
                content = json.loads((room / LIST).read_text("utf-8"))
                _move(room, folder, [(a, b) for a, b in content["moves"] if (room / a).exists()], content["gone"])
                log.info("finished a write into %s that was broken off", folder)
            shutil.rmtree(room, ignore_errors=True)
        except (OSError, ValueError, KeyError, TypeError):
            log.warning("what is left of a write in %s can't be finished", room, exc_info=True)


def _move(room: Path, folder: Path, moves: list[tuple[str, str]], gone: list[str]) -> None:
    for name in gone:
        (folder / Path(name).name).unlink(missing_ok=True)
    for name, final in moves:
        target = folder / Path(final).name
        if target.is_dir() and not target.is_symlink():  # a dataset that is a folder gives way as a whole
            target.replace(room / f".replaced-{target.name}")
        (room / Path(name).name).replace(target)
    with suppress(OSError):  # some file systems can't
        _flush(folder)


def _flush(file: Path) -> None:
    handle = os.open(file, os.O_RDONLY)
    try:
        os.fsync(handle)
    finally:
        os.close(handle)


def _take_on(new: Path, old: Path) -> None:
    """Give a new file the permissions and the owner of the one that it replaces."""
    try:
        was = old.stat()
    except OSError:
        return
    new.chmod(was.st_mode & 0o7777)
    with suppress(OSError):
        if (was.st_uid, was.st_gid) != (new.stat().st_uid, new.stat().st_gid):
            os.chown(new, was.st_uid, was.st_gid)


def _derived_from(place: Path, made: set[str]) -> list[str]:
    """Return the files beside one that is replaced which speak of its old data."""
    names = [place.name + ending for ending in DERIVED]
    if place.suffix.lower() == ".shp":
        names += [place.stem + ending for ending in OF_SHAPEFILE]
    return [name for name in names if name not in made and place.with_name(name).is_file()]


def _stem(name: str) -> str:
    return name.partition(".")[0] if not name.startswith(".") else name


def _is_abandoned(name: str) -> bool:
    """Return whether the process that made a room is surely gone: it ran on this machine and does no more."""
    return not is_running(name.removeprefix(ROOM).rpartition("-")[0])
