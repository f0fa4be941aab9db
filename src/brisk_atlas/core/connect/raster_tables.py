"""Rasters in tables of PostgreSQL databases: each row holds a block of one grid, fetched as tiles of numbers.

Layout of a block: the well-known binary of PostGIS rasters (PostGIS raster RFC 2, "Raster WKB format"), version 0.
"""

from __future__ import annotations

import struct
from dataclasses import dataclass
from typing import NamedTuple

import numpy as np
from psycopg import sql

from brisk_atlas.core.model import Band, CannotRead, DataRef, Extent
from brisk_atlas.core.model.language import tr
from brisk_atlas.core.place.tile_grid import TilePlace

from .coverage_grid import TILE, UNLIKE, grid_of_cells
from .postgres import ask, connection
from .service import Check, Coverage, LayerAbout

MAX_BLOCKS = 20_000  # that one tile may be put together from
NEAR = 0.01  # of a cell, by which blocks may be off their common grid
HEAD = struct.Struct("HHdddddd i HH")
TYPES = ("?", "u1", "u1", "i1", "u1", "i2", "u2", "i4", "u4", "", "f4", "f8")  # by number; the first three in bytes
OUTSIDE = "its numbers lie in files of the server, outside the database"
NAMES = {
    "1BB": "uint8", "2BUI": "uint8", "4BUI": "uint8", "8BSI": "int8", "8BUI": "uint8", "16BSI": "int16",
    "16BUI": "uint16", "32BSI": "int32", "32BUI": "uint32", "32BF": "float32", "64BF": "float64",
}  # fmt: skip


class RasterColumn(NamedTuple):
    """Where blocks are: what stands behind FROM, the column, how many times coarser than the finest cells they are, and
    what orders rows."""

    place: sql.Composable
    column: str
    factor: int
    order: sql.Composable


class Block(NamedTuple):
    """A block of a grid: its upper left corner, the size of its cells, and (bands, rows, cols) float32, NaN without
    data."""

    left: float
    top: float
    across: float
    down: float
    values: np.ndarray


@dataclass(frozen=True)
class TableCoverage(Coverage):
    """A grid whose blocks are rows. `columns` are the table and its overviews, the finest first; `block` is how many
    cells one has."""

    columns: tuple[RasterColumn, ...]
    block: int

    @property
    def key(self) -> tuple[str, str]:
        return str(self.ref), self.columns[0].column

    def address(self, place: TilePlace) -> str:
        return str(self.ref)

    def cells(self, place: TilePlace, check: Check = lambda: None) -> np.ndarray:
        box, cell = self.grid.extent_of(place), self.grid.levels[place.level].resolution
        factor = round(cell / self.grid.levels[0].resolution)
        source = [each for each in self.columns if each.factor <= factor][-1]
        rest = factor // source.factor
        blocks = (TILE * rest) ** 2 / self.block
        if blocks > MAX_BLOCKS:
            reason = tr(
                "at this scale a tile takes about {blocks:,.0f} of its rows, and it has no overview for that",
                blocks=blocks,
            )
            raise CannotRead(self.ref, reason, tr("Zoom in, or ask for overview tables (ST_CreateOverview)."))
        out = np.full((TILE, TILE, len(self.bands)), np.nan, np.float32)
        for body in self._bodies(source, box, rest):
            check()
            _lay(out, box, cell, block_in(self.ref, body))
        return out

    def _bodies(self, source: RasterColumn, box: Extent, rest: int) -> list[bytes]:
        name = sql.Identifier(source.column)
        wanted: sql.Composable = name
        if rest > 1:
            wanted = sql.SQL(
                "ST_Resize({0}, greatest(1, ST_Width({0}) / {1}), greatest(1, ST_Height({0}) / {1}))"
            ).format(name, sql.Literal(rest))
        corners = [sql.Literal(value) for value in box.bounds]
        statement = sql.SQL("SELECT ST_AsBinary({}) FROM {} WHERE ST_ConvexHull({}) && {} ORDER BY {}").format(
            wanted, source.place, name,
            sql.SQL("ST_MakeEnvelope({}, {}, {}, {}, ST_SRID({}))").format(*corners, name), source.order,
        )  # fmt: skip
        with connection(self.ref) as database:
            return [body for (body,) in database.execute(statement, binary=True) if body is not None]


