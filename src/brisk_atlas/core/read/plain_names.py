"""Names that the vector library takes for addresses: one with a `!` or `;` is reached through a link that has none."""

from __future__ import annotations

import hashlib
from contextlib import suppress
from pathlib import Path

from brisk_atlas.core.system.folders import cache_folder, make_private

from .reach import is_remote, library_name

MISTAKEN = str.maketrans("!;", "__")


def vector_name(path: Path) -> str:
    """Return the name by which the vector library reaches a path."""
    name = library_name(path)
    if is_remote(path) or name == name.translate(MISTAKEN):
        return name
    own = hashlib.sha1(str(path.with_suffix("").absolute()).encode("utf-8", "surrogateescape")).hexdigest()
    room = make_private(cache_folder("names") / own)  # `a!b` and `a;b` must not share one
    for member in path.parent.glob(f"{_literal(path.stem)}.*"):
        link = room / member.name.translate(MISTAKEN)
        with suppress(FileExistsError):  # another thread reads the same
            link.symlink_to(member.absolute())
    return str(room / path.name.translate(MISTAKEN))


def _literal(stem: str) -> str:
    """Return a stem as a pattern that stands for itself."""
    return "".join(f"[{letter}]" if letter in "[*?" else letter for letter in stem)
