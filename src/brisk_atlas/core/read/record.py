"""Metadata records as datasets: which standard, and whose title. `core.record` reads the rest."""

from __future__ import annotations

import json
import re
from dataclasses import dataclass, replace
from pathlib import Path

from lxml import etree

from brisk_atlas.core.model import CannotRead, DataKind, DataRef, Dataset, Facts, Part
from brisk_atlas.core.model.language import tr
from brisk_atlas.core.record.detect import DCAT, DUBLIN_CORE, NotARecord, standard_of
from brisk_atlas.core.record.safe_xml import parse_xml

from .on_disk import on_disk

ISO_TITLE = ".//{*}citation//{*}title/{*}CharacterString"
TITLES = {  # where the title stands
    "ISO 19139": ISO_TITLE,
    "ISO 19115-3": ISO_TITLE,
    "FGDC CSDGM": "idinfo/citation/citeinfo/title",
}
TITLE_WITHIN = 1_000_000  # bytes looked through
_TITLE = re.compile(
    r'(?:dct:|dcterms:|purl\.org/dc/terms/)title"?>?\s*+:?\s*+'  # possessive: blanks are gone through once
    r'(?:\[?\s*+\{[^}"]*+"@value"\s*+:\s*+)?"((?:[^"\\]++|\\.)++)"'
)


@dataclass(frozen=True)
class RecordFile(Part):
    """A metadata record that stands alone."""


def _title(root: etree._Element, standard: str) -> str:
    if standard in ("Dublin Core", DCAT):
        return next((found for space in DUBLIN_CORE if (found := root.findtext(f".//{{{space}}}title"))), "")
    return root.findtext(TITLES[standard]) or ""


def open_dataset(ref: DataRef) -> Dataset:
    """Return the dataset of a metadata record. Raises CannotRead."""
    path = ref.path
    if path.suffix.lower() in (".ttl", ".jsonld"):
        return _dataset(path, DCAT, title_in(path))
    root = parse_xml(path).getroot()
    standard = standard_of(root)
    if standard is None:
        remedy = tr("ISO 19139, ISO 19115-3, FGDC, Dublin Core and DCAT are.")
        raise NotARecord(path, "this XML is not a metadata record that is known", remedy)
    return _dataset(path, standard, " ".join(_title(root, standard).split()))


def title_in(path: Path) -> str:
    """Return the first title in a DCAT file in Turtle or JSON-LD, by its words alone."""
    try:
        with path.open("rb") as file:
            text = file.read(TITLE_WITHIN).decode("utf-8", "replace")
    except OSError as error:
        raise CannotRead(
            path, tr("it cannot be read ({strerror})", strerror=error.strerror), tr("Look at its permissions.")
        ) from error
    found = _TITLE.search(text)
    return " ".join(found[1].split()) if found else ""


def stac_collection(path: Path) -> Dataset:
    """Return the dataset of a STAC collection or catalogue. Raises CannotRead."""
    try:
        content = json.loads(path.read_text("utf-8"))
        return _dataset(path, "STAC collection", str(content.get("title") or content.get("id") or ""))
    except (ValueError, OSError, AttributeError) as error:
        raise CannotRead(
            path, tr("it is not a whole STAC collection ({error})", error=error), tr("Ask for the file again.")
        ) from error


def stac_item(path: Path, remarks: list[str]) -> Dataset:
    """Return a STAC item none of whose bands are at hand as a record, with what is to be reported of them."""
    content = json.loads(path.read_text("utf-8"))
    title = str(content.get("properties", {}).get("title") or content.get("id") or "")
    dataset = _dataset(path, "STAC item", title)
    return replace(dataset, warnings=(*dataset.warnings, *remarks))


def _dataset(path: Path, standard: str, title: str) -> Dataset:
    ref = DataRef.file(path)
    facts = Facts(title or path.stem, DataKind.RECORD, 1, notes={"title": title or "not given", "standard": standard})
    stated = () if title else (tr("the record has no title"),)
    return Dataset(
        format=standard, kind=DataKind.RECORD, parts=(RecordFile(ref, facts),), warnings=stated, **on_disk(ref, (path,))
    )
