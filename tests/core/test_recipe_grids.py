"""Steps of recipes over cells and points, against other libraries or brute force."""

from __future__ import annotations

import contourpy
import laspy
import numpy as np
import pytest
import shapely
from affine import Affine
from hypothesis import given
from hypothesis import strategies as st
from pyproj import Transformer
from rasterio.features import geometry_mask
from rasterio.warp import Resampling, reproject
from scipy import ndimage
from scipy.spatial import Delaunay

from brisk_atlas.core.handover import contour_strips as strips
from brisk_atlas.core.handover.cube_kernels import SLOTS, SeenCubes
from brisk_atlas.core.handover.flows import PointFlow
from brisk_atlas.core.handover.moved_grid import grid_on
from brisk_atlas.core.handover.recipe import RecipeStep
from brisk_atlas.core.handover.step import BadStep
from brisk_atlas.core.handover.steps.coordinates import transformations
from brisk_atlas.core.model import CellWindow, Extent, Lattice
from brisk_atlas.core.place import proj_crs
from flows import UTM, Tried, grid_of, rows_of


def made(word, **settings):
    return RecipeStep(word, settings).made({})


def hills(rows=60, columns=80, seed=1):
    return ndimage.gaussian_filter(np.random.default_rng(seed).normal(size=(rows, columns)), 4).astype(np.float32) * 900


def in_windows(flow, size=17):
    """Return all cells, computed window by window."""
    values = np.zeros((len(flow.bands), flow.lattice.rows, flow.lattice.columns), flow.dtype)
    valid = np.zeros(values.shape[1:], bool)
    bands = tuple(range(1, len(flow.bands) + 1))
    for window in flow.windows(size):
        place = np.s_[window.first_row : window.last_row, window.first_column : window.last_column]
        found = flow.read(window, bands)
        values[(slice(None), *place)], valid[place] = found.values, found.valid
    return values, valid


def holes(shape, seed=2):
    return np.random.default_rng(seed).random(shape) > 0.1


@pytest.mark.parametrize(("crs", "smooth"), [("EPSG:4326", True), ("EPSG:32728", False), ("EPSG:3857", True)])
def test_a_reprojected_grid_is_that_of_the_whole_warp(crs, smooth):
    flow = grid_of(hills(), holes((60, 80)))
    tried = Tried(made("reproject", crs=crs, smooth=smooth), flow).flow
    whole = np.full((tried.lattice.rows, tried.lattice.columns), np.nan, np.float32)
    source = flow.whole()
    reproject(
        np.where(source.valid, source.values[0], np.nan), whole, src_transform=Affine(*flow.lattice.transform),
        src_crs=proj_crs(UTM).to_wkt(), dst_transform=Affine(*tried.lattice.transform), dst_crs=proj_crs(crs).to_wkt(),
        src_nodata=np.nan, dst_nodata=np.nan, resampling=Resampling.bilinear if smooth else Resampling.nearest,
    )  # fmt: skip
    values, valid = in_windows(tried)
    same = valid == np.isfinite(whole)  # at the very edge a cell may fall on either side
    assert same.mean() > 0.995
    both = valid & np.isfinite(whole)
    assert np.isclose(values[0][both], whole[both], atol=2.0).mean() > 0.995


