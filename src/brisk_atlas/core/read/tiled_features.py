"""Features in vector tiles: those of a view from the tiles that are as fine as it needs, put together again where the
edges of tiles cut them."""

from __future__ import annotations

import warnings
from collections.abc import Iterator, Sequence
from concurrent.futures import ThreadPoolExecutor
from dataclasses import dataclass
from itertools import pairwise

import numpy as np
import pyarrow as pa
import pyogrio
import shapely
from pyogrio.errors import DataLayerError, DataSourceError

from brisk_atlas.core.connect.service import VectorTiles
from brisk_atlas.core.model import CannotRead, Capability, DataKind, Extent, Facts, FeatureQuery
from brisk_atlas.core.model.language import tr
from brisk_atlas.core.place.tile_grid import TilePlace

from .answer import ArrowLayer, batches_of
from .service_notes import notes_of

GEOMETRY, NUMBER = "wkb_geometry", "mvt_id"
MAX_TILES = 64  # of one view; where it takes more, coarser ones serve
MAX_EXACT = 4000  # of a read of features as they are stored
HELD = 400  # tiles of the finest level up to which all features are held
FETCHERS = 4
DETAIL = 6.0  # pixels of a tile may be so many times as wide as shapes may be off
EMPTY = pa.table({GEOMETRY: pa.array([], pa.binary())})


@dataclass(frozen=True)
class TiledFeatures(ArrowLayer):
    """Features of a layer of vector tiles, in the CRS of the tiles."""

    able = Capability.EXTENT | Capability.SIMPLIFY
    tiles: VectorTiles

    @property
    def paged(self) -> bool:  # type: ignore[override]
        """Whether there are too many tiles to hold all of them."""
        return self.tiles.grid.count_in(0, self.tiles.extent) > HELD

    def _level(self, query: FeatureQuery, extent: Extent) -> int:
        """Return the coarsest level that is as fine as a query wants, and has not too many tiles in an extent."""
        levels = self.tiles.grid.levels
        if query.simplify <= 0:
            return 0
        fine = [n for n, each in enumerate(levels) if each.resolution <= DETAIL * query.simplify]
        number = max(fine, default=0)
        while number < len(levels) - 1 and self.tiles.grid.count_in(number, extent) > MAX_TILES:
            number += 1
        return number

    def batches(self, query: FeatureQuery, *, geometry: bool = True) -> Iterator[pa.RecordBatch]:
        extent = self.tiles.extent if query.extent is None else query.extent.intersection(self.tiles.extent)
        level = self._level(query, extent) if extent is not None else 0
        count = self.tiles.grid.count_in(level, extent) if extent is not None else 0
        if count > MAX_EXACT:
            raise CannotRead(
                self.ref,
                tr("that takes {count:,} tiles, more than {max_exact:,}", count=count, max_exact=MAX_EXACT),
                tr("Ask for less at once."),
            )
        places = self.tiles.grid.tiles_in(level, extent) if extent is not None else []
        with ThreadPoolExecutor(FETCHERS, "vector tiles") as pool:
            tables = [table for table in pool.map(self._table, places) if len(table)]
        whole = pa.concat_tables([*tables, EMPTY], promote_options="permissive")
        whole = self._typed(_joined(whole))
        if query.extent is not None and len(whole):
            bounds = shapely.bounds(shapely.from_wkb(whole.column(GEOMETRY).to_numpy(zero_copy_only=False)))
            box = query.extent
            near = (bounds[:, 0] <= box.xmax) & (bounds[:, 2] >= box.xmin)
            near &= (bounds[:, 1] <= box.ymax) & (bounds[:, 3] >= box.ymin)
            whole = whole.filter(pa.array(near))
        yield from batches_of(whole if geometry else whole.drop_columns([GEOMETRY]))

    def _table(self, place: TilePlace) -> pa.Table:
        """Return the features of a tile as it has them. Raises CannotRead."""
        body = self.tiles.body(place)
        if not body:
            return EMPTY
        level = self.tiles.grid.levels[place.level]
        where = {"X": str(place.column), "Y": str(place.row), "Z": level.name}
        try:
            with warnings.catch_warnings():
                warnings.simplefilter("ignore")
                _, table = pyogrio.read_arrow(body, layer=self.tiles.about.name, **where)
        except DataLayerError:
            return EMPTY  # a tile has the layers alone that have something in it
        except (DataSourceError, RuntimeError, pa.ArrowException, ValueError, OSError) as error:
            why = str(error).splitlines()[0][:200] if str(error) else type(error).__name__
            raise CannotRead(
                self.ref,
                tr(
                    "tile {name}/{column}/{row} can't be read ({why})",
                    name=level.name,
                    column=place.column,
                    row=place.row,
                    why=why,
                ),
                tr("Try again."),
            ) from error
        return table

    def _typed(self, table: pa.Table) -> pa.Table:
        """Return the fields of the facts and the geometry."""
        columns = {}
        for field in self.facts.fields:
            type_ = {"double": pa.float64(), "bool": pa.bool_()}.get(field.type, pa.string())
            found = table.column(field.name) if field.name in table.column_names else pa.nulls(len(table), type_)
            columns[field.name] = found if found.type.equals(type_) else found.cast(type_, safe=False)
        return pa.table([*columns.values(), table.column(GEOMETRY)], names=[*columns, GEOMETRY])


def _joined(table: pa.Table) -> pa.Table:
    """Return features with the pieces that tiles made of them put together, by the numbers that they have."""
    if NUMBER not in table.column_names or not len(table):
        return table
    numbers = table.column(NUMBER)
    known = numbers.is_valid().to_numpy()
    values = numbers.fill_null(-1).to_numpy()
    order = np.argsort(values, kind="stable")
    order = order[known[order]]
    cut = np.flatnonzero(np.diff(values[order], prepend=-2, append=-2))
    groups = [order[a:b] for a, b in pairwise(cut) if b - a > 1]
    if not groups:
        return table
    shapes = shapely.from_wkb(table.column(GEOMETRY).to_numpy(zero_copy_only=False))
    plain = table.drop_columns([GEOMETRY])
    stays = np.ones(len(table), bool)
    for rows in groups:
        values = plain.take(pa.array(rows)).to_pylist()
        same = rows[[each == values[0] for each in values]]  # some writers give the same number to unlike features
        shapes[same[0]] = _whole(shapes[same])
        stays[same[1:]] = False
    at = table.column_names.index(GEOMETRY)
    return table.set_column(at, GEOMETRY, pa.array(shapely.to_wkb(shapes), pa.binary())).filter(pa.array(stays))


def _whole(pieces: Sequence[shapely.Geometry] | np.ndarray) -> shapely.Geometry:
    found = shapely.union_all(shapely.make_valid(pieces))
    return shapely.line_merge(found) if found.geom_type == "MultiLineString" else found


def part_of(tiles: VectorTiles, name: str) -> TiledFeatures:
    """Return the part of a layer of vector tiles; without a description, its fields are those of a tile."""
    facts = Facts(
        name, DataKind.VECTOR, None, tiles.geometry_type, tiles.fields, tiles.grid.crs, tiles.extent,
        notes=notes_of(tiles.about),
    )  # fmt: skip
    return TiledFeatures(tiles.ref, facts, tiles)
