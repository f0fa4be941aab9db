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
    OpenOptions,
    Part,
    RasterPart,
    TablePart,
    TextForm,
)
from brisk_atlas.core.model.language import tr
from brisk_atlas.core.model.remark import RemarkCode, code_of

from .answer import ParsedLayer
from .positions import from_mgrs, numbers, wkb_from_text, wkb_points

if TYPE_CHECKING:
    import pyarrow as pa

    from brisk_atlas.core.model.shapes import Features

DEGREES = "EPSG:4326"


def apply_options(dataset: Dataset, reading: OpenOptions) -> Dataset:
    """Return a dataset with what `reading` gives it: points for tables that have the columns, and a
    CRS for parts that state none. Raises CannotRead where columns hold no positions."""
    parts, warnings = dataset.parts, dataset.warnings
    if reading.encoding:
        parts = tuple(_encoded(part, reading.encoding) for part in parts)
        warnings = tuple(w for w in warnings if code_of(w) is not RemarkCode.ENCODING_GUESSED)
    if reading.columns:
        parts = tuple(_placed(part, reading) for part in parts)
    elif reading.crs:
        parts = tuple(_given_crs(part, reading.crs) for part in parts)
    if reading.shift and any(reading.shift):
        from .moved_raster import moved

        parts = tuple(
            moved(part, reading.shift) if isinstance(part, RasterPart) and part.facts.extent is not None else part
            for part in parts
        )
    if parts == dataset.parts and warnings == dataset.warnings:
        return dataset
    kinds = [part.facts.kind for part in parts]
    kind = dataset.kind if dataset.kind in kinds or dataset.kind is DataKind.SCENE else kinds[0]
    warnings = tuple(w for w in warnings if not (reading.crs and code_of(w) is RemarkCode.NO_CRS))
    return replace(dataset, parts=parts, kind=kind, warnings=warnings)


def form_of(part: Part) -> TextForm | None:
    """Return how the text of a part is written, where it is one."""
    from .table import LongTextTable, TextTable
    from .text_cloud import TextCloud

    return part.form if isinstance(part, TextTable | LongTextTable | TextCloud) else None


def reads_alike(stored: Dataset, before: OpenOptions, now: OpenOptions) -> bool:
    """Return whether a dataset that was read with some options can be had with others without reading it again."""
    if any(o.columns is not None and o.columns.z for o in (before, now)) and before.columns != now.columns:
        return False
    if before.form == now.form:
        return True
    return now.form is not None and all(form_of(part) in (None, now.form) for part in stored.parts)


def _encoded(part: Part, encoding: str) -> Part:
    from .vector import OgrLayer, OgrTable, in_encoding

    return in_encoding(part, encoding) if isinstance(part, OgrLayer | OgrTable) else part


def _given_crs(part: Part, crs: str) -> Part:
    facts = part.facts
    if facts.crs is not None or facts.kind not in (DataKind.VECTOR, DataKind.RASTER, DataKind.POINTCLOUD):
        return part
    extent = replace(facts.extent, crs=crs) if facts.extent else None
    notes = {**facts.notes, "reference system": tr("given by you; the file states none")}
    facts = replace(facts, crs=crs, extent=extent, notes=notes)
    if facts.kind is DataKind.RASTER:
        from .raster import RasterFile, placed

        if isinstance(part, RasterFile):
            return placed(part.ref, facts, part.files)
    return replace(part, facts=facts)


def _placed(part: Part, options: OpenOptions) -> Part:
    columns = options.columns
    assert columns is not None
    names = {field.name for field in part.facts.fields}
    wanted = {columns.wkt} if columns.wkt else {columns.mgrs} if columns.mgrs else {columns.x, columns.y}
    if not isinstance(part, TablePart) or not wanted <= names:
        return part
    crs = DEGREES if columns.mgrs else options.crs
    table = part.rows()
    features = _features(table, columns, crs)
    bounds = features.shapes.bounds
    if not np.isfinite(bounds).any():
        raise CannotRead(
            part.ref, tr("{sorted} hold no positions", sorted=" and ".join(sorted(wanted))), tr("Choose other columns.")
        )
    whole = Extent.of((*np.nanmin(bounds[:, :2], 0), *np.nanmax(bounds[:, 2:], 0)), crs)
    kinds = {("Point", "LineString", "Polygon")[k] for k in np.unique(features.shapes.path_kinds)}
    missing = int((~np.isfinite(bounds[:, 0])).sum())
    notes = {**part.facts.notes, "placed by": ", ".join(sorted(wanted))}
    notes |= {"rows without a place": f"{missing:,}"} if missing else {}
    shape = kinds.pop() if len(kinds) == 1 else "Unknown"
    facts = Facts(part.facts.name, DataKind.VECTOR, len(features), shape, part.facts.fields, crs, whole, notes=notes)
    return PlacedRows(part.ref, facts, features)


@dataclass(frozen=True)
class PlacedRows(ParsedLayer):
    """The rows of a table, placed by its columns."""


def _features(table: pa.Table, columns: Columns, crs: str | None) -> Features:
    from brisk_atlas.core.model.shapes import Features

    from .wkb import exact_shapes

    if columns.wkt:
        wkb = wkb_from_text(table.column(columns.wkt).to_pylist())
    elif columns.mgrs:
        wkb = wkb_points(*from_mgrs(table.column(columns.mgrs).to_pylist()))
    else:
        wkb = wkb_points(numbers(table.column(columns.x)), numbers(table.column(columns.y)))
    wkb, shapes = exact_shapes(wkb)
    return Features(table, wkb, shapes, crs)
