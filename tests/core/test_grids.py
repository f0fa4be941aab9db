"""Drawing grids: which cells lie under which pixels, overviews made on the side, light and colour."""

from __future__ import annotations

import numpy as np
import pytest
import rasterio
from rasterio.transform import from_origin
from scipy.ndimage import map_coordinates

from brisk_atlas.core.cache import DataCache
from brisk_atlas.core.draw import View, ramps
from brisk_atlas.core.draw.kernels import grid as kernels
from brisk_atlas.core.draw.raster import _under_pixels, lit
from brisk_atlas.core.kinds import first_style, kind_of, painter_for
from brisk_atlas.core.model import DataKind, Extent, GridStyle, Layer, Stretch
from brisk_atlas.core.place import mesh_of, transform
from brisk_atlas.core.read import pyramid
from brisk_atlas.core.system.jobs import Cancelled
from made_files import at

UTM, DEGREES = "EPSG:32727", "EPSG:4326"
WEST, NORTH, CELL = 504_000.0, 5_776_000.0, 10.0
INK = GridStyle(ramp="ink", stretch=Stretch("hand", 0, 1000))
ALL = Extent(WEST, NORTH - 3000, WEST + 4000, NORTH, UTM)


def write(path, values, *, crs=UTM, transform=None, overviews=(), colours=None, **more):
    """Write a GeoTIFF of (rows, cols) or (bands, rows, cols) and return its path."""
    bands = values if values.ndim == 3 else values[None]
    how = {"driver": "GTiff", "crs": crs, "transform": transform or from_origin(WEST, NORTH, CELL, CELL), "tiled": True}
    how |= {"count": len(bands), "height": bands.shape[1], "width": bands.shape[2], "dtype": bands.dtype, **more}
    with rasterio.open(path, "w", **how) as out:
        out.write(bands)
        if colours:
            out.write_colormap(1, colours)
        if overviews:
            out.build_overviews(list(overviews), rasterio.enums.Resampling.average)
    return path


def layer_of(path, style, **more):
    return Layer(path.stem, path.stem, at(path, path.stem), DataKind.RASTER, style, **more)


def picture(path, style, view):
    return painter_for(DataCache()).frame([layer_of(path, style)], view)


def slope_values(rows=300, cols=400):
    return (np.arange(cols)[None, :] * 2.0 + np.arange(rows)[:, None]).astype(np.float32)


def steps(image):
    """Return which step of the grey ramp each pixel shows."""
    return np.searchsorted(ramps.ramp("ink")[:, 0], image[..., 0])


@pytest.mark.parametrize("overviews", [(), (2, 4, 8)])
def test_a_grid_seen_from_afar_has_the_values_of_the_ground_below(tmp_path, overviews):
    path = write(tmp_path / "even.tif", slope_values(), overviews=overviews)
    view = View.fitting(ALL, 100, 75, margin=0.0).on_pixels()
    frame = picture(path, INK, view)
    cols, rows = np.meshgrid(np.arange(100) + 0.5, np.arange(75) + 0.5)
    x, y = view.to_map(cols, rows)
    exact = (x - WEST) / CELL * 2 - 1 + (NORTH - y) / CELL - 0.5
    known = frame.image[..., 3] > 0
    assert known.mean() > 0.95
    assert np.abs(steps(frame.image) - np.clip(exact / 1000 * 256, 0, 255))[known].max() <= 2.5


def test_reprojection_is_right_to_a_tenth_of_a_pixel():
    view = View(-20.9, -38.2, 0.0001, 700, 500, DEGREES)
    mesh = mesh_of(view.lattice, UTM)
    random = np.random.default_rng(3)
    cols, rows = random.integers(0, 700, 400), random.integers(0, 500, 400)
    i, j = rows // mesh.step, cols // mesh.step
    v, u = (rows % mesh.step) / mesh.step, (cols % mesh.step) / mesh.step
    x, y = (
        (1 - v) * ((1 - u) * n[i, j] + u * n[i, j + 1]) + v * ((1 - u) * n[i + 1, j] + u * n[i + 1, j + 1])
        for n in (mesh.x, mesh.y)
    )
    lon, lat = view.to_map(cols + 0.5, rows + 0.5)
    exact = transform(np.column_stack([lon, lat]), DEGREES, UTM)
    pixel = 0.0001 * 87_000  # metres of a pixel eastwards at this latitude, the shorter side
    assert np.hypot(x - exact[:, 0], y - exact[:, 1]).max() < 0.1 * pixel


