"""Posting the rows of a dataset, batch by batch."""

from __future__ import annotations

from collections.abc import Iterator
from typing import Any

import pyarrow as pa

from brisk_atlas.core.handover.flows import GEOMETRY, RowFlow
from brisk_atlas.core.model.words import unique_names

from .depot_store import DepotStore
from .posted_rows import RowBatch
from .posting import FieldType, PostedField, Posting, time_text

TYPES = (
    (pa.types.is_boolean, FieldType.BOOLEAN),
    (pa.types.is_integer, FieldType.INTEGER),
    (pa.types.is_floating, FieldType.NUMBER),
    (pa.types.is_decimal, FieldType.NUMBER),
    (pa.types.is_date, FieldType.DATE),
    (pa.types.is_timestamp, FieldType.TIME),
)


def post_flow(
    store: DepotStore, flow: RowFlow, title: str, *, owner: str, geometry_type: str = "Unknown", summary: str = "",
    record: str = "",
) -> Posting:  # fmt: skip
    """Post the rows of a flow; what is of no type of fields becomes text. Raises BadRow for what can't be held."""
    names = [name.replace('"', "'") for name in unique_names(flow.fields)]
    units = dict(flow.units)
    fields = tuple(
        PostedField(name, type_of(flow.schema.field(source).type), units.get(source, ""))
        for name, source in zip(names, flow.fields)
    )
    shapes = geometry_type if flow.has_shapes else ""
    wanted = Posting("", 0, title, owner, fields, flow.crs, shapes, summary, record)
    return store.post_batches(wanted, _batches(flow, fields))


def type_of(arrow: pa.DataType) -> FieldType:
    """Return the type of field that values of an Arrow type have."""
    return next((found for is_one, found in TYPES if is_one(arrow)), FieldType.TEXT)


def _batches(flow: RowFlow, fields: tuple[PostedField, ...]) -> Iterator[RowBatch]:
    for batch in flow.batches():
        columns = [
            [_plain(value, field.type) for value in batch.column(source).to_pylist()]
            for field, source in zip(fields, flow.fields)
        ]
        shapes = batch.column(GEOMETRY).to_pylist() if flow.has_shapes else [None] * batch.num_rows
        yield RowBatch(list(zip(*columns)) if columns else [()] * batch.num_rows, shapes)


def _plain(value: Any, type_: FieldType) -> Any:
    """Return a value of Arrow as a posting takes it; a number that is none is missing."""
    match type_:
        case _ if value is None:
            return None
        case FieldType.NUMBER:
            number = float(value)
            return number if number - number == 0.0 else None
        case FieldType.DATE:
            return value.isoformat()
        case FieldType.TIME:
            return time_text(value)
        case FieldType.TEXT:
            return value.hex() if isinstance(value, bytes) else str(value)
        case _:
            return value
