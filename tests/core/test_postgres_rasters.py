"""Tables of rasters of PostgreSQL with PostGIS, against a real server: their rows are the blocks of one grid."""

from __future__ import annotations

import struct

import numpy as np
import pytest

from brisk_atlas.core.connect import coverage_grid, raster_tables
from brisk_atlas.core.connect.postgres import close_all
from brisk_atlas.core.connect.table_names import table_ref
from brisk_atlas.core.model import CannotRead, CellWindow, DataKind, DataRef, Lattice, passwords
from brisk_atlas.core.read import open as open_dataset
from brisk_atlas.core.read.tile_store import TILES
from database_server import running


@pytest.fixture(scope="module")
def server():
    with running() as found:
        yield found
        close_all()
        passwords.forget_all()


def ref(server, table="heights"):
    return table_ref(DataRef.parse(server.address_with_password), "public", table)


@pytest.fixture(scope="module")
def rasters(server):
    """A grid of two bands in 3 x 2 blocks, one missing, some cells without data; its cells, NaN without data."""
    numbers = np.random.default_rng(7)
    first = numbers.integers(-900, 900, (160, 300)).astype("float64")
    second = numbers.integers(0, 255, (160, 300)).astype("float64")
    first[10:20, 30:60] = -32768
    with server.connect() as link:
        link.execute("CREATE EXTENSION IF NOT EXISTS postgis_raster")
        link.execute("CREATE TABLE heights (rid serial PRIMARY KEY, rast raster)")
        for row, column in ((0, 0), (0, 1), (0, 2), (1, 0), (1, 2)):
            here = np.s_[row * 80 : row * 80 + 80, column * 100 : column * 100 + 100]
            link.execute(
                "INSERT INTO heights (rast) SELECT ST_SetValues(ST_SetValues(ST_AddBand(ST_AddBand(ST_MakeEmptyRaster("
                "100, 80, %s, %s, 10, -10, 0, 0, 32727), 1, '16BSI'::text, 0, -32768), 2, '8BUI'::text, 0, NULL), "
                "1, 1, 1, %s::float8[][]), 2, 1, 1, %s::float8[][])",
                [500_000 + column * 1000, 5_770_000 - row * 800, first[here].tolist(), second[here].tolist()],
            )
        link.execute("CREATE INDEX ON heights USING gist (ST_ConvexHull(rast))")
        link.execute("SELECT AddRasterConstraints('heights'::name, 'rast'::name)")
    first[first == -32768] = np.nan
    cells = np.stack([first, second])
    cells[:, 80:, 100:200] = np.nan
    return cells


def test_a_table_of_rasters_is_a_grid(server, rasters):
    dataset = open_dataset(ref(server, "heights"))
    (part,) = dataset.parts
    grid = part.facts.grid
    assert (dataset.kind, part.facts.name, part.facts.crs) == (DataKind.RASTER, "heights", "EPSG:32727")
    assert (grid.width, grid.height, len(grid.bands), grid.resolution) == (300, 160, 2, (10.0, 10.0))
    assert part.facts.extent.bounds == (500_000, 5_768_400, 503_000, 5_770_000) and not dataset.warnings
    found = part.block(CellWindow(0, 0, 300, 160), bands=(1, 2))
    assert np.array_equal(found.valid, np.isfinite(rasters).all(axis=0)) and 0 < found.valid.sum() < found.valid.size
    assert np.array_equal(found.values[:, found.valid], rasters[:, found.valid])
    corner = part.block(CellWindow(95, 70, 130, 90), bands=(2,))
    assert np.array_equal(np.where(corner.valid, corner.values[0], np.nan), rasters[1, 70:90, 95:130], equal_nan=True)
    assert "16BSI" not in str(part.facts) and part.facts.notes["stored as"] == "int16"


