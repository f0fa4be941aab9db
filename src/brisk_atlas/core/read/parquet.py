"""Parquet: tables, and features where the file carries the GeoParquet metadata.

Metadata: GeoParquet 1.1, key `geo` of the file's metadata.
"""

from __future__ import annotations

import json
from dataclasses import dataclass
from pathlib import Path

import numpy as np
import pyarrow as pa
import pyarrow.compute as pc
import pyarrow.parquet as pq

from brisk_atlas.core.model import (
    CannotRead,
    DataKind,
    DataRef,
    Dataset,
    Extent,
    Facts,
    Field,
    Part,
    TablePart,
    VectorPart,
)
from brisk_atlas.core.model.shapes import Features
from brisk_atlas.core.place import text_of

from .lazy_table import LazyTable
from .on_disk import on_disk
from .readable_text import with_readable_text
from .table import BROKEN, fields_of, table_dataset

LONGITUDE_LATITUDE = "EPSG:4326"  # what the standard takes where no CRS is said, with x first


def _read(path: Path, columns: list[str] | None = None) -> pa.Table:
    try:
        return with_readable_text(pq.read_table(path, columns=columns))[0]
    except (pa.ArrowException, OSError) as error:
        raise CannotRead(path, str(error).splitlines()[0], BROKEN) from error


def _first(path: Path, count: int) -> pa.Table:
    try:
        with pq.ParquetFile(path) as file:
            batches = next(file.iter_batches(count), None)
            first = pa.Table.from_batches([batches]) if batches is not None else file.schema_arrow.empty_table()
            return with_readable_text(first)[0]
    except (pa.ArrowException, OSError) as error:
        raise CannotRead(path, str(error).splitlines()[0], BROKEN) from error


@dataclass(frozen=True)
class ParquetTable(TablePart):
    """A Parquet file without geometry."""

    def first(self, count: int) -> pa.Table:
        return _first(self.ref.path, count)

    def read(self) -> pa.Table:
        return _read(self.ref.path)

    def rows(self) -> LazyTable:
        try:
            schema = pq.read_schema(self.ref.path)
        except (pa.ArrowException, OSError) as error:
            raise CannotRead(self.ref.path, str(error).splitlines()[0], BROKEN) from error
        return LazyTable(schema, self.facts.count or 0, lambda names: _read(self.ref.path, names))


@dataclass(frozen=True)
class ParquetLayer(VectorPart):
    """A Parquet file with geometry in its column `geometry`."""

    geometry: str

    def read(self) -> Features:
        return self._features(self._table())

    def first(self, count: int) -> pa.Table:
        return _first(self.ref.path, count).drop_columns([self.geometry])

    def attributes(self) -> LazyTable:
        schema = pa.schema([f for f in pq.read_schema(self.ref.path) if f.name != self.geometry])
        return LazyTable(schema, self.facts.count or 0, lambda names: _read(self.ref.path, names))

    def read_within(self, extent: Extent) -> Features:
        table = self._table()
        return self._features(table.filter(pa.array(self._features(table).shapes.meeting(extent))))

    def read_every(self, step: int) -> Features:
        table = self._table()
        return self._features(table.take(pa.array(np.arange(0, len(table), max(1, step)))))

    def _table(self) -> pa.Table:
        return _read(self.ref.path)

    def _features(self, table: pa.Table) -> Features:
        from .wkb import exact_shapes  # the compiler loads with it, which facts can do without

        column = table.column(self.geometry).combine_chunks()
        if pa.types.is_struct(column.type):  # coordinates of points, x and y
            x, y = (pc.struct_field(column, name).to_numpy(zero_copy_only=False) for name in ("x", "y"))
            from .given import wkb_points

            wkb = wkb_points(np.asarray(x, float), np.asarray(y, float))
        else:
            wkb = column.cast(pa.binary())
        wkb = wkb.combine_chunks() if isinstance(wkb, pa.ChunkedArray) else wkb
        wkb, shapes = exact_shapes(wkb)
        return Features(table.drop_columns([self.geometry]), wkb, shapes, self.facts.crs)


def open_dataset(ref: DataRef) -> Dataset:
    """Return the dataset of a Parquet file. Raises CannotRead."""
    path = ref.path
    try:
        meta = pq.read_metadata(path)
        schema = meta.schema.to_arrow_schema()
        geo = (schema.metadata or {}).get(b"geo")
        if not geo:
            facts = Facts(ref.stem, DataKind.TABLE, meta.num_rows, None, fields_of(schema))
            return table_dataset(ref, "Parquet", (ParquetTable(ref, facts),))
        told = json.loads(geo)
        return _layer(ref, meta.num_rows, schema, told["primary_column"], told["columns"])
    except (pa.ArrowException, OSError) as error:
        raise CannotRead(path, str(error).splitlines()[0], BROKEN) from error
    except (ValueError, KeyError, TypeError, AttributeError) as error:
        raise CannotRead(path, f"its GeoParquet metadata is not whole ({error})", "Ask for it again.") from error


def _layer(ref: DataRef, rows: int, schema: pa.Schema, name: str, columns: dict) -> Dataset:
    about = columns[name]
    if about.get("encoding") not in ("WKB", "point"):
        raise CannotRead(ref, f"its geometry is encoded as {about.get('encoding')}", "Ask for it encoded as WKB.")
    system = about.get("crs", LONGITUDE_LATITUDE)
    crs = None if system is None else text_of(system if isinstance(system, str) else json.dumps(system))
    crs = LONGITUDE_LATITUDE if crs == "OGC:CRS84" else crs
    types = about.get("geometry_types") or []
    covered = {c["bbox"]["xmin"][0] for c in (a.get("covering") or {} for a in columns.values()) if "bbox" in c}
    fields = tuple(Field(f.name, str(f.type)) for f in schema if f.name != name and f.name not in covered)
    box = about.get("bbox")
    extent = None
    if box and rows:
        half = len(box) // 2
        extent = Extent.of((box[0], box[1], box[half], box[half + 1]), crs)
    facts = Facts(ref.stem, DataKind.VECTOR, rows, types[0] if len(types) == 1 else "Unknown", fields, crs, extent)
    part: Part = ParquetLayer(ref, facts, name)
    if extent is None and rows:  # the file does not say it: look at all geometry, once
        from dataclasses import replace

        b = ParquetLayer(ref, facts, name).read().shapes.bounds
        if np.isfinite(b).any():
            around = Extent.of((*np.nanmin(b[:, :2], 0), *np.nanmax(b[:, 2:], 0)), crs)
            part = ParquetLayer(ref, replace(facts, extent=around), name)
    said = () if crs else (f"{ref.stem}: no coordinate reference system",)
    return Dataset(format="GeoParquet", kind=DataKind.VECTOR, parts=(part,), warnings=said, **on_disk(ref))
