"""Statistics of bands, fields and dimensions, and numbers by zone, against the libraries and plain arithmetic."""

from __future__ import annotations

import numpy as np
import pyarrow as pa
import pyogrio
import pytest
import rasterio
import shapely
from rasterio.features import geometry_mask
from rasterio.transform import from_bounds

from brisk_atlas.core.cache import DataCache
from brisk_atlas.core.inspect import Where, statistics, summarise
from brisk_atlas.core.inspect.measured import measure
from brisk_atlas.core.inspect.statistics import summary_readings
from brisk_atlas.core.inspect.zonal import zonal_table
from brisk_atlas.core.kinds import first_style
from brisk_atlas.core.kinds.asking import names_of, probe, statistics_of
from brisk_atlas.core.model import BadExpression, CannotPlace, ComputedField, Extent, Layer, TableView
from made_files import at

UTM = "EPSG:32727"
LASSO = np.array(
    [(507_000, 5_770_500), (510_000, 5_770_000), (510_500, 5_773_000), (508_300, 5_771_400), (507_100, 5_773_300)],
    float,
)


def layer(cache, path, part=None):
    part = part or cache.dataset(at(path)).parts[0].facts.name
    facts = cache.part(at(path, part)).facts
    return Layer(part, part, at(path, part), facts.kind, first_style(facts, 0))


@pytest.fixture
def elevation(cache, data):
    return layer(cache, data / "elevation_2031.tif")


def within(path, polygon):
    """Return the values of a grid that the raster library finds in a polygon."""
    with rasterio.open(path) as source:
        values = source.read(1)
        inside = geometry_mask([polygon], values.shape, source.transform, invert=True)
        return values[inside & (values != source.nodata)]


def test_the_whole_of_a_band(cache, elevation):
    summary, unit = statistics_of(cache, elevation, "elevation")
    with rasterio.open(elevation.ref.path) as source:
        known = source.read(1, masked=True).compressed()
    assert unit == "m" and summary.count == known.size and summary.missing == 1024 * 900 - known.size
    assert (summary.minimum, summary.maximum) == (known.min(), known.max())
    assert (summary.mean, summary.standard_deviation) == pytest.approx(
        (known.mean(dtype=float), known.std(dtype=float))
    )
    assert summary.median == pytest.approx(np.median(known), rel=1e-6) and summary.counts.sum() == known.size


@pytest.mark.parametrize("strip", [100, 4_000_000])
def test_a_band_in_a_drawn_area_whatever_is_read_at_once(cache, elevation, monkeypatch, strip):
    monkeypatch.setattr(statistics, "STRIP", strip * 700)
    summary, _ = statistics_of(cache, elevation, "elevation", Where("lasso", LASSO, UTM))
    known = within(elevation.ref.path, shapely.Polygon(LASSO))
    assert abs(summary.count - known.size) <= 2  # cells whose middle lies on the very edge
    assert summary.mean == pytest.approx(known.mean(dtype=float), rel=1e-4)


def test_a_band_in_view_in_another_crs(cache, elevation):
    view = Extent(508_000, 5_771_000, 509_000, 5_772_000, UTM)
    own, _ = statistics_of(cache, elevation, "elevation", view)
    assert own.count == 100 * 100
    lonlat = Extent(-20.909, -38.209, -20.897, -38.199, "EPSG:4326")
    other, _ = statistics_of(cache, elevation, "elevation", lonlat)
    assert other.count > 0 and other.minimum > 0


def test_a_grid_too_large_is_taken_in_part_and_says_so(cache, elevation, monkeypatch):
    whole, _ = statistics_of(cache, elevation, "elevation")
    monkeypatch.setattr(statistics, "MOST_CELLS", 50_000)
    some, _ = statistics_of(cache, elevation, "elevation")
    assert some.note.startswith("one cell in ") and some.count < whole.count / 10
    assert some.mean == pytest.approx(whole.mean, rel=0.02)


def test_an_area_beside_the_grid_has_nothing(cache, elevation):
    assert statistics_of(cache, elevation, "elevation", Where.box(0, 0, 10, 10, UTM))[0] is None