@pytest.mark.parametrize("dtype", [np.float64, np.float32, np.uint8, np.int16, np.int64])
@pytest.mark.parametrize("crs", ["EPSG:32728", "EPSG:4326", "EPSG:3031"])
def test_each_cell_is_what_its_own_place_says(crs, dtype):
    size = 300
    values = (hills(size, size) * 20 + 100).clip(0, 250).astype(dtype)
    valid = holes((size, size))
    flow = grid_of(values, valid, size=25.0)
    tried = Tried(made("reproject", crs=crs), flow).flow
    found, known = in_windows(tried, 97)
    c, r = np.meshgrid(np.arange(tried.lattice.columns) + 0.5, np.arange(tried.lattice.rows) + 0.5)
    x, y = Transformer.from_crs(crs, UTM, always_xy=True).transform(*tried.lattice.to_map(c, r))
    at = np.stack(flow.lattice.to_cells(x, y))  # (2, rows, columns): column, row
    inside = (at > 0.01).all(axis=0) & (at < size - 0.01).all(axis=0)
    near = np.floor(at).clip(0, size - 1).astype(int)
    sure = (np.abs(at - np.round(at)) > 0.01).all(axis=0)  # not between two cells
    assert not known[(at < -0.01).any(axis=0) | (at > size + 0.01).any(axis=0)].any()
    assert np.array_equal(known[inside & sure], valid[near[1], near[0]][inside & sure])
    reach = np.hypot(*(np.abs(np.diff(at, axis=axis)).max(axis=(1, 2)) for axis in (2, 1)))
    reach = np.where(reach > 1.05, reach, 1.0)  # (across, down)
    for row, column in np.random.default_rng(3).choice(np.argwhere(inside & known), 60):
        column_at, row_at = at[:, row, column] - 0.5
        across = np.clip(1 - np.abs(np.arange(size) - column_at) / reach[0], 0, None)
        down = np.clip(1 - np.abs(np.arange(size) - row_at) / reach[1], 0, None)
        weights = np.outer(down, across) * valid
        expected = (weights * values).sum() / weights.sum()
        assert abs(found[0, row, column] - expected) < (0.75 if np.dtype(dtype).kind in "iu" else 0.25)


def test_a_grid_is_moved_by_the_transformation_that_is_chosen():
    values = np.arange(2_500, dtype=np.int32).reshape(50, 50)
    old = Lattice(1e-4, 0.0, 10.0, 0.0, -1e-4, 50.0, 50, 50, "EPSG:4230")  # about 11 m
    made_by = []
    for about, transformer in transformations("EPSG:4230", "EPSG:4326")[:2]:
        step_ = made("reproject", crs="EPSG:4326", transformation=about.name, smooth=False)
        tried = Tried(step_, grid_of(values, lattice=old)).flow
        found, known = in_windows(tried, 13)
        c, r = np.meshgrid(np.arange(tried.lattice.columns) + 0.5, np.arange(tried.lattice.rows) + 0.5)
        x, y = transformer.transform(*tried.lattice.to_map(c, r), direction="INVERSE")
        at = np.stack(old.to_cells(x, y))
        sure = known & (np.abs(at - np.round(at)) > 0.01).all(axis=0)
        column, row = np.floor(at).astype(int)[:, sure]
        assert sure.sum() > 2_000 and np.array_equal(found[0][sure], values[row, column])
        made_by.append(at)
    assert np.abs(made_by[0] - made_by[1]).max() > 0.1  # of a cell: the two are not the same


def test_cells_that_have_no_place_have_no_data_and_leave_their_neighbours():
    values = np.arange(64.0, dtype=np.float32).reshape(8, 8)
    half = "+proj=ortho +lat_0=0 +lon_0=0 +type=crs"  # whose corners lie beyond the globe
    wide = Lattice(0.5, 0.0, 86.0, 0.0, -0.5, 2.0, 8, 8, "EPSG:4326")
    lattice = Lattice(20_000.0, 0.0, 6_300_000.0, 0.0, -20_000.0, 100_000.0, 10, 10, half)
    found, known = in_windows(grid_on(grid_of(values, lattice=wide), lattice, False))
    x, y = lattice.to_map(*np.meshgrid(np.arange(10) + 0.5, np.arange(10) + 0.5))
    lon, lat = Transformer.from_crs(proj_crs(half), "EPSG:4326", always_xy=True).transform(x, y)
    column, row = wide.to_cells(lon, lat)
    inside = np.isfinite(column) & (column >= 0) & (column < 8) & (row >= 0) & (row < 8)
    assert not np.isfinite(lon).all() and inside.any()
    assert np.array_equal(known, inside)
    assert np.array_equal(found[0][inside], values[row[inside].astype(int), column[inside].astype(int)])