def test_a_warped_grid_falls_on_its_place(tmp_path):
    values = np.zeros((300, 400), np.float32)
    values[100:110, 200:210] = 1000
    path = write(tmp_path / "mark.tif", values)
    lon, lat = transform(np.array([[WEST + 2050, NORTH - 1050]]), UTM, DEGREES)[0]
    view = View(lon, lat, 0.0002, 61, 61, DEGREES)
    bright = picture(path, INK, view).image[..., 0] > 200
    assert bright[30, 30] and 12 < bright.sum() < 60
    rows, cols = np.nonzero(bright)
    assert abs(rows.mean() - 30) < 1.2 and abs(cols.mean() - 30) < 1.2


def test_a_turned_grid_is_drawn_turned(tmp_path):
    turned = (
        rasterio.Affine.translation(WEST + 2000, NORTH - 1500)
        * rasterio.Affine.rotation(30)
        * rasterio.Affine.scale(10, -10)
    )
    path = write(tmp_path / "turned.tif", np.full((100, 100), 500, np.float32), transform=turned)
    cache = DataCache()
    part = cache.raster(at(path, "turned"))
    inside, outside = turned * (50.5, 50.5), turned * (50.5, 130)
    for place, seen in ((inside, True), (outside, False)):
        frame = painter_for(cache).frame([layer_of(path, INK)], View(*place, 30.0, 5, 5, UTM))
        assert (frame.image[2, 2, 3] > 0) == seen, part.facts.extent


@pytest.mark.parametrize("resample", ["nearest", "bilinear", "cubic"])
def test_cells_without_data_stay_clear_and_do_not_bleed(tmp_path, resample):
    values = np.full((300, 400), 500, np.float32)
    values[:, 200:] = -9999
    path = write(tmp_path / "half.tif", values, nodata=-9999)
    view = View.fitting(ALL, 200, 150, margin=0.0)
    image = picture(path, GridStyle(ramp="ink", stretch=Stretch("hand", 0, 1000), resample=resample), view).image
    assert (image[5:-5, 5:95, 3] == 255).all() and not image[5:-5, 105:].any()
    assert len(np.unique(image[5:-5, 5:95, 0])) == 1


def test_a_mask_beside_the_cells_is_honoured(tmp_path):
    path = tmp_path / "masked.tif"
    with rasterio.Env(GDAL_TIFF_INTERNAL_MASK=True), rasterio.open(
        path, "w", driver="GTiff", width=40, height=30, count=1, dtype="uint8", crs=UTM, transform=from_origin(WEST, NORTH, 100, 100)
    ) as out:  # fmt: skip
        out.write(np.full((1, 30, 40), 7, np.uint8))
        mask = np.full((30, 40), 255, np.uint8)
        mask[:, :20] = 0
        out.write_mask(mask)
    image = picture(path, GridStyle(stretch=Stretch("range")), View.fitting(ALL, 80, 60, margin=0)).image
    assert not image[:, :39].any() and (image[3:-3, 42:-3, 3] == 255).all()


def test_classes_keep_their_numbers_and_the_colours_of_the_file(tmp_path):
    values = np.random.default_rng(1).integers(1, 4, (300, 400)).astype(np.uint8)
    colours = {1: (10, 20, 30, 255), 2: (200, 100, 50, 255), 3: (0, 255, 0, 255)}
    path = write(tmp_path / "cover.tif", values, colours=colours)
    (tmp_path / "cover.tif.aux.xml").write_text(
        "<PAMDataset><PAMRasterBand band='1'><CategoryNames><Category/><Category>lava</Category>"
        "<Category>scrub</Category><Category>grass</Category></CategoryNames></PAMRasterBand></PAMDataset>"
    )
    cache = DataCache()
    style = first_style(cache.part(at(path, "cover")).facts, 0)
    assert style.own_colours and style.resample == "nearest"
    layer = layer_of(path, style)
    seen = (
        painter_for(cache).frame([layer], View.fitting(ALL, 100, 75, margin=0.0)).image[3:-3, 3:-3, :3].reshape(-1, 3)
    )
    assert {tuple(c) for c in np.unique(seen, axis=0).tolist()} == {c[:3] for c in colours.values()}
    assert [text for _, text in kind_of(layer.kind).legend(cache, layer).entries] == ["lava", "scrub", "grass"]


