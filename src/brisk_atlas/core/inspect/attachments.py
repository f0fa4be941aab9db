"""What a value of a feature points at: pictures and documents beside its file, pages and pictures on the net.

Only what lies within the folder of the data is looked at unasked; a value can name any place.
"""

from __future__ import annotations

from dataclasses import dataclass
from enum import StrEnum
from pathlib import Path
from typing import Any
from urllib.parse import unquote, urlsplit

from brisk_atlas.core.model import CannotRead, DataRef
from brisk_atlas.core.model.language import tr

PICTURE_ENDINGS = (".png", ".jpg", ".jpeg", ".webp", ".bmp", ".gif")
DOCUMENT_ENDINGS = (".pdf", ".txt", ".csv", ".las", ".md", ".html", ".htm", ".docx", ".odt", ".xlsx", ".ods")
LONGEST = 2000  # characters of a value that may name a place
LARGEST_PICTURE = 40_000_000  # bytes


class AttachmentKind(StrEnum):
    """What lies at the place that a value names."""

    PICTURE = "picture"
    DOCUMENT = "document"
    PAGE = "page"


@dataclass(frozen=True)
class Attachment:
    """A place that a value names: a path, or an address. `beside` is whether it lies within the folder of the data, so
    that it can be looked at unasked."""

    kind: AttachmentKind
    place: str
    beside: bool

    @property
    def is_remote(self) -> bool:
        """Whether it lies on a server."""
        return "://" in self.place

    @property
    def host(self) -> str:
        """The server that it lies on, "" for a file."""
        return (urlsplit(self.place).hostname or "") if self.is_remote else ""


def attachment_in(value: Any, folder: Path | None) -> Attachment | None:
    """Return what a value points at, None where it names no place.

    folder : of the data's file, from which relative paths go; None for data that is no file
    """
    if not isinstance(value, str) or not 4 < len(value) <= LONGEST or "\n" in value or "\0" in value:
        return None
    text = value.strip()
    if text.lower().startswith(("http://", "https://")):
        return _on_server(text)
    if text.lower().startswith("file://"):
        text = unquote(text[7:])
    ending = Path(text).suffix.lower()
    if ending not in (*PICTURE_ENDINGS, *DOCUMENT_ENDINGS) or folder is None:
        return None
    kind = AttachmentKind.PICTURE if ending in PICTURE_ENDINGS else AttachmentKind.DOCUMENT
    try:
        path = (folder / text.replace("\\", "/")).resolve()
        inside = path.is_relative_to(folder.resolve())
        if not inside:
            return Attachment(kind, str(path), False)  # whether it is there is not even looked at
        return Attachment(kind, str(path), True) if path.is_file() else None
    except (OSError, ValueError, RuntimeError):  # a name that is too long, a circle of links
        return None


def _on_server(text: str) -> Attachment | None:
    try:
        parts = urlsplit(text)
        host = parts.hostname
    except ValueError:
        return None
    if not host or " " in text:
        return None
    is_picture = Path(parts.path).suffix.lower() in PICTURE_ENDINGS
    return Attachment(AttachmentKind.PICTURE if is_picture else AttachmentKind.PAGE, text, False)


def picture_bytes(attachment: Attachment) -> bytes:
    """Return the bytes of a picture; of one on a server, it is asked for. Raises CannotRead."""
    from brisk_atlas.core.connect import connector_for

    ref = DataRef.parse(attachment.place) if attachment.is_remote else DataRef.file(attachment.place)
    content = connector_for(ref).head(ref, LARGEST_PICTURE + 1)
    if len(content) > LARGEST_PICTURE:
        raise CannotRead(
            ref,
            tr("it is larger than {largest_picture:,} bytes", largest_picture=LARGEST_PICTURE),
            tr("Open it in another program."),
        )
    return content