def test_resampling_to_coarser_cells_takes_the_mean_of_those_with_data():
    values = np.arange(24, dtype=np.float32).reshape(4, 6)
    valid = np.ones((4, 6), bool)
    valid[0, 0] = False
    tried = Tried(made("resample", resolution=20.0), grid_of(values, valid)).flow
    found, known = in_windows(tried)
    expected = np.nanmean(np.where(valid, values, np.nan).reshape(2, 2, 3, 2), axis=(1, 3))
    assert np.allclose(found[0], expected) and known.all()
    like = Tried(
        made("resample", like="o", how="nearest"), grid_of(values), o=grid_of(np.zeros((8, 12)), size=5.0)
    ).flow
    assert np.array_equal(in_windows(like)[0][0], values.repeat(2, 0).repeat(2, 1))


def test_south_up_and_rotated_grids_become_north_up():
    values = np.arange(12, dtype=np.float32).reshape(3, 4)
    south_up = Lattice(10.0, 0.0, 500_000.0, 0.0, 10.0, 5_699_970.0, 4, 3, UTM)
    tried = Tried(made("resample", how="nearest"), grid_of(values, lattice=south_up)).flow
    assert tried.lattice.is_north_up and np.array_equal(in_windows(tried)[0][0], values[::-1])
    turned = Lattice(0.0, 10.0, 500_000.0, -10.0, 0.0, 5_700_000.0, 4, 3, UTM)
    tried = Tried(made("resample", how="nearest"), grid_of(values, lattice=turned)).flow
    assert np.array_equal(in_windows(tried)[0][0], values.T)


def test_clip_and_extent_of_cells():
    flow = grid_of(hills())
    circle = shapely.Point(500_300, 5_699_700).buffer(150)
    for outside in (False, True):
        tried = Tried(made("clip", polygons="p", outside=outside), flow, p=rows_of([circle])).flow
        _, valid = in_windows(tried)
        mask = ~geometry_mask([circle], valid.shape, Affine(*tried.lattice.transform))
        assert np.array_equal(valid, ~mask if outside else mask)
    extent = Extent(500_101.0, 5_699_595.0, 500_199.0, 5_699_699.0, UTM)
    cut = Tried(made("extent", extent=extent), flow).flow
    assert cut.lattice.extent.bounds == (500_100.0, 5_699_590.0, 500_200.0, 5_699_700.0)
    assert np.array_equal(cut.whole().values[0], flow.whole().values[0][30:41, 10:20])


@pytest.mark.parametrize("priority", ["first", "last", "minimum", "maximum", "mean"])
def test_a_mosaic_by_priority_with_what_differs_at_the_seam(priority):
    a, b = np.full((4, 6), 10.0, np.float32), np.full((4, 6), 14.0, np.float32)
    known = np.ones((4, 6), bool)
    known[:, 5] = False  # the last column of the first has no data
    beside = Lattice(10.0, 0.0, 500_040.0, 0.0, -10.0, 5_700_000.0, 6, 4, UTM)
    tried = Tried(made("mosaic", others=["b"], priority=priority), grid_of(a, known), b=grid_of(b, lattice=beside))
    values, valid = in_windows(tried.flow, 3)
    overlap = {"first": 10, "last": 14, "minimum": 10, "maximum": 14, "mean": 12}[priority]
    assert values[0][0].tolist() == [10, 10, 10, 10, overlap, 14, 14, 14, 14, 14] and valid.all()
    (seam,) = tried.context.warnings
    assert "mean 4, standard deviation 0, at most 4" in seam