def test_three_bands_of_different_files_and_cells_make_a_composite(tmp_path):
    fine = write(tmp_path / "fine.tif", np.full((300, 400), 100, np.uint8))
    coarse = write(
        tmp_path / "coarse.tif", np.full((30, 40), 200, np.uint8), transform=from_origin(WEST, NORTH, 100, 100)
    )
    other = at(coarse, "coarse")
    style = GridStyle((1, 1, 1), stretch=Stretch("hand", 0, 200), others=(None, other, None))
    for view in (View.fitting(ALL, 100, 75, margin=0.0), View(WEST + 2000, NORTH - 1500, 1.0, 50, 50, UTM)):
        assert picture(fine, style, view).image[25, 25].tolist() == [128, 255, 128, 255]


def test_stretch_by_what_is_in_view_follows_the_view(tmp_path):
    path = write(tmp_path / "ramp.tif", slope_values())
    style = GridStyle(ramp="ink", stretch=Stretch("range", in_view=True))
    for x in (WEST + 600, WEST + 3400):
        frame = picture(path, style, View(x, NORTH - 1500, 10.0, 60, 60, UTM))
        ((low, high),) = frame.limits["ramp"]
        shown = frame.image[..., 0]
        assert high - low == pytest.approx(59 * 3, abs=4) and shown.min() < 25 and shown.max() > 240


def test_gamma_brightens_the_middle_and_keeps_the_ends():
    values = np.array([[0.0, 250.0, 1000.0]], np.float32)
    table = np.arange(256, dtype=np.uint32) | np.uint32(255 << 24)
    out = {}
    for gamma in (1.0, 2.0):
        out[gamma] = np.zeros((1, 3), np.uint32)
        kernels.colour_by_ramp(values, 0.0, 1000.0, gamma, table, np.zeros((0, 0), np.float32), out[gamma], 0, 1)
    assert (out[1.0] & 255).tolist() == [[0, 64, 255]] and (out[2.0] & 255).tolist() == [[0, 128, 255]]


def light_on(height, cell=10.0, **style):
    height = np.asarray(height, np.float32)
    east, north = np.empty_like(height), np.empty_like(height)
    kernels.slopes(height, cell, cell, east, north, 0, len(height))
    return lit(east, north, GridStyle(**{"shade": 1.0, **style}))


def test_light_is_even_on_the_flat_and_brighter_on_the_side_it_falls_on():
    rows, cols = np.mgrid[0:9, 0:9].astype(float)
    for lights in (1, 4):
        assert np.allclose(light_on(np.zeros((9, 9)), lights=lights), 1)
    to_light, from_light = (light_on((rows + cols) * s)[4, 4] for s in (5, -5))
    assert to_light > 1 > from_light
    assert light_on((rows + cols) * -5, azimuth=135.0)[4, 4] == pytest.approx(to_light, rel=1e-5)
    assert light_on((rows + cols) * -5, lights=4)[4, 4] > from_light  # several lamps leave no side dark


def test_light_on_a_slope_is_the_cosine_to_the_lamp():
    rows, cols = np.mgrid[0:5, 0:5].astype(float)
    fall = 0.3
    normal = np.array([-fall, fall, 1.0]) / np.sqrt(1 + 2 * fall**2)  # east, north, up
    lamp = np.array([-0.5, 0.5, np.sqrt(0.5)])
    assert light_on((rows + cols) * 10 * fall)[2, 2] == pytest.approx(normal @ lamp / np.sqrt(0.5), rel=1e-5)


