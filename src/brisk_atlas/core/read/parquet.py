"""Parquet: tables, and features where the file carries the GeoParquet metadata.

Metadata: GeoParquet 1.1, key `geo` of the file's metadata.
"""

from __future__ import annotations

import json
from collections.abc import Iterator
from dataclasses import dataclass, replace
from pathlib import Path

import numpy as np
import pyarrow as pa
import pyarrow.compute as pc
import pyarrow.parquet as pq

from brisk_atlas.core.model import (
    CannotRead,
    Capability,
    DataKind,
    DataRef,
    Dataset,
    Extent,
    Facts,
    FeatureQuery,
    Field,
    Part,
)
from brisk_atlas.core.model.language import tr
from brisk_atlas.core.model.remark import no_crs
from brisk_atlas.core.place import text_of

from .answer import EVERYTHING, ArrowLayer, ArrowTable, batches_of
from .on_disk import on_disk
from .positions import wkb_points
from .readable_text import with_readable_text
from .table import BROKEN, fields_of, table_dataset

STREAM_ROWS = 32_768  # at a time
LOOK_BYTES = 1 << 18  # read at a time where only the first rows are asked for
LONGITUDE_LATITUDE = "EPSG:4326"  # what the standard takes where no CRS is stated, with x first


def _read(path: Path, columns: list[str] | None = None) -> pa.Table:
    try:
        return with_readable_text(pq.read_table(path, columns=columns, pre_buffer=False))[0]
    except (pa.ArrowException, OSError) as error:
        raise CannotRead(path, str(error).splitlines()[0], BROKEN) from error


def _first(path: Path, count: int, columns: list[str] | None) -> pa.Table:
    try:
        # Otherwise whole groups of rows would be read.
        with pq.ParquetFile(path, pre_buffer=False, buffer_size=LOOK_BYTES) as file:
            none = file.schema_arrow.empty_table()
            found, left = [none.select(columns or none.column_names)], count
            for batch in file.iter_batches(max(1, count), columns=columns):  # one ends with its group of rows
                if left <= 0:
                    break
                found.append(pa.Table.from_batches([batch.slice(0, left)]))
                left -= batch.num_rows
            return with_readable_text(pa.concat_tables(found))[0]
    except (pa.ArrowException, OSError) as error:
        raise CannotRead(path, str(error).splitlines()[0], BROKEN) from error


def _streamed(path: Path, query: FeatureQuery, facts: Facts, *others: str) -> Iterator[pa.Table]:
    """Yield the columns that a query asks for, those of `facts` where it names none, and `others`, some rows at a
    time, one table without rows where there are none."""
    names = [*(query.columns if query.columns is not None else (field.name for field in facts.fields)), *others]
    columns = names if {*_schema(path).names}.issuperset(names) else None  # some were made different
    left = query.limit
    try:
        with pq.ParquetFile(path, pre_buffer=False) as file:
            none = True
            for batch in file.iter_batches(STREAM_ROWS, columns=columns):
                none = False
                table = with_readable_text(pa.Table.from_batches([batch if left is None else batch.slice(0, left)]))[0]
                yield table.select(names)
                left = None if left is None else left - batch.num_rows
                if left is not None and left <= 0:
                    return
            if none:
                yield with_readable_text(file.schema_arrow.empty_table())[0].select(names)
    except (pa.ArrowException, OSError) as error:
        raise CannotRead(path, str(error).splitlines()[0], BROKEN) from error


def _asked(path: Path, query: FeatureQuery, facts: Facts, *others: str) -> pa.Table:
    """Return the columns that a query asks for, and `others`, as far as its limit goes."""
    columns = None if query.columns is None else [*query.columns, *others]
    stated = {*(field.name for field in facts.fields), *others}
    if columns is not None and not (stated.issuperset(columns) or {*_schema(path).names}.issuperset(columns)):
        return _asked(path, replace(query, columns=None), facts).select(columns)  # names that were made different
    return _read(path, columns) if query.limit is None else _first(path, query.limit, columns)


