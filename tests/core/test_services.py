"""Services, against the stand-in: described, drawn, read and asked."""

from __future__ import annotations

import time
from concurrent.futures import ThreadPoolExecutor
from dataclasses import replace
from datetime import UTC, date, datetime
from functools import partial

import numpy as np
import pytest
import rasterio
import shapely
from rasterio.transform import from_origin

from brisk_atlas import demo
from brisk_atlas.core import read
from brisk_atlas.core.cache import by_view
from brisk_atlas.core.cache.by_view import seen_features
from brisk_atlas.core.compare.change import change_between
from brisk_atlas.core.connect import connector_for, geoservices, ogcapi, stac, wfs
from brisk_atlas.core.connect.ows import northing_first
from brisk_atlas.core.connect.recognise import recognise
from brisk_atlas.core.connect.stac import SceneSearch
from brisk_atlas.core.connect.stated_dimensions import stated_dimension
from brisk_atlas.core.connect.stored_answers import ANSWERS
from brisk_atlas.core.connect.wms import Wms
from brisk_atlas.core.connect.xyz import is_template
from brisk_atlas.core.curate.derived import derived_record
from brisk_atlas.core.draw.view import View
from brisk_atlas.core.draw.whole_frame import whole_frame
from brisk_atlas.core.inspect import Where
from brisk_atlas.core.kinds import kind_of
from brisk_atlas.core.model import (
    AtlasError,
    CannotRead,
    CellWindow,
    DataKind,
    DataRef,
    Extent,
    FeatureQuery,
    GridStyle,
    Quantity,
)  # fmt: skip
from brisk_atlas.core.operations import Export
from brisk_atlas.core.place.tile_grid import TilePlace, grid_over, world_grid
from brisk_atlas.core.read.find_records import find_records
from brisk_atlas.core.read.permissions import permissions_file
from brisk_atlas.core.read.tile_store import fetch_tile
from brisk_atlas.core.read.tiled_heights import heights_from
from brisk_atlas.core.record.document import read_document
from brisk_atlas.core.relief import ground
from brisk_atlas.core.relief.ground import heights_in, heights_under, space_of
from brisk_atlas.core.table.query import ask
from brisk_atlas.core.workspace.workspace import Workspace
from stand_in import opened

pytestmark = pytest.mark.usefixtures("well_behaved")

PICTURES = ("wms+{}/wms#elevation_2029", "wmts+{}/wmts#elevation_2029", "xyz+{}/xyz/elevation_2029/{{z}}/{{x}}/{{y}}.png",
            "xyz+{}/tms/elevation_2029/{{z}}/{{x}}/{{-y}}.png", "ogcapi+{}/#elevation_2029#part=elevation_2029%20picture", "geoservices+{}/rest/services/island/MapServer#8")  # fmt: skip
FEATURES = (
    "ogcapi+{}/#lava_flows",
    "wfs+{}/wfs#depot:lava_flows",
    "geoservices+{}/rest/services/island/FeatureServer#4",
)


@pytest.mark.parametrize("text", PICTURES)
def test_what_a_service_draws_is_what_its_data_looks_like(served, text):
    depot, _ = served
    workspace, layer = opened(text, served)
    offer = depot.offers["elevation_2029"]
    view = View.fitting(offer.extent_in("EPSG:32727"), 500, 400)
    first = workspace.painter.frame([layer], view)
    assert first.coming and not first.faults
    frame = whole_frame(workspace.painter, [layer], view)
    assert not frame.coming and not frame.notes and not frame.faults
    expected = depot.painter.frame([offer.layer], view).image.astype(int)
    apart = np.abs(expected - frame.image.astype(int)).max(axis=2)
    assert expected.any() and np.mean(apart > 40) < 0.01  # but for the pixels along the coast
    facts = workspace.facts_of(layer)
    assert facts.grid.drawn_by_service and facts.kind is DataKind.RASTER


