"""What the file system, or a server, knows of a dataset."""

from __future__ import annotations

from datetime import UTC, datetime
from pathlib import Path
from typing import Any

from brisk_atlas.core.connect import connector_for
from brisk_atlas.core.connect.members import members_of
from brisk_atlas.core.model import DataRef


def on_disk(ref: DataRef, members: tuple[Path, ...] | None = None) -> dict[str, Any]:
    """Return the arguments of Dataset that need no reader: ref, members, size, modified."""
    if not ref.is_local:
        size, modified = connector_for(ref).stat(ref)
        return {"ref": ref, "members": (), "size_bytes": size, "modified": modified}
    members = members or members_of(ref.path)
    stats = [member.stat() for member in members] or [ref.path.stat()]
    return {
        "ref": ref,
        "members": members,
        "size_bytes": sum(stat.st_size for stat in stats),
        "modified": datetime.fromtimestamp(max(stat.st_mtime for stat in stats), UTC),
    }
