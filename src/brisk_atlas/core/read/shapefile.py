"""Shapefiles: what they hold, read from their heads; features come by the library.

Layout: the Shapefile technical description (1998), and the head of a dBase III table.
"""

from __future__ import annotations

import struct
from pathlib import Path

from brisk_atlas.core.connect.members import members_of
from brisk_atlas.core.model import DataKind, DataRef, Dataset, Extent, Facts, Field
from brisk_atlas.core.place import text_of

from . import vector
from .content import head_of
from .on_disk import on_disk

_PLAIN = {1: "Point", 3: "LineString", 5: "Polygon", 8: "MultiPoint"}
SHAPES = {**_PLAIN, **{code + 10: f"{name} Z" for code, name in _PLAIN.items()}}
ENCODINGS = ("UTF-8", "ISO-8859-1", "ASCII", "ISO8859-1", "UTF8")
MOST_HEAD = 65536  # bytes; the head of a table of 2,000 fields fits


def open_dataset(ref: DataRef) -> Dataset:
    """Return the dataset of a Shapefile. Raises CannotRead."""
    if not ref.is_local:
        return vector.open_dataset(ref)
    path = ref.path
    vector.check_whole(ref)
    members = members_of(path)
    facts = _facts(path, {member.suffix.lower(): member for member in members})
    if facts is None:  # something out of the ordinary: leave it to the library
        return vector.open_dataset(ref)
    stated = (*vector.remarks(facts), *vector.text_remarks(ref))
    part = vector.OgrLayer(ref, facts)
    return Dataset(format="Shapefile", kind=DataKind.VECTOR, parts=(part,), warnings=stated, **on_disk(ref, members))


def _facts(path: Path, members: dict[str, Path]) -> Facts | None:
    if not {".shx", ".dbf", ".prj"} <= members.keys():
        return None
    head = head_of(path)
    shape = SHAPES.get(struct.unpack_from("<i", head, 32)[0])
    bounds = struct.unpack_from("<4d", head, 36)
    count = (members[".shx"].stat().st_size - 100) // 8
    encoding = None
    if ".cpg" in members:
        encoding = members[".cpg"].read_text("ascii", "replace").strip().upper()
    with members[".dbf"].open("rb") as file:
        table = file.read(MOST_HEAD)
    rows = int.from_bytes(table[4:8], "little")
    fields = _fields(table, encoding)
    if shape is None or not count or rows != count or fields is None or encoding not in (None, *ENCODINGS):
        return None
    if members[".dbf"].stat().st_size < vector.dbf_size(table):
        return None
    crs = _system(members[".prj"].read_text("utf-8", "replace"))
    if crs is None:
        return None
    return Facts(path.stem, DataKind.VECTOR, count, shape, fields, crs, Extent.of(bounds, crs))


def _system(wkt: str) -> str | None:
    """Return the CRS where it is one of the register; None leaves it to the library."""
    from brisk_atlas.core.model import CannotPlace

    try:
        found = text_of(wkt)
    except CannotPlace:
        return None
    return found if found.startswith("EPSG:") else None


def _fields(table: bytes, encoding: str | None) -> tuple[Field, ...] | None:
    first = int.from_bytes(table[8:10], "little")
    if first > len(table):
        return None
    found = []
    for at in range(32, first - 1, 32):
        if table[at] == 0x0D:
            break
        name = _name(table[at : at + 11].split(b"\0")[0], encoding)
        if name is None:
            return None
        kind, width, decimals = chr(table[at + 11]), table[at + 16], table[at + 17]
        if kind == "C":
            type_ = "string"
        elif kind == "D":
            type_ = "date32"
        elif kind == "L":
            type_ = "bool"
        elif kind in "NF":
            type_ = "int32" if not decimals and width < 10 else "int64" if not decimals and width < 19 else "double"
        else:
            return None
        found.append(Field(name, type_))
    return tuple(found)


def _name(stored: bytes, encoding: str | None) -> str | None:
    """Return the name of a field: in the encoding stated, or None where it does not fit; where none is stated, UTF-8,
    else Latin-1."""
    try:
        return stored.decode("latin-1" if encoding and encoding.startswith("ISO") else "utf-8")
    except UnicodeDecodeError:
        return None if encoding else stored.decode("latin-1")