def test_tiles_that_are_missing_are_stood_in_for_by_coarser_ones(served):
    workspace, layer = opened(PICTURES[0], served)
    far = View.fitting(served[0].offers["elevation_2029"].extent_in("EPSG:32727"), 300, 300)
    whole_frame(workspace.painter, [layer], far)
    served[1].behaviour.delay_s = 2  # the questions hold up the tests after this one for so long
    near = View(far.x, far.y, far.resolution / 3, 300, 300, far.crs)
    frame = workspace.painter.frame([layer], near)
    assert frame.coming and frame.image[..., 3].mean() > 250 and "on their way" in frame.notes[layer.id]


@pytest.mark.parametrize(("text", "asked"), [
    ("wms+{}/wms#lava_flows", "request=GetFeatureInfo"), ("geoservices+{}/rest/services/island/MapServer#4", "/identify"),
])  # fmt: skip
def test_a_click_is_answered_by_the_service_in_the_values_of_the_data(served, text, asked):
    depot, server = served
    workspace, layer = opened(text, served)
    found = depot.features(depot.offers["lava_flows"])
    middle = shapely.from_wkb(found.wkb[3].as_py()).representative_point()
    where = Where.at(middle.x, middle.y, "EPSG:32727", 60.0)
    result = kind_of(layer.kind).probe(workspace.cache, layer, where, lambda: None)
    answers = {each.label: each.text for each in result.readings}
    assert answers["flow_id"] == found.table.column("flow_id")[3].as_py()
    assert asked in server.log[-1]
    away = Where.at(middle.x + 1e6, middle.y, "EPSG:32727", 60.0)
    assert kind_of(layer.kind).probe(workspace.cache, layer, away, lambda: None) is None


def test_northings_come_first_where_a_version_wants_it(served):
    pictures = Wms().pictures(DataRef.service("wms", f"{served[1].address}/wms", "elevation_2029"))
    grid = grid_over(Extent(-20.97, -38.26, -20.82, -38.15, "EPSG:4326"), 1e-4)
    newer = replace(pictures, grid=grid, crs_name="EPSG:4326", flipped=northing_first("EPSG:4326"))
    older = replace(newer, version="1.1.1", flipped=False)
    top = TilePlace(len(grid.levels) - 1, 0, 0)
    assert "bbox=-38.3,-20.97" in newer.address(top) and "bbox=-20.97,-38.3" in older.address(top)
    drawn = fetch_tile(newer, top)
    assert drawn.any() and np.array_equal(drawn, fetch_tile(older, top))
    served[1].behaviour.wrong_axes = True
    wrong = replace(newer, map_address=f"{newer.map_address}&again=1")
    assert not fetch_tile(wrong, top).any()  # the island does not lie there


def test_a_picture_is_exported_at_a_stated_cell_size_and_has_no_numbers(served, tmp_path):
    workspace, layer = opened(PICTURES[0], served)
    within = Extent(508_000, 5_770_000, 510_000, 5_771_500, "EPSG:32727")
    with pytest.raises(AtlasError, match="any scale"):
        Export(layer.id, tmp_path / "a.tif", within=within).run(workspace)
    Export(layer.id, tmp_path / "b.tif", within=within, resolution=10.0).run(workspace)
    made = read.open(tmp_path / "b.tif").parts[0]
    assert (made.facts.grid.width, made.facts.grid.height, made.facts.crs) == (200, 150, "EPSG:32727")
    drawn = served[0].painter.frame(
        [served[0].offers["elevation_2029"].layer], View.fitting(within, 200, 150, margin=0.0)
    )
    values = made.block(CellWindow(0, 0, 200, 150), bands=(1, 2, 3)).values
    assert np.abs(np.moveaxis(values, 0, 2).astype(int) - drawn.image[..., :3]).mean() < 12
    other = workspace.open(PICTURES[1].format(served[1].address))[0]
    with pytest.raises(AtlasError, match="not numbers"):
        change_between(workspace.cache.raster(layer.ref), workspace.cache.raster(other.ref))
    derived = derived_record(workspace.cache.dataset(layer.ref))
    assert not derived.dimensions and not derived.distances