def keys(t):
    """The cubic kernel of Keys, a = -1/2, at distances t."""
    t = np.abs(t)
    near, far = 1.5 * t**3 - 2.5 * t**2 + 1, -0.5 * t**3 + 2.5 * t**2 - 4 * t + 2
    return np.where(t < 1, near, np.where(t < 2, far, 0.0))


def looked_up(cells, x, y, how):
    """What a pixel at (x, y), in cells, shows: each cell weighed by its distance."""
    rows, cols = cells.shape
    here = cells[int(y), int(x)] if 0 <= x < cols and 0 <= y < rows else np.nan
    if how == kernels.NEAREST or np.isnan(here):
        return here
    across, down = np.arange(cols) + 0.5 - x, np.arange(rows) + 0.5 - y
    inside = 1.5 <= x < cols - 1.5 and 1.5 <= y < rows - 1.5
    if how == kernels.CUBIC and inside:
        weights = np.outer(keys(down), keys(across))
        if not np.isnan(cells[weights != 0]).any():
            return np.sum(np.where(weights != 0, cells, 0) * weights)
    weights = np.outer(np.clip(1 - np.abs(down), 0, 1), np.clip(1 - np.abs(across), 0, 1)) * ~np.isnan(cells)
    return np.nansum(cells * weights) / weights.sum()


@pytest.mark.parametrize("how", [kernels.NEAREST, kernels.BILINEAR, kernels.CUBIC])
@pytest.mark.parametrize("turned", [0.0, 0.4])
def test_pixels_between_cells_are_weighed_as_the_formulas_say(how, turned):
    random = np.random.default_rng(7)
    cells = (1000 + 50 * random.random((9, 11))).astype(np.float32)
    cells[3, 4] = cells[7, 10] = np.nan
    step, rows, cols = 8, 43, 50
    at_row, at_col = np.mgrid[0:7, 0:8] * step * 0.27 - 0.713  # off the middles and the edges of cells, some outside
    x = np.cos(turned) * at_col - np.sin(turned) * at_row + 0.01 * at_row * at_col * bool(turned)
    y = np.sin(turned) * at_col + np.cos(turned) * at_row
    out = np.zeros((rows, cols), np.float32)
    kernels.sample(cells, x, y, step, how, out, 0, 20)
    kernels.sample(cells, x, y, step, how, out, 20, rows)
    u, v = np.arange(cols) / step, np.arange(rows) / step
    nodes = [v[:, None].repeat(cols, 1), u[None].repeat(rows, 0)]
    px, py = (map_coordinates(each, nodes, order=1, prefilter=False) for each in (x, y))
    wanted = np.vectorize(lambda x, y: looked_up(cells, x, y, how))(px, py)
    assert 0.1 < np.isnan(wanted).mean() < 0.8
    np.testing.assert_allclose(out, wanted, rtol=1e-6)
    np.testing.assert_allclose(_under_pixels(cells, x, y, step, how, out.shape), wanted, rtol=1e-6)


def test_slopes_beside_missing_cells_are_not_guessed():
    height = np.mgrid[0:5, 0:5][0] * 9.0
    height[2, 3] = np.nan
    light = light_on(height)
    assert light[2, 2] == 1 and light[2, 1] != 1


def test_slope_shows_degrees(tmp_path):
    path = write(tmp_path / "hill.tif", (np.arange(300)[:, None] * 10.0 + np.zeros(400)).astype(np.float32))
    style = GridStyle(ramp="ink", slope=True, stretch=Stretch("hand", 0, 90))
    image = picture(path, style, View.fitting(ALL, 100, 75, margin=0.0)).image
    assert np.abs(steps(image[10:60, 10:90]) - 45 / 90 * 256).max() <= 2