def test_bands_expressions_classes_and_stretches():
    rng = np.random.default_rng(3)
    flow = grid_of(rng.integers(0, 1000, (3, 20, 30)).astype(np.uint16), holes((20, 30)))
    picked = Tried(made("bands", bands=["band 3", "1"]), flow).flow
    assert np.array_equal(in_windows(picked)[0], flow.whole().values[[2, 0]]) and [b.index for b in picked.bands] == [
        1,
        2,
    ]
    values, valid = in_windows(Tried(made("cell-expression", expression="(b3 - b1) / nullif(b3 + b1, 0)"), flow).flow)
    a, c = (flow.whole().values[i].astype(float) for i in (0, 2))
    assert np.allclose(values[0][valid], ((c - a) / (c + a))[valid]) and np.array_equal(
        valid, flow.whole((1,)).valid & (a + c > 0)
    )
    with pytest.raises(BadStep, match="other cells"):
        Tried(made("cell-expression", expression="sum(b1) OVER ()"), flow)
    classes, valid = in_windows(Tried(made("classify", breaks=[200.0, 500.0]), flow).flow)
    assert np.array_equal(classes[0][valid], (np.digitize(a, [200, 500]) + 1)[valid])
    pairs, valid = in_windows(
        Tried(made("classify", values=["1=7:seven", "2=7", "3=9"]), grid_of(np.array([[1, 2, 3, 4]]))).flow
    )
    assert pairs[0].tolist() == [[7, 7, 9, 0]] and valid.tolist() == [[True, True, True, False]]
    stretched = in_windows(Tried(made("stretch", low=100.0, high=900.0), flow).flow)[0]
    expected = 1 + np.rint(254 * np.clip((flow.whole().values.astype(float) - 100) / 800, 0, 1))
    assert np.array_equal(stretched, np.where(flow.whole().valid, expected, 0))


def test_gaps_are_filled_as_on_the_whole_grid():
    from rasterio.fill import fillnodata

    values, valid = hills(), holes((60, 80))
    valid[10:50, 20:60] = False
    tried = Tried(made("fill-gaps", distance=6), grid_of(values, valid)).flow
    filled, known = in_windows(tried)
    whole = fillnodata(values.astype(float), valid, 6, 0)
    near = ndimage.distance_transform_edt(~valid) <= 6
    assert (
        np.array_equal(filled[0][valid], values[valid])
        and (known <= (near | valid)).all()
        and known[near].mean() > 0.98
    )
    assert np.allclose(filled[0][known], whole[known], atol=1e-3)


def test_slope_aspect_hillshade_and_curvature_of_known_ground():
    y, x = np.mgrid[0:40, 0:50]
    plane = (3.0 * x - 4.0 * y).astype(np.float32)  # cells of 10 m: 0.3 up to the east, 0.4 up to the north
    found = {w: in_windows(Tried(made("terrain", what=w), grid_of(plane)).flow) for w in ("slope", "slope percent", "aspect", "hillshade", "curvature")}  # fmt: skip
    inner = np.s_[1:-1, 1:-1]
    assert np.allclose(found["slope percent"][0][0][inner], 50.0, atol=1e-3)
    assert np.allclose(found["slope"][0][0][inner], np.degrees(np.arctan(0.5)), atol=1e-3)
    assert np.allclose(found["aspect"][0][0][inner], (np.degrees(np.arctan2(-0.3, -0.4))) % 360, atol=1e-3)
    light = (
        np.sin(np.pi / 4) - np.cos(np.pi / 4) * (0.3 * np.sin(np.radians(315)) + 0.4 * np.cos(np.radians(315)))
    ) / np.sqrt(1.25)
    assert (found["hillshade"][0][0][inner] == 1 + round(254 * light)).all()
    assert np.allclose(found["curvature"][0][0][inner], 0.0, atol=1e-3) and not found["slope"][1][0].any()
    dome = (-0.5 * ((x - 25) ** 2 + (y - 20) ** 2)).astype(np.float32)
    curved = in_windows(Tried(made("terrain", what="curvature"), grid_of(dome)).flow)[0][0][inner]
    assert np.allclose(curved, 2.0, atol=1e-2)  # both second derivatives are -1/100
    flat = Tried(made("terrain", what="aspect"), grid_of(np.zeros((5, 5), np.float32))).flow
    assert not in_windows(flat)[1].any()
    degrees = Lattice(0.001, 0.0, -21.0, 0.0, -0.001, -38.0, 50, 40, "EPSG:4326")
    steep = in_windows(
        Tried(made("terrain", what="slope percent"), grid_of((x * 10.0).astype(np.float32), lattice=degrees)).flow
    )[0][0][inner]
    assert np.allclose(steep, 100 * 10 / (0.001 * 111_320 * np.cos(np.radians(38.02))), rtol=0.01)


