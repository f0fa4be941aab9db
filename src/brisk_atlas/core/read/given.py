"""Datasets as the analyst says they are to be taken: with a CRS, an encoding, or as points by their columns."""

from __future__ import annotations

from dataclasses import dataclass, replace
from typing import TYPE_CHECKING

import numpy as np

from brisk_atlas.core.model import (
    CannotRead,
    Columns,
    DataKind,
    Dataset,
    Extent,
    Facts,
    Part,
    Reading,
    TablePart,
    VectorPart,
)

from .dbf_text import TO_CHOOSE

if TYPE_CHECKING:
    import pyarrow as pa

    from brisk_atlas.core.model.shapes import Features

DEGREES = "EPSG:4326"
_POINT_HEAD = np.frombuffer(b"\x01\x01\0\0\0", np.uint8)  # little-endian, type 1


def taken_as(dataset: Dataset, reading: Reading) -> Dataset:
    """Return a dataset with what `reading` gives it: points for tables that have the columns, and a
    CRS for parts that state none. Raises CannotRead where columns hold no positions."""
    parts, warnings = dataset.parts, dataset.warnings
    if reading.encoding:
        parts = tuple(_encoded(part, reading.encoding) for part in parts)
        warnings = tuple(w for w in warnings if not w.endswith(TO_CHOOSE))
    if reading.columns:
        parts = tuple(_placed(part, reading) for part in parts)
    elif reading.crs:
        parts = tuple(_given_crs(part, reading.crs) for part in parts)
    if parts == dataset.parts and warnings == dataset.warnings:
        return dataset
    kinds = [part.facts.kind for part in parts]
    kind = dataset.kind if dataset.kind in kinds or dataset.kind is DataKind.SCENE else kinds[0]
    settled = "no coordinate reference system"
    warnings = tuple(w for w in warnings if not (reading.crs and w.endswith(settled)))
    return replace(dataset, parts=parts, kind=kind, warnings=warnings)


def _encoded(part: Part, encoding: str) -> Part:
    from .vector import OgrLayer, OgrTable, in_encoding

    return in_encoding(part, encoding) if isinstance(part, OgrLayer | OgrTable) else part


def _given_crs(part: Part, crs: str) -> Part:
    facts = part.facts
    if facts.crs is not None or facts.kind not in (DataKind.VECTOR, DataKind.RASTER, DataKind.POINTCLOUD):
        return part
    extent = replace(facts.extent, crs=crs) if facts.extent else None
    notes = {**facts.notes, "reference system": "given by you; the file states none"}
    facts = replace(facts, crs=crs, extent=extent, notes=notes)
    if facts.kind is DataKind.RASTER:
        from .raster import RasterFile, placed

        if isinstance(part, RasterFile):
            return placed(part.ref, facts, part.files)
    return replace(part, facts=facts)


def _placed(part: Part, reading: Reading) -> Part:
    columns = reading.columns
    assert columns is not None
    names = {field.name for field in part.facts.fields}
    wanted = {columns.wkt} if columns.wkt else {columns.mgrs} if columns.mgrs else {columns.x, columns.y}
    if not isinstance(part, TablePart) or not wanted <= names:
        return part
    crs = DEGREES if columns.mgrs else reading.crs
    bare = TablePoints(part.ref, part.facts, part, columns, crs)
    features = bare.read()
    bounds = features.shapes.bounds
    if not np.isfinite(bounds).any():
        raise CannotRead(part.ref, f"{' and '.join(sorted(wanted))} hold no positions", "Choose other columns.")
    whole = Extent.of((*np.nanmin(bounds[:, :2], 0), *np.nanmax(bounds[:, 2:], 0)), crs)
    kinds = {("Point", "LineString", "Polygon")[k] for k in np.unique(features.shapes.path_kinds)}
    missing = int((~np.isfinite(bounds[:, 0])).sum())
    notes = {**part.facts.notes, "placed by": ", ".join(sorted(wanted))}
    notes |= {"rows without a place": f"{missing:,}"} if missing else {}
    shape = kinds.pop() if len(kinds) == 1 else "Unknown"
    facts = Facts(part.facts.name, DataKind.VECTOR, len(features), shape, part.facts.fields, crs, whole, notes=notes)
    return replace(bare, facts=facts)


