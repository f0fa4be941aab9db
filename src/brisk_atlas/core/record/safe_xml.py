"""XML from strangers: no entities, no network, no depth without end, no size without end."""

from __future__ import annotations

import re
from pathlib import Path

from lxml import etree

from brisk_atlas.core.model import CannotRead

XML_LIMIT = 64_000_000  # bytes; no metadata record is larger
MOST_MARKS = 1_000_000  # tags and attributes; each costs memory, some 150 bytes
_DECLARED = re.compile(rb"^\s*<\?xml[^>]*\?>")
_SAYS_ENCODING = re.compile(rb"encoding\s*=\s*[\"']([\w.-]+)")


def parse_xml(path: Path) -> etree._ElementTree:
    """Return the parsed file. Raises CannotRead, for a document with its own entities too."""
    try:
        size = path.stat().st_size
        data = path.read_bytes() if size <= XML_LIMIT else b""
    except OSError as error:
        raise CannotRead(path, f"it cannot be read ({error.strerror})", "Look at its permissions.") from error
    if size > XML_LIMIT:
        raise CannotRead(path, "the XML is larger than 64 MB", "Records are smaller; it may be another kind of file.")
    return xml_in(data, path)[0]


def xml_in(data: bytes, path: Path) -> tuple[etree._ElementTree, str]:
    """Return the parsed bytes, and a note where their encoding is not what they say.

    `path` names them in errors. Raises CannotRead.
    """
    if data.count(b"<") + data.count(b"=") > MOST_MARKS:
        raise CannotRead(path, "it has more than a million tags and attributes", "No record has; it can be an attack.")
    if not data.strip():
        raise CannotRead(path, "it is empty", "Ask for the file again.")
    note = ""
    try:
        tree = _parsed(data)
    except etree.XMLSyntaxError as error:
        mended = _in_another_encoding(data, str(error))
        if mended is None:
            reason = f"its XML is broken ({str(error).split(' (')[0]})"
            raise CannotRead(path, reason, "Ask for the file again.") from error
        tree, note = mended
    if tree.docinfo.internalDTD is not None and list(tree.docinfo.internalDTD.iterentities()):
        raise CannotRead(path, "it defines entities of its own, which can be an attack", "Ask for it without a DTD.")
    return tree, note


def _parsed(data: bytes) -> etree._ElementTree:
    parser = etree.XMLParser(resolve_entities=False, no_network=True, load_dtd=False, huge_tree=False)
    return etree.ElementTree(etree.fromstring(data, parser))


def _in_another_encoding(data: bytes, error: str) -> tuple[etree._ElementTree, str] | None:
    """Return XML whose bytes are not in the encoding that it says, read as what they most likely are."""
    if not any(word in error.lower() for word in ("encod", "invalid bytes", "utf-8", "invalid byte")):
        return None
    stated = _SAYS_ENCODING.search(data[:200])
    body = _DECLARED.sub(b"", data)
    for encoding in ("utf-8", "cp1252", "latin-1"):
        try:
            text = body.decode(encoding)
            tree = _parsed(text.encode())
        except (UnicodeDecodeError, etree.XMLSyntaxError):
            continue
        words = stated[1].decode() if stated else "UTF-8"
        return tree, f"It says that it is in {words}, but it is not; it was read as {encoding}."
    return None
