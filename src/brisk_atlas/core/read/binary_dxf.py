"""Binary DXF as the same tags in text, which the vector library reads."""

from __future__ import annotations

import struct
from collections.abc import Iterator
from pathlib import Path

from brisk_atlas.core.model import CannotRead
from brisk_atlas.core.model.language import tr
from brisk_atlas.core.system.folders import make_private

from .dxf_text import TEXT_IS_UTF8_FROM

MARK, MARK_AT = b" Binary DXF\r\n\x1a\x00", 7  # in the head of such a file, by its specification


def is_binary_dxf(path: Path) -> bool:
    """Return whether a file is a binary DXF. Raises OSError."""
    with path.open("rb") as file:
        return file.read(MARK_AT + len(MARK))[MARK_AT:] == MARK


def as_text(path: Path, folder: Path) -> Path:
    """Return a text DXF in `folder` with the tags of a binary one; written at the first call. Raises CannotRead."""
    target = folder / path.name
    if target.exists():
        return target
    make_private(folder)
    beside = target.with_name(f".{target.name}.new")
    try:
        with beside.open("w", encoding="utf-8", errors="surrogateescape", newline="\n") as out:
            out.writelines(_lines(path.read_bytes()))
        beside.replace(target)
    except (ValueError, IndexError, struct.error) as error:
        raise CannotRead(
            path, tr("its tags end in the middle ({error})", error=error), tr("Ask for the file again.")
        ) from error
    finally:
        beside.unlink(missing_ok=True)
    return target


def _lines(data: bytes) -> Iterator[str]:
    from ezdxf.lldxf.const import DXFError
    from ezdxf.lldxf.tagger import binary_tags_loader

    before = None
    try:
        for code, value in binary_tags_loader(data):
            if before == "$ACADVER":
                value = max(value, TEXT_IS_UTF8_FROM)
            before = value
            yield f"{code:3d}\n{value.hex().upper() if isinstance(value, bytes) else value}\n"
    except DXFError as error:
        raise ValueError(error) from error
