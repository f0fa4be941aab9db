"""XML from strangers: no entities, no network, no depth without end, no size without end."""

from __future__ import annotations

from pathlib import Path

from lxml import etree

from brisk_atlas.core.model import CannotRead

XML_LIMIT = 64_000_000  # bytes; no metadata record is larger


def parse_xml(path: Path) -> etree._ElementTree:
    """Return the parsed file. Raises CannotRead, for a document with its own entities too."""
    if path.stat().st_size > XML_LIMIT:
        raise CannotRead(path, "the XML is larger than 64 MB", "Records are smaller; it may be another kind of file.")
    parser = etree.XMLParser(resolve_entities=False, no_network=True, load_dtd=False, huge_tree=False)
    try:
        tree = etree.parse(str(path), parser)
    except (etree.XMLSyntaxError, OSError) as error:
        raise CannotRead(path, f"its XML is broken ({str(error).split(' (')[0]})", "Ask for the file again.") from error
    if tree.docinfo.internalDTD is not None and list(tree.docinfo.internalDTD.iterentities()):
        raise CannotRead(path, "it defines entities of its own, which can be an attack", "Ask for it without a DTD.")
    return tree
