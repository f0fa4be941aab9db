"""Answering a query with what a part gives: the part does what it is able to, the rest is done here on whole columns.

Conditions and orders of fields need the table engine, which stands above: see `rows.query`.
"""

from __future__ import annotations

from abc import abstractmethod
from collections.abc import Callable, Iterable, Iterator
from dataclasses import dataclass, field, replace

import numpy as np
import pyarrow as pa

from brisk_atlas.core.model import (
    ALL_POINTS,
    EVERYTHING,
    Capability,
    CloudPart,
    FeatureQuery,
    PointQuery,
    TablePart,
    VectorPart,
)
from brisk_atlas.core.model.cloud import Points
from brisk_atlas.core.model.shapes import Features, Shapes
from brisk_atlas.core.system.ahead import made_ahead

BEYOND = Capability.WHERE | Capability.ORDER


class ArrowLayer(VectorPart):
    """Features that a reader gives as Arrow batches, with the geometry as well-known binary in the last column."""

    @abstractmethod
    def batches(self, query: FeatureQuery, *, geometry: bool = True) -> Iterator[pa.RecordBatch]:
        """Yield what is asked for; of the query it minds what it is `able` to."""

    def streamed(self, query: FeatureQuery = EVERYTHING) -> Iterator[pa.Table]:
        """Yield what `batches` does without holding all of it, where the format allows that."""
        for batch in self.batches(query):
            yield pa.Table.from_batches([batch])

    def read(self, query: FeatureQuery = EVERYTHING) -> Features:
        asked, left = divided(self, query)
        return _features_left(self.features_coming(self.batches(asked)), left)

    def read_arriving(self, query: FeatureQuery, arriving: Callable[[Features], None]) -> Features:
        asked, left = divided(self, query)
        if left != EVERYTHING:  # which are wanted is known in the end
            return self.read(query)
        return self.features_in_pieces(self.batches(asked), arriving)

    def features_in_pieces(self, batches: Iterable[pa.RecordBatch], arriving: Callable[[Features], None]) -> Features:
        """Return what `features_coming` does; `arriving` is given the features of each batch once it is there, while
        the next one comes."""
        pieces: list[Features] = []
        joined: list[Shapes] = []

        def coming() -> Iterator[Features]:
            for batch in batches:
                pieces.append(self.features_of(pa.Table.from_batches([batch])))
                yield pieces[-1]
            joined.append(Shapes.joined([piece.shapes for piece in pieces]))  # while the last one is looked at

        for piece in made_ahead(coming()):
            arriving(piece)
        table = pa.concat_tables([piece.table for piece in pieces])
        wkb = pa.concat_tables([pa.table([piece.geometry], ["shape"]) for piece in pieces]).column(0)
        return Features(table, wkb, joined[0], self.facts.crs)

    def features_coming(self, batches: Iterable[pa.RecordBatch]) -> Features:
        """Return the features of batches with their geometry in the last column, read while further ones come."""
        from .wkb import ArrivingShapes  # the compiler loads with it, which facts can do without

        coming, come = ArrivingShapes(), []
        for batch in batches:
            coming.add(batch.column(batch.num_columns - 1))
            come.append(batch)
        table = pa.Table.from_batches(come)
        last = table.num_columns - 1  # a field may have the name of the geometry
        wkb, shapes = coming.exact(table.column(last))
        return Features(table.remove_column(last), wkb, shapes, self.facts.crs)

    def features_of(self, table: pa.Table, left: FeatureQuery = EVERYTHING) -> Features:
        """Return rows with their geometry in the last column as features, with what is `left` of a query done."""
        from .wkb import exact_shapes  # the compiler loads with it, which facts can do without

        last = table.num_columns - 1  # a field may have the name of the geometry
        wkb, shapes = exact_shapes(table.column(last))
        table = table.remove_column(last)
        return _features_left(Features(table, wkb, shapes, self.facts.crs), left)

    def rows(self, query: FeatureQuery = EVERYTHING) -> pa.Table:
        if query.extent is not None:
            return self.read(query).table
        asked, left = divided(self, query)
        return _rest(pa.Table.from_batches(self.batches(asked, geometry=False)), left)


