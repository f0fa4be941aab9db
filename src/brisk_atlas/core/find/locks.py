"""Lock files that other programs left beside data: who holds them, and whether they look stale."""

from __future__ import annotations

import os
import re
import socket
import time
from datetime import UTC, datetime
from pathlib import Path
from typing import NamedTuple

from brisk_atlas.core.model import CannotWrite, Dataset
from brisk_atlas.core.model.language import tr

ENDINGS = (".lock", ".lck", ".lk", "-journal", "-wal", "-shm")
OLD_S = 24 * 3600.0  # a lock older than this that nobody seems to hold looks stale
_TAGGED = re.compile(r"^(.*?)\.?([\w-]+)\.(\d+)\.\d+\.\w+\.lock$")  # table.host.process.number.kind.lock
_HOLDER = re.compile(rb"[\w .@-]+")
MOST_READ = 400  # bytes of a lock file


class Lock(NamedTuple):
    """One lock file. `holder` says in words who has it, as far as that can be known; `stale` is True where
    nobody seems to, with the reason in `why`."""

    path: Path
    holder: str
    modified: datetime
    stale: bool
    why: str


def locks_on(dataset: Dataset) -> list[Lock]:
    """Return the locks on a dataset that lie beside it or in it."""
    path = dataset.ref.path
    folder = path if path.is_dir() else path.parent
    try:
        with os.scandir(folder) as scan:
            names = [item.name for item in scan if item.is_file(follow_symlinks=False)]
    except OSError:
        return []
    found = [name for name in names if _locks(name, path)]
    if not found:
        return []
    openers = _openers({str(folder / name) for name in found} | {str(m) for m in dataset.members[:200]})
    return [_lock(folder / name, path, openers) for name in sorted(found)]


def _locks(name: str, path: Path) -> bool:
    """Return whether a file of that name is a lock on the dataset at `path`."""
    if path.is_dir():
        return name.endswith(".lock")
    main, stem = path.name, path.stem
    if name in (f".~lock.{main}#", f"~${main}", f"~${main[2:]}"):
        return True
    return any(name == f"{base}{ending}" or name == f".{base}{ending}" for base in (main, stem) for ending in ENDINGS)


def _openers(files: set[str]) -> dict[str, list[str]]:
    """Return which running programs of this machine have which of the files open, as far as one may see."""
    found: dict[str, list[str]] = {}
    own = str(os.getpid())
    for process in Path("/proc").glob("[0-9]*"):
        if process.name == own:
            continue
        try:
            handles = list((process / "fd").iterdir())
        except OSError:
            continue  # another user's, or gone
        for handle in handles:
            try:
                target = str(handle.readlink())
            except OSError:
                continue
            if target in files:
                try:
                    program = (process / "comm").read_text().strip()
                except OSError:
                    program = tr("a program")
                text = tr("{program} (process {name})", program=program, name=process.name)
                if text not in found.setdefault(target, []):
                    found[target].append(text)
    return found


def _lock(path: Path, main: Path, openers: dict[str, list[str]]) -> Lock:
    stat = path.stat()
    age = time.time() - stat.st_mtime
    changed = datetime.fromtimestamp(stat.st_mtime, UTC)
    holders = openers.get(str(path)) or openers.get(str(main)) or []
    if holders:
        return Lock(path, ", ".join(holders), changed, False, tr("a running program has it open"))
    text = _told(path)
    tagged = _TAGGED.match(path.name)
    if tagged:
        host, process = tagged.group(2), tagged.group(3)
        text = tr("process {process} on {host}", process=process, host=host)
        if host.lower() == socket.gethostname().partition(".")[0].lower():
            gone = not Path(f"/proc/{process}").exists()
            why = tr("that process no longer runs") if gone else tr("that process runs")
            return Lock(path, text, changed, gone, why)
        return Lock(path, text, changed, age > OLD_S, tr("another machine's; {age} old", age=_age(age)))
    if age > OLD_S:
        return Lock(path, text, changed, True, tr("{age} old, and no program here has it open", age=_age(age)))
    return Lock(path, text, changed, False, tr("only {age} old; somebody may be at work elsewhere", age=_age(age)))


def _told(path: Path) -> str:
    """Return what a lock file says of its holder: a comma list, a name, or a process number."""
    try:
        with path.open("rb") as file:
            head = file.read(MOST_READ)
    except OSError:
        return tr("not stated")
    if path.name.endswith(("-wal", "-shm", "-journal")) or not head:
        return tr("not stated")
    words = [w.strip().decode("ascii", "replace") for w in _HOLDER.findall(head.replace(b"\0", b"")) if w.strip()]
    return ", ".join(words[:3]) or tr("not stated")


def _age(seconds: float) -> str:
    for unit, length in ((tr("days"), 86400.0), (tr("hours"), 3600.0), (tr("minutes"), 60.0)):
        if seconds >= 2 * length:
            return f"{seconds / length:.0f} {unit}"
    return tr("{seconds:.0f} seconds", seconds=seconds)


def delete_stale(lock: Lock) -> None:
    """Delete a lock that looks stale; one that has changed since it was looked at stays. Raises CannotWrite."""
    if not lock.stale:
        raise CannotWrite(lock.path, tr("it does not look stale"), tr("Close the program that holds it."))
    if lock.path.name.endswith(("-wal", "-journal")):
        raise CannotWrite(
            lock.path,
            tr("it holds changes that are not in the data yet"),
            tr("Open the data once with the program that made it."),
        )
    try:
        if datetime.fromtimestamp(lock.path.stat().st_mtime, UTC) != lock.modified:
            raise CannotWrite(lock.path, tr("it was renewed in the meantime"), tr("Somebody is at work; try later."))
        lock.path.unlink()
    except OSError as error:
        raise CannotWrite(
            lock.path, error.strerror or str(error), tr("Check that you may change the folder.")
        ) from error
