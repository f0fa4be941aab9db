"""What is explained about the fields of a dataset: alias, description, unit, meanings of values.

A GeoPackage's own table of columns is read here; what records explain comes from whoever reads records,
which is a room above and makes itself known by `explain_with`.
"""

from __future__ import annotations

import sqlite3
from collections.abc import Callable
from contextlib import closing
from dataclasses import dataclass, replace
from pathlib import Path
from typing import Any

from brisk_atlas.core.model import DataRef, Dataset

from .geopackage import read_only
from .holdings import Holdings


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


Explainer = Callable[[Dataset, str], dict[str, FieldWords]]
_explainers: list[Explainer] = []


def explain_with(explainer: Explainer) -> None:
    """Ask `explainer(dataset, part)` about fields from now on."""
    if explainer not in _explainers:
        _explainers.append(explainer)


def field_words(holdings: Holdings, source: DataRef) -> dict[str, FieldWords]:
    """Return what is said of the fields of a part, by field name; asked once."""
    return holdings.keep(("field words", source), lambda: _ask(holdings.dataset(source), source.part or ""))


def _ask(dataset: Dataset, part: str) -> dict[str, FieldWords]:
    found: dict[str, FieldWords] = {}
    for explainer in _explainers:
        found |= explainer(dataset, part)
    if dataset.ref.suffix == ".gpkg" and dataset.ref.is_local:
        for name, words in _from_geopackage(dataset.ref.path, part).items():
            found[name] = replace(found.get(name, words), **{k: v for k, v in vars(words).items() if v})
    return found


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