class ArrowTable(TablePart):
    """Rows that a reader gives as Arrow batches."""

    @abstractmethod
    def batches(self, query: FeatureQuery) -> Iterator[pa.RecordBatch]:
        """Yield what is asked for; of the query it minds what it is `able` to."""

    def streamed(self, query: FeatureQuery = EVERYTHING) -> Iterator[pa.Table]:
        """Yield what `batches` does without holding all of it, where the format allows that."""
        for batch in self.batches(query):
            yield pa.Table.from_batches([batch])

    def rows(self, query: FeatureQuery = EVERYTHING) -> pa.Table:
        asked, left = divided(self, query)
        return _rest(pa.Table.from_batches(self.batches(asked)), left)


@dataclass(frozen=True)
class ParsedTable(TablePart):
    """Rows of a format that has to be parsed as a whole to know anything of it: they were, and are held."""

    parsed: pa.Table = field(compare=False, repr=False)

    def rows(self, query: FeatureQuery = EVERYTHING) -> pa.Table:
        _, left = divided(self, query)
        return _rest(self.parsed, left)


@dataclass(frozen=True)
class ParsedLayer(VectorPart):
    """Features of a format that has to be parsed as a whole to know anything of it: they were, and are held."""

    parsed: Features = field(compare=False, repr=False)

    def read(self, query: FeatureQuery = EVERYTHING) -> Features:
        _, left = divided(self, query)
        return _features_left(self.parsed, left)

    def rows(self, query: FeatureQuery = EVERYTHING) -> pa.Table:
        _, left = divided(self, query)
        return _rest(self.parsed.table, left) if left.extent is None else self.read(query).table


@dataclass(frozen=True)
class ParsedCloud(CloudPart):
    """Points of a format that has to be parsed as a whole to know anything of it: they were, and are held."""

    parsed: Points = field(compare=False, repr=False)

    def read(self, query: PointQuery = ALL_POINTS, report: Callable[[float], None] = lambda share: None) -> Points:
        step = 1 if query.limit is None else max(1, len(self.parsed.xyz) // max(1, query.limit))
        wanted = self.parsed.dimensions if query.dimensions is None else query.dimensions
        dimensions = {k: v[::step] for k, v in self.parsed.dimensions.items() if k in wanted}
        return Points(self.parsed.xyz[::step], dimensions, self.facts.crs)


def batches_of(table: pa.Table) -> Iterator[pa.RecordBatch]:
    """Yield a table in batches, one without rows where it has none, so that its columns are known."""
    yield from table.to_batches() or [pa.RecordBatch.from_pylist([], schema=table.schema)]


def divided(part: VectorPart | TablePart, query: FeatureQuery) -> tuple[FeatureQuery, FeatureQuery]:
    """Return what a part does of a query itself, and what is left to be done with the rows that it gives."""
    if query.needs() & BEYOND & ~part.able:  # one that is able is given conditions in its own SQL
        raise ValueError("conditions and orders are asked through rows.query.ask")
    return query.divided(part.able)


def chosen_features(found: Features, rows: np.ndarray | None, columns: tuple[str, ...] | None) -> Features:
    """Return some of the features, in the order of `rows` (all where None), with some columns (all where None)."""
    if rows is not None:
        from .wkb import exact_shapes

        wkb, shapes = exact_shapes(found.wkb.take(pa.array(rows)))
        found = Features(found.table.take(pa.array(rows)), wkb, shapes, found.crs)
    return found if columns is None else replace(found, table=found.table.select(columns))


def _features_left(found: Features, left: FeatureQuery) -> Features:
    mask = found.shapes.meeting(left.extent) if left.extent is not None else None
    return chosen_features(found, _chosen(len(found), left, mask), left.columns)


def _rest(table: pa.Table, left: FeatureQuery) -> pa.Table:
    chosen = _chosen(len(table), left, None)
    if chosen is not None:
        table = table.slice(0, left.limit) if left.step == 1 else table.take(pa.array(chosen))
    return table if left.columns is None else table.select(left.columns)


def _chosen(count: int, left: FeatureQuery, mask: np.ndarray | None) -> np.ndarray | None:
    """Return the numbers of the rows that are wanted, or None for all."""
    if mask is None and left.step == 1 and left.limit is None:
        return None
    rows = np.arange(count) if mask is None else np.flatnonzero(mask)
    return rows[:: left.step][: left.limit]
