"""Grids that do not lie north-up, do not align, are masked, or count longitudes from 0 to 360."""

from __future__ import annotations

import re

import numpy as np
import pytest
import rasterio
from affine import Affine
from rasterio.enums import ColorInterp
from rasterio.transform import from_origin

from brisk_atlas.core import read
from brisk_atlas.core.cache import DataCache
from brisk_atlas.core.compare import change_between
from brisk_atlas.core.draw import View
from brisk_atlas.core.handover import RasterOrder, hand_over_raster
from brisk_atlas.core.inspect.cell import along, cell_values
from brisk_atlas.core.inspect.statistics import band_values
from brisk_atlas.core.inspect.zonal import zonal_table
from brisk_atlas.core.kinds import first_style, painter_for
from brisk_atlas.core.kinds.asking import statistics_of
from brisk_atlas.core.model import CellWindow, DataKind, Extent, GridStyle, Layer, Stretch
from made_files import GRIDS, at, write_grid_file, write_squares

UTM = "EPSG:32727"
ROWS, COLS, CELL = 30, 24, 10.0
ORIGIN = Affine.translation(504_000.0, 5_776_000.0)
CENTRED = Affine.translation(-COLS / 2, -ROWS / 2)
ORIENTATIONS = {
    name: ORIGIN * Affine.scale(CELL) * turn * CENTRED
    for name, turn in {
        "north-up": Affine.scale(1, -1), "south-up": Affine.scale(1, 1), "mirrored": Affine.scale(-1, -1),
        "turned by 180": Affine.scale(-1, 1), "turned by 90": Affine.rotation(90) * Affine.scale(1, -1),
        "turned by 270": Affine.rotation(270) * Affine.scale(1, -1), "transposed": Affine.rotation(90),
        "transposed back": Affine.rotation(270), "turned by 30": Affine.rotation(30) * Affine.scale(1, -1),
        "turned by 117, mirrored": Affine.rotation(117) * Affine.scale(1.5, 1), "sheared": Affine.shear(20) * Affine.scale(1, -1),
    }.items()
}  # fmt: skip
VALUES = np.random.default_rng(7).normal(100, 20, (ROWS, COLS)).astype("float32")
VALUES[3:6, 4:9] = -9999


@pytest.fixture(params=ORIENTATIONS, ids=lambda name: name.replace(" ", "_"))
def turned(request, tmp_path):
    transform = ORIENTATIONS[request.param]
    return write_grid_file(tmp_path / "turned.tif", VALUES, transform, nodata=-9999), transform


def places(transform, seed=1, count=300):
    """Return positions in and around a grid, and what rasterio says that it has there; NaN for nothing."""
    random = np.random.default_rng(seed)
    col, row = random.uniform(-3, COLS + 3, count), random.uniform(-3, ROWS + 3, count)
    xy = np.column_stack(transform * (col, row))
    inside = (col >= 0) & (col < COLS) & (row >= 0) & (row < ROWS)
    truth = np.full(count, np.nan)
    truth[inside] = VALUES[row[inside].astype(int), col[inside].astype(int)]
    truth[truth == -9999] = np.nan
    return xy, truth


def test_probe_and_line_follow_the_transform(turned):
    path, transform = turned
    part = DataCache().raster(at(path, "turned"))
    xy, truth = places(transform)
    assert np.array_equal(along(part, xy, UTM), truth, equal_nan=True)
    with rasterio.open(path) as source:
        for (x, y), value in zip(xy[:60], truth[:60]):
            found = cell_values(part, x, y, UTM)
            if np.isnan(value):
                assert found is None or not found.known[0]
            else:
                assert found.values[0] == value and (found.row, found.column) == source.index(x, y)