def block_in(ref: DataRef, body: bytes) -> Block:
    """Return a block of a grid from its binary. Raises CannotRead."""
    try:
        order = "<" if body[0] == 1 else ">"
        head = struct.Struct(order + HEAD.format.replace(" ", ""))
        _, bands, across, down, left, top, _, _, _, columns, rows = head.unpack_from(body, 1)
        at, found = 1 + head.size, np.empty((bands, rows, columns), np.float32)
        for band in range(bands):
            flags, kind = body[at], np.dtype(order + TYPES[body[at] & 15].replace("?", "u1"))
            if flags & 128:
                raise CannotRead(
                    ref, OUTSIDE, tr("Ask for the files, or for the rasters to be loaded into the database.")
                )
            at += 1
            nodata = np.frombuffer(body, kind, 1, at)[0]
            at += kind.itemsize
            values = np.frombuffer(body, kind, rows * columns, at).reshape(rows, columns)
            at += values.nbytes
            found[band] = values
            if flags & 64:
                found[band][values == nodata] = np.nan
    except (struct.error, ValueError, IndexError, TypeError) as error:
        raise CannotRead(
            ref, tr("a raster of it can't be understood ({error})", error=error), tr("Ask its owner.")
        ) from error
    return Block(left, top, across, down, found)


def _lay(out: np.ndarray, box: Extent, cell: float, block: Block) -> None:
    """Write a block into the tile of a box, by its nearest cells; where it has no data, what is there stays."""
    bands, rows, columns = block.values.shape
    x = box.xmin + (np.arange(out.shape[1]) + 0.5) * cell
    y = box.ymax - (np.arange(out.shape[0]) + 0.5) * cell
    column = np.floor((x - block.left) / block.across).astype(int)
    row = np.floor((y - block.top) / block.down).astype(int)
    into_x, into_y = (np.flatnonzero((at >= 0) & (at < most)) for at, most in ((column, columns), (row, rows)))
    if not into_x.size or not into_y.size:
        return
    here = np.moveaxis(block.values[:, row[into_y][:, None], column[into_x][None, :]], 0, 2)
    window = out[into_y[0] : into_y[-1] + 1, into_x[0] : into_x[-1] + 1, :bands]
    np.copyto(window, here[..., : window.shape[2]], where=np.isfinite(here[..., : window.shape[2]]))