@given(st.integers(0, 400), st.integers(3, 40), st.integers(2, 30), st.booleans())
def test_contours_in_strips_are_those_of_the_whole_grid(seed, rows, tall, gaps):
    rng = np.random.default_rng(seed)
    values = np.round(rng.normal(size=(rows, 12)) * 3, rng.integers(0, 3)).astype(np.float32)
    valid = rng.random(values.shape) > 0.1 if gaps else np.ones(values.shape, bool)
    flow = grid_of(values, valid)
    original, strips.STRIP_CELLS = strips.STRIP_CELLS, tall * 12
    try:
        found = list(strips.contour_strips(flow, 1, 1.5, 0.25, lambda: None))
    finally:
        strips.STRIP_CELLS = original
    levels = np.concatenate([v for v, _ in found]) if found else np.empty(0)
    lines = np.concatenate([line for _, line in found]) if found else np.empty(0, object)
    whole = contourpy.contour_generator(z=np.ma.array(values.astype(float), mask=~valid), name="serial")
    for level in np.unique(np.concatenate([levels, 0.25 + 1.5 * np.arange(-4, 5)])):
        theirs = [shapely.LineString(np.column_stack(flow.lattice.to_map(p[:, 0] + 0.5, p[:, 1] + 0.5)))
                  for p in whole.lines(level)]  # fmt: skip
        ours = lines[levels == level]
        assert shapely.length(ours).sum() == pytest.approx(shapely.length(theirs).sum())
        assert len(ours) == len(theirs) or level in values  # where a line goes through a cell's middle it may part
        assert shapely.is_closed(ours).sum() == shapely.is_closed(theirs).sum() or level in values


def test_polygons_of_cells_and_cells_of_polygons_are_each_others_inverse():
    classes = ndimage.zoom(np.random.default_rng(4).integers(1, 5, (6, 8)), 5, order=0).astype(np.uint8)
    valid = holes(classes.shape)
    flow = grid_of(classes, valid, classes=((1, "#aabbcc", "lava"), (2, "#aabbcc", "ash")))
    polygons = Tried(made("polygonise"), flow)
    assert sum(polygons.shapes[i].area for i in range(len(polygons.shapes))) == pytest.approx(100.0 * valid.sum())
    assert set(polygons.column("class")) <= {"lava", "ash", "3", "4"} and shapely.is_valid(polygons.shapes).all()
    back = Tried(made("rasterise", field="value", like="g"), polygons.flow, g=flow).flow
    values, known = in_windows(back)
    assert np.array_equal(known, valid) and np.array_equal(values[0][valid], classes[valid])
    with pytest.raises(BadStep, match="not whole numbers"):
        Tried(made("polygonise"), grid_of(hills()))
    points = rows_of(shapely.points([[500_005, 5_699_995]] * 3), v=[1.5, 2.0, 4.0])
    total = Tried(made("rasterise", field="v", like="g", how="sum"), points, g=flow).flow
    assert in_windows(total)[0][0][0, 0] == 7.5