def test_panning_moves_the_picture_and_mends_its_edges(cache, data):
    """Only the strips that come into view are drawn, and the whole is as if drawn anew."""
    path = data / "tolvane_survey.gpkg"
    layers = [
        Layer("e", "e", at(data / "elevation_2031.tif", "elevation_2031"), DataKind.RASTER, GridStyle(ramp="land", shade=0.7)),
        Layer("l", "l", at(path, "lava_flows"), DataKind.VECTOR, first_style(cache.part(at(path, "lava_flows")).facts, 1)),
        Layer("p", "p", at(data / "harrow_bay_2031.laz", "harrow_bay_2031"), DataKind.POINTCLOUD, first_style(cache.part(at(data / "harrow_bay_2031.laz", "harrow_bay_2031")).facts, 1)),
    ]  # fmt: skip
    used = painter_for(cache)
    view = View(510_200.0, 5_770_300.0, 11.3, 300, 260, UTM)
    used.frame(layers, view)
    for dx, dy in ((40, -25), (-13, 60), (7, 0), (0, 9), (-200, 100)):
        view = view.panned(dx, dy)
        moved, anew = used.frame(layers, view), painter_for(cache).frame(layers, view)
        differ = np.abs(moved.image.astype(int) - anew.image).max(axis=2)
        assert (differ > 2).mean() < 0.002


@pytest.fixture
def large(tmp_path, monkeypatch):
    """A grid that counts as large, without overviews."""
    monkeypatch.setattr(pyramid, "MANY_CELLS", 10_000)
    return write(tmp_path / "large.tif", slope_values(1500, 2000), transform=from_origin(WEST, NORTH, 2, 2), nodata=-1)


def test_a_large_grid_without_overviews_gets_some_once(large):
    cache, view = DataCache(), View.fitting(ALL, 100, 75, margin=0.0)
    style = GridStyle(ramp="ink", stretch=Stretch("hand", 0, 6000))
    layer, painter = layer_of(large, style), painter_for(cache)
    first = painter.frame([layer], view)
    assert first.unfinished == (layer.ref,) and "overview" in first.notes["large"]
    shares = []
    kind_of(layer.kind).prepare(cache, layer, shares.append)
    whole = painter.frame([layer], view)
    assert not whole.unfinished and not whole.notes and shares == sorted(shares)
    pyramid._PROGRESS.clear()  # as after a new start: the overviews are found in the cache
    again = picture(large, style, view)
    assert not again.unfinished and np.array_equal(again.image, whole.image)
    x, _ = view.to_map(50.5, 40.5)
    assert steps(whole.image)[40, 50] == pytest.approx(
        (2 * (x - WEST) / 2 + (NORTH - view.to_map(50, 40.5)[1]) / 2) / 6000 * 256, abs=3
    )


def test_overviews_that_are_not_coarse_enough_get_coarser_ones(tmp_path, monkeypatch):
    path = write(tmp_path / "half.tif", slope_values(1500, 2000), overviews=(2,))
    part = DataCache().raster(at(path, "half"))
    monkeypatch.setattr(pyramid, "MANY_CELLS", 800_000)
    assert not pyramid.needs_pyramid(part, 1)  # 1000 x 750 cells will do
    monkeypatch.setattr(pyramid, "MANY_CELLS", 700_000)
    assert pyramid.needs_pyramid(part, 1)


def test_overviews_stopped_half_way_show_what_is_done(large):
    cache, view = DataCache(), View.fitting(ALL, 100, 75, margin=0.0)
    layer = layer_of(large, INK)

    def stop(share):
        if share > 0.3:
            raise Cancelled("enough")

    with pytest.raises(Cancelled):
        kind_of(layer.kind).prepare(cache, layer, stop)
    frame = painter_for(cache).frame([layer], view)
    shown = (frame.image[..., 3] > 0).mean()
    assert frame.unfinished and 0.2 < shown < 0.8
    kind_of(layer.kind).prepare(cache, layer, lambda share: None)
    assert (painter_for(cache).frame([layer], view).image[5:-5, 5:-5, 3] == 255).all()


def test_the_cache_of_overviews_is_kept_within_its_limit(large, home):
    layer = layer_of(large, INK)
    kind_of(layer.kind).prepare(DataCache(), layer, lambda share: None)
    assert any(pyramid.cache_folder().iterdir())
    pyramid.prune(limit=10)
    assert not any(pyramid.cache_folder().iterdir())
