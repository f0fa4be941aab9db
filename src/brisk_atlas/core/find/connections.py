"""Databases and services that the analyst comes back to: named, grouped, and passed on without secrets."""

from __future__ import annotations

import json
from collections.abc import Iterable, Sequence
from dataclasses import dataclass
from pathlib import Path
from typing import Any

from brisk_atlas.core.model import CannotRead, DataRef
from brisk_atlas.core.model.language import tr
from brisk_atlas.core.system.atomic_write import write_whole

FORMAT = "brisk_atlas_connections"
MAX_BYTES = 5_000_000  # of a file of connections


@dataclass(frozen=True)
class Connection:
    """A place with the name that it is shown by and the group that it stands in; no password is ever part of it."""

    ref: DataRef
    name: str
    group: str = ""

    def as_json(self) -> dict[str, str]:
        """Return the connection for a file."""
        return {"address": str(self.ref), "name": self.name, "group": self.group}

    @classmethod
    def from_json(cls, stored: Any) -> Connection:
        """Return the connection from its stored form, or from an address alone. Raises ValueError."""
        if isinstance(stored, str):
            ref = DataRef.parse(stored)
            return cls(ref, usual_name(ref))
        if not isinstance(stored, dict) or not isinstance(stored.get("address"), str):
            raise ValueError(tr("a connection has an address"))
        ref = DataRef.parse(stored["address"])
        return cls(ref, str(stored.get("name") or usual_name(ref)), str(stored.get("group") or ""))


def usual_name(ref: DataRef) -> str:
    """Return what a place is called until somebody names it.

    >>> usual_name(DataRef.parse("wms+https://survey.tolvane.example/maps/wms"))
    'survey.tolvane.example WMS'
    """
    if not ref.protocol:
        return ref.name or ref.place.partition("://")[2].partition("/")[0]
    host = ref.address.partition("://")[2].partition("/")[0].rpartition("@")[2]
    return f"{host} {ref.protocol.upper()}"


def export_connections(connections: Iterable[Connection], path: Path) -> None:
    """Write connections to a file, without passwords and keys. Raises CannotWrite, OSError."""
    content = {FORMAT: 1, "connections": [each.as_json() for each in connections]}
    write_whole(path, json.dumps(content, indent=1).encode())


def import_connections(path: Path) -> list[Connection]:
    """Return the connections in a file. Raises CannotRead."""
    try:
        if path.stat().st_size > MAX_BYTES:
            raise CannotRead(path, tr("it is far too large for a file of connections"), tr("Choose another file."))
        content = json.loads(path.read_bytes())
        if not isinstance(content, dict) or FORMAT not in content:
            raise CannotRead(
                path, tr("it is no file of connections"), tr("Export one from Find to see what it looks like.")
            )
        return [Connection.from_json(each) for each in content.get("connections") or []]
    except OSError as error:
        raise CannotRead(path, error.strerror or str(error), tr("Check the file.")) from error
    except (ValueError, RecursionError, TypeError, AttributeError) as error:
        raise CannotRead(path, tr("it is damaged ({error})", error=error), tr("Ask for it again.")) from error


def grouped(connections: Sequence[Connection]) -> list[tuple[str, list[Connection]]]:
    """Return connections by their groups in the order of the alphabet, those without a group first."""
    groups = sorted({each.group for each in connections}, key=str.lower)
    return [(group, [each for each in connections if each.group == group]) for group in groups]
