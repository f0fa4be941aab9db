"""Metadata records as datasets: which standard, and whose title. `core.record` reads the rest."""

from __future__ import annotations

from dataclasses import dataclass
from pathlib import Path

from brisk_atlas.core.model import CannotRead, Dataset, Facts, Part

from .members import on_disk
from .xml import parse_xml

STANDARDS = {  # root element: name of the standard, where the title stands
    "{http://www.isotc211.org/2005/gmd}MD_Metadata": ("ISO 19139", ".//{*}citation//{*}title/{*}CharacterString"),
    "{http://standards.iso.org/iso/19115/-3/mdb/2.0}MD_Metadata": (
        "ISO 19115-3",
        ".//{*}citation//{*}title/{*}CharacterString",
    ),
    "metadata": ("FGDC CSDGM", "idinfo/citation/citeinfo/title"),
}


@dataclass(frozen=True)
class RecordFile(Part):
    """A metadata record that stands alone."""


def standard_of(root_tag: str) -> str | None:
    """Return the standard whose root element this is, or None."""
    return STANDARDS[root_tag][0] if root_tag in STANDARDS else None


def open_dataset(path: Path) -> Dataset:
    """Return the dataset of a metadata record. Raises CannotRead."""
    root = parse_xml(path).getroot()
    if root.tag not in STANDARDS:
        raise CannotRead(
            path, "this XML is not a metadata record that is known", "ISO 19139, ISO 19115-3 and FGDC are."
        )
    standard, where = STANDARDS[root.tag]
    title = (root.findtext(where) or "").strip()
    facts = Facts(title or path.stem, "record", 1, notes={"title": title or "not given", "standard": standard})
    said = () if title else ("the record has no title",)
    return Dataset(
        format=standard, kind="record", parts=(RecordFile(path, facts),), warnings=said, **on_disk(path, (path,))
    )
