"""The names by which the raster and vector libraries reach a place.

The vector library takes some names for addresses: one with a `!` or `;` is reached through a link that has none.
"""

from __future__ import annotations

import hashlib
from contextlib import suppress

from brisk_atlas.core.model import DataRef, PlaceKind
from brisk_atlas.core.system.folders import cache_folder, make_private

MISTAKEN = str.maketrans("!;", "__")
WEB = ("/vsicurl/http://", "/vsicurl/https://")
PREFIXES = {"http://": "/vsicurl/http://", "https://": "/vsicurl/https://", "s3://": "/vsis3/", "gs://": "/vsigs/"}


def library_name(ref: DataRef) -> str:
    """Return the name by which the raster and vector libraries reach a place."""
    if ref.kind is not PlaceKind.ADDRESS:
        return str(ref.path)
    scheme, mark, rest = ref.place.partition("://")
    return PREFIXES.get(scheme + mark, ref.place) + rest


def vector_name(ref: DataRef) -> str:
    """Return the name by which the vector library reaches a place."""
    name = library_name(ref)
    if not ref.is_local or name == name.translate(MISTAKEN):
        return name
    path = ref.path
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
