"""Rows of several sources: fields of another table, rows below each other."""

from __future__ import annotations

from collections.abc import Iterator
from dataclasses import dataclass, replace
from itertools import chain
from typing import ClassVar

import numpy as np
import pyarrow as pa
import pyarrow.compute as pc

from brisk_atlas.core.model.argument import Source, argument
from brisk_atlas.core.model.language import tr
from brisk_atlas.core.place import same_crs
from brisk_atlas.core.table.joining import partners

from ..flows import Flow, RowFlow
from ..geometry_column import FIELD, shapes_of, with_shapes
from ..step import Step, StepContext, split_rows, step
from .coordinates import moved_shapes


@step
@dataclass(frozen=True)
class JoinFields(Step):
    """Add the fields of another table, by equal keys; of several rows that have a key the first one counts."""

    word: ClassVar = "join"
    label: ClassVar = tr("Join a table")
    group: ClassVar = tr("Several sources")

    other: Source = argument(tr("the other table: a branch of the recipe, an open layer or a dataset"))
    key: str = argument(tr("the field here"))
    other_key: str = argument(tr("the field there; that of the same name if not given"), "")
    fields: tuple[str, ...] = argument(tr("the fields to add; all if not given"), ())
    only_matched: bool = argument(tr("leave out rows without a partner"), False)
    prefix: str = argument(tr("what the names of the added fields begin with, before a point"), "")

    @property
    def summary(self) -> str:
        return f"by {self.key}"

    def flow(self, flow: Flow, context: StepContext) -> RowFlow:
        rows, other = self.rows(flow), self.rows(context.flow_of(self.other))
        self.fields_there(rows, (self.key,))
        (there,) = self.fields_there(other, (self.other_key or self.key,))
        rest = tuple(name for name in other.fields if name != there or self.prefix)
        wanted = self.fields_there(other, self.fields) or rest
        names = [self._new_name(name, rows, other) for name in wanted]
        columns = [pa.field(new, other.schema.field(name).type) for name, new in zip(wanted, names)]
        at_end = len(rows.fields)
        schema = pa.schema([*rows.schema][:at_end] + columns + [*rows.schema][at_end:])

        def batches() -> Iterator[pa.Table]:
            table = other.whole(context.check).select([there, *(n for n in wanted if n != there)])
            keys = table.column(there)
            repeated = len(keys.drop_null()) - pc.count_distinct(keys, mode="only_valid").as_py()
            if repeated:
                context.warn(
                    tr(
                        "{repeated:,} rows of {name} have a key that another row has; the first one counts",
                        repeated=repeated,
                        name=other.name,
                    )
                )
            unmatched = 0
            for batch in rows.batches():
                context.check()
                found = partners(batch.column(self.key), keys)
                matched = found >= 0
                unmatched += int((~matched).sum())
                if self.only_matched:
                    batch = split_rows(batch, matched, context, tr("has no partner in {name}", name=other.name))
                    found = found[matched]
                index = pa.array(found, mask=found < 0)
                for place, name in enumerate(wanted):
                    column = table.column(name).take(index)
                    batch = batch.add_column(at_end + place, columns[place], column)
                yield batch
            if unmatched and not self.only_matched:
                context.warn(
                    tr(
                        "{unmatched:,} rows have no partner in {name}; the added fields are missing there",
                        unmatched=unmatched,
                        name=other.name,
                    )
                )

        return replace(rows, schema=schema, batches=batches, count=None if self.only_matched else rows.count)

    def _new_name(self, name: str, rows: RowFlow, other: RowFlow) -> str:
        if self.prefix:
            return f"{self.prefix}.{name}"
        return f"{other.name}.{name}" if name in rows.fields else name