def test_coarse_views_of_rasters_are_made_by_the_server_or_by_its_overviews(server, rasters, monkeypatch):
    monkeypatch.setattr(coverage_grid, "TILE", 64)
    monkeypatch.setattr(raster_tables, "TILE", 64)
    coarse = Lattice(40.0, 0.0, 500_000.0, 0.0, -40.0, 5_770_000.0, 75, 40, "EPSG:32727")
    with server.connect() as link:
        link.execute("DROP TABLE IF EXISTS o_4_heights")
    TILES.forget()
    before = len(server.statements())
    (part,) = open_dataset(ref(server, "heights")).parts
    resized = part.onto(coarse, bands=(2,))
    assert "ST_Resize" in server.statements()[before:]
    own = np.where(resized.valid, resized.values[0], np.nan)
    assert np.isnan(own[20:, 25:50]).all() and np.isfinite(own[:20]).all()
    whole = rasters[1].reshape(40, 4, 75, 4)
    assert ((own >= whole.min(axis=(1, 3))) & (own <= whole.max(axis=(1, 3))))[np.isfinite(own)].all()
    with server.connect() as link:
        link.execute("SELECT ST_CreateOverview('heights'::regclass, 'rast', 4)")
        known = link.execute(
            "SELECT ST_Value(rast, 2, 3, 2) FROM o_4_heights WHERE ST_UpperLeftX(rast) = 500000 "
            "AND ST_UpperLeftY(rast) = 5770000"
        ).fetchone()[0]
    TILES.forget()
    before = len(server.statements())
    (part,) = open_dataset(ref(server, "heights")).parts
    assert part.onto(coarse, bands=(2,)).values[0][1, 2] == known
    assert "o_4_heights" in server.statements()[before:] and "ST_Resize" not in server.statements()[before:]
    monkeypatch.setattr(raster_tables, "MAX_BLOCKS", 0)
    TILES.forget()
    with pytest.raises(CannotRead, match="of its rows"):
        part.onto(coarse)


@pytest.mark.parametrize(
    ("made", "reason"),
    (
        ("ST_MakeEmptyRaster(10, 10, 3, 0, 10, -10, 0, 0, 32727)", "do not lie on one grid"),
        ("ST_MakeEmptyRaster(10, 10, 100, 0, 20, -20, 0, 0, 32727)", "differ in their cells"),
        ("ST_MakeEmptyRaster(10, 10, 100, 0, 10, -10, 0, 0, 32627)", "differ in their cells, bands or CRS"),
    ),
)
def test_rasters_that_are_not_one_grid_are_refused(server, rasters, made, reason):
    with server.connect() as link:
        link.execute("DROP TABLE IF EXISTS mixed")
        link.execute("CREATE TABLE mixed (rast raster)")
        for each in ("ST_MakeEmptyRaster(10, 10, 0, 0, 10, -10, 0, 0, 32727)", made):
            link.execute(f"INSERT INTO mixed SELECT ST_AddBand({each}, '8BUI'::text, 1)")
    with pytest.raises(CannotRead, match=reason):
        open_dataset(ref(server, "mixed"))


def test_turned_empty_and_outer_rasters_are_refused(server, rasters):
    head = struct.pack("<BHHddddddiHH", 1, 0, 1, 10, -10, 0, 0, 0, 0, 32727, 10, 10)
    elsewhere = head + bytes([0x80 | 4, 0, 0]) + b"/elsewhere/a.tif\0"  # a band of a file
    with server.connect() as link:
        link.execute(
            "CREATE TABLE turned AS SELECT ST_AddBand(ST_MakeEmptyRaster(10, 10, 0, 0, 10, -10, 1, 1, 32727), "
            "'8BUI'::text) AS rast"
        )
        link.execute("CREATE TABLE outside (rast raster)")
        link.execute("INSERT INTO outside SELECT ST_RastFromWKB(%s::bytea)", [elsewhere])
        link.execute("CREATE TABLE no_rasters (rast raster)")
    for table, reason in (("turned", "turned"), ("outside", "outside the database"), ("no_rasters", "has no rasters")):
        with pytest.raises(CannotRead, match=reason) as caught:
            open_dataset(ref(server, table))
        assert caught.value.remedy


def test_damaged_blocks_are_refused_and_every_type_is_read(server, rasters):
    with server.connect() as link:
        for type_, value in (("1BB", 1), ("4BUI", 13), ("8BSI", -7), ("32BUI", 70_000), ("64BF", 0.5)):
            body = link.execute(
                f"SELECT ST_AsBinary(ST_AddBand(ST_MakeEmptyRaster(3, 2, 0, 0, 1, -1, 0, 0, 0), '{type_}'::text, %s))",
                [value],
            ).fetchone()[0]
            block = raster_tables.block_in(ref(server), body)
            assert block.values.shape == (1, 2, 3) and (block.values == value).all()
    for cut in (0, 1, 30, 61, len(body) - 1):
        with pytest.raises(CannotRead, match="can't be understood"):
            raster_tables.block_in(ref(server), body[:cut])
