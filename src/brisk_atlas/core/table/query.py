"""Asking a part for features or rows, with conditions and orders of fields too.

The part does what it is able to; the table engine does the rest.
"""

from __future__ import annotations

import numpy as np
import pyarrow as pa

from brisk_atlas.core.model import EVERYTHING, Capability, FeatureQuery, RowsPart, VectorPart
from brisk_atlas.core.model.shapes import Features
from brisk_atlas.core.read.answer import chosen_features

from .expression import mask_of

BY_ENGINE = Capability.WHERE | Capability.ORDER
BEFORE = Capability.EXTENT  # what has to be settled before a condition


def ask(part: VectorPart, query: FeatureQuery = EVERYTHING) -> Features:
    """Return the features of a part that a query asks for. Raises CannotRead and BadExpression.

    >>> ask(part, FeatureQuery(where="volume_m3 > 1e6", order=(Ordering("year"),), limit=3))  # doctest: +SKIP
    """
    _, left = query.divided(part.able)
    if not left.needs() & BY_ENGINE:
        return part.read(query)
    found = part.read(query.without(left.needs() & ~BEFORE))
    return chosen_features(found, _wanted(found.table, left), left.columns)


def ask_rows(part: RowsPart, query: FeatureQuery = EVERYTHING) -> pa.Table:
    """Return the rows of a part that a query asks for, without geometry. Raises CannotRead and BadExpression."""
    _, left = query.divided(part.able)
    if not left.needs() & BY_ENGINE:
        return part.rows(query)
    table = part.rows(query.without(left.needs() & ~BEFORE))
    table = table.take(pa.array(_wanted(table, left)))
    return table if left.columns is None else table.select(left.columns)


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