def test_a_field_whole_filtered_in_an_area_and_computed(cache, data, lava):
    flows = layer(cache, data / "tolvane_survey.gpkg", "lava_flows")
    volumes, years = (lava.table.column(n).to_numpy() for n in ("volume_m3", "year"))
    assert statistics_of(cache, flows, "volume_m3")[0].mean == pytest.approx(volumes.mean())
    rows = TableView(where="year = 2031", computed=(ComputedField("half", "volume_m3 / 2", unit="m³"),))
    filtered = Layer(**{**vars(flows), "rows": rows})
    summary, unit = statistics_of(cache, filtered, "half")
    assert unit == "m³" and summary.mean == pytest.approx(volumes[years == 2031].mean() / 2)
    shapes = shapely.from_wkb(lava.wkb.to_numpy(zero_copy_only=False))
    met = shapely.intersects(shapely.Polygon(LASSO), shapes)
    inside, _ = statistics_of(cache, flows, "volume_m3", Where("lasso", LASSO, UTM))
    assert 0 < met.sum() < len(met) and inside.count == met.sum() and inside.maximum == volumes[met].max()
    assert names_of(cache, filtered)[-1] == "half" and "surface" not in names_of(cache, flows)
    with pytest.raises(BadExpression, match="no such field"):
        statistics_of(cache, flows, "gone")


def test_a_dimension_of_a_cloud(cache, data):
    cloud = layer(cache, data / "harrow_bay_2031.laz")
    points = cache.points(cloud.ref)
    box = Where.box(510_500, 5_769_500, 510_800, 5_769_800, UTM)
    inside = (np.abs(points.xyz[:, :2] - (510_650, 5_769_650)) <= 150).all(axis=1)
    summary, unit = statistics_of(cache, cloud, "z", box)
    assert unit == "m" and summary.count == inside.sum() and summary.mean == pytest.approx(points.xyz[inside, 2].mean())
    assert {"z", "intensity", "classification"} <= set(names_of(cache, cloud))


def test_numbers_by_zone_are_those_of_the_raster_library(cache, data, elevation):
    zones = layer(cache, data / "tolvane_survey.gpkg", "closed_zones")
    table = zonal_table(cache, zones, elevation)
    shapes = shapely.from_wkb(cache.features(zones.ref).wkb.to_numpy(zero_copy_only=False))
    for row, shape in enumerate(shapes):
        known = within(elevation.ref.path, shape).astype(float)
        got = {name.removeprefix("elevation_2031_"): table.column(name)[row].as_py() for name in table.column_names}
        assert got["cells"] == known.size and got["cells_area_m2"] == known.size * 100
        assert (got["minimum"], got["maximum"]) == (known.min(), known.max())
        assert (got["mean"], got["sum"], got["standard_deviation"]) == pytest.approx(
            (known.mean(), known.sum(), known.std()), rel=1e-9
        )
        assert got["median"] == pytest.approx(np.median(known))
    assert table.column("name").to_pylist() == cache.table(zones.ref).column("name").to_pylist()


