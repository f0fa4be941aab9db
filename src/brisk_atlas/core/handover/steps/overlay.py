"""Two layers laid on each other, and features that become one."""

from __future__ import annotations

from collections.abc import Iterator
from dataclasses import dataclass, replace
from typing import ClassVar

import numpy as np
import pyarrow as pa
import shapely

from brisk_atlas.core.model.argument import Source, argument
from brisk_atlas.core.model.language import tr

from ..flows import GEOMETRY, Flow, RowFlow, gathered_flow, in_batches
from ..geometry_column import FIELD, is_nothing, of_dimension, of_one_type, shapes_of, with_shapes
from ..step import FEATURES, Step, StepContext, step
from .coordinates import moved_shapes

HOW = ("intersect", "difference", "union", "identity")
PAIRS = 20_000  # of features that meet, cut at once


@step
@dataclass(frozen=True)
class Overlay(Step):
    """Lay another layer of polygons on this one.

    Intersect leaves what both have, with the fields of both; difference what only this one has; union adds to the
    intersection what only one of them has; identity what only this one has.
    """

    word: ClassVar = "overlay"
    label: ClassVar = tr("Overlay")
    group: ClassVar = tr("Several sources")
    takes: ClassVar = FEATURES
    gathers: ClassVar = True

    other: Source = argument(tr("the other layer: a branch of the recipe, an open layer or a dataset"))
    how: str = argument(tr("which parts are left"), "intersect", choices=HOW)

    @property
    def summary(self) -> str:
        return self.how

    def flow(self, flow: Flow, context: StepContext) -> RowFlow:
        rows, other = self.features(flow), self.features(context.flow_of(self.other))
        if self.how not in HOW:
            raise self.refused(
                tr("there is no overlay {how}", how=self.how), tr("There are: {how}.", how=", ".join(HOW))
            )
        if (other.crs is None) != (rows.crs is None):
            raise self.refused(tr("one of the two has no CRS"), tr("State it first."))
        names = [f"{other.name}.{name}" if name in rows.fields else name for name in other.fields]
        theirs = [] if self.how == "difference" else [
            pa.field(new, other.schema.field(name).type) for name, new in zip(other.fields, names)
        ]  # fmt: skip
        schema = pa.schema([*(each for each in rows.schema if each.name != GEOMETRY), *theirs, FIELD])

        def batches() -> Iterator[pa.Table]:
            yield from in_batches(self._laid(rows, other, schema, context))

        return replace(rows, schema=schema, batches=batches, count=None)

    def _laid(self, rows: RowFlow, other: RowFlow, schema: pa.Schema, context: StepContext) -> pa.Table:
        own, table = rows.whole(context.check), other.whole(context.check)
        here = _mended(shapes_of(own))
        there = _mended(moved_shapes(shapes_of(table), other.crs, rows.crs, self))
        areas = shapely.get_dimensions(there) == 2
        if not areas.all():
            context.warn(tr("{name}: only its polygons are laid on the layer", name=other.name))
            table, there = table.filter(pa.array(areas)), there[areas]
        tree = shapely.STRtree(there)
        left, right = tree.query(here, predicate="intersects")
        order = np.lexsort((right, left))
        left, right = left[order], right[order]
        pieces = []
        if self.how != "difference":
            shapes = np.empty(len(left), object)
            for start in range(0, len(left), PAIRS):
                context.check()
                cut = slice(start, start + PAIRS)
                shapes[cut] = shapely.intersection(here[left[cut]], there[right[cut]])
            shapes = of_dimension(shapes, shapely.get_dimensions(here)[left])
            some = ~is_nothing(shapes)
            pieces.append(_pieced(own, table, left[some], right[some], shapes[some], schema))
        if self.how != "intersect":
            rest = _without(here, there, left, right, context)
            some = ~is_nothing(rest)
            at = np.flatnonzero(some)
            pieces.append(_pieced(own, table, at, np.full(len(at), -1), rest[some], schema))
        if self.how == "union":
            own_areas = shapely.get_dimensions(here) == 2
            both = own_areas[left]
            back = np.argsort(right[both], kind="stable")
            rest = _without(there, here, right[both][back], left[both][back], context)
            at = np.flatnonzero(~is_nothing(rest))
            pieces.append(_pieced(own, table, np.full(len(at), -1), at, rest[at], schema))
        made = pa.concat_tables(pieces)
        return with_shapes(made, of_one_type(shapes_of(made)))


