"""Copies of outlets as layers: the rows as the Depot last showed them, with what was done to them here."""

from __future__ import annotations

import threading
from collections import OrderedDict
from collections.abc import Iterator, Mapping, Sequence
from dataclasses import dataclass, field
from datetime import date, datetime
from typing import Any

import numpy as np
import pyarrow as pa
import shapely

from brisk_atlas.core.model import DataKind, DataRef, Dataset, Extent, Facts, FeatureQuery, Field
from brisk_atlas.core.working_copy.copy_store import WorkingCopy
from brisk_atlas.core.working_copy.draft_refs import draft_in, outlet_in
from brisk_atlas.core.working_copy.shared_rows import Plain, SharedOutlet, SharedRow

from .answer import ArrowLayer, ArrowTable, batches_of
from .on_disk import on_disk

GEOMETRY = "__geometry"
STORED = 4  # copies whose rows stay in memory
_stored: OrderedDict[tuple[str, str], _CopiedRows] = OrderedDict()
_lock = threading.Lock()


@dataclass(frozen=True, eq=False)
class _CopiedRows:
    """All rows of a copy in one state."""

    names: tuple[str, ...]
    table: pa.Table  # the fields, and the geometry last where there is one


@dataclass(frozen=True)
class CopyLayer(ArrowLayer):
    """Features of a copy. `names` are those that the Depot has for the rows, in their order."""

    found: pa.Table = field(compare=False, repr=False)
    names: tuple[str, ...] = field(compare=False, repr=False)

    def batches(self, query: FeatureQuery, *, geometry: bool = True) -> Iterator[pa.RecordBatch]:
        yield from batches_of(self.found if geometry else self.found.drop_columns([GEOMETRY]))


@dataclass(frozen=True)
class CopyTable(ArrowTable):
    """Rows of a copy without places."""

    found: pa.Table = field(compare=False, repr=False)
    names: tuple[str, ...] = field(compare=False, repr=False)

    def batches(self, query: FeatureQuery) -> Iterator[pa.RecordBatch]:
        yield from batches_of(self.found)


def open_dataset(ref: DataRef) -> Dataset:
    """Return a draft of a copy as a dataset. Raises CannotRead where there is no copy."""
    copy = WorkingCopy.of(ref)
    outlet = copy.outlet
    base = _base(copy, outlet)
    rows = copy.draft_rows(draft_in(ref))
    changed = {each.draft.row: each.shown for each in rows}
    present = [number for number, name in enumerate(base.names) if name not in changed]
    new = [row for row in changed.values() if row is not None]
    drafted = _table(outlet, new)
    table = pa.concat_tables([base.table.take(pa.array(present, pa.int64())), drafted]) if changed else base.table
    names = (*(base.names[n] for n in present), *(row.name for row in new)) if changed else base.names
    if changed:
        table, names = _in_order(table, names, base.names)
    has_shapes = bool(outlet.geometry_type)
    kind = DataKind.VECTOR if has_shapes else DataKind.TABLE
    fields = tuple(Field(each.name, each.type, each.unit) for each in outlet.fields)
    facts = Facts(
        outlet_in(ref), kind, len(names), outlet.geometry_type or None, fields, outlet.crs, _extent(table, outlet),
        notes={"title": outlet.title, "service": "copy that is edited here"},
    )  # fmt: skip
    part = CopyLayer(ref, facts, table, names) if has_shapes else CopyTable(ref, facts, table, names)
    return Dataset(format="copy of an outlet", kind=kind, parts=(part,), **on_disk(ref))


def _base(copy: WorkingCopy, outlet: SharedOutlet) -> _CopiedRows:
    """Return the rows as the Depot last showed them, read once in each state."""
    key = str(copy.path), copy.version
    with _lock:
        if key in _stored:
            _stored.move_to_end(key)
            return _stored[key]
    rows = copy.rows()
    made = _CopiedRows(tuple(row.name for row in rows), _table(outlet, rows))
    with _lock:
        for old in [each for each in _stored if each[0] == key[0]]:
            del _stored[old]
        _stored[key] = made
        while len(_stored) > STORED:
            _stored.popitem(last=False)
    return made


def _table(outlet: SharedOutlet, rows: Sequence[SharedRow]) -> pa.Table:
    columns = {each.name: pa.array([_typed(row.values, each.name, each.type) for row in rows], _arrow(each.type))
               for each in outlet.fields}  # fmt: skip
    if outlet.geometry_type:
        columns[GEOMETRY] = pa.array([row.wkb for row in rows], pa.binary())
    return pa.table(columns)


def _in_order(table: pa.Table, names: tuple[str, ...], before: Sequence[str]) -> tuple[pa.Table, tuple[str, ...]]:
    """Return rows in the order that they had before, new ones last, so that an edit moves no row elsewhere."""
    place = {name: number for number, name in enumerate(before)}
    order = sorted(range(len(names)), key=lambda n: (place.get(names[n], len(place)), n))
    return table.take(pa.array(order, pa.int64())), tuple(names[n] for n in order)


def _extent(table: pa.Table, outlet: SharedOutlet) -> Extent | None:
    if not outlet.geometry_type or not table.num_rows:
        return None
    bounds = shapely.bounds(shapely.from_wkb(table.column(GEOMETRY).to_numpy()))
    known = bounds[np.isfinite(bounds).all(axis=1)]
    if not len(known):
        return None
    (xmin, ymin), (xmax, ymax) = known[:, :2].min(axis=0), known[:, 2:].max(axis=0)
    return Extent(float(xmin), float(ymin), float(xmax), float(ymax), outlet.crs)


def _arrow(name: str) -> pa.DataType:
    plain = {"double": pa.float64(), "date32[day]": pa.date32(), "timestamp[us, tz=UTC]": pa.timestamp("us", "UTC")}
    return plain.get(name) or pa.type_for_alias(name)


def _typed(values: Mapping[str, Plain], name: str, type_: str) -> Any:
    value = values.get(name)
    if isinstance(value, str) and type_ == "date32[day]":
        return date.fromisoformat(value)
    if isinstance(value, str) and type_.startswith("timestamp"):
        return datetime.fromisoformat(value)
    return float(value) if isinstance(value, int) and type_ == "double" else value
