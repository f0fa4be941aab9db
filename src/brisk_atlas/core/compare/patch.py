"""The changes of a delivery as a GeoPackage: rows that changed as they are now, and old and new values."""

from __future__ import annotations

from collections.abc import Sequence
from pathlib import Path

import numpy as np
import pyarrow as pa
import pyogrio
import shapely

from brisk_atlas.core.cache import DataCache
from brisk_atlas.core.model import CannotWrite, RowsPart, VectorPart
from brisk_atlas.core.model.language import tr
from brisk_atlas.core.model.shapes import Features
from brisk_atlas.core.system.atomic_write import reason_of, written_beside

from .datasets import DatasetChange, PartChange
from .delivery import DeliveryChange, RowState, changes_listed, table_of
from .shape_change import in_crs_of

CHANGE, FIELDS, DISTANCE = "change", "changed_fields", "distance_m"


def sides_of(cache: DataCache, part: PartChange) -> tuple[Features | pa.Table, Features | pa.Table]:
    """Return the rows of both sides of a part that was compared row by row."""
    a, b = part.refs
    assert a is not None and b is not None
    if isinstance(cache.part(a), VectorPart) and isinstance(cache.part(b), VectorPart):
        return cache.features(a), cache.features(b)
    assert isinstance(cache.part(a), RowsPart)
    return cache.attributes(a), cache.attributes(b)


def changed_features(a: Features, b: Features, change: DeliveryChange) -> Features:
    """Return the features that were added, removed or changed, in the CRS of A: as they are in B, those that were
    removed as they were in A. Their first fields say what became of them; a field whose values changed has those of A
    before it, as `NAME_before`."""
    b = in_crs_of(b, a.crs)
    match, values, shape = change.match, change.value_mask, change.shape_mask
    changed = np.flatnonzero(values | shape)
    kinds = [RowState.ADDED] * len(match.only_b)
    kinds += [
        RowState.BOTH if values[k] and shape[k] else RowState.SHAPE if shape[k] else RowState.VALUES for k in changed
    ]
    kinds += [RowState.REMOVED] * len(match.only_a)
    rows_b = np.concatenate([match.only_b, match.pairs[changed, 1]])
    names = [[name for name, mask in change.values.items() if mask[k]] for k in changed]
    fields = [None] * len(match.only_b) + [", ".join(each) or None for each in names] + [None] * len(match.only_a)
    distance = np.full(len(kinds), np.nan)
    if change.distance is not None:
        distance[len(match.only_b) : len(rows_b)] = np.where(shape[changed], change.distance[changed], np.nan)
    now = table_of(b).take(pa.array(rows_b))
    left = table_of(a).take(pa.array(match.only_a)).rename_columns(_renamed(a, change))
    gone = [
        _as(left.column(field.name), field.type) if field.name in left.column_names else pa.nulls(len(left), field.type)
        for field in now.schema
    ]
    table = pa.concat_tables([now, pa.table(gone, schema=now.schema)])
    own = (CHANGE, FIELDS, DISTANCE)
    table = table.rename_columns([f"{name}_" if name in own else name for name in table.column_names])
    head = pa.table({
        CHANGE: pa.array([str(kind) for kind in kinds], pa.string()), FIELDS: pa.array(fields, pa.string()),
        DISTANCE: pa.array(distance, from_pandas=True),
    })  # fmt: skip
    before = _values_before(a, change, changed)
    for name in table.column_names:
        if name in before:
            head = head.append_column(_free(f"{name}_before", table.column_names), before[name])
        head = head.append_column(name, table.column(name))
    from brisk_atlas.core.read.wkb import exact_shapes

    wkb = pa.chunked_array([b.wkb.take(pa.array(rows_b)), a.wkb.take(pa.array(match.only_a))])
    return Features(head, *exact_shapes(wkb), a.crs)


def _values_before(a: Features, change: DeliveryChange, changed: np.ndarray) -> dict[str, pa.ChunkedArray]:
    """Return of each field that changed anywhere, as B calls it, the values that A has; none for what was added."""
    new, found = dict(change.fields.renamed), {}
    rows = pa.array(np.concatenate([change.match.pairs[changed, 0], change.match.only_a]))
    table = table_of(a)
    for name, mask in change.values.items():
        if mask.any():
            old = table.column(name)
            missing = pa.nulls(len(change.match.only_b), old.type)
            found[new.get(name, name)] = pa.chunked_array([missing, *old.take(rows).chunks], type=old.type)
    return found


def _free(name: str, others: Sequence[str]) -> str:
    """Return a name that no other field has, whatever the case."""
    known = {each.lower() for each in others}
    while name.lower() in known:
        name += "_"
    return name


def _renamed(a: Features, change: DeliveryChange) -> list[str]:
    """Return the fields of A as B calls them."""
    new = dict(change.fields.renamed)
    return [new.get(name, name) for name in a.table.column_names]


def _as(column: pa.ChunkedArray, kind: pa.DataType) -> pa.ChunkedArray:
    try:
        return column.cast(kind, safe=False)
    except pa.ArrowException:
        return pa.chunked_array([pa.nulls(len(column), kind)])


def write_patch(cache: DataCache, change: DatasetChange, path: Path) -> bool:
    """Write the changes of all layers and tables: of each layer the features that changed, and of each a table
    `NAME changes` with the old and the new values; returns whether there was anything to write. Raises CannotWrite."""
    parts = [part for part in change.parts if part.rows is not None and part.rows.differs]
    listed = [(part, sides_of(cache, part)) for part in parts]
    blocks = [(part, sides, changes_listed(*sides, part.rows)) for part, sides in listed if part.rows is not None]
    blocks = [each for each in blocks if len(each[2])]
    if not blocks:
        return False
    try:
        with written_beside(path) as beside:
            for number, (part, (a, b), rows) in enumerate(blocks):
                more = number > 0
                if isinstance(a, Features) and isinstance(b, Features) and part.rows is not None:
                    _write_layer(changed_features(a, b, part.rows), beside, part.name, append=more)
                    more = True
                pyogrio.write_arrow(rows, beside, driver="GPKG", layer=f"{part.name} changes", append=more)
    except (pyogrio.errors.DataSourceError, pyogrio.errors.DataLayerError, RuntimeError, pa.ArrowException) as error:
        raise CannotWrite(path, str(error).splitlines()[0][:200], tr("Choose another place.")) from error
    except OSError as error:
        raise reason_of(error, path) from error
    return True


def _write_layer(features: Features, path: Path, name: str, *, append: bool) -> None:
    shapes = shapely.from_wkb(features.wkb.to_numpy(zero_copy_only=False), on_invalid="ignore")
    kinds = {shape.geom_type for shape in shapes if shape is not None}
    table = features.table.append_column("geometry", features.wkb)
    pyogrio.write_arrow(
        table, path, driver="GPKG", layer=name, geometry_name="geometry", crs=features.crs, append=append,
        geometry_type=kinds.pop() if len(kinds) == 1 else "Unknown",
    )  # fmt: skip
