"""Points as lines of text: x, y, z and whatever else, in columns to choose."""

from __future__ import annotations

from collections.abc import Callable
from dataclasses import dataclass, replace

import numpy as np
import pyarrow as pa

from brisk_atlas.core.model import (
    AS_IT_SAYS,
    CannotRead,
    CloudFacts,
    CloudPart,
    Columns,
    DataKind,
    DataRef,
    Dataset,
    Extent,
    Facts,
    Field,
    Reading,
    TextForm,
)
from brisk_atlas.core.model.cloud import Points

from .given import numbers
from .on_disk import on_disk
from .table import read_text
from .text_form import guess_form


@dataclass(frozen=True)
class TextCloud(CloudPart):
    """The points of one text file."""

    form: TextForm
    columns: Columns

    def read(self, report: Callable[[float], None] = lambda share: None) -> Points:
        return self._points(read_text(self.ref.path, self.form)[0])

    def sample(self, count: int, names: tuple[str, ...]) -> Points:
        table, _ = read_text(self.ref.path, self.form)
        points = self._points(table.take(np.arange(0, len(table), max(1, len(table) // max(1, count)))))
        return replace(points, dimensions={k: v for k, v in points.dimensions.items() if k in names})

    def _points(self, table: pa.Table) -> Points:
        place = (self.columns.x, self.columns.y, self.columns.z)
        xyz = np.column_stack([numbers(table.column(name)) for name in place])
        good = np.isfinite(xyz).all(axis=1)
        others = [f.name for f in table.schema if f.name not in place and not pa.types.is_string(f.type)]
        rest = {name: numbers(table.column(name))[good] for name in others}
        return Points(xyz[good], rest, self.facts.crs)


def guess_columns(names: list[str]) -> Columns:
    """Return which columns hold x, y and z: by name, else the first three."""
    lower = {name.lower().strip("/# "): name for name in reversed(names)}
    found = []
    for at, words in enumerate((("x", "easting", "east"), ("y", "northing", "north"), ("z", "height", "elevation"))):
        named = next((lower[word] for word in words if word in lower), None)
        found.append(named or (names[at] if at < len(names) else ""))
    return Columns(*found)


def open_dataset(ref: DataRef, reading: Reading = AS_IT_SAYS) -> Dataset:
    """Return the dataset of a text file of points. Raises CannotRead."""
    path = ref.path
    form = reading.form or guess_form(path).form
    table, _ = read_text(path, form)
    names = table.column_names
    columns = reading.columns if reading.columns and reading.columns.z else guess_columns(names)
    if not {columns.x, columns.y, columns.z} <= set(names) or len({columns.x, columns.y, columns.z}) < 3:
        raise CannotRead(path, f"it has {len(names)} column(s), too few for x, y and z", "Check the delimiter.")
    bare = TextCloud(ref, Facts(ref.stem, DataKind.POINTCLOUD), form, columns)
    xyz = bare.read().xyz
    if not len(xyz):
        raise CannotRead(path, f"{columns.x}, {columns.y} and {columns.z} hold no numbers", "Choose other columns.")
    low, high = xyz.min(axis=0), xyz.max(axis=0)
    fields = tuple(Field(f.name, str(f.type)) for f in table.schema)
    cloud = CloudFacts(None, "", tuple(names), (float(low[2]), float(high[2])))
    extent = Extent(float(low[0]), float(low[1]), float(high[0]), float(high[1]), None)
    notes = {"x, y, z": f"columns {columns.x}, {columns.y}, {columns.z}"}
    if len(xyz) < len(table):
        notes["rows without a place"] = f"{len(table) - len(xyz):,}"
    facts = Facts(ref.stem, DataKind.POINTCLOUD, len(xyz), "Point Z", fields, None, extent, cloud=cloud, notes=notes)
    said = ("no coordinate reference system",)
    return Dataset(
        format="XYZ points",
        kind=DataKind.POINTCLOUD,
        parts=(replace(bare, facts=facts),),
        warnings=said,
        **on_disk(ref),
    )