def test_statistics_and_zones_follow_the_transform(turned, tmp_path):
    path, transform = turned
    cache = DataCache()
    part = cache.raster(at(path, "turned"))
    col, row = np.meshgrid(np.arange(COLS) + 0.5, np.arange(ROWS) + 0.5)
    x, y = transform * (col, row)
    square = (503_961.3, 5_775_930.7, 504_073.9, 5_776_041.1)
    inside = (x > square[0]) & (x < square[2]) & (y > square[1]) & (y < square[3]) & (VALUES != -9999)
    zones = Layer("zones", "zones", at(write_squares(tmp_path / "zones.gpkg", [square], UTM), "zones"), DataKind.VECTOR)
    layer = Layer("turned", "turned", at(path, "turned"), DataKind.RASTER)
    rows = zonal_table(cache, zones, layer).to_pylist()[0]
    assert rows["turned_cells"] == inside.sum() > 50
    assert rows["turned_mean"] == pytest.approx(VALUES[inside].mean(), rel=1e-6)
    assert rows["turned_cells_area_m2"] == pytest.approx(inside.sum() * abs(transform.determinant))
    summary, _ = statistics_of(cache, layer, "band 1", Extent(*square, UTM))
    assert summary.count == inside.sum() and summary.mean == pytest.approx(VALUES[inside].mean(), rel=1e-6)
    values, _ = band_values(part, 1, None)
    assert np.isfinite(values).sum() == (VALUES != -9999).sum()


def test_reading_onto_another_grid_follows_the_transform(turned):
    path, _ = turned
    part = DataCache().raster(at(path, "turned"))
    e = part.facts.extent
    extent, shape = Extent(e.xmin - 3.1, e.ymin - 5.7, e.xmax + 1.3, e.ymax + 2.9, UTM), (37, 41)
    found = part.read(extent, shape)
    with rasterio.open(path) as source:
        x = extent.xmin + (np.arange(41) + 0.5) * extent.width / 41
        y = extent.ymax - (np.arange(37) + 0.5) * extent.height / 37
        row, col = rasterio.transform.rowcol(source.transform, *(v.ravel() for v in np.meshgrid(x, y)))
    row, col = np.asarray(row), np.asarray(col)
    inside = (row >= 0) & (row < ROWS) & (col >= 0) & (col < COLS)
    truth = np.full(row.size, -9999.0)
    truth[inside] = VALUES[row[inside], col[inside]]
    assert np.array_equal(found.valid.ravel(), truth != -9999)
    assert np.array_equal(found.values[0].ravel()[found.valid.ravel()], truth[truth != -9999].astype("float32"))


def test_the_map_draws_a_grid_where_it_lies(turned):
    path, transform = turned
    xy, truth = places(transform, seed=5, count=60)
    layer = Layer(
        "turned", "turned", at(path, "turned"), DataKind.RASTER, GridStyle(ramp="ink", stretch=Stretch("hand", 40, 160))
    )
    view = View(504_000.0, 5_776_000.0, 1.0, 700, 700, UTM)
    frame = painter_for(DataCache()).frame([layer], view)
    for (x, y), value in zip(xy, truth):
        px, py = (int(v) for v in frame.view.to_pixel(x, y))
        col, row = ~transform * (x, y)
        if min(col % 1, 1 - col % 1, row % 1, 1 - row % 1) > 0.15:  # not at the edge of a cell
            assert (frame.image[py, px, 3] > 0) == bool(np.isfinite(value))


def test_a_turned_grid_is_handed_over_and_compared_as_it_lies(turned, tmp_path):
    path, transform = turned
    cache = DataCache()
    part = cache.raster(at(path, "turned"))
    hand_over_raster(part, RasterOrder(tmp_path / "out.tif", (1,)))
    with rasterio.open(tmp_path / "out.tif") as out:
        assert out.transform.almost_equals(transform) and np.array_equal(out.read(1), VALUES)
    risen = np.where(VALUES == -9999, VALUES, VALUES + 2)
    other = write_grid_file(tmp_path / "risen.tif", risen, transform, nodata=-9999)
    change = change_between(part, cache.raster(at(other, "risen")))
    assert change.mean == pytest.approx(2, abs=1e-4) and not change.resampled
    assert change.compared_cells == (VALUES != -9999).sum()
    assert change.net_volume == pytest.approx(2 * change.compared_cells * abs(transform.determinant), rel=1e-4)


def plane(path, west, north, shape=(200, 220)):
    """Write a plane that rises by 0.1 eastwards and 0.03 northwards."""
    transform = Affine(10, 0, west, 0, -10, north)
    col, row = np.meshgrid(np.arange(shape[1]) + 0.5, np.arange(shape[0]) + 0.5)
    x, y = transform * (col, row)
    return write_grid_file(path, (0.1 * (x - 504_000) + 0.03 * (y - 5_774_000)).astype("float64"), transform)


