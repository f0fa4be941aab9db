"""Joining another table by equal keys, and what does not match."""

from __future__ import annotations

from dataclasses import dataclass

import numpy as np
import pyarrow as pa
import pyarrow.compute as pc

from brisk_atlas.core.model import BadExpression, Join
from brisk_atlas.core.model.digit_groups import grouped
from brisk_atlas.core.model.language import tr

MOST_NAMED = 20  # keys named in a report


@dataclass(frozen=True)
class JoinReport:
    """How the keys of two tables meet. Keys that are missing match nothing.

    unmatched, unmatched_other : rows without a partner on either side
    repeated, repeated_other : keys that stand in several rows
    named : a few of the keys of each, for the four in this order
    """

    rows: int
    matched: int
    unmatched: int
    unmatched_other: int
    repeated: int
    repeated_other: int
    named: tuple[tuple[str, ...], ...]

    @property
    def words(self) -> tuple[str, ...]:
        """Return the report as lines."""
        kinds = ("rows without a partner", "rows of the other table without a partner",
                 "keys in several rows", "keys in several rows of the other table")  # fmt: skip
        counts = (self.unmatched, self.unmatched_other, self.repeated, self.repeated_other)
        lines = [tr("{matched:,} of {rows:,} rows have a partner", matched=self.matched, rows=self.rows)]
        for count, kind, keys in zip(counts, kinds, self.named):
            if count:
                more = ", …" if count > len(keys) else ""
                lines.append(
                    f"{grouped(count)} {kind}: {', '.join(keys)}{more}" if keys else f"{grouped(count)} {kind}"
                )
        return tuple(lines)


def _alike(a: pa.ChunkedArray, b: pa.ChunkedArray) -> tuple[pa.ChunkedArray, pa.ChunkedArray]:
    """Return both key columns in one type: numbers as numbers, all else as text."""
    a, b = _plain(a), _plain(b)
    number = lambda t: pa.types.is_integer(t) or pa.types.is_floating(t) or pa.types.is_decimal(t)  # noqa: E731
    if a.type == b.type:
        return a, b
    if number(a.type) and number(b.type):
        whole = pa.types.is_integer(a.type) and pa.types.is_integer(b.type)
        kind = pa.int64() if whole else pa.float64()
        return a.cast(kind, safe=False), b.cast(kind, safe=False)
    return a.cast(pa.string()), b.cast(pa.string())


def _plain(column: pa.ChunkedArray) -> pa.ChunkedArray:
    return column.cast(column.type.value_type) if pa.types.is_dictionary(column.type) else column


def partners(key: pa.ChunkedArray, other: pa.ChunkedArray) -> np.ndarray:
    """Return (rows,) int64: for each key the first row of the other table that has it, -1 for none."""
    key, other = _alike(key, other)
    found = pc.index_in(key, value_set=other.combine_chunks(), skip_nulls=True)
    return found.fill_null(-1).combine_chunks().to_numpy(zero_copy_only=False).astype(np.int64)


def report(key: pa.ChunkedArray, other: pa.ChunkedArray) -> JoinReport:
    """Return how two key columns meet."""
    key, other = _alike(key, other)
    forth, back = partners(key, other) < 0, partners(other, key) < 0
    repeats = [_repeats(column) for column in (key, other)]
    lost = [column.filter(pa.array(mask)) for column, mask in ((key, forth), (other, back))]
    named = [
        tuple(map(str, pc.unique(column.drop_null()).slice(0, MOST_NAMED).to_pylist())) for column in (*lost, *repeats)
    ]
    return JoinReport(
        len(key), int((~forth).sum()), int(forth.sum()), int(back.sum()), len(repeats[0]), len(repeats[1]), tuple(named)
    )


def _repeats(column: pa.ChunkedArray) -> pa.Array:
    counted = pc.value_counts(column.drop_null().combine_chunks())
    return counted.field("values").filter(pc.greater(counted.field("counts"), 1))


def joined(table: pa.Table, other: pa.Table, join: Join) -> pa.Table:
    """Return a table with the fields of another appended as `name.field`. Raises BadExpression."""
    for side, name in ((table, join.key), (other, join.other_key)):
        if name not in side.column_names:
            raise BadExpression(
                join.name, tr("the key {name} is not there any more", name=name), tr("Join again by another key.")
            )
    at = partners(table.column(join.key), other.column(join.other_key))
    index = pa.array(at, mask=at < 0)
    for name in other.column_names:
        table = table.append_column(f"{join.name}.{name}", other.column(name).take(index))
    return table


def related_rows(table: pa.Table, join: Join, other: pa.Table, row: int) -> pa.Table:
    """Return the rows of a related table that have the key of one row."""
    key, keys = _alike(table.column(join.key).slice(row, 1), other.column(join.other_key))
    wanted = key[0]
    return other.filter(pc.equal(keys, wanted)) if wanted.is_valid else other.slice(0, 0)
