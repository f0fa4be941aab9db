"""How the look of a layer's rows, and what was added to them, stand in a project file."""

from __future__ import annotations

import datetime
from dataclasses import asdict
from decimal import Decimal
from pathlib import Path
from typing import Any

from pydantic import TypeAdapter

from brisk_atlas.core.model import ColumnView, ComputedField, DataRef, Edit, FieldFilter, Join, TableView
from brisk_atlas.core.model.language import tr
from brisk_atlas.core.model.table_view import PLAIN_ROWS

_KINDS = {"values", "range", "text", "missing", "known"}


def saved_rows(rows: TableView, folder: Path) -> dict[str, Any] | None:
    """Return rows as JSON in a file of `folder` can hold them, None for plain ones."""
    if rows == PLAIN_ROWS:
        return None
    values: dict[str, Any] = {
        "columns": [asdict(c) for c in rows.columns],
        "sort": rows.sort,
        "where": rows.where,
        "filters": [_filter_as_json(f) for f in rows.filters],
        "on_map": rows.on_map,
        "summary": rows.summary,
        "computed": [asdict(c) for c in rows.computed],
        "joins": [{**asdict(j), "ref": j.ref.as_json(folder)} for j in rows.joins],
        "edits": [_edit_as_json(e) for e in rows.edits],
        "edited_from": rows.edited_from,
        "dates": rows.dates,
    }
    return {key: value for key, value in values.items() if value}


def _edit_as_json(edit: Edit) -> dict[str, Any]:
    values = {name: [_value_as_json(v) for v in getattr(edit, name)] for name in ("values", "before")}
    return {"field": edit.field, "rows": edit.rows, **{name: found for name, found in values.items() if found}}


def _filter_as_json(chosen: FieldFilter) -> dict[str, Any]:
    values = {"values": [_value_as_json(value) for value in chosen.values]}
    return {**asdict(chosen), **values, "low": _value_as_json(chosen.low), "high": _value_as_json(chosen.high)}


def rows_from(values: dict[str, Any] | None, folder: Path) -> TableView:
    """Return rows from their saved form. Raises TypeError or KeyError where that holds something else."""
    if values is None:
        return PLAIN_ROWS
    filters = tuple(
        FieldFilter(f["field"], f["kind"], tuple(_value_from_json(v) for v in f.get("values", ())),
                    _value_from_json(f.get("low")), _value_from_json(f.get("high")), f.get("text", ""))
        for f in values.get("filters", ())
    )  # fmt: skip
    if any(f.kind not in _KINDS for f in filters):
        raise TypeError(tr("a filter of an unknown kind"))
    found_rows = TableView(
        tuple(ColumnView(**_renamed(c)) for c in values.get("columns", ())),
        tuple((str(field), bool(down)) for field, down in values.get("sort", ())),
        str(values.get("where", "")),
        filters,
        bool(values.get("on_map")),
        bool(values.get("summary")),
        tuple(ComputedField(**c) for c in values.get("computed", ())),
        tuple(Join(**{**j, "ref": DataRef.from_json(j["ref"], folder)}) for j in values.get("joins", ())),
        tuple(
            Edit(
                e["field"],
                tuple(map(int, e["rows"])),
                tuple(_value_from_json(v) for v in e["values"]),
                tuple(_value_from_json(v) for v in e.get("before", ())),
            )
            for e in values.get("edits", ())
        ),
        tuple((str(n), int(s), int(t)) for n, s, t in values.get("edited_from", ())),
        str(values.get("dates", "")),
    )
    looks: list[Any] = [*found_rows.columns, *found_rows.computed, *found_rows.joins]
    for value in looks:
        TypeAdapter(type(value)).validate_python(asdict(value))
    return found_rows


def _renamed(column: dict[str, Any]) -> dict[str, Any]:
    """Return a column with the names of today: projects once called a pinned column kept."""
    return {"pinned" if key == "kept" else key: value for key, value in column.items()}


def _value_as_json(value: Any) -> Any:
    """Return a value as JSON can hold it."""
    if isinstance(value, datetime.datetime):
        return {"time": value.isoformat()}
    if isinstance(value, datetime.date):
        return {"date": value.isoformat()}
    return float(value) if isinstance(value, Decimal) else value


def _value_from_json(value: Any) -> Any:
    if isinstance(value, dict):
        return (
            datetime.datetime.fromisoformat(value["time"])
            if "time" in value
            else datetime.date.fromisoformat(value["date"])
        )
    return value
