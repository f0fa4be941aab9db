"""The places that data comes from: pinned folders, mounted places, and what was opened lately."""

from __future__ import annotations

import json
import logging
import threading
from dataclasses import dataclass, field
from pathlib import Path
from typing import Any

from brisk_atlas.core.model import CannotWrite, DataRef
from brisk_atlas.core.system.atomic_write import write_whole
from brisk_atlas.core.system.folders import config_folder, make_private

from .connections import Connection

log = logging.getLogger(__name__)
RECENT_KEPT = 12
PASSING = "Demo"  # the group of connections that are not stored: those of the demo
MOUNTS = Path("/proc/self/mounts")
REMOVABLE = ("/media/", "/run/media/", "/mnt/")
OVER_THE_NET = ("nfs", "nfs4", "cifs", "smb3", "fuse.sshfs", "9p", "davfs", "fuse.rclone")


def shelf_file() -> Path:
    """Return the file in which pinned folders and recent datasets are stored."""
    return config_folder() / "shelves.json"


def write_beside(file: Path, text: str) -> None:
    """Write a small file of the user's choices through a sibling; a read-only home does not stop the work."""
    try:
        make_private(file.parent)
        write_whole(file, text.encode())
    except (OSError, CannotWrite):
        log.warning("%s can't be written", file, exc_info=True)


def mounted(table: Path = MOUNTS) -> list[tuple[Path, str]]:
    """Return removable and mounted places, each with what it is: `removable` or `network`."""
    try:
        lines = table.read_text("utf-8", "surrogateescape").splitlines()
    except OSError:
        return []
    found = []
    for line in lines:
        pieces = line.split(" ")
        if len(pieces) < 3:
            continue
        where = pieces[1].replace("\\040", " ").replace("\\011", "\t").replace("\\134", "\\")
        if pieces[2] in OVER_THE_NET:
            found.append((Path(where), "network"))
        elif f"{where}/".startswith(REMOVABLE):
            found.append((Path(where), "removable"))
    return sorted(dict(found).items())


@dataclass
class Shelves:
    """Pinned folders, recent datasets and recent projects of one user, remembered between runs."""

    file: Path = field(default_factory=shelf_file)
    pinned: list[Path] = field(default_factory=list)
    recent: list[DataRef] = field(default_factory=list)
    connections: list[Connection] = field(default_factory=list)
    projects: list[Path] = field(default_factory=list)
    _saving: threading.Lock = field(default_factory=threading.Lock, repr=False, compare=False)

    def load(self) -> None:
        """Read what was remembered; a damaged file counts as nothing remembered."""
        try:
            content = json.loads(self.file.read_text("utf-8"))
            self.pinned, self.projects = ([Path(p) for p in content.get(name, [])] for name in ("pinned", "projects"))
            self.recent = [DataRef.parse(text) for text in content.get("recent", [])]
            self.connections = [Connection.from_json(each) for each in content.get("connections", [])]
        except (OSError, ValueError, AttributeError, TypeError):
            return

    def save(self) -> None:
        """Write the shelves down, from any thread."""
        with self._saving:
            self._write()

    def _write(self) -> None:
        values: dict[str, Any] = {
            name: [str(p) for p in getattr(self, name)] for name in ("pinned", "recent", "projects")
        }
        values["connections"] = [each.as_json() for each in self.connections if each.group != PASSING]
        write_beside(self.file, json.dumps(values, indent=1))

    def pin(self, folder: Path, before: Path | None = None) -> None:
        """Pin a folder, at the end or before another; one that is pinned already moves there."""
        if folder == before or (folder in self.pinned and before is None):
            return
        rest = [p for p in self.pinned if p != folder]
        at = rest.index(before) if before in rest else len(rest)
        self.pinned = [*rest[:at], folder, *rest[at:]]
        self.save()

    def unpin(self, folder: Path) -> None:
        """Remove a folder from the pinned ones."""
        if folder in self.pinned:
            self.pinned.remove(folder)
            self.save()

    def connection_to(self, place: DataRef) -> Connection | None:
        """Return the connection to a place, None for one that is not among them."""
        return next((each for each in self.connections if each.ref == place), None)

    def connect(self, *connections: Connection) -> None:
        """Put places among the connections; one that is there already gets its new name and group."""
        for each in connections:
            known = self.connection_to(each.ref)
            at = self.connections.index(known) if known is not None else len(self.connections)
            self.connections = [*self.connections[:at], each, *self.connections[at + 1 :]]
        self.save()

    def disconnect(self, place: DataRef) -> None:
        """Remove a place from the connections."""
        self.connections = [other for other in self.connections if other.ref != place]
        self.save()

    def opened(self, *refs: DataRef) -> None:
        """Note datasets as the latest opened, the last of them first. `save` writes it down."""
        for ref in refs[-RECENT_KEPT:]:
            self.recent = [ref, *(r for r in self.recent if r != ref)][:RECENT_KEPT]

    def forget_recent(self) -> None:
        """Forget which datasets and projects were opened."""
        self.recent, self.projects = [], []
        self.save()

    def opened_project(self, path: Path) -> None:
        """Note a project as the latest opened."""
        self.projects = [path, *(p for p in self.projects if p != path)][:RECENT_KEPT]
        self.save()
