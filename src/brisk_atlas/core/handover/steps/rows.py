"""Which rows: those that meet a condition, once each, in an order, the first ones."""

from __future__ import annotations

from collections.abc import Iterator
from dataclasses import dataclass, replace
from typing import ClassVar

import numpy as np
import pyarrow as pa
import pyarrow.compute as pc

from brisk_atlas.core.model.argument import argument
from brisk_atlas.core.model.digit_groups import grouped
from brisk_atlas.core.model.language import tr, trn

from ..flows import Flow, RowFlow, gathered_flow, rows_flow
from ..row_expressions import check_condition, prepared_for, rows_matching
from ..step import Step, StepContext, split_rows, step


@step
@dataclass(frozen=True)
class RowsWhere(Step):
    """Leave the rows that meet a condition in SQL."""

    word: ClassVar = "where"
    label: ClassVar = tr("Rows where")
    group: ClassVar = tr("Rows")

    where: str = argument(tr("an SQL condition, such as year = 2031"))

    @property
    def summary(self) -> str:
        return self.where

    def flow(self, flow: Flow, context: StepContext) -> RowFlow:
        rows = self.rows(flow)
        prepared = prepared_for(rows, self.where)

        def chosen(table: pa.Table) -> pa.Table:
            passed = rows_matching(table, prepared, self.where, rows.crs, context.check)
            return split_rows(table, passed, context, tr("does not meet the condition"))

        check_condition(rows.schema, prepared, self.where, rows.crs)  # so that a fault shows before anything is read
        if prepared.windowed:  # it looks at all rows
            return gathered_flow(rows, rows.schema, lambda: chosen(rows.whole(context.check)), count=None)
        return rows_flow(rows, rows.schema, chosen, count=None)


@step
@dataclass(frozen=True)
class RowsByNumber(Step):
    """Leave rows by their numbers, such as those that were picked on the map."""

    word: ClassVar = "rows"
    label: ClassVar = tr("Rows by number")
    group: ClassVar = tr("Rows")

    rows_wanted: tuple[int, ...] = argument(tr("the numbers of the rows in the source; the first is 0"))

    @property
    def summary(self) -> str:
        return trn("{count:,} row", "{count:,} rows", len(self.rows_wanted))

    def flow(self, flow: Flow, context: StepContext) -> RowFlow:
        rows = self.rows(flow)
        wanted = np.unique(np.array(self.rows_wanted, np.int64))
        if not wanted.size or wanted[0] < 0:
            raise self.refused(tr("it names no row"), tr("Pick some on the map or in Sheet."))

        def batches() -> Iterator[pa.Table]:
            first = 0
            for batch in rows.batches():
                here = wanted[(wanted >= first) & (wanted < first + batch.num_rows)] - first
                passed = np.zeros(batch.num_rows, bool)
                passed[here] = True
                first += batch.num_rows
                yield split_rows(batch, passed, context, tr("was not chosen"))

        return replace(rows, batches=batches, count=None if rows.sampled else len(wanted))


@step
@dataclass(frozen=True)
class DropDuplicates(Step):
    """Leave one row of those that are alike in some fields, or in all of them and in geometry."""

    word: ClassVar = "drop-duplicates"
    label: ClassVar = tr("Drop duplicates")
    group: ClassVar = tr("Rows")
    gathers: ClassVar = True

    fields: tuple[str, ...] = argument(tr("the fields that must be alike; all and the geometry if not given"), ())
    last: bool = argument(tr("leave the last of those that are alike, not the first"), False)

    @property
    def summary(self) -> str:
        return f"by {', '.join(self.fields)}" if self.fields else tr("alike in everything")

    def flow(self, flow: Flow, context: StepContext) -> RowFlow:
        rows = self.rows(flow)
        names = self.fields_there(rows, self.fields) or tuple(rows.schema.names)

        def made() -> pa.Table:
            table = rows.whole(context.check)
            if not table.num_rows:
                return table
            keys = pa.table([_comparable(table.column(name)) for name in names], [f"k{i}" for i in range(len(names))])
            numbered = keys.append_column("row", pa.array(np.arange(table.num_rows)))
            found = numbered.group_by(keys.column_names).aggregate([("row", "max" if self.last else "min")])
            passed = np.zeros(table.num_rows, bool)
            passed[found.column(found.column_names.index(f"row_{'max' if self.last else 'min'}")).to_numpy()] = True
            return split_rows(table, passed, context, tr("is alike another row"))

        return gathered_flow(rows, rows.schema, made, count=None)


def _comparable(column: pa.ChunkedArray) -> pa.ChunkedArray:
    """Return a column as its values can be grouped by."""
    if pa.types.is_nested(column.type):
        return pa.chunked_array([pa.array([None if v is None else str(v) for v in column.to_pylist()], pa.string())])
    return column


@step
@dataclass(frozen=True)
class Sort(Step):
    """Put the rows in the order of some fields."""

    word: ClassVar = "sort"
    label: ClassVar = tr("Sort rows")
    group: ClassVar = tr("Rows")
    gathers: ClassVar = True

    by: tuple[str, ...] = argument(
        tr("the fields, the first one first; with a minus before it the highest value first")
    )

    @property
    def summary(self) -> str:
        return ", ".join(self.by)

    def flow(self, flow: Flow, context: StepContext) -> RowFlow:
        rows = self.rows(flow)
        orders = [(name[1:], "descending") if name[:1] == "-" and name not in rows.fields else (name, "ascending")
                  for name in self.by]  # fmt: skip
        self.fields_there(rows, tuple(name for name, _ in orders))

        def made() -> pa.Table:
            table = rows.whole(context.check)
            return table.take(pc.sort_indices(table, sort_keys=[(*each, "at_end") for each in orders]))

        return gathered_flow(rows, rows.schema, made)


@step
@dataclass(frozen=True)
class LeadingRows(Step):
    """Leave the first rows."""

    word: ClassVar = "first-rows"
    label: ClassVar = tr("First rows")
    group: ClassVar = tr("Rows")

    count: int = argument(tr("how many"))

    @property
    def summary(self) -> str:
        return grouped(self.count)

    def flow(self, flow: Flow, context: StepContext) -> RowFlow:
        rows = self.rows(flow)
        if self.count < 1:
            raise self.refused(tr("it leaves no row"), tr("Give a number above 0."))

        def batches() -> Iterator[pa.Table]:
            left = self.count
            for batch in rows.batches():
                yield batch.slice(0, left)
                left -= batch.num_rows
                if left <= 0:
                    return

        known = None if rows.count is None else min(rows.count, self.count)
        return replace(rows, batches=batches, count=known)


@step
@dataclass(frozen=True)
class SplitByValue(Step):
    """Write a file for each value of a field; the name of the file gets the value."""

    word: ClassVar = "split"
    label: ClassVar = tr("Split by value")
    group: ClassVar = tr("Rows")

    field: str = argument(tr("the field whose values part the rows"))

    @property
    def summary(self) -> str:
        return tr("a file for each {field}", field=self.field)

    def flow(self, flow: Flow, context: StepContext) -> RowFlow:
        rows = self.rows(flow)
        self.fields_there(rows, (self.field,))
        return replace(rows, parted=self.field)
