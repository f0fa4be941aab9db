"""Points as lines of text: x, y, z and whatever else, in columns to choose."""

from __future__ import annotations

from dataclasses import dataclass, field

import numpy as np
import pyarrow as pa

from brisk_atlas.core.model import (
    NO_OPTIONS,
    CannotRead,
    CloudFacts,
    Columns,
    DataKind,
    DataRef,
    Dataset,
    Extent,
    Facts,
    Field,
    OpenOptions,
    TextForm,
)
from brisk_atlas.core.model.cloud import Points
from brisk_atlas.core.model.language import tr
from brisk_atlas.core.model.remark import no_crs

from .answer import ParsedCloud
from .on_disk import on_disk
from .positions import numbers
from .table import read_text
from .text_form import guess_form


@dataclass(frozen=True)
class TextCloud(ParsedCloud):
    """The points of one text file."""

    form: TextForm = field(kw_only=True)
    columns: Columns = field(kw_only=True)


def _points(table: pa.Table, columns: Columns) -> Points:
    place = (columns.x, columns.y, columns.z)
    xyz = np.column_stack([numbers(table.column(name)) for name in place])
    good = np.isfinite(xyz).all(axis=1)
    others = [f.name for f in table.schema if f.name not in place and not pa.types.is_string(f.type)]
    return Points(xyz[good], {name: numbers(table.column(name))[good] for name in others}, None)


def guess_columns(names: list[str]) -> Columns:
    """Return which columns hold x, y and z: by name, else the first three."""
    lower = {name.lower().strip("/# "): name for name in reversed(names)}
    found = []
    for at, words in enumerate((("x", "easting", "east"), ("y", "northing", "north"), ("z", "height", "elevation"))):
        named = next((lower[word] for word in words if word in lower), None)
        found.append(named or (names[at] if at < len(names) else ""))
    return Columns(*found)


def open_dataset(ref: DataRef, reading: OpenOptions = NO_OPTIONS) -> Dataset:
    """Return the dataset of a text file of points. Raises CannotRead."""
    path = ref.path
    form = reading.form or guess_form(path).form
    table, _ = read_text(path, form)
    names = table.column_names
    columns = reading.columns if reading.columns and reading.columns.z else guess_columns(names)
    if not {columns.x, columns.y, columns.z} <= set(names) or len({columns.x, columns.y, columns.z}) < 3:
        raise CannotRead(
            path, tr("it has {count} column(s), too few for x, y and z", count=len(names)), tr("Check the delimiter.")
        )
    points = _points(table, columns)
    xyz = points.xyz
    if not len(xyz):
        raise CannotRead(
            path,
            tr("{x}, {y} and {z} hold no numbers", x=columns.x, y=columns.y, z=columns.z),
            tr("Choose other columns."),
        )
    low, high = xyz.min(axis=0), xyz.max(axis=0)
    fields = tuple(Field(f.name, str(f.type)) for f in table.schema)
    cloud = CloudFacts(None, "", tuple(names), (float(low[2]), float(high[2])))
    extent = Extent(float(low[0]), float(low[1]), float(high[0]), float(high[1]), None)
    notes = {"x, y, z": f"columns {columns.x}, {columns.y}, {columns.z}"}
    if len(xyz) < len(table):
        notes["rows without a place"] = f"{len(table) - len(xyz):,}"
    facts = Facts(ref.stem, DataKind.POINTCLOUD, len(xyz), "Point Z", fields, None, extent, cloud=cloud, notes=notes)
    stated = (no_crs(),)
    return Dataset(
        format="XYZ points",
        kind=DataKind.POINTCLOUD,
        parts=(TextCloud(ref, facts, points, form=form, columns=columns),),
        warnings=stated,
        **on_disk(ref),
    )
