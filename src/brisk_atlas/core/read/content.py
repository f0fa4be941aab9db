"""What a file is, from its first bytes."""

from __future__ import annotations

import re
from pathlib import Path

from brisk_atlas.core import connect
from brisk_atlas.core.model import CannotRead, DataRef
from brisk_atlas.core.model.language import tr

HEAD_BYTES = 4096
_MAGIC = (
    (b"II*\0", "TIFF"),
    (b"MM\0*", "TIFF"),
    (b"II+\0", "TIFF"),
    (b"MM\0+", "TIFF"),
    (b"SQLite format 3\0", "a SQLite database"),
    (b"PK\x03\x04", "a zip archive"),
    (b"PK\x05\x06", "a zip archive"),
    (b"LASF", "LAS points"),
    (b"\0\0\x27\x0a", "a shapefile"),
    (b"CDF", "netCDF"),
    (b"GRIB", "GRIB"),
    (b"\x89HDF", "HDF5"),
    (b"PAR1", "Parquet"),
    (b"\xff\xd8\xff", "JPEG"),
    (b"\x89PNG", "PNG"),
    (b"\0\0\0\x0cjP", "JPEG 2000"),
    (b"\xff\x4f\xff\x51", "JPEG 2000"),
    (b"fgb", "FlatGeobuf"),
    (b"PMTiles\3", "a PMTiles archive"),
    (b"UHL1", "DTED"),
    (b"EHFA_HEADER_TAG", "an HFA grid"),
    (b"ply\n", "PLY"),
    (b"ply\r", "PLY"),
    (b"%PDF", "PDF"),
    (b"\x1f\x8b", "a gzip archive"),
)
DUCKDB = slice(8, 12)  # where such a file says what it is
_NAME = re.compile(rb"<(?:[\w.-]+:)?([\w.-]+)")
TEXT_BYTES = bytes({7, 8, 9, 10, 12, 13, 27} | set(range(0x20, 0x100)) - {0x7F})


def head_of(ref: DataRef | Path) -> bytes:
    """Return the first bytes. Raises CannotRead where there is nothing to read."""
    ref = DataRef.file(ref) if isinstance(ref, Path) else ref
    head = connect.head_of(ref, HEAD_BYTES)
    if not head and ref.is_local:
        raise CannotRead(ref, tr("the file is empty"), tr("Ask for it again; the copy may have failed."))
    return head


def content_of(head: bytes) -> str:
    """Return in plain words what the bytes are."""
    for magic, name in _MAGIC:
        if head.startswith(magic):
            return name
    if head[DUCKDB] == b"DUCK":
        return "a DuckDB file"
    if head[:2] in (b"\xff\xfe", b"\xfe\xff"):
        return "text"
    text = head.removeprefix(b"\xef\xbb\xbf").lstrip()
    if text.startswith(b"<"):
        return "XML"
    if text.startswith((b"{", b"[", b"\x1e{")):
        return "JSON"
    if text[:1] == b"~" or b"\n~V" in head[:400] or b"\n~v" in head[:400]:
        return "a well log"
    if head.translate(None, TEXT_BYTES):
        return "binary data"
    return "text"


def root_of(head: bytes) -> str:
    """Return the name of an XML document's root element, without its prefix, or an empty text.

    What comes before the root is stepped over piece by piece, so that no content can make it long.
    """
    head, at = head.removeprefix(b"\xef\xbb\xbf"), 0
    while True:
        at += len(head) - at - len(head[at:].lstrip())
        if head.startswith(b"<?", at):
            end = _after(head, b"?>", at)
        elif head.startswith(b"<!--", at):
            end = _after(head, b"-->", at + 4)
        elif head.startswith(b"<!", at):
            inner, close = head.find(b"[", at), head.find(b">", at)
            end = _after(head, b">", _after(head, b"]", inner) if 0 <= inner < close else at)
        else:
            found = _NAME.match(head, at)
            return found.group(1).decode("ascii", "replace") if found else ""
        if end == len(head):
            return ""
        at = end


def _after(head: bytes, mark: bytes, at: int) -> int:
    """Return where what follows a mark begins; the end where the mark does not come."""
    found = head.find(mark, at)
    return len(head) if found < 0 else found + len(mark)
