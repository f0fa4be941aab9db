"""What is stated of the fields of a dataset, by its records and by a GeoPackage's own table of columns."""

from __future__ import annotations

import sqlite3
from collections.abc import Sequence
from contextlib import closing
from dataclasses import dataclass, replace
from decimal import Decimal
from math import inf, nextafter
from pathlib import Path
from typing import Any

from brisk_atlas.core.model import CannotRead, Dataset, RowsPart
from brisk_atlas.core.record.brief_sections import plain_name, unit_of_field
from brisk_atlas.core.record.model import Entity, FieldDefinition

from .find_records import find_records
from .geopackage import read_only


@dataclass(frozen=True)
class FieldMeaning:
    """What is stated of one field. `meanings` are (value as text, meaning), `ranges` (minimum, maximum) with infinite
    ends for open ones; `others` says that further values are described in words, or by a list that lies elsewhere."""

    alias: str = ""
    description: str = ""
    unit: str = ""
    meanings: tuple[tuple[str, str], ...] = ()
    ranges: tuple[tuple[float, float], ...] = ()
    others: bool = False

    def meaning_of(self, value: Any) -> str:
        """Return what a value stands for, or nothing."""
        if value is None or not self.meanings:
            return ""
        plain = _plain(value)
        return next((meaning for found, meaning in self.meanings if found == plain), "")

    @property
    def limits_values(self) -> bool:
        """Whether it states all values that the field may have."""
        return bool(self.meanings or self.ranges) and not self.others

    def allows(self, value: Any) -> bool:
        """Return whether a value is one of those listed, or within a range."""
        if any(found == _plain(value) for found, _ in self.meanings):
            return True
        number = float(value) if isinstance(value, int | float | Decimal) else None
        return number is not None and any(low <= number <= high for low, high in self.ranges)


def _plain(value: Any) -> str:
    """Return a value as records write it."""
    if isinstance(value, Decimal):
        value = float(value)
    whole = isinstance(value, bool) or (isinstance(value, float) and value.is_integer())
    return str(int(value)) if whole else str(value)


def meanings_of(dataset: Dataset, part: str) -> dict[str, FieldMeaning]:
    """Return what is stated of the fields of a part, by field name; a GeoPackage's own columns win over records."""
    found = _from_format(dataset, part) | _from_database(dataset, part) | _from_records(dataset, part)
    if dataset.ref.suffix == ".gpkg" and dataset.ref.is_local:
        for name, words in _from_geopackage(dataset.ref.path, part).items():
            found[name] = replace(found.get(name, words), **{k: v for k, v in vars(words).items() if v})
    return found


def _from_database(dataset: Dataset, part: str) -> dict[str, FieldMeaning]:
    """Return the comments on the columns of a database's table."""
    found = dataset.part(part)
    comments = found.comments if isinstance(found, RowsPart) else {}
    return {name: FieldMeaning(description=about) for name, about in comments.items()}


def _from_format(dataset: Dataset, part: str) -> dict[str, FieldMeaning]:
    """Return what the format or the file itself states of fields."""
    fields = dataset.part(part).facts.fields
    return {f.name: FieldMeaning(description=f.meaning, unit=f.unit) for f in fields if f.meaning or f.unit}


def _from_records(dataset: Dataset, part: str) -> dict[str, FieldMeaning]:
    """Return what the records say of the fields of a part, by field name; the likeliest record wins."""
    try:
        locations, _ = find_records(dataset)
    except CannotRead:
        return {}
    found: dict[str, FieldMeaning] = {}
    for one in reversed(locations):
        for entity in _of_part(one.document.record.entities, part, len(dataset.parts)):
            found |= {f.name: _words(f) for f in entity.fields if f.name}
    return found


def _of_part(entities: tuple[Entity, ...], part: str, parts: int) -> list[Entity]:
    """Return the entities that speak of a part: those by its name, or all where there is one part only."""
    named = [e for e in entities if e.name.casefold() == part.casefold()]
    return named or (list(entities) if parts == 1 else [])


def _words(field: FieldDefinition) -> FieldMeaning:
    meanings = tuple((m.value, m.meaning) for m in field.meanings)
    ranges = tuple(r for each in field.ranges if (r := _range_of(each.lowest, each.highest)) is not None)
    others = bool(field.free or field.codeset) or len(ranges) < len(field.ranges)
    return FieldMeaning(plain_name(field), field.definition, unit_of_field(field), meanings, ranges, others)


def _range_of(lowest: Any, highest: Any) -> tuple[float, float] | None:
    """Return a range, open where an end is not stated; None for one that is none of numbers."""
    try:
        low = float(lowest) if lowest not in (None, "") else -inf
        high = float(highest) if highest not in (None, "") else inf
    except ValueError:
        return None
    return (low, high) if low <= high else None


def _from_geopackage(path: Path, table: str) -> dict[str, FieldMeaning]:
    """Return what the schema extension of a GeoPackage says of a table's columns."""
    try:
        with closing(read_only(path)) as db:
            rows = db.execute(
                "SELECT column_name, coalesce(title, name, ''), coalesce(description, ''), constraint_name "
                "FROM gpkg_data_columns WHERE table_name = ?",
                (table,),
            ).fetchall()
            values = {
                name: db.execute(
                    "SELECT value, coalesce(description, '') FROM gpkg_data_column_constraints "
                    "WHERE constraint_name = ? AND constraint_type = 'enum'",
                    (name,),
                ).fetchall()
                for name in {row[3] for row in rows if row[3]}
            }
            ranges = {
                name: db.execute(
                    "SELECT min, max, min_is_inclusive, max_is_inclusive FROM gpkg_data_column_constraints "
                    "WHERE constraint_name = ? AND constraint_type = 'range'",
                    (name,),
                ).fetchall()
                for name in values
            }
    except (sqlite3.Error, OSError):
        return {}
    return {
        column: FieldMeaning(
            title if title != column else "",
            description,
            "",
            tuple(values.get(rule, ())),
            _closed(ranges.get(rule, ())),
        )
        for column, title, description, rule in rows
    }


def _closed(ranges: Sequence[tuple[Any, Any, Any, Any]]) -> tuple[tuple[float, float], ...]:
    """Return ranges of which an end that is not part of them is the number next to it."""
    found = []
    for low, high, with_low, with_high in ranges:
        ends = _range_of(low, high)
        if ends is not None:
            start, end = ends
            found.append(
                (
                    start if with_low in (None, 1) else nextafter(start, inf),
                    end if with_high in (None, 1) else nextafter(end, -inf),
                )
            )
    return tuple(found)