@pytest.mark.parametrize("text", FEATURES)
def test_features_of_a_service_are_those_of_the_data(served, text):
    depot, server = served
    part = read.open(text.format(server.address)).parts[0]
    own = depot.features(depot.offers["lava_flows"])
    assert (part.facts.count, part.facts.crs, part.facts.geometry_type) == (13, "EPSG:32727", "Polygon")
    found = part.read()
    assert [name for name in found.table.column_names if name != "OBJECTID"] == own.table.column_names
    assert all(
        found.table.column(name).to_pylist() == own.table.column(name).to_pylist() for name in own.table.column_names
    )
    assert np.abs(found.shapes.paths_bounds - own.shapes.paths_bounds).max() < 1e-3
    box = Extent(505_000, 5_769_000, 508_000, 5_771_000, "EPSG:32727")
    inside = ask(part, FeatureQuery(extent=box, where="year > 2000"))
    years = own.table.column("year").to_numpy()
    meeting = own.shapes.meeting(box)
    assert 0 < len(inside) <= np.sum(meeting & (years > 2000)) and min(inside.table.column("year").to_pylist()) > 2000
    assert "bbox=" in server.log[-1] or "geometry=5" in server.log[-1]


def test_a_filter_is_followed_by_the_server_where_it_can(served):
    part = read.open(FEATURES[0].format(served[1].address)).parts[0]
    served[1].log.clear()
    found = ask(part, FeatureQuery(where="surface = 'aa' AND year >= 2029"))
    assert "filter=%22surface%22" in served[1].log[-1] or "filter=" in served[1].log[-1]
    own = served[0].features(served[0].offers["lava_flows"]).table.to_pylist()
    assert found.table.to_pylist() == [row for row in own if row["surface"] == "aa" and row["year"] >= 2029]


def test_stored_queries_are_listed_among_the_facts(served):
    part = read.open(FEATURES[1].format(served[1].address)).parts[0]
    assert part.facts.notes["stored queries"] == "A feature by its id"


@pytest.mark.parametrize(
    "text",
    ("ogcapi+{}/#buildings", "wfs+{}/wfs#depot:buildings", "geoservices+{}/rest/services/island/FeatureServer#2"),
)
def test_pages_are_followed_to_their_end(served, monkeypatch, text):
    monkeypatch.setattr(ogcapi, "PAGE", 30)
    monkeypatch.setattr(wfs, "PAGE", 30)
    monkeypatch.setattr(geoservices, "PAGE", 30)
    part = read.open(text.format(served[1].address)).parts[0]
    served[1].log.clear()
    found = part.read()
    assert len(found) == 140 and len(served[1].log) == 5
    assert len(part.read(FeatureQuery(limit=45))) == 45
    served[1].behaviour.wrong_counts = True  # what it counts is not what it gives
    assert len(read.open(text.format(served[1].address)).parts[0].read()) == 140


def test_a_large_layer_is_read_by_view_and_says_what_is_left_out(served, monkeypatch):
    monkeypatch.setattr(by_view, "PAGED_HELD", 50)
    workspace, layer = opened("ogcapi+{}/#buildings", served)
    extent = workspace.facts_of(layer).extent
    seen = seen_features(workspace.cache, layer.ref, extent)
    assert len(seen.features) == 50 and seen.note == "the first 50 features in view"
    x, y = extent.centre
    small = Extent(x - 300, y - 300, x + 300, y + 300, extent.crs)
    near = seen_features(workspace.cache, layer.ref, small)
    assert near.note == "read by view" and len(near.features) < 50


