"""The rows of a layer as they stand: the file's, edited, with joined and computed fields."""

from __future__ import annotations

from collections.abc import Callable

import numpy as np
import pyarrow as pa

from brisk_atlas.core.cache import DataCache
from brisk_atlas.core.cache.by_view import is_stream
from brisk_atlas.core.model import AtlasError, ComputedField, Field, Layer, TableView
from brisk_atlas.core.model.language import tr
from brisk_atlas.core.model.shapes import Features
from brisk_atlas.core.read.lazy_table import FIRST_ROWS, Formula, LazyTable

from .asking import ROW, row_numbers
from .editing import edited
from .expression import Prepared, evaluate, mask_of, narrowed, prepare
from .filters import where_of
from .joining import joined
from .measures import measure

Check = Callable[[], None] | None


def base_rows(cache: DataCache, layer: Layer) -> pa.Table:
    """Return the rows as the file has them; of a layer that is read by view, without its geometry. Raises AtlasError
    for a layer that has none."""
    if not layer.kind.has_rows:
        raise AtlasError(
            layer.ref.whole,
            tr("it is a {kind} and has no rows", kind=layer.kind),
            tr("Choose a vector layer or a table."),
        )
    if layer.kind.has_shapes and is_stream(cache, layer.ref):
        return cache.attributes(layer.ref)
    return cache.table(layer.ref)


def features_of(cache: DataCache, layer: Layer) -> Features | None:
    """Return the features of the same rows, where they have geometry that is held."""
    if not layer.kind.has_shapes or is_stream(cache, layer.ref):
        return None
    return cache.features(layer.ref)


def fields_with_added(cache: DataCache, layer: Layer) -> tuple[Field, ...]:
    """Return the fields of a layer: the file's, those of joined tables, and computed ones."""
    found = [*cache.part(layer.ref).facts.fields]
    for join in layer.rows.joins:
        if not join.many:
            other = cache.part(join.ref).facts.fields
            found += [Field(f"{join.name}.{field.name}", field.type) for field in other]
    return (*found, *(Field(c.name, c.type.lower() or "computed", c.unit) for c in layer.rows.computed))


def rows_of(cache: DataCache, layer: Layer, check: Check = None) -> pa.Table:
    """Return all rows of a vector or table layer with what was added to them. Raises BadExpression."""
    table = base_rows(cache, layer)
    if not any(layer.rows.modifications):
        return table
    features = features_of(cache, layer)
    return cache.derive_latest(
        ("rows", layer.id, layer.ref),
        layer.rows.modifications,
        lambda: extend(cache, table, layer.rows, features, ("measure", layer.ref), check),
    )


def shown_rows(cache: DataCache, layer: Layer, check: Check = None) -> np.ndarray | None:
    """Return (rows,) bool of those that the filters let show; None where there is no filter. Raises
    BadExpression."""
    where = where_of(layer.rows)
    if not where:
        return None
    return cache.derive_latest(
        ("shown rows", layer.id, layer.ref),
        (layer.rows.modifications, where),
        lambda: matching(cache, layer, where, check),
    )


def matching(cache: DataCache, layer: Layer, where: str, check: Check = None) -> np.ndarray:
    """Return (rows,) bool of the rows for which an SQL condition is true. Raises BadExpression."""
    table = rows_of(cache, layer, check)
    features = features_of(cache, layer)
    table, sql = _with_measures(cache, table, where, features, ("measure", layer.ref), check)
    return mask_of(table, sql, check)


def extend(
    cache: DataCache, table: pa.Table, look: TableView, features: Features | None, key: tuple, check: Check = None
) -> pa.Table:
    """Return `table` edited, joined and with its computed fields. `features` has the same rows, if they
    have geometry; `key` is that under which its measures are stored."""
    table = edited(table, look.edits)
    for join in look.joins:
        if not join.many:
            table = joined(table, cache.table(join.ref), join)
    for field in look.computed:
        prepared = prepare(field.expression, table.column_names, measured=features is not None)
        plain = bool(prepared.fields) and not prepared.windowed and not prepared.measures
        if isinstance(table, LazyTable) and plain and not set(prepared.fields) & table.formulas.keys():
            table = _with_formula(table, field, prepared)
        else:
            table = table.append_column(field.name, computed(cache, table, field, features, key, check))
    return table


def _with_formula(table: LazyTable, field: ComputedField, prepared: Prepared) -> LazyTable:
    """Return a table with a computed field, whose values are made when they are asked for. Raises BadExpression."""
    text, type_ = field.expression, field.type
    count = min(FIRST_ROWS, table.num_rows)
    head = table.head(prepared.fields, count).append_column(ROW, pa.array(row_numbers(count)))
    first = evaluate(head, prepared.sql, text, type_=type_)
    sql = f"TRY_CAST(({prepared.sql}\n) AS {type_})" if type_ else prepared.sql

    def make() -> pa.ChunkedArray:
        return evaluate(narrowed(table, prepared.fields), prepared.sql, text, type_=type_)

    return table.with_formula(pa.field(field.name, first.type), Formula(sql, prepared.fields, make, first))


def computed(
    cache: DataCache, table: pa.Table, field: ComputedField, features: Features | None, key: tuple, check: Check = None
) -> pa.ChunkedArray:
    """Return the values of a computed field over `table`. Raises BadExpression."""
    with_measures, sql = _with_measures(cache, table, field.expression, features, key, check)
    return evaluate(with_measures, sql, field.expression, check, field.type)


def _with_measures(
    cache: DataCache, table: pa.Table, expression: str, features: Features | None, key: tuple, check: Check
) -> tuple[pa.Table, str]:
    """Return the table with the measures of geometry that an expression asks for, and its SQL."""
    prepared = prepare(expression, table.column_names, measured=features is not None)
    table = narrowed(table, prepared.fields)
    for column, name, crs in prepared.measures:
        assert features is not None
        values = cache.derive(
            (*key, name, crs),
            lambda n=name, c=crs: measure(features, n, c, check or (lambda: None)),  # type: ignore[misc]
        )
        table = table.append_column(column, pa.array(values[: table.num_rows], from_pandas=True))
    return table, prepared.sql