@step
@dataclass(frozen=True)
class MergeRows(Step):
    """Put the rows of other sources below these: fields of one name become one, others are missing where a source has
    none."""

    word: ClassVar = "merge"
    label: ClassVar = tr("Merge rows")
    group: ClassVar = tr("Several sources")

    others: tuple[Source, ...] = argument(tr("the other sources: branches of the recipe, open layers or datasets"))
    source_field: str = argument(tr("a field that gets the name of the source of each row; none if not given"), "")

    @property
    def summary(self) -> str:
        return tr("with {count} more", count=len(self.others))

    def flow(self, flow: Flow, context: StepContext) -> RowFlow:
        rows = self.rows(flow)
        flows = [rows, *(self.rows(context.flow_of(other)) for other in self.others)]
        if any(each.has_shapes != rows.has_shapes for each in flows):
            raise self.refused(tr("some sources have geometry and others have none"), tr("Merge layers with layers."))
        if rows.has_shapes and any((each.crs is None) != (rows.crs is None) for each in flows):
            raise self.refused(tr("some sources have a CRS and others have none"), tr("State the CRS of each first."))
        schema = self._schema(flows, context)

        def batches() -> Iterator[pa.Table]:
            for each in flows:
                for batch in each.batches():
                    context.check()
                    if each.has_shapes and not same_crs(each.crs, rows.crs):
                        batch = with_shapes(batch, moved_shapes(shapes_of(batch), each.crs, rows.crs, self))
                    yield self._aligned(batch, schema, each.name)

        known = [each.count for each in flows]
        count = None if None in known else sum(n for n in known if n is not None)
        units = dict(chain.from_iterable(each.units for each in reversed(flows)))
        return replace(rows, schema=schema, batches=batches, count=count, units=tuple(units.items()))

    def _schema(self, flows: list[RowFlow], context: StepContext) -> pa.Schema:
        types: dict[str, pa.DataType] = {}
        for each in flows:
            for name in each.fields:
                here = each.schema.field(name).type
                before = types.setdefault(name, here)
                common = _common_type(before, here)
                if pa.types.is_string(common) and before != here:
                    context.warn(tr("{name} has different types in the sources; it becomes text", name=name))
                types[name] = common
        fields = [pa.field(name, type_) for name, type_ in types.items() if name != self.source_field]
        fields += [pa.field(self.source_field, pa.string())] if self.source_field else []
        return pa.schema([*fields, FIELD] if flows[0].has_shapes else fields)

    def _aligned(self, batch: pa.Table, schema: pa.Schema, name: str) -> pa.Table:
        columns = []
        for each in schema:
            if each.name == self.source_field:
                columns.append(pa.chunked_array([pa.repeat(name, batch.num_rows)], pa.string()))
            elif each.name in batch.column_names:
                columns.append(_as_type(batch.column(each.name), each.type))
            else:
                columns.append(pa.chunked_array([pa.nulls(batch.num_rows, each.type)]))
        return pa.Table.from_arrays(columns, schema=schema)


def _common_type(a: pa.DataType, b: pa.DataType) -> pa.DataType:
    """Return the type that holds the values of both without loss; text where no other does."""
    a, b = (t.value_type if pa.types.is_dictionary(t) else t for t in (a, b))
    if a == b:
        return a
    if pa.types.is_integer(a) and pa.types.is_integer(b):
        return pa.int64()
    number = lambda t: pa.types.is_integer(t) or pa.types.is_floating(t)  # noqa: E731
    if number(a) and number(b):
        return pa.float64()
    if pa.types.is_timestamp(a) and pa.types.is_timestamp(b) and bool(a.tz) == bool(b.tz):
        return pa.timestamp("us", "UTC" if a.tz else None)
    return pa.string()


def _as_type(column: pa.ChunkedArray, kind: pa.DataType) -> pa.ChunkedArray:
    if column.type == kind:
        return column
    if pa.types.is_string(kind) and (pa.types.is_binary(column.type) or pa.types.is_nested(column.type)):
        return pa.chunked_array([pa.array([None if v is None else str(v) for v in column.to_pylist()], kind)])
    return column.cast(kind)


@step
@dataclass(frozen=True)
class JoinByPlace(Step):
    """Add the fields of the feature of another layer that meets each feature; of several the first one counts."""

    word: ClassVar = "join-by-place"
    label: ClassVar = tr("Join by place")
    group: ClassVar = tr("Several sources")

    other: Source = argument(tr("the other layer: a branch of the recipe, an open layer or a dataset"))
    fields: tuple[str, ...] = argument(tr("the fields to add; all if not given"), ())
    within: float = argument(tr("how far apart they may be, in units of the CRS here"), 0.0)
    only_matched: bool = argument(tr("leave out features that meet none"), False)

    @property
    def summary(self) -> str:
        return tr("up to {within:g} away", within=self.within) if self.within else tr("where they meet")

    def flow(self, flow: Flow, context: StepContext) -> RowFlow:
        import shapely

        rows, other = self.features(flow), self.features(context.flow_of(self.other))
        wanted = self.fields_there(other, self.fields) or tuple(other.fields)
        names = [f"{other.name}.{name}" if name in rows.fields else name for name in wanted]
        columns = [pa.field(new, other.schema.field(name).type) for name, new in zip(wanted, names)]
        at_end = len(rows.fields)
        schema = pa.schema([*rows.schema][:at_end] + columns + [*rows.schema][at_end:])

        def batches() -> Iterator[pa.Table]:
            table = other.whole(context.check)
            tree = shapely.STRtree(moved_shapes(shapes_of(table), other.crs, rows.crs, self))
            for batch in rows.batches():
                context.check()
                shapes = shapes_of(batch)
                near = {"distance": self.within} if self.within else {}
                here, there = tree.query(shapes, "dwithin" if near else "intersects", **near)
                found = np.full(len(shapes), len(table), np.int64)
                np.minimum.at(found, here, there)
                matched = found < len(table)
                if self.only_matched:
                    batch = split_rows(batch, matched, context, tr("meets no feature of {name}", name=other.name))
                    found = found[matched]
                index = pa.array(found, mask=found >= len(table))
                for place, name in enumerate(wanted):
                    batch = batch.add_column(at_end + place, columns[place], table.column(name).take(index))
                yield batch

        return replace(rows, schema=schema, batches=batches, count=None if self.only_matched else rows.count)