@pytest.mark.parametrize(("stated", "usual", "names"), [
    (["2029-01-01/2031-06-30/P1M"], "2031-06-01", ("2029-01-01", "2031-06-01", 30, 29)),
    (["2031-01-31/2031-05-31/P1M", "2032"], "", ("2031-01-31", "2032", 6, 5)),
    (["2031-01-01T00:00:00Z/2031-01-02/PT6H"], "2031-01-01T12:00:00Z", ("2031-01-01T00:00:00Z", "2031-01-02T00:00:00Z", 5, 2)),
    (["1900-01-01/2031-01-01/PT10M"], "", ("2030-11-27T06:50:00Z", "2031-01-01T00:00:00Z", 5000, 4999)),
    (["2031-01-01/present/P1D"], "current", ("2031-01-01", "2031-02-01", 32, 31)),
    (["2031-06-24T10:00:00+02:00", "rubbish"], "", ("2031-06-24T10:00:00+02:00",) * 2 + (1, 0)),
])  # fmt: skip
def test_times_are_listed_as_their_ranges_state_them(stated, usual, names):
    found = stated_dimension("time", "time", stated, "ISO8601", usual, datetime(2031, 2, 1, tzinfo=UTC))
    assert (found.names[0], found.names[-1], len(found.names), found.usual) == names
    assert found.dimension.is_time and list(found.dimension.seconds) == sorted(found.dimension.seconds)
    assert found.is_cut == (len(found.names) == 5000)


def test_heights_and_named_places_are_listed():
    heights = stated_dimension("elevation", "elevation", ["0/1/0.1"], "m", "0.5")
    assert heights.names[5] == "0.5" == heights.names[heights.usual] and heights.dimension.shown(10) == "1 m"
    cases = stated_dimension("case", "dim_case", ["calm", "storm"], "", "storm")
    assert cases.dimension.texts == ("calm", "storm") and cases.usual == 1
    assert stated_dimension("time", "time", ["soon"], "ISO8601", "") is None


@pytest.mark.parametrize("stated", [
    "2031-01-01/2031-02-01/PT0S", "2031-01-01/2031-02-01/P", "2031-01-01/9999-12-31/P9999999999999D", "0001-01-01/9999-12-31/PT0.000001S",
    "9998-01-01/9999-12-31/P9Y", "2031-02-01/2031-01-01/P1D", "/", "//", "2031-01-01//P1D", "P1D",
])  # fmt: skip
def test_ranges_of_any_text_end(stated):
    found = stated_dimension("time", "time", [stated, "2031-06-24"], "ISO8601", "nonsense")
    assert 1 <= len(found.names) <= 5000 and "2031-06-24" in found.names
    for numbers in ("inf/2/1", "0/inf/1", "nan", "0/1e300/1e-300", "1/2/0"):
        found = stated_dimension("elevation", "elevation", [numbers, "7"], "m", "7")
        assert 1 <= len(found.names) <= 5000 and found.names[found.usual] == "7"


@pytest.mark.parametrize("text", ("wms+{}/wms#sea_temperature", "wmts+{}/wmts#sea_temperature"))
def test_a_layer_is_drawn_at_the_time_and_in_the_style_that_were_chosen(served, text):
    text = text.format(served[1].address)
    with Workspace() as workspace:
        layer = workspace.open(text)[0]
        facts = workspace.facts_of(layer)
        time, depth = facts.grid.dimensions
        assert time.is_time and depth.unit == "m" and time.texts[0] == "2029-01-15"
        assert layer.style.bands == (facts.grid.first_band,) and [name for name, _ in facts.grid.server_styles] == [
            "default",
            "grey",
        ]
        view = View.fitting(facts.extent, 300, 300)
        own = workspace.open(demo.DATA / "sea_temperature.nc")[0]

        def pictures(band, style="", ramp="ember"):
            asked = replace(layer, style=replace(layer.style, bands=(band,), server_style=style))
            there = whole_frame(workspace.painter, [asked], view).image.astype(int)
            here = replace(own, style=replace(own.style, bands=(band,), ramp=ramp))
            return there, whole_frame(workspace.painter, [here], view).image.astype(int)

        middle = slice(100, 200)
        for band, style, ramp in ((1, "", "ember"), (len(depth) * 20 + 3, "", "ember"), (1, "grey", "ink")):
            there, here = pictures(band, style, ramp)
            assert np.abs(there - here)[middle, middle].mean() < 6, (band, style)
        first, later = pictures(1)[0], pictures(len(depth) * 20 + 3)[0]
        assert np.abs(first - later).mean() > 6
        asked = "\n".join(served[1].log)
        assert "time=2030-09-15" in asked and "depth=" in asked and "grey" in asked


