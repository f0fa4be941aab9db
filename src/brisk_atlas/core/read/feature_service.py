"""Layers of features that services hand out page by page."""

from __future__ import annotations

import time
import warnings
from collections.abc import Callable, Iterator
from dataclasses import dataclass

import pyarrow as pa
import pyogrio
from pyogrio.errors import DataLayerError, DataSourceError

from brisk_atlas.core.connect.service import FeatureSource
from brisk_atlas.core.model import EVERYTHING, CannotRead, Capability, DataKind, Facts, FeatureQuery
from brisk_atlas.core.model.language import tr
from brisk_atlas.core.model.shapes import Features

from .answer import ArrowLayer, batches_of, divided
from .service_notes import notes_of

GEOMETRY = "wkb_geometry"
GROWN_S = 0.3  # between two pictures of what has come so far


@dataclass(frozen=True)
class ServiceLayer(ArrowLayer):
    """Features of a service, in the CRS that it hands them out in."""

    paged = True
    dialect = "cql2-text"
    is_database = True
    source: FeatureSource

    @property
    def able(self) -> Capability:  # type: ignore[override]
        """What the service minds itself."""
        return self.source.able

    def read_growing(
        self, query: FeatureQuery = EVERYTHING, check: Callable[[], None] = lambda: None
    ) -> Iterator[tuple[Features, bool]]:
        asked, left = divided(self, query)
        pages: list[pa.Table] = []
        shown = time.monotonic()
        for body in self.source.pages(asked, check):
            pages.append(self._table(body))
            if time.monotonic() - shown > GROWN_S:
                yield self.features_of(self._joined(pages, asked), left), False
                shown = time.monotonic()
        yield self.features_of(self._joined(pages, asked), left), True

    def batches(self, query: FeatureQuery, *, geometry: bool = True) -> Iterator[pa.RecordBatch]:
        whole = self._joined([self._table(body) for body in self.source.pages(query)], query)
        yield from batches_of(whole if geometry else whole.drop_columns([GEOMETRY]))

    @staticmethod
    def _joined(pages: list[pa.Table], query: FeatureQuery) -> pa.Table:
        whole = pa.concat_tables(pages, promote_options="permissive")
        return whole if query.limit is None else whole.slice(0, query.limit)

    def _table(self, body: bytes) -> pa.Table:
        """Return the features of a page with the fields of the facts, their geometry last. Raises CannotRead."""
        try:
            with warnings.catch_warnings():
                warnings.simplefilter("ignore")
                meta, table = pyogrio.read_arrow(body)
        except DataLayerError:
            meta, table = {}, pa.table({})  # a page of GML without features has no layer
        except (DataSourceError, RuntimeError, pa.ArrowException, ValueError, OSError) as error:
            why = str(error).splitlines()[0][:200] if str(error) else type(error).__name__
            raise CannotRead(
                self.ref, tr("a page of its features can't be read ({why})", why=why), tr("Try again.")
            ) from error
        names = table.column_names
        shape = meta.get("geometry_name") or "wkb_geometry"
        columns = {}
        for field in self.facts.fields:
            found = next((name for name in (field.name, field.name.lower()) if name in names), None)
            columns[field.name] = (
                _as_type(table.column(found), field.type) if found else pa.nulls(len(table), _type(field.type))
            )
        wkb = table.column(shape).cast(pa.binary()) if shape in names else pa.nulls(len(table), pa.binary())
        return pa.table([*columns.values(), wkb], names=[*columns, GEOMETRY])


def _type(name: str) -> pa.DataType:
    plain = {"double": pa.float64(), "date32[day]": pa.date32(), "timestamp[ms, tz=UTC]": pa.timestamp("ms", "UTC")}
    return plain.get(name) or pa.type_for_alias(name)


def _as_type(column: pa.ChunkedArray, name: str) -> pa.ChunkedArray:
    """Return a column in the type that the facts state, or as it came where its values do not fit that."""
    try:
        return column.cast(_type(name))
    except (pa.ArrowException, ValueError):
        return column


def part_of(source: FeatureSource, name: str) -> ServiceLayer:
    """Return the part of a layer of features."""
    facts = Facts(
        name, DataKind.VECTOR, source.count, source.geometry_type or "Unknown", source.fields, source.crs,
        source.extent, notes=notes_of(source.about),
    )  # fmt: skip
    return ServiceLayer(source.ref, facts, source)