def coverage_of(
    ref: DataRef, place: sql.Composable, column: str, order: sql.Composable, names: tuple[str, str], crs: str | None
) -> tuple[TableCoverage, list[str]]:
    """Return the grid whose blocks a column holds, and what should be reported of it. Raises CannotRead for blocks that
    are not of one grid, and for ones outside the database.

    place : what stands behind FROM
    order : what orders rows
    names : of the schema and the table, "" for a SELECT
    crs : that of the blocks
    """
    name = sql.Identifier(column)
    rows = ask(
        ref,
        sql.SQL(
            "SELECT ST_ScaleX({0}), ST_ScaleY({0}), ST_SkewX({0}), ST_SkewY({0}), ST_SRID({0}), ST_NumBands({0}), "
            "count(*), min(ST_UpperLeftX({0})), max(ST_UpperLeftX({0}) + ST_Width({0}) * ST_ScaleX({0})), "
            "min(ST_UpperLeftY({0}) + ST_Height({0}) * ST_ScaleY({0})), max(ST_UpperLeftY({0})), "
            "sum(ST_Width({0})::bigint * ST_Height({0})) FROM {1} WHERE {0} IS NOT NULL AND NOT ST_IsEmpty({0}) "
            "GROUP BY 1, 2, 3, 4, 5, 6 LIMIT 2"
        ).format(name, place),
    )
    if not rows:
        raise CannotRead(ref, tr("it has no rasters"), tr("Choose another table."))
    across, down, skew_x, skew_y, _, bands, count, left, right, bottom, top, cells = rows[0]
    remedy = tr("Ask for it as GeoTIFF files.")
    if len(rows) > 1:
        raise CannotRead(
            ref, tr("its rasters differ in their cells, bands or CRS, so that they are not one grid"), remedy
        )
    if skew_x or skew_y or across <= 0 or down >= 0 or abs(across + down) > UNLIKE * across:
        raise CannotRead(ref, tr("its rasters are turned, upside down or of cells that are not square"), remedy)
    shift = ask(
        ref,
        sql.SQL(
            "SELECT max(abs(a - round(a))), max(abs(b - round(b))) FROM (SELECT (ST_UpperLeftX({0}) - {2}) / {3} AS a, "
            "({4} - ST_UpperLeftY({0})) / {3} AS b FROM {1} WHERE {0} IS NOT NULL AND NOT ST_IsEmpty({0})) AS x"
        ).format(name, place, *map(sql.Literal, (left, across, top))),
    )[0]
    if max(shift) > NEAR:
        raise CannotRead(ref, tr("its rasters do not lie on one grid of cells"), remedy)
    found = _bands(ref, place, column, bands)
    width, height = round((right - left) / across), round((top - bottom) / across)
    extent = Extent(left, top - height * across, left + width * across, top, crs)
    remarks = []
    if cells > width * height:
        remarks.append(tr("some of its rasters lie over others; where they do, that of the last row is read"))
    kinds = {kind for _, kind in found}
    if kinds & {"int32", "uint32", "float64"}:
        remarks.append(tr("its numbers are read with the seven digits of float32"))
    coverage = TableCoverage(
        ref=ref,
        about=LayerAbout(names[1] or column, names[1] or column, notes={"rasters": f"{count:,}"}),
        grid=grid_of_cells(extent, across, width, height),
        extent=extent,
        bands=tuple(band for band, _ in found),
        dtype=found[0][1],
        size=(width, height),
        nodata=None,
        columns=(RasterColumn(place, column, 1, order), *_overviews(ref, names, column)),
        block=max(1, cells // count),
    )
    return coverage, remarks


def _bands(ref: DataRef, place: sql.Composable, column: str, count: int) -> list[tuple[Band, str]]:
    """Return the bands and what they are stored as. Raises CannotRead for those outside the database."""
    found = []
    for number in range(1, count + 1):
        about = sql.SQL("ST_BandMetaData({}, {})").format(sql.Identifier(column), sql.Literal(number))
        rows = ask(
            ref,
            sql.SQL("SELECT (m).pixeltype, bool_or((m).isoutdb) FROM (SELECT {} AS m FROM {}) AS x GROUP BY 1").format(
                about, place
            ),
        )
        if any(outside for _, outside in rows):
            raise CannotRead(ref, OUTSIDE, tr("Ask for the files, or for the rasters to be loaded into the database."))
        found.append((Band(number, f"band {number}"), NAMES.get(rows[0][0], "float64")))
    return found


def _overviews(ref: DataRef, names: tuple[str, str], column: str) -> list[RasterColumn]:
    """Return the overview tables that the database knows of a table, the finest first."""
    rows = ask(
        ref,
        "SELECT o_table_schema, o_table_name, o_raster_column, overview_factor FROM raster_overviews "
        "WHERE r_table_schema = %s AND r_table_name = %s AND r_raster_column = %s ORDER BY overview_factor",
        [*names, column],
    )
    return [
        RasterColumn(sql.Identifier(schema, table), own, int(factor), sql.SQL("1"))
        for schema, table, own, factor in rows
    ]
