"""What the records of a dataset explain about its fields: alias, description, unit, meanings of values.

Light on purpose: it knows the two places where this usually stands, a record's entity and attribute
section and a GeoPackage's own table of columns. `core.record` reads records properly.
"""

from __future__ import annotations

import sqlite3
from contextlib import closing
from dataclasses import dataclass, replace
from pathlib import Path
from typing import Any

from lxml import etree

from brisk_atlas.core.model import CannotRead, Dataset

from .geopackage import read_only
from .holdings import Holdings, Source
from .xml import parse_xml

SHORT = 48  # letters that an alias may have


@dataclass(frozen=True)
class FieldWords:
    """What is said of one field. `meanings` are (value as text, meaning)."""

    alias: str = ""
    description: str = ""
    unit: str = ""
    meanings: tuple[tuple[str, str], ...] = ()

    def meaning_of(self, value: Any) -> str:
        """Return what a value stands for, or nothing."""
        if value is None or not self.meanings:
            return ""
        whole = isinstance(value, bool) or (isinstance(value, float) and value.is_integer())
        plain = str(int(value)) if whole else str(value)
        return next((meaning for told, meaning in self.meanings if told == plain), "")


def field_words(holdings: Holdings, source: Source) -> dict[str, FieldWords]:
    """Return what is said of the fields of a part, by field name; read once."""
    return holdings.keep(("field words", source), lambda: _read(holdings.dataset(source[0]), source[1]))


def _read(dataset: Dataset, part: str) -> dict[str, FieldWords]:
    found: dict[str, FieldWords] = {}
    for member in dataset.members:
        if member.suffix.lower() == ".xml":
            try:
                found |= _from_record(parse_xml(member).getroot())
            except (CannotRead, OSError):
                continue  # the record page says what is wrong with it
    if dataset.path.suffix.lower() == ".gpkg":
        for name, words in _from_geopackage(dataset.path, part).items():
            found[name] = replace(found.get(name, words), **{k: v for k, v in vars(words).items() if v})
    return found


def _from_record(root: etree._Element) -> dict[str, FieldWords]:
    """Return the attributes that an FGDC record explains."""
    found = {}
    for attribute in root.iter("attr"):
        name = _text(attribute, "attrlabl")
        if not name:
            continue
        alias, description = _parted(_text(attribute, "attrdef"))
        meanings = tuple(
            (_text(domain, "edomv"), _text(domain, "edomvd")) for domain in attribute.iterfind("attrdomv/edom")
        )
        unit = next((t for e in attribute.iter("attrunit") if (t := " ".join("".join(e.itertext()).split()))), "")
        found[name] = FieldWords(alias, description, unit, meanings)
    return found


def _parted(told: str) -> tuple[str, str]:
    """Return a short name and the whole definition, where a definition begins with a short name."""
    first, dot, _ = told.partition(". ")
    return (
        (first, told) if dot and len(first) <= SHORT else (told.rstrip("."), told) if len(told) <= SHORT else ("", told)
    )


def _text(element: etree._Element, path: str) -> str:
    return " ".join((element.findtext(path) or "").split())


def _from_geopackage(path: Path, table: str) -> dict[str, FieldWords]:
    """Return what the schema extension of a GeoPackage says of a table's columns."""
    try:
        with closing(read_only(path)) as db:
            rows = db.execute(
                "SELECT column_name, coalesce(title, name, ''), coalesce(description, ''), constraint_name "
                "FROM gpkg_data_columns WHERE table_name = ?",
                (table,),
            ).fetchall()
            said = {
                name: db.execute(
                    "SELECT value, coalesce(description, '') FROM gpkg_data_column_constraints "
                    "WHERE constraint_name = ? AND constraint_type = 'enum'",
                    (name,),
                ).fetchall()
                for name in {row[3] for row in rows if row[3]}
            }
    except (sqlite3.Error, OSError):
        return {}
    return {
        column: FieldWords(title if title != column else "", description, "", tuple(said.get(rule, ())))
        for column, title, description, rule in rows
    }