def test_numbers_of_zones_are_those_of_brute_force_in_another_crs():
    flow = grid_of(hills(), holes((60, 80)))
    zones = [
        shapely.box(500_050, 5_699_500, 500_300, 5_699_900),
        shapely.Point(500_500, 5_699_600).buffer(130),
        shapely.box(0, 0, 1, 1),
    ]
    tried = Tried(made("zones", grid_source="g", prefix="z"), rows_of(zones), g=flow)
    for row, zone in enumerate(zones[:2]):
        inside = ~geometry_mask([zone], (60, 80), Affine(*flow.lattice.transform)) & flow.whole().valid
        values = flow.whole().values[0][inside].astype(float)
        found = {
            name: tried.column(f"z_{name}")[row] for name in ("cells", "mean", "median", "standard_deviation", "sum")
        }
        assert found["cells"] == inside.sum()
        assert np.allclose([found["mean"], found["median"], found["standard_deviation"], found["sum"]],
                           [values.mean(), np.median(values), values.std(), values.sum()], rtol=1e-5)  # fmt: skip
    assert tried.column("z_cells")[2] == 0 and tried.column("z_mean")[2] is None


def cloud(count=4000, seed=5):
    rng = np.random.default_rng(seed)
    header = laspy.LasHeader(point_format=7, version="1.4")
    header.scales, header.offsets = [0.001] * 3, [500_000, 5_700_000, 0]
    record = laspy.ScaleAwarePointRecord.zeros(count, header=header)
    record.x, record.y = rng.uniform(500_000, 500_100, count), rng.uniform(5_700_000, 5_700_080, count)
    record.z = 5 + 0.1 * (np.asarray(record.x) - 500_000)
    record["classification"] = rng.choice([2, 5, 6], count, p=[0.5, 0.3, 0.2])
    record["intensity"] = rng.integers(0, 60_000, count)
    above = np.asarray(record["classification"]) != 2
    record.z = np.asarray(record.z) + np.where(above, 12.0, 0.0)
    runs = [laspy.ScaleAwarePointRecord(piece.copy(), header.point_format, scales=header.scales, offsets=header.offsets)
            for piece in np.array_split(record.array, 3)]  # fmt: skip
    header.mins, header.maxs = [500_000, 5_700_000, 0], [500_100, 5_700_080, 40]
    return PointFlow(
        "cloud", header, lambda: iter(runs), UTM, count, Extent(500_000, 5_700_000, 500_100, 5_700_080, UTM)
    )


def test_classes_thinning_and_heights_above_ground():
    flow = cloud()
    whole = flow.whole()
    classes = np.asarray(whole["classification"])
    assert len(Tried(made("classes", classes=[2]), flow).flow.whole()) == (classes == 2).sum()
    assert len(Tried(made("classes", classes=[2], others=True), flow).flow.whole()) == (classes != 2).sum()
    thinned = Tried(made("thin", size=5.0), flow).flow.whole()
    cubes = np.floor(np.column_stack([whole.x, whole.y, whole.z]) / 5.0)
    _, first = np.unique(cubes, axis=0, return_index=True)
    assert np.array_equal(thinned.array, whole.array[np.sort(first)])
    assert np.array_equal(Tried(made("thin", every=7), flow).flow.whole().array, whole.array[::7])
    above = Tried(made("above-ground"), flow).flow.whole()
    assert np.allclose(
        np.asarray(above["height_above_ground"])[classes != 2], 12.0, atol=2.0
    )  # beyond the ground that of the nearest point
    assert np.allclose(np.asarray(above["height_above_ground"])[classes == 2], 0.0, atol=1e-3)
    flat = Tried(made("above-ground", replace_heights=True), flow).flow.whole()
    assert np.allclose(np.asarray(flat.z)[classes != 2], 12.0, atol=2.0)
    with pytest.raises(BadStep, match="fewer than three"):
        Tried(made("above-ground", ground=[9]), flow).flow.whole()