def test_planes_on_unaligned_grids_do_not_differ(tmp_path):
    cache = DataCache()
    before = cache.raster(at(plane(tmp_path / "a.tif", 504_000, 5_776_000), "a"))
    after = cache.raster(at(plane(tmp_path / "b.tif", 504_005, 5_775_997), "b"))
    change = change_between(before, after)
    inner = change.difference.values[0][2:-2, 2:-2]
    assert change.resampled and abs(np.nanmean(inner)) < 1e-6 and np.nanmax(np.abs(inner)) < 1e-3


@pytest.mark.parametrize("size", [7.0, 10.0, 13.0, 25.0])
def test_exports_to_another_cell_size_stay_in_place(tmp_path, size):
    part = DataCache().raster(at(plane(tmp_path / "a.tif", 504_000, 5_776_000), "a"))
    hand_over_raster(part, RasterOrder(tmp_path / "out.tif", (1,), resolution=size))
    with rasterio.open(tmp_path / "out.tif") as out:
        values = out.read(1)
        col, row = np.meshgrid(np.arange(out.width) + 0.5, np.arange(out.height) + 0.5)
        x, y = out.transform * (col, row)
    off = (values - (0.1 * (x - 504_000) + 0.03 * (y - 5_774_000)))[4:-4, 4:-4]
    assert abs(np.nanmean(off)) < 0.02 and np.nanmax(np.abs(off)) < 0.26  # a quarter of what a cell rises


@pytest.mark.parametrize("how", ["mask inside", "mask beside", "alpha"])
def test_masked_cells_stay_masked(tmp_path, how):
    values = np.full((60, 80), 22, "uint8")
    valid = np.ones(values.shape, bool)
    valid[10:50, 20:70] = False
    path = tmp_path / "m.tif"
    with (
        rasterio.Env(GDAL_TIFF_INTERNAL_MASK=how == "mask inside"),
        rasterio.open(path, "w", driver="GTiff", width=80, height=60, count=4 if how == "alpha" else 1, dtype="uint8",
                      crs=UTM, transform=Affine(10, 0, 504_000, 0, -10, 5_776_000)) as out,
    ):  # fmt: skip
        stored = np.where(valid, values, 0).astype("uint8")
        if how == "alpha":
            out.write(np.stack([stored, stored, stored, valid.astype("uint8") * 255]))
            out.colorinterp = [ColorInterp.red, ColorInterp.green, ColorInterp.blue, ColorInterp.alpha]
        else:
            out.write(stored, 1)
            out.write_mask(valid)
    assert (tmp_path / "m.tif.msk").exists() == (how == "mask beside")
    part = DataCache().raster(at(path, "m"))
    assert np.array_equal(part.native().valid, valid)
    for crs, smooth in ((UTM, False), ("EPSG:4326", False), ("EPSG:4326", True)):
        bands = (1, 2, 3, 4) if how == "alpha" else (1,)
        hand_over_raster(part, RasterOrder(tmp_path / "out.tif", bands, crs=crs, smooth=smooth))
        with rasterio.open(tmp_path / "out.tif") as out:
            made = out.read(1, masked=True)
            assert made.mean() == 22 and 0.2 < made.mask.mean() < 0.6
            assert out.colorinterp[-1] == (ColorInterp.alpha if how == "alpha" else ColorInterp.gray)


