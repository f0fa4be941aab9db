"""Which files are records, and of which standard: by their names and their roots."""

from __future__ import annotations

from pathlib import Path

from lxml import etree

from brisk_atlas.core.model import CannotRead

RECORD_ENDINGS = (".xml", ".jsonld", ".ttl", ".rdf")
NAMED_RECORDS = (".stac.json",)  # of files whose ending alone does not say it
NOT_RECORDS = (".aux.xml",)
DCAT, _DCAT_SPACE = "DCAT-AP", "{http://www.w3.org/ns/dcat#}"
DUBLIN_CORE = ("http://purl.org/dc/elements/1.1/", "http://purl.org/dc/terms/")
_DC = tuple("{" + space + "}" for space in DUBLIN_CORE)


class NotARecord(CannotRead):
    """A file is readable, but no metadata record of a standard that is known."""


def is_record_name(name: str) -> bool:
    """Return whether a file of that name is a record by its ending.

    >>> is_record_name("ash.geojson.XML"), is_record_name("grid.tif.aux.xml"), is_record_name("items.json")
    (True, False, False)
    """
    lower = name.lower()
    return lower.endswith((*RECORD_ENDINGS, *NAMED_RECORDS)) and not lower.endswith(NOT_RECORDS)


def may_be_record(path: Path) -> bool:
    """Return whether a file beside a dataset may be a record of it; JSON can be."""
    lower = path.name.lower()
    return lower.endswith((*RECORD_ENDINGS, ".json")) and ".aux." not in lower


def standard_of(root: etree._Element) -> str | None:
    """Return the standard of a record by its root element, or None.

    Names tell, not namespaces: old records have older ones, and some have none.
    """
    tag = str(root.tag)
    name = tag.rpartition("}")[2]
    if name in ("MD_Metadata", "MI_Metadata"):
        return "ISO 19115-3" if "/19115/" in tag else "ISO 19139"
    if name == "metadata" and (root.find("idinfo") is not None or root.find("metainfo") is not None):
        return "FGDC CSDGM"
    return _dublin(root)


def _dublin(root: etree._Element) -> str | None:
    if next(root.iter(f"{_DCAT_SPACE}*"), None) is not None:
        return DCAT
    elements = sum(1 for e in root.iter() if isinstance(e.tag, str) and e.tag.startswith(_DC))
    return "Dublin Core" if elements else None