@dataclass(frozen=True)
class ParquetTable(ArrowTable):
    """A Parquet file without geometry."""

    able = Capability.COLUMNS | Capability.COLUMNS_ALONE | Capability.LIMIT

    @property
    def parquet(self) -> Path:
        return self.ref.path

    def batches(self, query: FeatureQuery) -> Iterator[pa.RecordBatch]:
        yield from batches_of(_asked(self.ref.path, query, self.facts))

    def streamed(self, query: FeatureQuery = EVERYTHING) -> Iterator[pa.Table]:
        yield from _streamed(self.ref.path, query, self.facts)


@dataclass(frozen=True)
class ParquetLayer(ArrowLayer):
    """A Parquet file with geometry in its column `geometry`."""

    able = Capability.COLUMNS | Capability.COLUMNS_ALONE | Capability.LIMIT
    geometry: str

    @property
    def parquet(self) -> Path:
        return self.ref.path

    def batches(self, query: FeatureQuery, *, geometry: bool = True) -> Iterator[pa.RecordBatch]:
        if not geometry:
            names = [f.name for f in _schema(self.ref.path) if f.name != self.geometry]
            asked = replace(query, columns=tuple(names) if query.columns is None else query.columns)
            yield from batches_of(_asked(self.ref.path, asked, self.facts))
            return
        yield from batches_of(self._with_geometry(_asked(self.ref.path, query, self.facts, self.geometry)))

    def streamed(self, query: FeatureQuery = EVERYTHING) -> Iterator[pa.Table]:
        for table in _streamed(self.ref.path, query, self.facts, self.geometry):
            yield self._with_geometry(table)

    def _with_geometry(self, table: pa.Table) -> pa.Table:
        """Return rows with their geometry last, as well-known binary."""
        column = table.column(self.geometry)
        if pa.types.is_struct(column.type):  # coordinates of points, x and y
            x, y = (pc.struct_field(column, name).to_numpy() for name in ("x", "y"))
            wkb = wkb_points(np.asarray(x, float), np.asarray(y, float))
        else:
            wkb = column.cast(pa.binary())
        return table.drop_columns([self.geometry]).append_column(self.geometry, wkb)


def _schema(path: Path) -> pa.Schema:
    try:
        return pq.read_schema(path)
    except (pa.ArrowException, OSError) as error:
        raise CannotRead(path, str(error).splitlines()[0], BROKEN) from error


def open_dataset(ref: DataRef) -> Dataset:
    """Return the dataset of a Parquet file. Raises CannotRead."""
    path = ref.path
    try:
        meta = pq.read_metadata(path)
        schema = meta.schema.to_arrow_schema()
        geo = (meta.metadata or {}).get(b"geo")
        if not geo:
            facts = Facts(ref.stem, DataKind.TABLE, meta.num_rows, None, fields_of(schema))
            return table_dataset(ref, "Parquet", (ParquetTable(ref, facts),))
        content = json.loads(geo)
        return _layer(ref, meta.num_rows, schema, content["primary_column"], content["columns"])
    except (pa.ArrowException, OSError) as error:
        raise CannotRead(path, str(error).splitlines()[0], BROKEN) from error
    except (ValueError, KeyError, TypeError, AttributeError) as error:
        raise CannotRead(
            path, tr("its GeoParquet metadata is not whole ({error})", error=error), tr("Ask for it again.")
        ) from error


def _layer(ref: DataRef, rows: int, schema: pa.Schema, name: str, columns: dict) -> Dataset:
    about = columns[name]
    if about.get("encoding") not in ("WKB", "point"):
        raise CannotRead(
            ref, tr("its geometry is encoded as {get}", get=about.get("encoding")), tr("Ask for it encoded as WKB.")
        )
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
        b = ParquetLayer(ref, facts, name).read().shapes.bounds
        if np.isfinite(b).any():
            around = Extent.of((*np.nanmin(b[:, :2], 0), *np.nanmax(b[:, 2:], 0)), crs)
            part = ParquetLayer(ref, replace(facts, extent=around), name)
    stated = () if crs else (no_crs(ref.stem),)
    return Dataset(format="GeoParquet", kind=DataKind.VECTOR, parts=(part,), warnings=stated, **on_disk(ref))
