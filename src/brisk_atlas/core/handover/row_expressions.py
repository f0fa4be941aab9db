"""SQL expressions over the rows of a flow, with measures of their geometry."""

from __future__ import annotations

from collections.abc import Callable
from functools import lru_cache

import numpy as np
import pyarrow as pa

from brisk_atlas.core.model.shapes import Features
from brisk_atlas.core.read.wkb import exact_shapes
from brisk_atlas.core.table.expression import Prepared, evaluate, narrowed, prepare, rows_where
from brisk_atlas.core.table.measures import measure

from .flows import GEOMETRY, RowFlow

Check = Callable[[], None]


def prepared_for(flow: RowFlow, text: str) -> Prepared:
    """Return an expression ready to run over the rows of a flow. Raises BadExpression."""
    return prepare(text, flow.fields, measured=flow.has_shapes)


def values_of_expression(
    table: pa.Table, prepared: Prepared, text: str, crs: str | None, check: Check, type_: str = ""
) -> pa.ChunkedArray:
    """Return one value a row of a prepared expression. Raises BadExpression."""
    return evaluate(_with_measures(table, prepared, crs, check), prepared.sql, text, check, type_)


def rows_matching(table: pa.Table, prepared: Prepared, text: str, crs: str | None, check: Check) -> np.ndarray:
    """Return (rows,) bool: where a prepared condition is true; missing counts as not. Raises BadExpression."""
    named = _with_measures(table, prepared, crs, check)
    if prepared.windowed:  # such a condition can't stand behind WHERE
        sql = f"coalesce(CAST(({prepared.sql}\n) AS BOOLEAN), FALSE)"
        return evaluate(named, sql, text, check).combine_chunks().to_numpy(zero_copy_only=False).astype(bool)
    mask = np.zeros(table.num_rows, bool)
    measured = prepared._replace(fields=(*prepared.fields, *(column for column, _, _ in prepared.measures)))
    mask[rows_where(named, measured, text, check)] = True
    return mask


@lru_cache(256)
def type_of_expression(schema: pa.Schema, prepared: Prepared, text: str, crs: str | None, type_: str) -> pa.DataType:
    """Return the type of what a prepared expression makes over rows of a schema. Raises BadExpression."""
    return values_of_expression(schema.empty_table(), prepared, text, crs, lambda: None, type_).type


@lru_cache(256)
def check_condition(schema: pa.Schema, prepared: Prepared, text: str, crs: str | None) -> None:
    """Raise BadExpression for a prepared condition that can't be asked of rows of a schema."""
    rows_matching(schema.empty_table(), prepared, text, crs, lambda: None)


def _with_measures(table: pa.Table, prepared: Prepared, crs: str | None, check: Check) -> pa.Table:
    named = narrowed(table, prepared.fields)
    if prepared.measures:
        features = features_of(table, crs)
        for column, name, other in prepared.measures:
            named = named.append_column(column, pa.array(measure(features, name, other, check), from_pandas=True))
    return named


def features_of(table: pa.Table, crs: str | None) -> Features:
    """Return the rows of a flow of features as they are held in memory."""
    wkb, shapes = exact_shapes(table.column(GEOMETRY))
    return Features(table.drop_columns([GEOMETRY]), wkb, shapes, crs)
