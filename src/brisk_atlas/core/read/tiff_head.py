"""What a plain GeoTIFF says in its tags, read without opening it with the library.

Only what is common is understood; for anything else `head_of_tiff` returns None and the library is
asked. Tags: TIFF 6.0, BigTIFF, OGC 19-008r4 (GeoTIFF 1.1), and the tags 42112 and 42113 that carry
names, units, scales and nodata as text.
"""

from __future__ import annotations

import struct
from dataclasses import dataclass
from math import ceil
from pathlib import Path

from lxml import etree

from brisk_atlas.core.model import CannotRead
from brisk_atlas.core.model.language import tr

BROKEN = "The copy may have been cut short; ask for the file again."
_SIZES = {1: 1, 2: 1, 3: 2, 4: 4, 5: 8, 6: 1, 7: 1, 8: 2, 9: 4, 10: 8, 11: 4, 12: 8, 13: 4, 16: 8, 17: 8, 18: 8}
_CODES = {1: "B", 3: "H", 4: "I", 6: "b", 8: "h", 9: "i", 11: "f", 12: "d", 13: "I", 16: "Q", 17: "q", 18: "Q"}
_KINDS = {
    (1, 8): "uint8",
    (1, 16): "uint16",
    (1, 32): "uint32",
    (2, 8): "int8",
    (2, 16): "int16",
    (2, 32): "int32",
    (3, 32): "float32",
    (3, 64): "float64",
}
MOST_TAGS, MOST_IMAGES = 200, 40
MOST_VALUES = 4_000_000
_MODEL_TYPE, _RASTER_TYPE, _GEOGRAPHIC, _PROJECTED, _VERTICAL = 1024, 1025, 2048, 3072, 4096
_USER_DEFINED = 32767
_PLAIN_KEYS = {1024, 1025, 1026, 2048, 2049, 2050, 2052, 2054, 2056, 2057, 2059, 2061, 3072, 3073, 3076}


@dataclass(frozen=True)
class TiffHead:
    """`origin` is the outer corner of the first cell, `cell` its width and (positive) height; `items` are
    the texts of tag 42112 by (band or -1, name, role)."""

    width: int
    height: int
    bands: int
    dtype: str
    nodata: float | None
    crs: str
    origin: tuple[float, float]
    cell: tuple[float, float]
    area: bool
    overviews: tuple[int, ...]
    grey: bool
    items: dict[tuple[int, str, str], str]
    software: str
    datetime: str


class _Images:
    """The directories of one file."""

    def __init__(self, path: Path) -> None:
        self.path = path
        with path.open("rb") as file:
            self.data = file.read(65536)
            self.file = file
            self.size = path.stat().st_size
            self.order = "<" if self.data[:2] == b"II" else ">"
            self.big = struct.unpack_from(self.order + "H", self.data, 2)[0] == 43
            at = struct.unpack_from(self.order + ("Q" if self.big else "I"), self.data, 8 if self.big else 4)[0]
            self.found: list[dict[int, tuple]] = []
            while at and len(self.found) < MOST_IMAGES:
                tags, at = self._directory(at)
                self.found.append(tags)

    def _bytes(self, at: int, count: int) -> bytes:
        if at + count > self.size:
            raise CannotRead(self.path, tr("it ends before its tags do, after {size:,} bytes", size=self.size), BROKEN)
        if at + count <= len(self.data):
            return self.data[at : at + count]
        self.file.seek(at)
        return self.file.read(count)

    def _directory(self, at: int) -> tuple[dict[int, tuple], int]:
        wide, entry = (8, 20) if self.big else (2, 12)
        count = struct.unpack(self.order + ("Q" if self.big else "H"), self._bytes(at, wide))[0]
        if count > MOST_TAGS:
            raise ValueError("too many tags")
        block = self._bytes(at + wide, count * entry + (8 if self.big else 4))
        tags: dict[int, tuple] = {}
        for i in range(count):
            tag, kind = struct.unpack_from(self.order + "HH", block, i * entry)
            many = struct.unpack_from(self.order + ("Q" if self.big else "I"), block, i * entry + 4)[0]
            tags[tag] = self._value(block, i * entry + (12 if self.big else 8), kind, many)
        follow = struct.unpack_from(self.order + ("Q" if self.big else "I"), block, count * entry)[0]
        return tags, follow

    def _value(self, block: bytes, at: int, kind: int, many: int) -> tuple:
        length = _SIZES.get(kind, 0) * many
        if many > MOST_VALUES or not length:
            raise ValueError("a tag that is not understood")
        room = 8 if self.big else 4
        if length <= room:
            raw = block[at : at + length]
        else:
            raw = self._bytes(struct.unpack_from(self.order + ("Q" if self.big else "I"), block, at)[0], length)
        if kind in (2, 7):
            return (raw.rstrip(b"\0").decode("utf-8", "replace"),)
        if kind in (5, 10):
            return (raw,)
        return struct.unpack(f"{self.order}{many}{_CODES[kind]}", raw)


