"""A map turned by any angle, in any CRS and across the antimeridian: what is drawn is what is picked."""

from dataclasses import replace

import numpy as np
import pyarrow as pa
import pyogrio
import pytest
import rasterio
import shapely
from hypothesis import given, settings
from hypothesis import strategies as st

from brisk_atlas.core.cache import DataCache
from brisk_atlas.core.curate.derived import derived_record
from brisk_atlas.core.draw import View
from brisk_atlas.core.draw.classes import Colouring
from brisk_atlas.core.draw.frame import extent_of
from brisk_atlas.core.draw.vector import Inks, draw_vector
from brisk_atlas.core.handover import RasterOrder, VectorOrder, hand_over_raster, hand_over_vector
from brisk_atlas.core.inspect import Where
from brisk_atlas.core.inspect.picking import picked
from brisk_atlas.core.kinds import painter_for
from brisk_atlas.core.kinds.asking import probe
from brisk_atlas.core.model import CannotWrite, Extent, GridStyle, Layer, VectorStyle
from brisk_atlas.core.place.extents import sides_of
from brisk_atlas.core.place.map_crs import equal_area
from made_files import at, write_global_grid, write_isles

CRSS = ["EPSG:4326", "EPSG:3857", "EPSG:8857", "EPSG:3832", "EPSG:3031", equal_area(178.0, -40.0), "EPSG:32760"]


@pytest.fixture(scope="module")
def isles(tmp_path_factory, cache):
    path = write_isles(tmp_path_factory.mktemp("isles") / "isles.gpkg")
    facts = cache.dataset(at(path)).parts[0].facts
    return Layer("isles", "isles", at(path, facts.name), facts.kind, VectorStyle(width=0.0))


@pytest.fixture(scope="module")
def cache():
    return DataCache()


@settings(max_examples=60, deadline=None)
@given(
    crs=st.sampled_from(CRSS),
    turn=st.sampled_from([0.0, 17.0, 90.0, -133.5, 180.0]),
    zoom=st.floats(1.0, 12.0),
    at_x=st.floats(0.1, 0.9),
    at_y=st.floats(0.1, 0.9),
    seed=st.integers(0, 99),
)
def test_the_feature_of_a_drawn_pixel_is_the_one_that_is_picked(cache, isles, crs, turn, zoom, at_x, at_y, seed):
    extent = extent_of(cache, [isles], crs)
    view = View.fitting(extent, 300, 220, turn=turn)
    view = replace(view.zoomed(zoom, 300 * at_x, 220 * at_y), turn=turn).on_pixels()
    features, index = cache.features(isles.ref), cache.shape_index(isles.ref, crs)
    count = len(features)
    rgb = np.column_stack([np.arange(count) + 1, np.full(count, 90), np.full(count, 200)]).astype(np.uint8)
    image = np.zeros((220, 300, 4), np.uint8)
    turned = _turned(index, turn) if turn else index
    for world in view.in_worlds():
        draw_vector(image, turned, Inks(Colouring(rgb)), VectorStyle(width=0.0), world.plane)
    rng = np.random.default_rng(seed)
    for row, col in zip(rng.integers(2, 218, 200).tolist(), rng.integers(2, 298, 200).tolist()):
        around = image[row - 2 : row + 3, col - 2 : col + 3].reshape(-1, 4)
        if (around != around[0]).any():
            continue
        x, y = view.to_map(col + 0.5, row + 0.5)
        found = picked(cache, isles, Where.at(x, y, crs, 0.0))[1]
        assert (found[0] + 1 if len(found) else 0) == image[row, col, 0]


def _turned(index, turn):
    from brisk_atlas.core.read.shape_index import index_of

    return index_of(index.shapes.turned(turn))