def test_the_first_of_many_cubes_on_both_sides_of_nothing():
    rng = np.random.default_rng(8)
    scales, offsets = np.array([0.01, 0.02, 0.005]), np.array([-40.0, 3.0, 7.0])
    xyz = rng.integers(-20_000, 20_000, (120_000, 3), dtype=np.int32)  # more blocks than there is room for at first
    seen = SeenCubes(scales, offsets, 5.0)
    found = np.concatenate([seen.first_in_cube(*piece.T) for piece in np.array_split(xyz, 7)])
    _, first = np.unique(np.floor((xyz * scales + offsets) / 5.0), axis=0, return_index=True)
    assert len(first) > 4 * SLOTS and np.array_equal(np.flatnonzero(found), np.sort(first))


def test_grids_of_points_are_those_of_brute_force():
    flow = cloud()
    whole = flow.whole()
    x, y, z = np.asarray(whole.x), np.asarray(whole.y), np.asarray(whole.z)
    for what, reduce in (
        ("mean", np.mean),
        ("minimum", np.min),
        ("maximum", np.max),
        ("density", lambda v: len(v) / 100.0),
    ):
        made_ = Tried(made("surface", resolution=10.0, what=what), flow).flow
        values, valid = in_windows(made_)
        for row, column in ((0, 0), (3, 4), (8, 10)):
            west, south, east, north = made_.lattice.within(CellWindow(column, row, column + 1, row + 1)).extent.bounds
            inside = (x >= west) & (x < east) & (y > south) & (y <= north)
            if inside.any():
                assert values[0][row, column] == pytest.approx(reduce(z[inside]), rel=1e-5)
            else:
                assert not valid[row, column] or what == "density"
    surface = Tried(made("surface", resolution=5.0, what="triangles", classes=[2]), flow).flow
    values, valid = in_windows(surface)
    columns = (surface.lattice.to_map(np.arange(surface.lattice.columns) + 0.5, 0)[0] - 500_000) * 0.1 + 5
    assert np.allclose(np.where(valid, values[0] - columns, 0.0), 0.0, atol=0.01)
    ground = np.asarray(whole["classification"]) == 2
    hull = Delaunay(np.column_stack([x, y])[ground] - (500_000, 5_700_000))
    middles = np.column_stack([c.ravel() for c in np.broadcast_arrays(*surface.whole().centres)]) - (500_000, 5_700_000)
    assert np.array_equal(valid.ravel(), hull.find_simplex(middles) >= 0)


def test_points_take_colours_and_move_to_another_crs():
    flow = cloud(500)
    red = np.zeros((3, 8, 10), np.uint8)
    red[0] = np.arange(80).reshape(8, 10)
    lattice = Lattice(10.0, 0.0, 500_000.0, 0.0, -10.0, 5_700_080.0, 10, 8, UTM)
    coloured = Tried(made("colour", scene="s"), flow, s=grid_of(red, lattice=lattice)).flow.whole()
    column = ((np.asarray(coloured.x) - 500_000) // 10).astype(int).clip(0, 9)
    row = ((5_700_080 - np.asarray(coloured.y)) // 10).astype(int).clip(0, 7)
    assert np.array_equal(np.asarray(coloured["red"]), np.rint(red[0][row, column] / 255 * 65535).astype(int))
    there = Tried(made("reproject", crs="EPSG:4326"), flow).flow
    back = Tried(made("reproject", crs=UTM), there).flow.whole()
    assert np.allclose(back.x, flow.whole().x, atol=0.002) and np.allclose(back.z, flow.whole().z)
    assert there.crs == "EPSG:4326" and there.extent.crs == "EPSG:4326"


def test_a_grid_on_other_cells_has_no_seams_between_windows():
    flow = grid_of(hills(200, 300))
    lattice = Lattice(7.3, 0.4, 500_100.0, -0.3, -6.9, 5_699_900.0, 150, 130, UTM)
    made_ = grid_on(flow, lattice, True)
    one, many = in_windows(made_, 1000), in_windows(made_, 19)
    assert np.array_equal(one[1], many[1]) and np.allclose(one[0][0][one[1]], many[0][0][many[1]], atol=1e-3)
