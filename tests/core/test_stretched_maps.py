"""What is measured on a map that stretches the ground is what the ground has: areas, volumes, slopes, the relief."""

from __future__ import annotations

import csv

import numpy as np
import pyarrow as pa
import pyogrio
import pytest
import rasterio
import shapely
from pyproj import Geod, Transformer
from rasterio.transform import from_origin

from brisk_atlas.core.handover.recipe import RecipeStep
from brisk_atlas.core.model import DataRef, Extent, Lattice
from brisk_atlas.core.operations import GridChange, ZonalStatistics
from brisk_atlas.core.place import measured_metres
from brisk_atlas.core.place.cell_areas import cell_areas
from brisk_atlas.core.relief.space import Space
from brisk_atlas.core.workspace import Workspace
from flows import Tried, grid_of

WEB, UTM = "EPSG:3857", "EPSG:32727"
WEST, NORTH = (round(each, -2) for each in Transformer.from_crs(UTM, WEB, always_xy=True).transform(510_000, 5_772_000))
GEOD = Geod(ellps="WGS84")
TO_DEGREES = Transformer.from_crs(WEB, "EPSG:4326", always_xy=True)


def ground_area(west, south, east, north):
    """Return m² of a rectangle of the web map on the ellipsoid."""
    ring = shapely.segmentize(shapely.box(west, south, east, north), (east - west) / 50).exterior
    lon, lat = TO_DEGREES.transform(*np.array(ring.coords).T)
    return abs(GEOD.polygon_area_perimeter(lon, lat)[0])


def write(path, values, size=20.0, crs=WEB):
    rows, columns = values.shape
    with rasterio.open(path, "w", driver="GTiff", width=columns, height=rows, count=1, dtype="float32", crs=crs,
                       transform=from_origin(WEST, NORTH, size, size)) as out:  # fmt: skip
        out.write(values.astype(np.float32), 1)
    return DataRef.file(path)


def test_units_made_for_measuring_are_taken_as_they_are_and_others_as_on_the_ground():
    assert measured_metres(UTM, 510_000, 5_772_000) == (1.0, 1.0)
    east, north = measured_metres(WEB, WEST, NORTH)
    assert east == north == pytest.approx(np.cos(np.radians(38.2)), abs=0.004)
    assert measured_metres("EPSG:3395", WEST, 0.0) == pytest.approx((1.0, 1.0), rel=1e-6)  # true at the equator
    across, along = measured_metres("EPSG:4326", -20.9, -38.2)
    assert across / along == pytest.approx(np.cos(np.radians(38.2)), rel=1e-6)
    assert measured_metres(None, 0.0, 0.0) == (1.0, 1.0)


def test_areas_of_cells_are_those_of_the_ellipsoid_row_by_row():
    lattice = Lattice(500.0, 0.0, WEST, 0.0, -500.0, NORTH, 40, 900, WEB)  # over four degrees of latitude
    areas = cell_areas(lattice)
    for row in (0, 100, 450, 899):
        top = NORTH - 500 * row
        middle = WEST + 20 * 500
        assert areas[row] == pytest.approx(ground_area(middle, top - 500, middle + 500, top), rel=0.002)
    plain = Lattice(10.0, 0.0, 510_000.0, 0.0, -10.0, 5_772_000.0, 40, 30, UTM)
    assert (cell_areas(plain) == 100.0).all()


def test_a_volume_on_a_web_map_is_that_of_the_ground(tmp_path):
    before, after = (
        write(tmp_path / f"{name}.tif", np.full((60, 80), height)) for name, height in (("a", 5), ("b", 7))
    )
    with Workspace() as workspace:
        change = GridChange(before, after).run(workspace).change
    area = ground_area(WEST, NORTH - 1200, WEST + 1600, NORTH)
    assert change.risen_area == pytest.approx(area, rel=0.002)
    assert change.risen_volume == pytest.approx(2 * area, rel=0.002)


def test_cells_in_zones_take_the_area_that_they_have_there(tmp_path):
    grid = write(tmp_path / "grid.tif", np.ones((60, 80)))
    zone = shapely.box(WEST + 200, NORTH - 600, WEST + 600, NORTH - 200)
    table = pa.table({"name": ["one"], "geometry": pa.array(shapely.to_wkb([zone]))})
    pyogrio.write_arrow(table, tmp_path / "zones.gpkg", driver="GPKG", geometry_name="geometry", geometry_type="Polygon",
                        crs=WEB)  # fmt: skip
    with Workspace() as workspace:
        ZonalStatistics(DataRef.file(tmp_path / "zones.gpkg"), grid, path=tmp_path / "out.csv").run(workspace)
    with (tmp_path / "out.csv").open(newline="") as file:
        (found,) = csv.DictReader(file)
    area = next(float(value) for name, value in found.items() if name.endswith("cells_area_m2"))
    assert area == pytest.approx(ground_area(*zone.bounds), rel=0.002)


def test_a_slope_is_as_steep_as_the_ground_whatever_the_map():
    metres = measured_metres(WEB, WEST, NORTH)[0]
    rise = 0.2 * metres * 20.0 * np.arange(60)[::-1][:, None] + np.zeros((60, 80))  # 20 in 100 to the north
    lattice = Lattice(20.0, 0.0, WEST, 0.0, -20.0, NORTH, 80, 60, WEB)
    step = RecipeStep("terrain", {"what": "slope percent"}).made({})
    flow = Tried(step, grid_of(rise.astype(np.float32), lattice=lattice)).flow
    inner = flow.whole().values[0][5:-5, 5:-5]
    assert np.allclose(inner, 20.0, atol=0.1)


def test_the_relief_is_as_wide_as_the_ground():
    space = Space.around(Extent(WEST, NORTH - 8_000, WEST + 10_000, NORTH, WEB), 20.0)
    (lon0, lon1), (lat0, lat1) = TO_DEGREES.transform([WEST, WEST + 10_000], [NORTH - 4_000, NORTH - 4_000])
    wide = GEOD.inv(lon0, lat0, lon1, lat1)[2]
    assert space.metres[0] == pytest.approx(wide, rel=0.003)
    assert space.to_map(*space.to_metres(WEST + 10, NORTH - 10)) == pytest.approx((WEST + 10, NORTH - 10))
