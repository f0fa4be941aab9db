"""What the file system, or a server, knows of a dataset."""

from __future__ import annotations

from datetime import UTC, datetime
from pathlib import Path
from typing import Any

from .members import members_of
from .reach import is_remote, remote_stat


def on_disk(path: Path, members: tuple[Path, ...] | None = None) -> dict[str, Any]:
    """Return the arguments of Dataset that need no reader: path, members, size, modified."""
    if is_remote(path):
        size, modified = remote_stat(path)
        return {"path": path, "members": (path,), "size_bytes": size, "modified": modified}
    members = members or members_of(path)
    stats = [member.stat() for member in members] or [path.stat()]
    return {
        "path": path,
        "members": members,
        "size_bytes": sum(stat.st_size for stat in stats),
        "modified": datetime.fromtimestamp(max(stat.st_mtime for stat in stats), UTC),
    }
