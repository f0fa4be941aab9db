"""What a file is, from its first bytes."""

from __future__ import annotations

from pathlib import Path

from brisk_atlas.core.model import CannotRead

HEAD_BYTES = 2048
_MAGIC = (
    (b"II*\0", "TIFF"),
    (b"MM\0*", "TIFF"),
    (b"II+\0", "TIFF"),
    (b"MM\0+", "TIFF"),
    (b"SQLite format 3\0", "a SQLite database"),
    (b"PK\x03\x04", "a zip archive"),
    (b"LASF", "LAS points"),
    (b"\0\0\x27\x0a", "a shapefile"),
    (b"CDF", "netCDF"),
    (b"\x89HDF", "HDF5"),
    (b"PAR1", "Parquet"),
    (b"\xff\xd8\xff", "JPEG"),
    (b"\x89PNG", "PNG"),
    (b"fgb", "FlatGeobuf"),
    (b"%PDF", "PDF"),
    (b"\x1f\x8b", "a gzip archive"),
)


def head_of(path: Path) -> bytes:
    """Return the first bytes. Raises CannotRead where there is nothing to read."""
    try:
        with path.open("rb") as file:
            head = file.read(HEAD_BYTES)
    except FileNotFoundError as error:
        raise CannotRead(path, "there is no such file", "Check the path; it may have been moved.") from error
    except PermissionError as error:
        raise CannotRead(path, "you may not read it", "Ask its owner for read permission.") from error
    except OSError as error:
        raise CannotRead(path, error.strerror or str(error)) from error
    if not head:
        raise CannotRead(path, "the file is empty", "Ask for it again; the copy may have failed.")
    return head


def content_of(head: bytes) -> str:
    """Return in plain words what the bytes are."""
    for magic, name in _MAGIC:
        if head.startswith(magic):
            return name
    text = head.removeprefix(b"\xef\xbb\xbf").lstrip()
    if text.startswith((b"<?xml", b"<")):
        return "XML"
    if text.startswith((b"{", b"[")):
        return "JSON"
    if text[:1] == b"~" or b"\n~V" in head[:400] or b"\n~v" in head[:400]:
        return "a well log"
    if b"\0" in head:
        return "binary data"
    return "text"
