"""What an outlet shows, as a part like any other: for pictures, tiles and files of it."""

from __future__ import annotations

from collections.abc import Iterator
from dataclasses import dataclass, field
from datetime import UTC, date, datetime
from typing import Any

import pyarrow as pa

from brisk_atlas.core.model import Capability, DataKind, DataRef, Dataset, Extent, Facts, FeatureQuery, Field
from brisk_atlas.core.read.answer import ArrowLayer, ArrowTable

from .outlet_figures import OutletFigures
from .outlet_rows import ARROW_TYPES, OutletRows, RowsAsked
from .posting import FieldType
from .store_database import ALL

GEOMETRY = "__geometry"  # as no field is called
BATCH = 20_000  # rows
EPOCH = datetime.fromtimestamp(0, UTC)
TYPES: dict[FieldType, pa.DataType] = {
    FieldType.BOOLEAN: pa.bool_(),
    FieldType.INTEGER: pa.int64(),
    FieldType.NUMBER: pa.float64(),
    FieldType.TEXT: pa.string(),
    FieldType.DATE: pa.date32(),
    FieldType.TIME: pa.timestamp("us", "UTC"),
}


@dataclass(frozen=True)
class OutletLayer(ArrowLayer):
    """The features of an outlet, in the CRS of its posting."""

    able = Capability.EXTENT | Capability.LIMIT | Capability.STEP
    is_database = True  # so that a large one is looked at by view
    shown: OutletRows = field(compare=False, repr=False)

    def batches(self, query: FeatureQuery, *, geometry: bool = True) -> Iterator[pa.RecordBatch]:
        yield from _batches(self.shown, query, geometry=geometry)


@dataclass(frozen=True)
class OutletTable(ArrowTable):
    """The rows of an outlet without places."""

    able = Capability.LIMIT
    shown: OutletRows = field(compare=False, repr=False)

    def batches(self, query: FeatureQuery) -> Iterator[pa.RecordBatch]:
        yield from _batches(self.shown, query, geometry=False)


def dataset_of(shown: OutletRows, figures: OutletFigures, state: str) -> Dataset:
    """Return what an outlet shows as a dataset; `state` differs once the posting or the outlet has changed."""
    ref = DataRef.inline(shown.outlet.id, state)
    posting, box = shown.rows.posting, figures.extent
    fields = tuple(Field(name, ARROW_TYPES[each.type]) for name, each in shown.fields.items())
    extent = Extent(*box, posting.crs) if box is not None else None
    kind = DataKind.VECTOR if posting.has_shapes else DataKind.TABLE
    shapes = posting.geometry_type if posting.has_shapes else None
    facts = Facts(shown.outlet.id, kind, figures.count, shapes, fields, posting.crs, extent)
    part = OutletLayer(ref, facts, shown) if posting.has_shapes else OutletTable(ref, facts, shown)
    return Dataset(ref=ref, format="outlet", kind=kind, members=(), size_bytes=0, modified=EPOCH, parts=(part,))


def _batches(shown: OutletRows, query: FeatureQuery, *, geometry: bool) -> Iterator[pa.RecordBatch]:
    box = query.extent.bounds if query.extent is not None else None
    asked = RowsAsked(box, every=query.step, exact=False)
    found = shown.stored_rows(asked, BATCH, limit=ALL if query.limit is None else query.limit)
    fields = {name: each.type for name, each in shown.fields.items()}
    schema = pa.schema([(name, TYPES[type_]) for name, type_ in fields.items()])
    schema = schema.append(pa.field(GEOMETRY, pa.binary())) if geometry else schema
    for rows in found:
        _, shapes, *columns = zip(*rows)
        arrays = [pa.array(_plain(column, type_), TYPES[type_]) for column, type_ in zip(columns, fields.values())]
        yield pa.record_batch([*arrays, *([pa.array(shapes, pa.binary())] if geometry else [])], schema=schema)
    yield pa.RecordBatch.from_pylist([], schema=schema)  # so that the columns of an empty one are known


def _plain(column: tuple[Any, ...], type_: FieldType) -> list[Any]:
    match type_:
        case FieldType.BOOLEAN:
            return [None if value is None else bool(value) for value in column]
        case FieldType.DATE:
            return [None if value is None else date.fromisoformat(value) for value in column]
        case FieldType.TIME:
            return [None if value is None else datetime.fromisoformat(value) for value in column]
        case _:
            return list(column)
