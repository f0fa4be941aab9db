"""Posting the rows of a dataset, batch by batch."""

from __future__ import annotations

from collections.abc import Iterator
from typing import Any

import pyarrow as pa
import pyarrow.compute as pc

from brisk_atlas.core.handover.flows import GEOMETRY, RowFlow
from brisk_atlas.core.model.words import unique_names

from .depot_store import DepotStore
from .posted_rows import RowBatch
from .posting import FieldType, PostedField, Posting

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
    fields = fields_of(flow)
    shapes = geometry_type if flow.has_shapes else ""
    wanted = Posting("", 0, title, owner, fields, flow.crs, shapes, summary, record)
    return store.post_batches(wanted, _batches(flow, tuple(zip(fields, flow.fields))))


def replace_by_flow(store: DepotStore, posting: Posting, flow: RowFlow, *, by: str) -> tuple[int, int]:
    """Have a posting have the rows of a flow of the same fields from now on; returns how many were added and deleted.
    Raises BadRow for what can't be held."""
    sources = {field.name: source for field, source in zip(fields_of(flow), flow.fields)}
    columns = tuple((field, sources[field.name]) for field in posting.fields)
    return store.replace_rows(posting.id, _batches(flow, columns), by=by)


def fields_of(flow: RowFlow) -> tuple[PostedField, ...]:
    """Return the fields that a posting of a flow has."""
    names = [name.replace('"', "'") for name in unique_names(flow.fields)]
    units = dict(flow.units)
    return tuple(
        PostedField(name, type_of(flow.schema.field(source).type), units.get(source, ""))
        for name, source in zip(names, flow.fields)
    )


def type_of(arrow: pa.DataType) -> FieldType:
    """Return the type of field that values of an Arrow type have."""
    return next((found for is_one, found in TYPES if is_one(arrow)), FieldType.TEXT)


def _batches(flow: RowFlow, sources: tuple[tuple[PostedField, str], ...]) -> Iterator[RowBatch]:
    """Yield rows; `sources` are the fields of the posting, each with that of the flow."""
    for batch in flow.batches():
        columns = [_plain(batch.column(source), field.type) for field, source in sources]
        shapes = batch.column(GEOMETRY).to_pylist() if flow.has_shapes else [None] * batch.num_rows
        yield RowBatch(list(zip(*columns)) if columns else [()] * batch.num_rows, shapes)


def _plain(column: pa.Array, type_: FieldType) -> list[Any]:
    """Return a column as a posting takes it; a number that is none is missing, a time without a zone is of UTC."""
    match type_:
        case FieldType.NUMBER:
            numbers = column.cast(pa.float64())
            return pc.if_else(pc.is_finite(numbers), numbers, None).to_pylist()
        case FieldType.DATE:
            return column.cast(pa.date32()).cast(pa.string()).to_pylist()
        case FieldType.TIME:
            times = column.cast(pa.timestamp("us", getattr(column.type, "tz", None)), safe=False)
            zoned = times.cast(pa.timestamp("us", "UTC")) if times.type.tz else pc.assume_timezone(times, "UTC")
            return [_time_text(text) for text in pc.strftime(zoned, "%Y-%m-%dT%H:%M:%S").to_pylist()]
        case FieldType.TEXT if pa.types.is_string(column.type) or pa.types.is_large_string(column.type):
            return [text and text.replace("\0", "") for text in column.to_pylist()]  # which no database holds
        case FieldType.TEXT:
            return [_as_text(value) for value in column.to_pylist()]
    return column.to_pylist()


def _time_text(text: str | None) -> str | None:
    return f"{text}Z" if text is not None else None


def _as_text(value: Any) -> str | None:
    if value is None:
        return None
    return value.hex() if isinstance(value, bytes) else str(value)