def test_zones_that_overlap_have_holes_or_miss_the_grid(tmp_path, monkeypatch):
    held = DataCache()
    grid = tmp_path / "classes.tif"
    cells = np.arange(100, dtype=np.int16).reshape(10, 10) // 10
    cells[0, 0] = -1
    with rasterio.open(
        grid, "w", driver="GTiff", width=10, height=10, count=1, dtype="int16", nodata=-1, crs=UTM,
        transform=from_bounds(500_000, 5_770_000, 500_010, 5_770_010, 10, 10),
    ) as out:  # fmt: skip
        out.write(cells, 1)
    x, y = 500_000, 5_770_000
    ring = shapely.Polygon(
        shapely.box(x, y, x + 10, y + 10).exterior.coords, [shapely.box(x + 2, y + 2, x + 8, y + 8).exterior.coords]
    )
    shapes = [
        shapely.box(x, y, x + 10, y + 10),
        ring,
        shapely.box(x + 50, y, x + 60, y + 9),
        shapely.MultiPolygon([shapely.box(x, y, x + 1, y + 1), shapely.box(x + 5, y + 5, x + 7, y + 6)]),
        None,
    ]
    zones = tmp_path / "zones.gpkg"
    wkb = np.array([None if s is None else shapely.to_wkb(s) for s in shapes], dtype=object)
    pyogrio.raw.write(zones, wkb, [np.arange(5)], ["id"], crs=UTM, geometry_type="Unknown", driver="GPKG")
    monkeypatch.setattr("brisk_atlas.core.inspect.zonal.STRIP", 20)  # two rows at a time
    table = zonal_table(held, layer(held, zones), layer(held, grid))
    got = table.to_pylist()
    assert [row["classes_cells"] for row in got] == [99, 63, 0, 3, 0]
    assert got[0]["classes_mode"] == 1 and got[3]["classes_sum"] == 9 + 4 + 4 and got[3]["classes_median"] == 4
    assert all(
        got[i][name] is None
        for i in (2, 4)
        for name in table.column_names
        if name not in ("id", "classes_cells", "classes_cells_area_m2")
    )
    again = Layer(
        **{**vars(layer(held, zones)), "rows": TableView(computed=(ComputedField("classes_mean", "id * 2"),))}
    )
    assert "classes_mean_2" in zonal_table(held, again, layer(held, grid)).column_names


def test_zones_need_polygons_and_a_place(cache, data, elevation):
    trails = layer(cache, data / "tolvane_survey.gpkg", "trails")
    with pytest.raises(BadExpression, match="no polygons"):
        zonal_table(cache, trails, elevation)
    held = DataCache()
    bare = data.parent / "nowhere"
    assert not bare.exists() and held
    with pytest.raises(CannotPlace, match="no CRS"):
        zonal_table(Placeless(cache), layer(cache, data / "tolvane_survey.gpkg", "closed_zones"), elevation)


class Placeless:
    """DataCache whose features have no CRS."""

    def __init__(self, held):
        self.held = held

    def __getattr__(self, name):
        return getattr(self.held, name)

    def features(self, source):
        from dataclasses import replace

        return replace(self.held.features(source), crs=None)


def test_along_a_line_over_the_surface(cache, elevation, truth):
    xy = np.array([[507_005.0, 5_771_905.0], [510_005.0, 5_771_905.0]])
    found = measure(cache, xy, UTM, heights=elevation)
    with rasterio.open(elevation.ref.path) as source:
        row, col = source.index(507_005, 5_771_905)
        heights = source.read(1)[row, col : col + 301].astype(float)
    surface = found.surface
    assert surface.height == pytest.approx(heights) and surface.unit == "m" and surface.covered == 1
    step = found.on_ellipsoid / 300
    assert (
        surface.length == pytest.approx(np.hypot(step, np.diff(heights)).sum(), rel=1e-6)
        and surface.length > found.on_ellipsoid
    )
    assert surface.climb == pytest.approx((np.diff(heights).clip(0).sum(), -np.diff(heights).clip(None, 0).sum()))
    off = measure(cache, np.array([[0.0, 0.0], [10.0, 10.0]]), UTM, heights=elevation)
    assert off.surface is None
    line = probe(cache, elevation, Where("line", xy, UTM, 5))
    assert line.reading("elevation, maximum").value == pytest.approx(heights.max(), abs=1)


def test_summary_leaves_out_what_is_unknown():
    summary = summarise(np.array([1.0, np.nan, 3.0, np.inf]))
    assert (summary.count, summary.minimum, summary.mean, summary.maximum, summary.missing) == (2, 1, 2, 3, 2)
    assert summary.counts.sum() == 2 and summarise(np.array([np.nan])) is None
    assert pa.table({"counts": summary.counts}).num_rows == 64


def test_years_are_written_without_separators(cache, data):
    flows = layer(cache, data / "tolvane_survey.gpkg", "lava_flows")
    summary, unit = statistics_of(cache, flows, "year")
    texts = {value.label: value.text for value in summary_readings("year", summary, unit)}
    assert texts["maximum"] == "2031" and "," not in texts["mean"]
    summary, unit = statistics_of(cache, flows, "volume_m3")
    assert "," in {value.label: value.text for value in summary_readings("volume_m3", summary, unit)}["maximum"]