def test_the_probe_and_the_legend_are_those_of_what_is_shown(served):
    with Workspace() as workspace:
        layer = workspace.open(f"wms+{served[1].address}/wms#sea_temperature")[0]
        facts, kind = workspace.facts_of(layer), kind_of(DataKind.RASTER)
        x, y = facts.extent.xmin + 0.1 * facts.extent.width, facts.extent.centre[1]
        values = []
        for band in (1, 2):
            shown = replace(layer, style=replace(layer.style, bands=(band,)))
            found = kind.probe(workspace.cache, shown, Where.at(x, y, facts.crs, 10.0), lambda: None)
            values.append(
                next(
                    r.shown for r in found.readings if ("time" not in r.label and "°C" in r.shown) or "degC" in r.shown
                )
            )
        assert values[0] != values[1]
        legend = kind.legend(workspace.cache, layer)
        grey = kind.legend(workspace.cache, replace(layer, style=replace(layer.style, server_style="grey")))
        assert legend.title == "As the project shows it" and grey.title == "In grey"
        assert legend.picture.shape == grey.picture.shape and (legend.picture != grey.picture).any()


def test_grids_of_tiles_are_where_the_standard_has_them():
    grid = world_grid(0, 3)
    assert is_template("http://a.example/{z}/{x}/{y}") and not is_template("http://a.example/{z}/{x}")
    assert grid.extent_of(TilePlace(3, 0, 0)).width == pytest.approx(40_075_016.686, abs=0.01)
    assert grid.tiles_in(2, Extent(1, 1, 2, 2, grid.crs)) == [TilePlace(2, 1, 0)]
    own = grid_over(Extent(0, 0, 1000, 500, "EPSG:32727"), 1.0, tile=256)
    assert own.levels[-1].columns == own.levels[-1].rows == 1 and own.levels[0].resolution <= 1.0
    assert own.extent_of(TilePlace(len(own.levels) - 1, 0, 0)).ymax == 500


def test_a_catalogue_lists_its_items_and_an_item_opens_as_a_scene(served, data):
    _, server = served
    ref = recognise(f"{server.address}/stac").ref
    assert str(ref) == f"stac+{server.address}/stac"
    (collection,) = connector_for(ref).list(ref)
    items = connector_for(ref).list(collection.ref)
    assert [item.name for item in items] == ["MERIDEL3_20310624", "MERIDEL3_20290311"] and not items[0].is_folder
    server.log.clear()
    scene = read.open(DataRef.parse(str(items[0].ref)))
    own = read.open(data / "MERIDEL3_20310624" / "MERIDEL3_20310624.stac.json")
    assert scene.kind is DataKind.SCENE and [p.facts.name for p in scene.parts] == [p.facts.name for p in own.parts]
    assert scene.parts[0].facts.extent == own.parts[0].facts.extent
    extent = own.parts[0].facts.extent
    mine, theirs = (dataset.parts[0].read(extent, (50, 60), bands=(1, 4)) for dataset in (scene, own))
    assert np.array_equal(mine.values, theirs.values) and np.array_equal(mine.valid, theirs.valid)


