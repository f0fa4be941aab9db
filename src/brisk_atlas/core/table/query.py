"""Asking a part for features or rows, with conditions and orders of fields too.

The part does what it is able to; the table engine does the rest.
"""

from __future__ import annotations

from dataclasses import replace

import numpy as np
import pyarrow as pa

from brisk_atlas.core.model import EVERYTHING, Capability, FeatureQuery, RowsPart, VectorPart
from brisk_atlas.core.model.shapes import Features
from brisk_atlas.core.read.answer import chosen_features

from .expression import mask_of
from .server_sql import as_stated

BY_ENGINE = Capability.WHERE | Capability.ORDER
BEFORE = Capability.EXTENT  # what has to be settled before a condition


def ask(part: VectorPart, query: FeatureQuery = EVERYTHING) -> Features:
    """Return the features of a part that a query asks for. Raises CannotRead and BadExpression.

    >>> ask(part, FeatureQuery(where="volume_m3 > 1e6", order=(Ordering("year"),), limit=3))  # doctest: +SKIP
    """
    query, where = _as_part_means(part, query)
    _, left = query.divided(part.able if where is None else part.able & ~Capability.WHERE)
    if not left.needs() & BY_ENGINE:
        return part.read(query)
    left = left if where is None else replace(left, where=where)
    found = part.read(query.without(left.needs() & ~BEFORE))
    return chosen_features(found, _wanted(found.table, left), left.columns)


def ask_rows(part: RowsPart, query: FeatureQuery = EVERYTHING) -> pa.Table:
    """Return the rows of a part that a query asks for, without geometry. Raises CannotRead and BadExpression."""
    query, where = _as_part_means(part, query)
    _, left = query.divided(part.able if where is None else part.able & ~Capability.WHERE)
    if not left.needs() & BY_ENGINE:
        return part.rows(query)
    left = left if where is None else replace(left, where=where)
    table = part.rows(query.without(left.needs() & ~BEFORE))
    table = table.take(pa.array(_wanted(table, left)))
    return table if left.columns is None else table.select(left.columns)


def _as_part_means(part: RowsPart, query: FeatureQuery) -> tuple[FeatureQuery, str | None]:
    """Return a query with its condition in the part's own SQL, and None; where it can't be said in that, the query as
    it is, and the condition that is left to do here."""
    if not query.where or not part.dialect:
        return query, None
    own = as_stated(query.where, {field.name: field.type for field in part.facts.fields}, part.dialect)
    return (query, query.where) if own is None else (replace(query, where=own), None)


def _wanted(table: pa.Table, left: FeatureQuery) -> np.ndarray:
    """Return the numbers of the rows that are wanted, in their order; equal ones in that of the file."""
    rows = np.arange(len(table))
    if left.where:
        rows = rows[mask_of(table, left.where)]
    if left.order:
        keys = [str(number) for number in range(len(left.order))]
        columns = pa.table([table.column(o.field).take(pa.array(rows)) for o in left.order], names=keys)
        directions = ["descending" if o.descending else "ascending" for o in left.order]
        sorted_ = columns.append_column("row", pa.array(rows)).sort_by([*zip(keys, directions), ("row", "ascending")])
        rows = sorted_.column("row").to_numpy()
    return rows[:: left.step][: left.limit]
