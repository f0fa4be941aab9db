"""Edited values: checked against the type of their field, laid over a table, found and replaced."""

from __future__ import annotations

import datetime
from collections.abc import Sequence
from pathlib import Path
from typing import Any

import numpy as np
import pyarrow as pa
import pyarrow.compute as pc

from brisk_atlas.core.model import BadExpression, Edit
from brisk_atlas.core.model.digit_groups import typed_number
from brisk_atlas.core.model.language import tr
from brisk_atlas.core.model.table_view import FileState

_TRUE, _FALSE = ("yes", "true", "1"), ("no", "false", "0")


def value_from(text: str, kind: pa.DataType, name: str) -> Any:
    """Return the value that a typed text means in a field; empty is missing. Raises BadExpression."""
    reason = text.strip()
    if pa.types.is_dictionary(kind):
        kind = kind.value_type
    if not reason:
        return None
    try:
        if pa.types.is_boolean(kind):
            if reason.lower() not in _TRUE + _FALSE:
                raise ValueError
            return reason.lower() in _TRUE
        if pa.types.is_integer(kind):
            return pa.scalar(int(typed_number(reason)), kind).as_py()
        if pa.types.is_floating(kind) or pa.types.is_decimal(kind):
            return float(typed_number(reason))
        if pa.types.is_date(kind):
            return datetime.date.fromisoformat(reason)
        if pa.types.is_timestamp(kind):
            return datetime.datetime.fromisoformat(reason)
    except (ValueError, OverflowError, pa.ArrowInvalid) as error:
        raise BadExpression(
            name,
            tr("“{reason}” is not {wanted}", reason=reason, wanted=_wanted(kind)),
            tr("The value stays as it was."),
        ) from error
    if pa.types.is_string(kind) or pa.types.is_large_string(kind):
        return text
    raise BadExpression(
        name, tr("a field of {kind} can't be edited here", kind=kind), tr("Compute a new field from it instead.")
    )


def _wanted(kind: pa.DataType) -> str:
    if pa.types.is_integer(kind):
        return tr("a whole number that fits this field")
    if pa.types.is_boolean(kind):
        return tr("yes or no")
    if pa.types.is_date(kind):
        return tr("a date such as 2031-06-24")
    return tr("a date and time such as 2031-06-24 13:50") if pa.types.is_timestamp(kind) else tr("a number")


def edited(table: pa.Table, edits: Sequence[Edit]) -> pa.Table:
    """Return a table with edits laid over it, the later ones on top."""
    by_field: dict[str, dict[int, Any]] = {}
    for edit in edits:
        by_field.setdefault(edit.field, {}).update(zip(edit.rows, edit.values))
    for name, found in by_field.items():
        at = table.schema.get_field_index(name)
        if at < 0:
            continue
        field = table.schema.field(at)
        kind = field.type.value_type if pa.types.is_dictionary(field.type) else field.type
        rows = np.fromiter((r for r in found if r < table.num_rows), np.int64)
        mask = np.zeros(table.num_rows, bool)
        mask[rows] = True
        order = np.sort(rows)
        new = pa.array([found[int(r)] for r in order], kind)
        old = table.column(at).cast(kind).combine_chunks()
        table = table.set_column(
            at, pa.field(name, kind, True, field.metadata), pc.replace_with_mask(old, pa.array(mask), new)
        )
    return table


def changed_cells(edits: Sequence[Edit]) -> dict[tuple[int, str], Any]:
    """Return the value of each edited cell by (row, field)."""
    return {(row, edit.field): value for edit in edits for row, value in zip(edit.rows, edit.values)}


def replacing(table: pa.Table, field: str, find: str, new: str, rows: np.ndarray, *, whole: bool) -> Edit | None:
    """Return the edit that replaces text in a field of `rows`; None where nothing is found.

    `whole` replaces only where all of the value is `find`. Raises BadExpression where the new text
    does not fit the field.
    """
    column = table.column(field)
    kind = column.type.value_type if pa.types.is_dictionary(column.type) else column.type
    texts = column.cast(pa.string()).take(pa.array(rows))
    hit = pc.equal(texts, find) if whole else pc.match_substring(texts, find)
    at = np.flatnonzero(hit.fill_null(False).combine_chunks().to_numpy(zero_copy_only=False))
    if not at.size:
        return None
    old = texts.take(pa.array(at)).to_pylist()
    values = [value_from(new if whole else text.replace(find, new), kind, field) for text in old]
    found = rows[at]
    return Edit(field, tuple(found.tolist()), tuple(values), tuple(column.take(pa.array(found)).to_pylist()))


def state_of(members: Sequence[Path]) -> FileState:
    """Return what the files of a dataset are now, so that a later change is noticed."""
    found = []
    for member in members:
        try:
            result = member.stat()
            found.append((member.name, result.st_size, result.st_mtime_ns))
        except OSError:
            found.append((member.name, -1, -1))
    return tuple(found)