@pytest.mark.parametrize(
    ("west", "step", "columns"),
    [(0.0, 1.0, 360), (-0.5, 1.0, 360), (0.0, 2.5, 144), (200.0, 1.0, 100), (0.0, 1.0, 361)],
)
def test_longitudes_from_0_to_360_are_those_of_the_world(tmp_path, west, step, columns):
    rows = int(180 / step)
    lon, lat = west + (np.arange(columns) + 0.5) * step, 90 - (np.arange(rows) + 0.5) * step
    truth = lambda lon, lat: np.cos(np.radians(lon)) * 100 + lat  # noqa: E731
    path = write_grid_file(
        tmp_path / "globe.tif", truth(*np.meshgrid(lon, lat)), Affine(step, 0, west, 0, -step, 90), crs="EPSG:4326"
    )
    part = DataCache().raster(at(path, "globe"))
    extent = part.facts.extent
    assert extent.xmin >= -181 and extent.xmax <= 181 and "longitudes" in part.facts.notes
    found = cell_values(part, -20.9, -38.2, "EPSG:4326")
    if columns >= 144 and west < 1:
        assert found.values[0] == pytest.approx(truth(*found.middle)) and abs(found.middle[0] + 20.9) <= step
    else:
        assert found is None or found.values[0] == pytest.approx(truth(*found.middle))
    line = np.column_stack([np.linspace(-150, -70, 30), np.linspace(-60, 60, 30)])
    assert np.allclose(along(part, line, "EPSG:4326"), truth(*line.T), atol=3 * step)
    piece = Extent(-120, -50, -80, -38, "EPSG:4326")
    hand_over_raster(part, RasterOrder(tmp_path / "out.tif", (1,), within=piece))
    with rasterio.open(tmp_path / "out.tif") as out:
        row, col = out.index(-100.3, -45.2)
        assert out.read(1)[row, col] == pytest.approx(truth(*out.xy(row, col))) and out.bounds.right < 0


def test_overviews_that_are_not_of_the_file_are_not_used(tmp_path):
    path = plane(tmp_path / "a.tif", 504_000, 5_776_000, (600, 600))
    with rasterio.Env(TIFF_USE_OVR=True), rasterio.open(path, "r+") as source:
        source.build_overviews([2, 4])
    assert (tmp_path / "a.tif.ovr").exists()
    good = DataCache().raster(at(path, "a"))  # not refused as cut short
    assert [level.number for level in good.levels(1)] == [None, 0, 1]
    write_grid_file(path, np.full((600, 600), 5_000.0), Affine(10, 0, 504_000, 0, -10, 5_776_000))
    part = DataCache().raster(at(path, "a"))
    assert len(part.levels(1)) == 1
    grid = part.read(part.facts.extent, (60, 60), smooth=True)
    assert np.all(grid.values == 5_000)


def test_packed_whole_numbers_are_scaled_exactly(tmp_path):
    path = write_grid_file(
        tmp_path / "packed.tif", np.full((4, 4), 123_456_789, "int32"), Affine(10, 0, 504_000, 0, -10, 5_776_000)
    )
    with rasterio.open(path, "r+") as out:
        out.scales = (0.001,)
    part = DataCache().raster(at(path, "packed"))
    assert cell_values(part, 504_005, 5_775_995, UTM).values[0] == 123_456.789
    assert part.native().values[0, 0, 0] == 123_456.789


def test_a_grid_whose_header_was_mended_is_read_by_the_new_one(tmp_path):
    path = GRIDS["float grid"](tmp_path)
    header = path.with_suffix(".hdr")
    text = header.read_text()
    rows = int(re.search(r"NROWS\s+(\d+)", text)[1])
    header.write_text(re.sub(r"(NROWS\s+)\d+", r"\g<1>5", text))
    (part,) = read.open(path).parts
    assert part.facts.grid.height == 5 and part.native().values.shape[1] == 5
    header.write_text(text)
    (part,) = read.open(path).parts
    last = part.block(CellWindow(0, rows - 1, part.facts.grid.width, rows))
    assert part.facts.grid.height == rows and last.values.shape == (1, 1, part.facts.grid.width)


def test_coordinates_that_are_many_earths_away_cost_no_more_than_others(tmp_path):
    far = [(-20.9, -38.2, 3.3e10, 0.0), (-20.9, -38.2, -20.8, -38.1)]
    squares = write_squares(tmp_path / "far.gpkg", far, crs="EPSG:4326")
    wide = write_grid_file(
        tmp_path / "wide.tif", np.ones((4, 5), "f4"), from_origin(-21, 50, 1e9, 1e9), crs="EPSG:4326"
    )
    cache = DataCache()
    for path in (squares, wide):
        facts = read.open(path).parts[0].facts
        layer = Layer("x", "x", at(path, facts.name), facts.kind, first_style(facts, 0))
        for view in (View.fitting(facts.extent, 160, 120), View(-21.0, -38.0, 0.05, 160, 120, "EPSG:4326")):
            assert len(view.in_worlds()) <= 7
            frame = painter_for(cache).frame([layer], view)
            assert not frame.faults and (frame.image.any() or view.resolution > 1e6)