def test_a_search_finds_scenes_by_place_time_and_clouds(served):
    catalogue = DataRef.service("stac", f"{served[1].address}/stac")

    def found(**asked):
        place = SceneSearch("scenes", **asked).place(catalogue)
        assert SceneSearch.of(DataRef.parse(str(place))) == SceneSearch("scenes", **asked)
        return [item.name for item in connector_for(place).list(place)]

    both = ["MERIDEL3_20310624", "MERIDEL3_20290311"]
    assert found(box=(-21.0, -39.0, -20.0, -38.0)) == both and found(box=(10.0, 50.0, 11.0, 51.0)) == []
    assert found(first=date(2030, 1, 1)) == both[:1] and found(last=date(2030, 1, 1)) == both[1:]
    assert found(cloud=1.0) == [] and len(found(cloud=2.0)) >= 1
    assert found(cloud=100.0, box=(-21.0, -39.0, -20.0, -38.0), first=date(2029, 1, 1), last=date(2032, 1, 1)) == both


def test_pages_of_a_catalogue_are_followed(served, monkeypatch):
    monkeypatch.setattr(stac, "PAGE", 1)
    place = DataRef.service("stac", f"{served[1].address}/stac", "scenes")
    served[1].log.clear()
    assert len(connector_for(place).list(place)) == 2 and sum("items?" in line for line in served[1].log) == 2