def head_of_tiff(path: Path) -> TiffHead | None:
    """Return what the tags say, or None where only the library can tell. Raises CannotRead for a file
    that ends before its tags or its cells do."""
    try:
        images = _Images(path)
        return _head(images)
    except (struct.error, ValueError, KeyError, IndexError, etree.XMLSyntaxError, ZeroDivisionError):
        return None


def _head(images: _Images) -> TiffHead | None:
    first, *others = images.found
    if {320, 330, 34264, 50844, 33918} & first.keys() or not {33550, 33922, 34735} <= first.keys():
        return None
    width, height = first[256][0], first[257][0]
    bits, bands = set(first.get(258, (1,))), first.get(277, (1,))[0]
    forms = set(first.get(339, (1,)))
    if len(bits) != 1 or len(forms) != 1 or first.get(262, (1,))[0] not in (0, 1) or first.get(262, (1,))[0] == 0:
        return None
    dtype = _KINDS[(forms.pop(), bits.pop())]
    crs, area = _system(first[34735])
    if crs is None:
        return None
    overviews = []
    for other in others:
        if other.get(254, (0,))[0] != 1:
            return None  # masks and further pages are for the library
        overviews.append(round(width / other[256][0]))
    for image in images.found:
        _check_whole(images, image)
    scale, tie = first[33550], first[33922]
    if len(tie) != 6 or tie[0] or tie[1] or scale[0] <= 0 or scale[1] <= 0:
        return None
    corner = (tie[3], tie[4]) if area else (tie[3] - scale[0] / 2, tie[4] + scale[1] / 2)
    nodata = first.get(42113)
    return TiffHead(
        width, height, bands, dtype, float(nodata[0]) if nodata else None, crs, corner, (scale[0], scale[1]), area,
        tuple(overviews), bands == 1, _items(first.get(42112)), first.get(305, ("",))[0], first.get(306, ("",))[0],
    )  # fmt: skip


def _system(keys: tuple) -> tuple[str | None, bool]:
    """Return the CRS where it is one of the register and nothing more, and whether cells are areas."""
    found = {}
    for i in range(4, 4 + 4 * keys[3], 4):
        key, place, _, value = keys[i : i + 4]
        if key not in _PLAIN_KEYS:
            return None, True
        found[key] = value if place == 0 else None
    model = found.get(_MODEL_TYPE)
    code = found.get(_PROJECTED) if model == 1 else found.get(_GEOGRAPHIC) if model == 2 else None
    if code is None or not 1024 <= code < _USER_DEFINED:
        return None, True
    return f"EPSG:{code}", found.get(_RASTER_TYPE, 1) == 1


def _check_whole(images: _Images, image: dict[int, tuple]) -> None:
    offsets, lengths = image.get(324, image.get(273)), image.get(325, image.get(279))
    if offsets is None or lengths is None or len(offsets) != len(lengths):
        raise ValueError("no blocks")
    if 322 in image:
        across = ceil(image[256][0] / image[322][0]) * ceil(image[257][0] / image[323][0])
    else:
        across = ceil(image[257][0] / image.get(278, image[257])[0])
    if len(offsets) not in (across, across * image.get(277, (1,))[0]):
        raise ValueError("another number of blocks than there should be")
    if max(map(sum, zip(offsets, lengths))) > images.size:
        raise CannotRead(images.path, tr("it ends before its cells do, after {size:,} bytes", size=images.size), BROKEN)


def _items(text: tuple | None) -> dict[tuple[int, str, str], str]:
    if not text:
        return {}
    parser = etree.XMLParser(resolve_entities=False, no_network=True, load_dtd=False)
    root = etree.fromstring(text[0].encode(), parser)
    return {
        (int(item.get("sample", -1)), item.get("name", ""), item.get("role", "")): item.text or ""
        for item in root.findall("Item")
        if item.get("domain") is None
    }
