"""Names that the vector library takes for addresses: one with a `!` or `;` is reached through a link that has none."""

from __future__ import annotations

import hashlib
from pathlib import Path

from brisk_atlas.core.system.folders import cache_folder, make_private

from .reach import is_remote, library_name

MISTAKEN = str.maketrans("!;", "__")


def vector_name(path: Path) -> str:
    """Return the name by which the vector library reaches a path."""
    name = library_name(path)
    if is_remote(path) or name == name.translate(MISTAKEN):
        return name
    room = make_private(cache_folder("names") / hashlib.sha1(str(path.parent).encode()).hexdigest())
    for member in path.parent.glob(f"{_literal(path.stem)}.*"):
        link = room / member.name.translate(MISTAKEN)
        if not link.is_symlink() or link.readlink() != member.absolute():
            link.unlink(missing_ok=True)
            link.symlink_to(member.absolute())
    return str(room / path.name.translate(MISTAKEN))


def _literal(stem: str) -> str:
    """Return a stem as a pattern that stands for itself."""
    return "".join(f"[{letter}]" if letter in "[*?" else letter for letter in stem)