@dataclass(frozen=True)
class TablePoints(VectorPart):
    """The rows of a table, placed by its columns."""

    table: TablePart
    columns: Columns
    crs: str | None

    def read(self) -> Features:
        return self._features(self.table.read())

    def attributes(self) -> pa.Table:
        return self.table.rows()

    def read_within(self, extent: Extent) -> Features:
        table = self.table.read()
        return self._features(table.filter(self._features(table).shapes.meeting(extent)))

    def read_every(self, step: int) -> Features:
        table = self.table.read()
        return self._features(table.take(np.arange(0, len(table), max(1, step))))

    def _features(self, table: pa.Table) -> Features:
        from brisk_atlas.core.model.shapes import Features

        from .wkb import exact_shapes

        if self.columns.wkt:
            wkb = _from_text(table.column(self.columns.wkt).to_pylist())
        elif self.columns.mgrs:
            x, y = _from_mgrs(table.column(self.columns.mgrs).to_pylist())
            wkb = wkb_points(x, y)
        else:
            wkb = wkb_points(numbers(table.column(self.columns.x)), numbers(table.column(self.columns.y)))
        wkb, shapes = exact_shapes(wkb)
        return Features(table, wkb, shapes, self.crs)


def numbers(column: pa.ChunkedArray) -> np.ndarray:
    """Return a column as float64; NaN where it is empty or no number. Text may use a comma, and
    degrees, minutes and seconds with a letter."""
    import pyarrow as pa

    if pa.types.is_string(column.type) or pa.types.is_large_string(column.type):
        return np.array([_number(text) for text in column.to_pylist()], float)
    try:
        return column.cast(pa.float64(), safe=False).to_numpy(zero_copy_only=False).astype(float)
    except pa.ArrowException:
        return np.full(len(column), np.nan)


def _number(text: str | None) -> float:
    from brisk_atlas.core.place import degrees_from

    if not text:
        return np.nan
    try:
        return float(text.replace(",", "."))
    except ValueError:
        found = degrees_from(text)
        return np.nan if found is None else found


def wkb_points(x: np.ndarray, y: np.ndarray) -> pa.Array:
    """Return points as well-known binary; null where a coordinate is missing."""
    import pyarrow as pa

    known = np.isfinite(x) & np.isfinite(y)
    body = np.empty((int(known.sum()), 21), np.uint8)
    body[:, :5] = _POINT_HEAD
    body[:, 5:] = np.column_stack([x[known], y[known]]).astype("<f8").view(np.uint8)
    offsets = np.concatenate([[0], np.cumsum(known * 21)]).astype(np.int64)
    valid = None if known.all() else pa.py_buffer(np.packbits(known, bitorder="little").tobytes())
    buffers = [valid, pa.py_buffer(offsets.tobytes()), pa.py_buffer(body.tobytes())]
    return pa.Array.from_buffers(pa.large_binary(), len(x), buffers).cast(pa.binary())


def _from_text(texts: list[str | None]) -> pa.Array:
    import pyarrow as pa
    import shapely

    shapes = shapely.from_wkt(np.array(texts, object), on_invalid="ignore")
    return pa.array(shapely.to_wkb(shapes, byte_order=1, flavor="iso"), pa.binary())


def _from_mgrs(texts: list[str | None]) -> tuple[np.ndarray, np.ndarray]:
    from brisk_atlas.core.place import mgrs_to_degrees

    found = [mgrs_to_degrees(text) if text else None for text in texts]
    xy = np.array([pair if pair else (np.nan, np.nan) for pair in found], float).reshape(-1, 2)
    return xy[:, 0], xy[:, 1]