@pytest.mark.parametrize("text", ("wcs+{}/wcs#elevation_2029", "wcs+{}/wcs#sea_floor", "ogcapi+{}/#elevation_2029"))
def test_a_coverage_has_the_numbers_of_the_data(served, text):
    depot, _ = served
    name = text.rpartition("#")[2]
    workspace, layer = opened(text, served)
    own, part = depot.cache.raster(depot.offers[name].layer.ref), workspace.cache.raster(layer.ref)
    mine, theirs = part.facts, own.facts
    assert (mine.grid.width, mine.grid.height, mine.crs) == (theirs.grid.width, theirs.grid.height, theirs.crs)
    assert np.allclose(mine.extent.bounds, theirs.extent.bounds) and not mine.grid.drawn_by_service
    window = CellWindow(mine.grid.width // 3, 40, mine.grid.width // 3 + 60, 90)
    found, expected = part.block(window), own.block(window)
    assert np.array_equal(found.valid, expected.valid) and expected.valid.any()
    assert np.allclose(found.values[0][found.valid], expected.values[0][expected.valid], atol=1e-3)
    x, y = mine.extent.centre
    result = kind_of(layer.kind).probe(workspace.cache, layer, Where.at(x, y, mine.crs, 0.0), lambda: None)
    there = kind_of(layer.kind).probe(
        depot.cache, depot.offers[name].layer, Where.at(x, y, mine.crs, 0.0), lambda: None
    )
    assert result.readings[0].value == pytest.approx(there.readings[0].value, abs=1e-3)
    view = View.fitting(mine.extent, 300, 250)
    first = workspace.painter.frame([layer], view)
    assert whole_frame(workspace.painter, [layer], view).image.any() and not first.faults


@pytest.mark.parametrize("text", ("wms+{}/wms#elevation_2029", "ogcapi+{}/#elevation_2029"))
def test_the_record_that_a_service_links_to_is_read(served, data, text):
    dataset = read.open(text.format(served[1].address))
    (found,), failed = find_records(dataset)
    own = read_document(data / "elevation_2029.tif.xml")
    assert found.document.record == own.record and not found.can_edit and not failed
    permissions_file().unlink()
    assert find_records(dataset)[0] == [] and "not allowed" in find_records(dataset)[1][0].reason


@pytest.mark.parametrize(
    "text",
    ("ogcapi+{}/#buildings", "wfs+{}/wfs#depot:buildings", "geoservices+{}/rest/services/island/FeatureServer#2"),
)
def test_features_that_are_all_held_are_drawn_as_they_come_and_asked_for_once(served, text, monkeypatch):
    from brisk_atlas.core.read import feature_service
    from brisk_atlas.core.read.feature_service import ServiceLayer

    monkeypatch.setattr(feature_service, "GROWN_S", 0.0)
    for module in (ogcapi, wfs, geoservices):
        monkeypatch.setattr(module, "PAGE", 30)
    workspace, layer = opened(text, served)
    view = View.fitting(workspace.facts_of(layer).extent, 400, 400)
    workspace.cache.forget(layer.ref)
    workspace.cache.part(layer.ref)
    served[1].log.clear()
    counts = [[], []]
    read_growing = ServiceLayer.read_growing

    def with_both_looking(*given, **named):  # the second page comes when both views have drawn the first
        deadline = time.monotonic() + 20
        for state in read_growing(*given, **named):
            yield state
            while not all(counts) and time.monotonic() < deadline:
                time.sleep(0.01)

    monkeypatch.setattr(ServiceLayer, "read_growing", with_both_looking)
    pools = ThreadPoolExecutor(3)  # two views and the sheet at the same time
    looks = [
        pools.submit(
            by_view.seen_features, workspace.cache, layer.ref, view.extent, view.resolution,
            lambda seen, own=own: own.append(len(seen.features)),
        )
        for own in counts
    ]  # fmt: skip
    table = pools.submit(workspace.cache.table, layer.ref).result()
    seen = [look.result() for look in looks]
    pages = sum("items?" in line or "GetFeature&" in line or "query?" in line for line in served[1].log)
    assert [len(each.features) for each in seen] == [len(table)] * 2 == [workspace.facts_of(layer).count] * 2
    assert all(own and own == sorted(own) and own[0] < len(table) for own in counts)
    assert pages <= len(table) / 30 + 2 and {each.key for each in seen} == {("all",)}

    class Cancelled(BaseException):
        pass

    def check():
        raise Cancelled

    workspace.cache.forget(layer.ref)
    with pytest.raises(Cancelled):  # who waits may stop; the features come all the same
        by_view.seen_features(workspace.cache, layer.ref, view.extent, view.resolution, check=check)
    assert len(workspace.cache.features(layer.ref)) == len(table)
    workspace.cache.forget(layer.ref)
    workspace.cache.part(layer.ref)
    ANSWERS.clear()
    served[1].behaviour.status = 500
    for _ in range(2):
        with pytest.raises(CannotRead, match="500"):
            by_view.seen_features(workspace.cache, layer.ref, view.extent, view.resolution)
    served[1].behaviour.status = 0  # once the server is back, it is asked again
    assert len(by_view.seen_features(workspace.cache, layer.ref, view.extent).features) == len(table)


@pytest.mark.parametrize(
    "text",
    ("ogcapi+{}/#buildings", "wfs+{}/wfs#depot:buildings", "geoservices+{}/rest/services/island/FeatureServer#2"),
)
def test_features_are_drawn_page_by_page_and_given_up_when_the_map_moves_on(served, text, monkeypatch):
    from brisk_atlas.core.read import feature_service

    monkeypatch.setattr(by_view, "PAGED_HELD", 100)  # fewer than there are: they come by view
    monkeypatch.setattr(feature_service, "GROWN_S", 0.0)
    for module in (ogcapi, wfs, geoservices):
        monkeypatch.setattr(module, "PAGE", 30)
    workspace, layer = opened(text, served)
    view = View.fitting(workspace.facts_of(layer).extent, 400, 400)
    shown, counts = [], []

    def growing(seen):
        counts.append(len(seen.features))
        assert seen.note == f"{len(seen.features):,} features so far"

    by_view.seen_features(workspace.cache, layer.ref, view.extent, view.resolution, growing)
    assert counts[:3] == [30, 60, 90] and counts == sorted(counts)
    workspace.cache.forget(layer.ref)
    monkeypatch.setattr("brisk_atlas.core.draw.frame.PARTIAL_S", 0.0)
    last = workspace.painter.frame([layer], view, on_partial=lambda frame: shown.append(frame.image.copy()))
    drawn = [int((image[..., 3] > 0).sum()) for image in shown]
    assert len(drawn) >= 3 and 0 < drawn[0] < drawn[-1] <= int((last.image[..., 3] > 0).sum())
    workspace.cache.forget(layer.ref)
    workspace.cache.part(layer.ref)
    served[1].log.clear()

    class Cancelled(BaseException):
        pass

    def check():
        if sum("items?" in line or "GetFeature" in line or "query?" in line for line in served[1].log) >= 2:
            raise Cancelled

    with pytest.raises(Cancelled):
        workspace.painter.frame([layer], replace(view, width=300), check=check)
    assert len(served[1].log) < 6


@pytest.mark.parametrize("text", ("wcs+{}/wcs#elevation_2029", "xyz+{}/heights/elevation_2029/{{z}}/{{x}}/{{y}}.png"))
def test_elevation_of_a_service_is_the_ground_where_ones_own_ends(served, text, tmp_path, monkeypatch):
    monkeypatch.setattr(ground, "WAIT_S", 120.0)  # however slow the machine is
    depot, server = served
    workspace, layer = opened(text, served)
    truth = depot.cache.raster(depot.offers["elevation_2029"].layer.ref)
    if text.startswith("xyz"):
        assert workspace.cache.raster(layer.ref).quantities  # colours that can be heights
        layer = replace(layer, ref=layer.ref.with_quantity(Quantity.HEIGHT_TENTHS), style=GridStyle())
        facts = workspace.cache.raster(layer.ref).facts
        assert [(band.name, band.unit) for band in facts.grid.bands] == [
            ("height", "m")
        ] and not facts.grid.drawn_by_service
    x, y = truth.facts.extent.centre
    own = tmp_path / "own.tif"
    with rasterio.open(own, "w", driver="GTiff", count=1, width=40, height=40, dtype="float32", crs=truth.facts.crs,
                       transform=from_origin(x - 400, y + 400, 20, 20)) as out:  # fmt: skip
        out.write(np.full((1, 40, 40), 2000, np.float32))
    (mine,) = workspace.open(own)
    space = space_of(workspace.cache, [mine, layer])
    server.behaviour.delay_s = 0.05  # tiles come one by one; the ground waits for them
    read_heights = partial(heights_in, workspace.cache, [mine, layer])
    places = np.array([space.to_metres(x + dx, y + dy) for dx, dy in ((0, 0), (1500, 700), (-1200, 900), (900, -1600))])
    found = heights_under(read_heights, space, places)
    expected = [2000.0] + [
        float(
            truth.block(truth.facts.lattice.window_of(Extent(*(p := space.to_map(*each)), p[0] + 1, p[1] + 1))).values[
                0, 0, 0
            ]
        )
        for each in places[1:].tolist()
    ]
    assert found == pytest.approx(expected, abs=6.0)  # metres, between samples of a slope


def test_colours_are_read_as_heights_exactly_by_both_codings():
    metres = np.array([[-10_000.0, -12.3, 0.0], [830.7, 8848.8, 6553.6]])
    tenths = np.round((metres + 10_000) * 10).astype(int)
    coded = np.stack([tenths >> 16, tenths >> 8 & 255, tenths & 255, np.full_like(tenths, 255)], axis=2).astype(
        np.uint8
    )
    assert heights_from(coded, Quantity.HEIGHT_TENTHS) == pytest.approx(metres, abs=1e-3)
    parts = np.round((metres + 32_768) * 256).astype(int)
    coded = np.stack([parts >> 16, parts >> 8 & 255, parts & 255, np.full_like(parts, 255)], axis=2).astype(np.uint8)
    assert heights_from(coded, Quantity.HEIGHT_FRACTIONS) == pytest.approx(metres, abs=1 / 256)
    coded[0, 0, 3] = 0
    assert np.isnan(heights_from(coded, Quantity.HEIGHT_FRACTIONS)[0, 0])
