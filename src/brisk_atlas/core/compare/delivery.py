"""What changed from one delivery of a layer or table to the next: rows, shapes, values, fields."""

from __future__ import annotations

from collections.abc import Callable, Iterator
from dataclasses import dataclass
from enum import StrEnum

import numpy as np
import pyarrow as pa

from brisk_atlas.core.model.language import tr
from brisk_atlas.core.model.shapes import Features
from brisk_atlas.core.place import same_crs

from .row_match import MatchedBy, RowMatch, guess_key, match_by_geometry, match_by_key, match_rows
from .shape_change import in_crs_of, shape_changes
from .value_change import FieldChange, changed_values, field_change, texts_of

TOLERANCE_M = 0.0
OTHER_CRS_M = 0.001  # that shapes may be off after they were put into another CRS


class RowState(StrEnum):
    """What became of a row."""

    ADDED = "added"
    REMOVED = "removed"
    SHAPE = "shape"
    VALUES = "values"
    BOTH = "shape and values"
    UNCHANGED = "unchanged"


@dataclass(frozen=True, eq=False)
class DeliveryChange:
    """What changed from A to B.

    values : by field (as A calls it), (pairs,) bool: where its values differ
    shape : (pairs,) bool, whether the shape differs, None for tables
    distance : (pairs,) float64, by how much, metres, NaN where a side has no shape
    """

    match: RowMatch
    fields: FieldChange
    rows: tuple[int, int]
    crs: tuple[str | None, str | None]
    values: dict[str, np.ndarray]
    shape: np.ndarray | None
    distance: np.ndarray | None

    @property
    def value_mask(self) -> np.ndarray:
        """Return (pairs,) bool: which matched rows have other values."""
        nothing = np.zeros(len(self.match.pairs), bool)
        return np.logical_or.reduce([nothing, *self.values.values()])

    @property
    def shape_mask(self) -> np.ndarray:
        """Return (pairs,) bool: which matched rows have another shape."""
        return self.shape if self.shape is not None else np.zeros(len(self.match.pairs), bool)

    @property
    def counts(self) -> dict[RowState, int]:
        """How many rows became what."""
        values, shape = self.value_mask, self.shape_mask
        return {
            RowState.ADDED: len(self.match.only_b),
            RowState.REMOVED: len(self.match.only_a),
            RowState.SHAPE: int((shape & ~values).sum()),
            RowState.VALUES: int((values & ~shape).sum()),
            RowState.BOTH: int((values & shape).sum()),
            RowState.UNCHANGED: int((~values & ~shape).sum()),
        }

    @property
    def by_field(self) -> dict[str, int]:
        """In how many rows the values of each field differ, of those where any do."""
        found = {name: int(mask.sum()) for name, mask in self.values.items()}
        return {name: count for name, count in found.items() if count}

    @property
    def rows_differ(self) -> bool:
        """Whether any row was added, removed or changed."""
        return any(count for kind, count in self.counts.items() if kind is not RowState.UNCHANGED)

    @property
    def has_other_crs(self) -> bool:
        """Whether the two state different CRSs."""
        return not same_crs(*self.crs)

    @property
    def differs(self) -> bool:
        """Whether anything differs: rows, fields, or the CRS."""
        return self.rows_differ or self.fields.differs or (self.shape is not None and self.has_other_crs)


