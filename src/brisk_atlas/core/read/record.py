"""Metadata records as datasets: which standard, and whose title. `core.record` reads the rest."""

from __future__ import annotations

import json
import re
from dataclasses import dataclass, replace
from pathlib import Path

from lxml import etree

from brisk_atlas.core.model import CannotRead, DataKind, DataRef, Dataset, Facts, Part

from .on_disk import on_disk
from .xml import parse_xml

ISO_TITLE = ".//{*}citation//{*}title/{*}CharacterString"
TITLES = {  # where the title stands
    "ISO 19139": ISO_TITLE,
    "ISO 19115-3": ISO_TITLE,
    "FGDC CSDGM": "idinfo/citation/citeinfo/title",
}
DCAT, DCAT_SPACE = "DCAT-AP", "{http://www.w3.org/ns/dcat#}"
TITLE_WITHIN = 1_000_000  # bytes looked through
_TITLE = re.compile(
    r'(?:dct:|dcterms:|purl\.org/dc/terms/)title"?>?\s*+:?\s*+'  # possessive: blanks are gone through once
    r'(?:\[?\s*+\{[^}"]*+"@value"\s*+:\s*+)?"((?:[^"\\]++|\\.)++)"'
)
DUBLIN_CORE = ("http://purl.org/dc/elements/1.1/", "http://purl.org/dc/terms/")


@dataclass(frozen=True)
class RecordFile(Part):
    """A metadata record that stands alone."""


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
    if next(root.iter(f"{DCAT_SPACE}*"), None) is not None:
        return DCAT
    elements = sum(1 for e in root.iter() if isinstance(e.tag, str) and e.tag.startswith(_DC))
    return "Dublin Core" if elements else None


_DC = tuple("{" + space + "}" for space in DUBLIN_CORE)


def _title(root: etree._Element, standard: str) -> str:
    if standard in ("Dublin Core", DCAT):
        return next((found for space in _DC if (found := root.findtext(f".//{space}title"))), "")
    return root.findtext(TITLES[standard]) or ""


def open_dataset(ref: DataRef) -> Dataset:
    """Return the dataset of a metadata record. Raises CannotRead."""
    path = ref.path
    if path.suffix.lower() in (".ttl", ".jsonld"):
        return _dataset(path, DCAT, title_in(path))
    root = parse_xml(path).getroot()
    standard = standard_of(root)
    if standard is None:
        told = "ISO 19139, ISO 19115-3, FGDC, Dublin Core and DCAT are."
        raise CannotRead(path, "this XML is not a metadata record that is known", told)
    return _dataset(path, standard, " ".join(_title(root, standard).split()))


def title_in(path: Path) -> str:
    """Return the first title in a DCAT file in Turtle or JSON-LD, by its words alone."""
    try:
        with path.open("rb") as file:
            text = file.read(TITLE_WITHIN).decode("utf-8", "replace")
    except OSError as error:
        raise CannotRead(path, f"it cannot be read ({error.strerror})", "Look at its permissions.") from error
    found = _TITLE.search(text)
    return " ".join(found[1].split()) if found else ""


def stac_collection(path: Path) -> Dataset:
    """Return the dataset of a STAC collection or catalogue. Raises CannotRead."""
    try:
        told = json.loads(path.read_text("utf-8"))
        return _dataset(path, "STAC collection", str(told.get("title") or told.get("id") or ""))
    except (ValueError, OSError, AttributeError) as error:
        raise CannotRead(path, f"it is not a whole STAC collection ({error})", "Ask for the file again.") from error


def stac_item(path: Path, said: list[str]) -> Dataset:
    """Return a STAC item none of whose bands are at hand as a record, with what is to be said of them."""
    told = json.loads(path.read_text("utf-8"))
    title = str(told.get("properties", {}).get("title") or told.get("id") or "")
    dataset = _dataset(path, "STAC item", title)
    return replace(dataset, warnings=(*dataset.warnings, *said))


def _dataset(path: Path, standard: str, title: str) -> Dataset:
    ref = DataRef.file(path)
    facts = Facts(title or path.stem, DataKind.RECORD, 1, notes={"title": title or "not given", "standard": standard})
    said = () if title else ("the record has no title",)
    return Dataset(
        format=standard, kind=DataKind.RECORD, parts=(RecordFile(ref, facts),), warnings=said, **on_disk(ref, (path,))
    )