@pytest.mark.parametrize("turn", [0.0, 40.0, -120.0])
@pytest.mark.parametrize("crs", CRSS)
def test_a_grid_from_0_to_360_is_drawn_where_it_is_probed(cache, tmp_path, crs, turn):
    path = write_global_grid(tmp_path / "warmth.tif")
    facts = cache.dataset(at(path)).parts[0].facts
    layer = Layer("g", "g", at(path, facts.name), facts.kind, GridStyle(resample="nearest"))
    view = View.fitting(extent_of(cache, [layer], crs), 240, 180, turn=turn)
    if crs == "EPSG:32760":
        view = View(500_000, 5_000_000, 3000, 240, 180, crs, turn=turn)
    frame = painter_for(cache).frame([layer], view)
    assert not frame.faults
    rng = np.random.default_rng(3)
    seen = 0
    for row, col in zip(rng.integers(3, 177, 60).tolist(), rng.integers(3, 237, 60).tolist()):
        found = probe(cache, layer, Where.at(*frame.view.to_map(col + 0.5, row + 0.5), crs, 0.0))
        around = frame.image[row - 1 : row + 2, col - 1 : col + 2, 3]
        if around.min() == around.max():  # away from the edge of the map
            assert (found is not None) == bool(around.max())
            seen += found is not None
    assert seen > 10


@pytest.mark.parametrize("crs, far", [("EPSG:3857", 4.0e7), ("EPSG:4326", 360.0)])
def test_a_grid_in_mercator_stands_in_the_next_world_too(cache, tmp_path, crs, far):
    path, side = tmp_path / "tiles.tif", 20037508.342789244
    values = np.arange(64 * 64, dtype="f4").reshape(64, 64) + 1
    where = rasterio.transform.from_bounds(-side, -side, side, side, 64, 64)
    profile = {"driver": "GTiff", "width": 64, "height": 64, "count": 1, "dtype": "float32", "crs": "EPSG:3857"}
    with rasterio.open(path, "w", transform=where, **profile) as out:
        out.write(values, 1)
    facts = cache.dataset(at(path)).parts[0].facts
    layer = Layer("g", "g", at(path, facts.name), facts.kind, GridStyle(resample="nearest"))
    view = View(far / 2, 0.0, far / 180, 200, 120, crs)  # around 180 degrees
    frame = painter_for(cache).frame([layer], view)
    inside = frame.image[40:80, :, 3]
    assert not frame.faults and (inside == 255).mean() > 0.98  # a seam of a pixel at most
    for col in (20, 180):
        x, y = frame.view.to_map(col + 0.5, 60.5)
        found = probe(cache, layer, Where.at(x, y, crs, 0.0))
        assert found is not None and found.readings[0].value > 0


def test_nothing_is_drawn_or_probed_beyond_the_pole(cache, tmp_path):
    path = write_global_grid(tmp_path / "warmth.tif")  # its outer cells reach half a degree beyond
    facts = cache.dataset(at(path)).parts[0].facts
    assert facts.extent.ymax == 90.5
    layer = Layer("g", "g", at(path, facts.name), facts.kind, GridStyle())
    frame = painter_for(cache).frame([layer], View(10.0, 90.0, 0.01, 200, 100, "EPSG:4326"))
    assert not frame.image[:50].any() and frame.image[51:].any()
    assert probe(cache, layer, Where.at(10.0, 90.2, "EPSG:4326", 0.0)) is None
    assert probe(cache, layer, Where.at(10.0, 89.8, "EPSG:4326", 0.0)) is not None


def test_the_extent_of_islands_across_the_antimeridian_is_the_short_one(cache, tmp_path):
    path = write_isles(tmp_path / "few.gpkg", near=(180.0, 8.0), count=9)
    facts = cache.dataset(at(path)).parts[0].facts
    layer = Layer("few", "few", at(path, facts.name), facts.kind, VectorStyle())
    extent = extent_of(cache, [layer], "EPSG:4326")
    assert extent.width < 90 and extent.xmin > 100 and extent.xmax > 180
    assert extent_of(cache, [layer], "EPSG:3857").width < 1.1e7
    world = painter_for(cache).frame([layer], View.fitting(extent, 200, 160))
    assert (world.image[..., 3] > 0).mean() > 0.05


def test_worlds_stand_side_by_side_in_degrees_and_a_pick_there_is_the_same(cache, isles):
    first = picked(cache, isles, Where.box(150.0, -60.0, 179.0, 60.0, "EPSG:4326"))[1]
    again = picked(cache, isles, Where.box(150.0 - 720, -60.0, 179.0 - 720, 60.0, "EPSG:4326"))[1]
    assert len(first) and first.tolist() == again.tolist()
    across = picked(cache, isles, Where.box(170.0, -60.0, 190.0, 60.0, "EPSG:4326"))[1]
    sides = [picked(cache, isles, Where.box(a, -60.0, b, 60.0, "EPSG:4326"))[1] for a, b in ((170, 180), (-180, -170))]
    assert sorted(across.tolist()) == sorted(set(np.concatenate(sides).tolist()))


