"""What each file of a dataset is for, in plain words."""

from __future__ import annotations

from pathlib import Path

from brisk_atlas.core.model import Dataset

ROLES = {
    ".shx": "index of the shapes",
    ".dbf": "attributes",
    ".prj": "coordinate reference system",
    ".cpg": "text encoding",
    ".qix": "spatial index",
    ".sbn": "spatial index",
    ".sbx": "spatial index",
    ".ovr": "reduced copies for speed",
    ".msk": "mask",
    ".tfw": "where the picture lies",
    ".jgw": "where the picture lies",
    ".pgw": "where the picture lies",
}


def role_of(member: Path, dataset: Dataset) -> str:
    """Return what a member file is for."""
    if member == dataset.path:
        return "what to open" if len(dataset.members) > 1 else "the data"
    name = member.name.lower()
    if name.endswith(".aux.xml"):
        return "statistics kept by other programs"
    if name.endswith(".xml"):
        return "metadata record"
    if name.endswith(("-wal", "-shm", "-journal")):
        return "open changes of another program"
    if dataset.kind == "scene":
        return "band"
    return ROLES.get(member.suffix.lower(), "belongs to it")