def delivery_change(
    a: Features | pa.Table,
    b: Features | pa.Table,
    *,
    key: tuple[str, ...] | None = None,
    tolerance: float = 0.0,
    tolerance_m: float = TOLERANCE_M,
    check: Callable[[float], None] = lambda share: None,
) -> DeliveryChange:
    """Return what changed from `a` to `b`, both features or both tables.

    key : the fields that identify rows; None to guess them, () to match by geometry (of tables, by values)
    tolerance : up to which numbers count as equal
    tolerance_m : metres up to which shapes do
    Raises AtlasError for a key that a side has not.
    """
    tables = table_of(a), table_of(b)
    key = guess_key(*tables) if key is None else key
    check(0.15)
    crs = a.crs if isinstance(a, Features) else None, b.crs if isinstance(b, Features) else None
    placed = in_crs_of(b, crs[0]) if isinstance(b, Features) else None
    check(0.25)
    if key:
        match = match_by_key(*tables, key)
    elif isinstance(a, Features) and placed is not None:
        match = match_by_geometry(a, placed)
    else:
        match = match_rows(*tables)
    check(0.4)
    fields = field_change(*tables, match.pairs, match.key)
    same_place = len(match.pairs) == len(tables[0]) == len(tables[1]) and bool(
        (np.diff(match.pairs, axis=1) == 0).all()
    )
    rows = None if same_place else (pa.array(match.pairs[:, 0]), pa.array(match.pairs[:, 1]))
    values = {}
    compared = list(_compared(tables[0], tables[1], fields, match.key))
    for number, (old, new) in enumerate(compared):
        columns = tables[0].column(old), tables[1].column(new)
        if rows is not None:
            columns = columns[0].take(rows[0]), columns[1].take(rows[1])
        values[old] = changed_values(*columns, tolerance)
        check(0.4 + 0.3 * number / len(compared))
    shape = distance = None
    if isinstance(a, Features) and placed is not None:
        moved = placed is not b
        shape, distance = shape_changes(a, placed, match.pairs, max(tolerance_m, OTHER_CRS_M if moved else 0.0))
    check(1.0)
    return DeliveryChange(match, fields, (len(tables[0]), len(tables[1])), crs, values, shape, distance)


def table_of(side: Features | pa.Table) -> pa.Table:
    """Return the values of a side, all of them read."""
    table = side.table if isinstance(side, Features) else side
    return table if isinstance(table, pa.Table) else table.select(table.column_names)


def _compared(a: pa.Table, b: pa.Table, fields: FieldChange, key: tuple[str, ...]) -> Iterator[tuple[str, str]]:
    """Yield the fields that are compared, as each side calls them."""
    renamed = dict(fields.renamed)
    for name in a.column_names:
        if name not in key and (name in b.column_names or name in renamed):
            yield name, renamed.get(name, name)


def changes_listed(a: Features | pa.Table, b: Features | pa.Table, change: DeliveryChange) -> pa.Table:
    """Return a row for each change: what became of the row, its key (or its number in both), the field with its old and
    new value as texts, and how far its shape moved, metres."""
    tables, match = (table_of(a), table_of(b)), change.match
    renamed = dict(change.fields.renamed)
    blocks: list[pa.Table] = []

    def block(
        kind: RowState, rows_a: np.ndarray | None, rows_b: np.ndarray | None, **more: pa.Array | pa.ChunkedArray
    ) -> None:
        count = len(rows_a if rows_a is not None else rows_b if rows_b is not None else ())
        columns: dict[str, pa.Array | pa.ChunkedArray] = {"change": pa.array([str(kind)] * count, pa.string())}
        side, rows = (tables[1], rows_b) if rows_a is None else (tables[0], rows_a)
        for name in match.key:
            columns[name] = texts_of(side.column(name).take(pa.array(rows)))
        for name, numbers in (("row in A", rows_a), ("row in B", rows_b)):
            columns[name] = pa.array(numbers + 1 if numbers is not None else [None] * count, pa.int64())
        for name, kind_ in (
            ("field", pa.string()),
            ("old", pa.string()),
            ("new", pa.string()),
            ("distance_m", pa.float64()),
        ):
            columns[name] = more.get(name, pa.nulls(count, kind_))
        blocks.append(pa.table(columns))

    block(RowState.ADDED, None, match.only_b)
    block(RowState.REMOVED, match.only_a, None)
    for name, mask in change.values.items():
        at = match.pairs[mask]
        old = texts_of(tables[0].column(name).take(pa.array(at[:, 0])))
        new = texts_of(tables[1].column(renamed.get(name, name)).take(pa.array(at[:, 1])))
        block(RowState.VALUES, at[:, 0], at[:, 1], field=pa.array([name] * len(at), pa.string()), old=old, new=new)
    if change.shape is not None and change.distance is not None:
        at = match.pairs[change.shape]
        block(RowState.SHAPE, at[:, 0], at[:, 1], distance_m=pa.array(change.distance[change.shape], from_pandas=True))
    return pa.concat_tables(blocks)


def matched_words(change: DeliveryChange) -> str:
    """Return in words what rows were matched by."""
    match change.match.by:
        case MatchedBy.KEY:
            return tr("matched by {key}", key=", ".join(change.match.key))
        case MatchedBy.GEOMETRY:
            return tr("matched by geometry, as no field identifies the rows")
        case MatchedBy.VALUES:
            return tr("matched by all values, as no field identifies the rows")