def _mended(shapes: np.ndarray) -> np.ndarray:
    wrong = ~shapely.is_valid(shapes) & ~shapely.is_missing(shapes)
    if not wrong.any():
        return shapes
    out = shapes.copy()
    out[wrong] = of_dimension(shapely.make_valid(shapes[wrong]), shapely.get_dimensions(shapes[wrong]))
    return out


def _without(
    shapes: np.ndarray, others: np.ndarray, at: np.ndarray, other: np.ndarray, context: StepContext
) -> np.ndarray:
    """Return geometries without what the others that meet them cover. `at` (sorted) and `other` are the pairs."""
    out = shapes.copy()
    meeting, starts = np.unique(at, return_index=True)
    for number, (first, last) in enumerate(zip(starts, [*starts[1:], len(at)])):
        if number % 500 == 0:
            context.check()
        blade = shapely.union_all(others[other[first:last]])
        out[meeting[number]] = shapely.difference(shapes[meeting[number]], blade)
    return of_dimension(out, shapely.get_dimensions(shapes))


def _pieced(
    own: pa.Table, other: pa.Table, left: np.ndarray, right: np.ndarray, shapes: np.ndarray, schema: pa.Schema
) -> pa.Table:
    """Return rows with the fields of both, missing where a number of a row is -1."""
    columns = []
    for table, at in ((own, left), (other, right)):
        index = pa.array(at, pa.int64(), mask=at < 0)
        columns += [table.column(name).take(index) for name in table.column_names if name != GEOMETRY]
    columns = columns[: len(schema) - 1]
    wkb = pa.array(shapely.to_wkb(shapes, flavor="iso", output_dimension=4), pa.binary())
    return pa.Table.from_arrays([*columns, pa.chunked_array([wkb])], schema=schema)


SUMMED = {"count": "count", "sum": "sum", "mean": "mean", "minimum": "min", "maximum": "max", "first": "first"}


@step
@dataclass(frozen=True)
class Dissolve(Step):
    """Make one feature of all that have the same values in some fields, of all where none are named."""

    word: ClassVar = "dissolve"
    label: ClassVar = tr("Dissolve")
    group: ClassVar = tr("Shape")
    takes: ClassVar = FEATURES
    gathers: ClassVar = True

    by: tuple[str, ...] = argument(tr("the fields whose values must be alike"), ())
    add: tuple[str, ...] = argument(
        tr("what else of the rows: count, or sum, mean, minimum, maximum or first of a field, such as “sum:area”"),
        ("count",),
    )

    @property
    def summary(self) -> str:
        return f"by {', '.join(self.by)}" if self.by else tr("all into one")

    def flow(self, flow: Flow, context: StepContext) -> RowFlow:
        rows = self.features(flow)
        self.fields_there(rows, self.by)
        wanted = [self._wanted(text, rows) for text in self.add]

        def made(table: pa.Table) -> pa.Table:
            shapes = _mended(shapes_of(table))
            numbered = table.select(list(self.by)).append_column("__all", pa.repeat(0, table.num_rows))
            numbered = numbered.append_column("__row", pa.array(np.arange(table.num_rows)))
            for name, _, _ in wanted:
                if name and name not in numbered.column_names:
                    numbered = numbered.append_column(name, table.column(name))
            keys = [*self.by, "__all"]
            sums = [("__row", "min"), ("__row", "list"), *((name or "__row", how) for name, how, _ in wanted)]
            found = numbered.group_by(keys, use_threads=False).aggregate(sums)
            found = found.sort_by("__row_min")
            lists = found.column("__row_list").to_pylist()
            joined = np.empty(len(lists), object)
            for number, members in enumerate(lists):
                context.check()
                joined[number] = shapely.union_all(shapes[np.sort(members)])
            columns = {name: found.column(name) for name in self.by}
            for name, how, new in wanted:
                columns[new] = found.column(f"{name or '__row'}_{how}")
            return with_shapes(pa.table(columns) if columns else found.select([]), of_one_type(joined))

        schema = made(rows.schema.empty_table()).schema
        return gathered_flow(rows, schema, lambda: made(rows.whole(context.check)), count=None)

    def _wanted(self, text: str, rows: RowFlow) -> tuple[str, str, str]:
        """Return the field, the engine's word and the new name of a sum."""
        how, _, name = text.partition(":")
        if how not in SUMMED or (how != "count" and name not in rows.fields):
            raise self.refused(
                tr("“{text}” is no sum of a field", text=text),
                tr("Write count, or {summed} and a field.", summed=", ".join(SUMMED)),
            )
        new = f"{how}_{name}" if name else "count"
        if new in self.by:
            raise self.refused(tr("there is a field {new}", new=new), tr("Rename it first."))
        return name, SUMMED[how], new