def test_a_turned_view_goes_from_pixels_to_the_map_and_back():
    view = View(1000.0, 2000.0, 3.0, 400, 300, None, turn=30.0)
    assert view.to_map(200, 150) == pytest.approx((1000.0, 2000.0))
    up = view.to_map(200, 50)  # a hundred pixels up, where north points to the right of up
    assert up == pytest.approx((1000.0 - 300 * 0.5, 2000.0 + 300 * np.sqrt(3) / 2))
    assert view.to_pixel(*up) == pytest.approx((200, 50))
    assert view.zoomed(2.0, 20, 40).to_map(20, 40) == pytest.approx(view.to_map(20, 40))
    assert view.panned(10, -5).to_map(210, 145) == pytest.approx((1000.0, 2000.0))
    x, y = view.lattice.to_map(17, 29)
    assert (x, y) == pytest.approx(view.to_map(17, 29))
    assert view.turned(160).turn == -170.0


def test_a_piece_across_180_degrees_has_what_lies_on_both_sides(cache, isles, tmp_path):
    features = cache.features(isles.ref)
    across = Extent(170.0, -60.0, 190.0, 60.0, "EPSG:4326")
    order = VectorOrder(tmp_path / "piece.gpkg", "GeoPackage", "piece", None, None, None, across, None)
    hand_over_vector(features, order, lambda share, step: None)
    bounds = shapely.bounds(shapely.from_wkb(pyogrio.read_arrow(order.path)[1].column("geom").to_pylist()))
    assert (bounds[:, 0] < -170).any() and (bounds[:, 2] > 170).any()
    assert ((bounds[:, 2] <= -170) | (bounds[:, 0] >= 170) | (bounds[:, 2] - bounds[:, 0] > 180)).all()


def test_a_grid_is_not_silently_cut_in_half_at_180_degrees(cache, tmp_path):
    path = write_global_grid(tmp_path / "warmth.tif")
    part = cache.raster(at(path, cache.dataset(at(path)).parts[0].facts.name))
    across = Extent(170.0, -10.0, 190.0, 10.0, "EPSG:4326")
    with pytest.raises(CannotWrite, match="across 180 degrees"):
        hand_over_raster(part, RasterOrder(tmp_path / "out.tif", (1,), None, None, across, False), lambda s, t: None)
    east = Extent(-190.0, -10.0, -182.0, 10.0, "EPSG:4326")  # the same place as 170 to 178
    columns, rows = hand_over_raster(
        part, RasterOrder(tmp_path / "out.tif", (1,), None, None, east, False), lambda s, t: None
    )
    assert (columns, rows) == (8, 21)


def test_an_extent_in_degrees_is_as_many_rectangles_as_it_is_sides():
    def sides(west, east):
        return [(s.xmin, s.xmax) for s in sides_of(Extent(west, 0.0, east, 1.0, "EPSG:4326"))]

    assert sides(10, 20) == [(10, 20)] and sides(-180, 180) == [(-180, 180)]
    assert sides(170, 190) == [(170, 180), (-180, -170)] and sides(350, 370) == [(-10, 10)]
    assert sides(-200, -190) == [(160, 170)] and sides(-300, 300) == [(-180, 180)]
    assert sides_of(Extent(1e7, 0, 3e7, 1, "EPSG:3857"))[0].xmax == 3e7


def test_the_record_of_data_across_180_degrees_states_west_and_east(tmp_path):
    path = tmp_path / "zone60.gpkg"
    box = shapely.box(250_000, 5_000_000, 1_000_000, 5_100_000)  # of UTM zone 60, beyond 180 degrees
    table = pa.table({"n": [1], "geometry": shapely.to_wkb([box])})
    pyogrio.write_arrow(table, path, driver="GPKG", geometry_name="geometry", geometry_type="Polygon", crs="EPSG:32760")
    found = derived_record(DataCache().dataset(at(path))).boxes[0]
    assert 170 < found.west < 180 and -180 < found.east < -175
