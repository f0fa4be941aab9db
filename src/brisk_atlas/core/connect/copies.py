"""Copies in the user's cache of what is packed or lies elsewhere, one folder for each state of a source."""

from __future__ import annotations

import hashlib
import os
import shutil
from pathlib import Path
from typing import IO

from brisk_atlas.core.model import CannotRead, DataRef
from brisk_atlas.core.model.language import tr
from brisk_atlas.core.system.folders import cache_folder, make_private

COPY_LIMIT = 4_000_000_000  # bytes unpacked or fetched for one file
MAX_RATIO = 200  # unpacked to packed; real data stays far below
SMALL_UNPACKED = 50_000_000  # bytes; below this the ratio does not matter
CACHE_BYTES = 8_000_000_000  # of all copies; the longest unused go first
BLOCK = 1 << 20


def copies_folder() -> Path:
    """Return the folder for copies of what was fetched or unpacked."""
    return cache_folder("copies")


def copy_folder(ref: DataRef, fingerprint: str) -> Path:
    """Return the folder for copies from a place in its present state."""
    state = f"{ref.place}|{fingerprint}"
    return copies_folder() / hashlib.sha256(state.encode("utf-8", "surrogateescape")).hexdigest()[:32]


def copy_target(ref: DataRef, fingerprint: str) -> Path:
    """Return where the copy of a file from elsewhere is stored; its name can't lead out of the copy's folder."""
    return copy_folder(ref, fingerprint) / (ref.name.replace("/", "_").lstrip(".") or "data")


def unpacked_limit(packed_bytes: int) -> int:
    """Return how many bytes may come out of as many packed ones."""
    return max(SMALL_UNPACKED, MAX_RATIO * packed_bytes)


def store_copy(ref: DataRef, source: IO[bytes], target: Path, limit: int, modified: float) -> None:
    """Write a stream to `target`, dated as its source, if it is not there yet.

    Raises CannotRead where it goes on for more than `limit` bytes, OSError where it can't be written.
    """
    if target.exists():
        os.utime(target.parent)
        return
    make_private(target.parent)
    beside = target.with_name(f".{target.name}.{os.getpid()}.new")
    limit = min(limit, COPY_LIMIT)
    size = 0
    try:
        with beside.open("wb") as out:
            while block := source.read(BLOCK):
                size += len(block)
                if size > limit:
                    raise CannotRead(
                        ref, tr("it unpacks to more than {limit:,} bytes", limit=limit), tr("Unpack it first.")
                    )
                out.write(block)
        os.utime(beside, (modified, modified))
        beside.replace(target)
    finally:
        beside.unlink(missing_ok=True)


def prune() -> None:
    """Remove the copies that were unused for longest, beyond the size of the cache."""
    total = 0
    for each in sorted(copies_folder().iterdir(), key=lambda f: f.stat().st_mtime, reverse=True):
        total += sum(f.stat().st_size for f in each.rglob("*") if f.is_file())
        if total > CACHE_BYTES:
            shutil.rmtree(each, ignore_errors=True)
