"""Services, against the stand-in: described, drawn, read and asked; and the stand-in against other clients."""

from __future__ import annotations

import getpass
import json
import time
from dataclasses import replace
from datetime import UTC, date, datetime

import numpy as np
import pytest
import shapely

from brisk_atlas import demo
from brisk_atlas.core import read
from brisk_atlas.core.cache import by_view
from brisk_atlas.core.cache.by_view import seen_features
from brisk_atlas.core.compare.change import change_between
from brisk_atlas.core.connect import connector_for, fetching, geoservices, ogcapi, stac, wfs
from brisk_atlas.core.connect.connector import localise
from brisk_atlas.core.connect.ows import check_xml, northing_first
from brisk_atlas.core.connect.recognise import recognise
from brisk_atlas.core.connect.stac import SceneSearch
from brisk_atlas.core.connect.stated_dimensions import stated_dimension
from brisk_atlas.core.connect.stored_answers import ANSWERS, AnswerStore, StoredAnswer, term_of
from brisk_atlas.core.connect.wms import Wms
from brisk_atlas.core.connect.xyz import is_template
from brisk_atlas.core.curate.derived import derived_record
from brisk_atlas.core.draw.view import View
from brisk_atlas.core.draw.whole_frame import whole_frame
from brisk_atlas.core.find.connections import Connection, export_connections, import_connections
from brisk_atlas.core.find.trying import tried
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
    NeedsPermission,
    passwords,
)
from brisk_atlas.core.model.errors import NeedsPassword
from brisk_atlas.core.operations import Export
from brisk_atlas.core.place.tile_grid import TilePlace, grid_over, world_grid
from brisk_atlas.core.read.find_records import find_records
from brisk_atlas.core.read.permissions import allow, permissions_file
from brisk_atlas.core.read.tile_store import TILES, fetch_tile
from brisk_atlas.core.record.document import read_document
from brisk_atlas.core.table.query import ask
from brisk_atlas.core.workspace.workspace import Workspace
from server_certificates import make_certificates
from stand_in import demo_server, independently

PICTURES = ("wms+{}/wms#elevation_2029", "wmts+{}/wmts#elevation_2029", "xyz+{}/xyz/elevation_2029/{{z}}/{{x}}/{{y}}.png",
            "xyz+{}/tms/elevation_2029/{{z}}/{{x}}/{{-y}}.png", "ogcapi+{}/#elevation_2029", "geoservices+{}/rest/services/island/MapServer#8")  # fmt: skip
FEATURES = ("ogcapi+{}/#lava_flows", "wfs+{}/wfs#tso:lava_flows", "geoservices+{}/rest/services/island/FeatureServer#4")


@pytest.fixture(scope="module")
def served():
    with demo_server() as found:
        yield found


@pytest.fixture(autouse=True)
def as_it_should(served, home, monkeypatch):
    """Each test begins with a server that behaves, and with nothing stored."""
    _, server = served
    allow(("127.0.0.1",))
    monkeypatch.setattr(fetching, "BACK_OFF_S", 0.01)
    TILES.forget()
    yield
    for name, value in vars(type(server.behaviour)()).items():
        setattr(server.behaviour, name, value)
    fetching.set_offline(False)
    passwords.forget_all()


def opened(text, served):
    workspace = Workspace()
    return workspace, workspace.open(text.format(served[1].address))[0]


# Pictures


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
    served[1].behaviour.delay_s = 30
    near = View(far.x, far.y, far.resolution / 3, 300, 300, far.crs)
    frame = workspace.painter.frame([layer], near)
    assert frame.coming and frame.image[..., 3].mean() > 250 and "on their way" in frame.notes[layer.id]


def test_a_server_that_is_gone_leaves_the_map_and_is_noticed_when_it_is_back(served):
    workspace, layer = opened(PICTURES[0], served)
    view = View.fitting(served[0].offers["elevation_2029"].extent_in("EPSG:32727"), 300, 300)
    served[1].behaviour.status = 500
    frame = whole_frame(workspace.painter, [layer], view)
    assert frame.failing and "500" in frame.notes[layer.id] and not frame.faults
    served[1].behaviour.status = 0
    TILES.forget()  # as after a while
    frame = whole_frame(workspace.painter, [layer], view)
    assert not frame.failing and frame.image.any()


def test_only_tiles_of_the_latest_view_are_waited_for(served):
    workspace, layer = opened(PICTURES[0], served)
    part = workspace.cache.raster(layer.ref)
    served[1].behaviour.delay_s = 0.4
    asked = [TilePlace(3, column, row) for column in range(6) for row in range(6)]
    TILES.want(part.pictures, asked)
    time.sleep(0.6)
    TILES.want(part.pictures, [TilePlace(4, 0, 0)])
    served[1].behaviour.delay_s = 0
    TILES.wait(part.pictures, [*asked, TilePlace(4, 0, 0)])
    came = [place for place in asked if TILES.now(part.pictures, place) is not None]
    assert TILES.now(part.pictures, TilePlace(4, 0, 0)) is not None and len(came) < len(asked) // 2


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


# Features


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
    "text", ("ogcapi+{}/#buildings", "wfs+{}/wfs#tso:buildings", "geoservices+{}/rest/services/island/FeatureServer#2")
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


# Other clients of the stand-in


def test_other_clients_understand_the_stand_in(served):
    address = served[1].address
    printed = independently(f"""
import json, pyogrio, rasterio
out = {{}}
for version in ("2.0.0", "1.1.0"):
    meta, table = pyogrio.read_arrow("WFS:{address}/wfs?version=" + version, layer="tso:lava_flows")
    out[version] = [meta["crs"], table.num_rows, sorted(table.column("flow_id").to_pylist())]
info = pyogrio.read_info("OAPIF:{address}", layer="lava_flows")
meta, table = pyogrio.read_arrow("OAPIF:{address}", layer="lava_flows")
out["api"] = [info["crs"], table.num_rows, sorted(table.column("flow_id").to_pylist())]
ask = "WMS:{address}/wms?SERVICE=WMS&VERSION=%s&REQUEST=GetMap&LAYERS=elevation_2029&%s=EPSG:32727&BBOX=504000,5767000,514240,5776000"
for version, name in (("1.3.0", "CRS"), ("1.1.1", "SRS")):
    with rasterio.open(ask % (version, name)) as source:
        out["wms" + version] = float(source.read(out_shape=(3, 90, 102)).mean())
with rasterio.open("WMTS:{address}/wmts,layer=elevation_2029") as source:
    out["wmts"] = [source.crs.to_epsg(), float(source.read(out_shape=(source.count, 90, 100)).mean())]
print(json.dumps(out))
""")
    found = json.loads(printed)
    flows = sorted(served[0].features(served[0].offers["lava_flows"]).table.column("flow_id").to_pylist())
    assert found["2.0.0"] == found["1.1.0"] == found["api"] == ["EPSG:32727", 13, flows]
    assert 60 < found["wms1.3.0"] < 250 and abs(found["wms1.3.0"] - found["wms1.1.1"]) < 1
    assert found["wmts"][0] == 3857 and 20 < found["wmts"][1] < 250


def test_a_client_of_the_standards_reads_the_capabilities(served):
    from owslib.ogcapi.features import Features
    from owslib.wfs import WebFeatureService
    from owslib.wms import WebMapService
    from owslib.wmts import WebMapTileService

    address = served[1].address
    names = set(served[0].offers)
    for version in ("1.1.1", "1.3.0"):
        service = WebMapService(f"{address}/wms", version=version)
        assert set(service.contents) == names
        picture = service.getmap(
            layers=["trails"],
            srs="EPSG:32727",
            bbox=(504000, 5767000, 514240, 5776000),
            size=(64, 56),
            format="image/png",
        )
        assert picture.read()[:4] == b"\x89PNG"
    tiles = WebMapTileService(f"{address}/wmts")
    assert set(tiles.contents) == names and "WebMercatorQuad" in tiles.tilematrixsets
    assert {name.partition(":")[2] for name in WebFeatureService(f"{address}/wfs", version="2.0.0").contents} == {
        offer.id for offer in served[0].feature_offers
    }
    assert set(Features(f"{address}/").feature_collections()) >= {"lava_flows"}


# What is pasted


@pytest.mark.parametrize(("path", "expected"), [
    ("/wms?SERVICE=WMS&REQUEST=GetCapabilities&VERSION=1.3.0", "wms+{}/wms"),
    ("/wms", "wms+{}/wms"), ("/wfs", "wfs+{}/wfs"), ("/wmts", "wmts+{}/wmts"), ("/", "ogcapi+{}/"),
    ("/csw", "csw+{}/csw"), ("/vectortiles.json", "vectortiles+{}/vectortiles.json"),
    ("/files/ash_samples.geojson.xml", "{}/files/ash_samples.geojson.xml"), ("/wcs", "wcs+{}/wcs"), ("/collections", "ogcapi+{}/collections"), ("/rest/services?f=json", "geoservices+{}/rest/services"), ("/xyz/trails/{{z}}/{{x}}/{{y}}.png", "xyz+{}/xyz/trails/{{z}}/{{x}}/{{y}}.png"),
])  # fmt: skip
def test_an_address_is_recognised_by_what_it_answers(served, path, expected):
    address = served[1].address
    ref = recognise(address + path.replace("{{", "{").replace("}}", "}")).ref
    assert str(ref) == expected.format(address) and DataRef.parse(str(ref)) == ref
    if ref.protocol == "geoservices":
        folders = connector_for(ref).list(ref)
        assert [folder.name for folder in folders] == ["island (maps)", "island (features)"]
        ref = folders[0].ref
    if ref.protocol not in ("", "xyz", "csw"):
        assert {item.name for item in connector_for(ref).list(ref) if not item.is_folder} <= {
            o.title for o in served[0].offers.values()
        }


def test_a_connection_is_tried_and_passed_on_without_secrets(served, tmp_path):
    address = served[1].address.replace("http://", "http://ana:s3cret-word@")
    served[1].behaviour.password = "ana:s3cret-word"
    ref = recognise(f"{address}/wms?token=abc123xyz").ref
    assert "s3cret" not in str(ref) and "abc123xyz" not in str(ref)
    result = tried(ref)
    assert result.things == len(served[0].offers) and result.words.endswith("11 layers, with a login")
    assert all("token=abc123xyz" in line for line in served[1].log[-1:])
    file = tmp_path / "connections.json"
    export_connections([Connection(ref, "Maps", "Office")], file)
    text = file.read_text()
    assert "s3cret" not in text and "abc123xyz" not in text
    assert import_connections(file) == [Connection(ref, "Maps", "Office")]
    passwords.forget_all()
    with pytest.raises(NeedsPassword):
        fetching.fetch(ref, f"{ref.address}?service=WMS&request=GetCapabilities&x=1")
    (tmp_path / "other.json").write_text('{"a": 1}')
    with pytest.raises(CannotRead, match="no file of connections"):
        import_connections(tmp_path / "other.json")


# What a server draws: styles, times, heights


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


# Servers that misbehave


@pytest.mark.parametrize(("wrong", "reason"), [
    ({"html": True}, "page for people"), ({"status": 429}, "429"), ({"status": 500}, "500"), ({"status": 404}, "404"),
    ({"half": True}, "not whole JSON|broken|refuses|can't be reached|can't be understood"),
    ({"forward_to": "http://elsewhere.example/"}, "another host, elsewhere.example"),
])  # fmt: skip
@pytest.mark.parametrize("text", ("wms+{}/wms#trails", "wfs+{}/wfs#tso:trails", "ogcapi+{}/#trails"))
def test_a_wrong_answer_gets_its_sentence(served, text, wrong, reason):
    for name, value in wrong.items():
        setattr(served[1].behaviour, name, value)
    with pytest.raises(CannotRead, match=reason) as caught:
        read.open(text.format(served[1].address))
    assert served[1].address.partition("//")[2] in caught.value.place and caught.value.remedy


def test_redirects_in_a_loop_and_busy_servers_end(served):
    ref = DataRef.service("wms", f"{served[1].address}/wms")
    served[1].behaviour.forward_to = f"{served[1].address}/wms"
    with pytest.raises(CannotRead, match="without end"):
        fetching.fetch(ref, ref.address)
    served[1].behaviour.forward_to = "http://elsewhere.example/"
    with pytest.raises(CannotRead, match="another host, elsewhere"):  # nor for a piece of a file
        fetching.fetch_range(ref, ref.address, 0, 9)
    served[1].behaviour.forward_to = ""
    served[1].behaviour.fail_every = len(served[1].log) + 1  # the next answer
    assert fetching.fetch(ref, f"{ref.address}?service=WMS&request=GetCapabilities&again=1").body
    assert served[1].log[-1] == served[1].log[-2]  # asked again


def test_a_whole_file_is_fetched_by_the_rules_of_any_question(served):
    behaviour = served[1].behaviour
    ref = DataRef.parse(f"{served[1].address}/files/gas_stations.csv")
    behaviour.forward_to = "http://elsewhere.example/"
    with pytest.raises(CannotRead, match="another host, elsewhere"):
        localise(ref)
    behaviour.forward_to, behaviour.password = "", "ana:s3cret-word"
    with pytest.raises(NeedsPassword):
        localise(ref)
    known = DataRef.parse(str(ref).replace("http://", "http://ana:s3cret-word@"))
    assert "s3cret" not in str(known) and localise(known).path.read_bytes() == (demo.DATA / ref.name).read_bytes()
    behaviour.password = ""
    fetching.set_offline(True)
    with pytest.raises(CannotRead, match="offline"):
        localise(ref)


def test_an_answer_without_end_and_one_with_entities_are_refused(served):
    ref = DataRef.service("wms", f"{served[1].address}/wms")
    with pytest.raises(CannotRead, match="larger than"):
        fetching.fetch(ref, f"{ref.address}?service=WMS&request=GetCapabilities", limit=100, stored=False)
    for body, reason in ((b"<!DOCTYPE a [<!ENTITY b 'c'>]><a>&b;</a>", "entities"), (b"hello", "not XML"),
                         (b"<ServiceExceptionReport><ServiceException>no <![CDATA[way]]></ServiceException>"
                          b"</ServiceExceptionReport>", "no way")):  # fmt: skip
        with pytest.raises(CannotRead, match=reason):
            check_xml(ref, body)


def test_a_server_that_never_answers_is_given_up_when_nobody_waits_any_more(served):
    ref = DataRef.service("wms", f"{served[1].address}/wms")
    served[1].behaviour.status = 503
    calls = []

    def check():
        calls.append(1)
        if len(calls) > 3:
            raise TimeoutError

    with pytest.raises(TimeoutError):
        fetching.fetch(ref, f"{ref.address}?never=1", check=check)


def test_nothing_is_asked_of_a_host_that_was_not_allowed(home):
    permissions_file().unlink(missing_ok=True)
    with Workspace() as workspace, pytest.raises(NeedsPermission, match=r"127\.0\.0\.1"):
        workspace.cache.dataset(DataRef.parse("wms+http://127.0.0.1:9/wms#trails"))


# Answers that are stored


def test_answers_are_used_while_fresh_and_offline_afterwards(served):
    ref = DataRef.service("wms", f"{served[1].address}/wms")
    address = f"{ref.address}?service=WMS&request=GetCapabilities&stored=1"
    first = fetching.fetch(ref, address)
    asked = len(served[1].log)
    assert fetching.fetch(ref, address) == first and len(served[1].log) == asked
    fetching.set_offline(True)
    assert fetching.fetch(ref, address).body == first.body
    with pytest.raises(CannotRead, match="offline"):
        fetching.fetch(ref, f"{address}&other=1")


def test_the_store_follows_what_servers_state_and_stays_within_its_limit(tmp_path):
    now = time.time()
    assert term_of({"cache-control": "no-store"}) is None and term_of({"cache-control": "no-cache"}) == 0
    assert abs(term_of({"cache-control": "public, max-age=100", "age": "40"}) - now - 60) < 2
    store = AnswerStore(tmp_path, limit=3_000)
    for number in range(6):
        store.put(f"q{number}", StoredAnswer("image/png", bytes([number]) * 1000, now + 10, etag="x"))
        time.sleep(0.01)
    store.prune()
    assert store.get("q0") is None and store.get("q5").body == b"\5" * 1000 and store.size_bytes <= 3_000
    assert store.get("q5").conditions() == {"If-None-Match": "x"}
    store.clear()
    assert store.get("q5") is None and store.size_bytes == 0


def test_grids_of_tiles_are_where_the_standard_has_them():
    grid = world_grid(0, 3)
    assert is_template("http://a.example/{z}/{x}/{y}") and not is_template("http://a.example/{z}/{x}")
    assert grid.extent_of(TilePlace(3, 0, 0)).width == pytest.approx(40_075_016.686, abs=0.01)
    assert grid.tiles_in(2, Extent(1, 1, 2, 2, grid.crs)) == [TilePlace(2, 1, 0)]
    own = grid_over(Extent(0, 0, 1000, 500, "EPSG:32727"), 1.0, tile=256)
    assert own.levels[-1].columns == own.levels[-1].rows == 1 and own.levels[0].resolution <= 1.0
    assert own.extent_of(TilePlace(len(own.levels) - 1, 0, 0)).ymax == 500


# Catalogues of scenes


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


# Coverages


@pytest.mark.parametrize("name", ("elevation_2029", "sea_floor"))
def test_a_coverage_has_the_numbers_of_the_data(served, name):
    depot, _ = served
    workspace, layer = opened(f"wcs+{{}}/wcs#{name}", served)
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


def test_another_client_reads_the_numbers_of_a_coverage(served):
    printed = independently(f"""
import json, rasterio
from rasterio.windows import Window
with rasterio.open("WCS:{served[1].address}/wcs?version=2.0.1&coverage=elevation_2029") as source:
    values = source.read(1, window=Window(300, 300, 50, 40))
    print(json.dumps([source.width, source.height, source.crs.to_epsg(), list(source.bounds), float(values.mean())]))
""")
    width, height, code, bounds, mean = json.loads(printed)
    own = served[0].cache.raster(served[0].offers["elevation_2029"].layer.ref)
    assert (width, height, code) == (own.facts.grid.width, own.facts.grid.height, 32727)
    assert np.allclose(bounds, own.facts.extent.bounds)
    assert mean == pytest.approx(float(own.block(CellWindow(300, 300, 350, 340)).values.mean()), abs=0.01)


# Records


@pytest.mark.parametrize("text", ("wms+{}/wms#elevation_2029", "ogcapi+{}/#elevation_2029"))
def test_the_record_that_a_service_links_to_is_read(served, data, text):
    dataset = read.open(text.format(served[1].address))
    (found,), failed = find_records(dataset)
    own = read_document(data / "elevation_2029.tif.xml")
    assert found.document.record == own.record and not found.can_edit and not failed
    permissions_file().unlink()
    assert find_records(dataset)[0] == [] and "not allowed" in find_records(dataset)[1][0].reason


def test_a_client_of_the_catalogue_of_scenes_reads_it(served):
    from pystac_client import Client

    catalogue = Client.open(f"{served[1].address}/stac")
    (collection,) = catalogue.get_collections()
    every = {item.id for item in catalogue.search(method="GET", collections=[collection.id]).items()}
    assert len(every) == 2
    near = catalogue.search(
        method="GET", collections=[collection.id], bbox=[-21, -39, -20, -38], datetime="2031-01-01/2031-12-31"
    )
    (item,) = near.items()
    assert item.id in every and item.datetime.year == 2031 and item.geometry["type"] == "Polygon"
    assert all(asset.href.startswith(served[1].address) for asset in item.assets.values())
    assert not list(catalogue.search(method="GET", collections=[collection.id], bbox=[10, 10, 11, 11]).items())


@pytest.mark.parametrize(
    "text", ("ogcapi+{}/#buildings", "wfs+{}/wfs#tso:buildings", "geoservices+{}/rest/services/island/FeatureServer#2")
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


@pytest.mark.parametrize("path", ("wms+{}/wms", "wmts+{}/wmts", "wfs+{}/wfs", "ogcapi+{}/"))
def test_layers_are_looked_at_anew_once_their_service_states_otherwise(served, path):
    ref = DataRef.parse(path.format(served[1].address))
    depot = served[0]

    def states():
        ANSWERS.clear()
        return {item.ref.inner: item.state for item in connector_for(ref).list(ref) if not item.is_folder}

    before, offer = states(), depot.offers["trails"]
    assert states() == before
    depot.offers["trails"] = replace(offer, layer=replace(offer.layer, name="Paths"))
    try:
        after = states()
    finally:
        depot.offers["trails"] = offer
    changed = {name for name in after if after[name] != before[name]}
    assert "trails" in {name.rpartition(":")[2] for name in changed}
    assert ref.protocol != "ogcapi" or changed == {"trails"}


def test_a_certificate_that_does_not_fit_is_a_sentence(tmp_path):
    import ssl
    import threading
    from http.server import BaseHTTPRequestHandler, ThreadingHTTPServer

    make_certificates(tmp_path, getpass.getuser())
    server = ThreadingHTTPServer(("127.0.0.1", 0), BaseHTTPRequestHandler)
    context = ssl.SSLContext(ssl.PROTOCOL_TLS_SERVER)
    context.load_cert_chain(tmp_path / "server.crt", tmp_path / "server.key")
    server.socket = context.wrap_socket(server.socket, server_side=True)
    threading.Thread(target=server.serve_forever, daemon=True).start()
    try:
        ref = DataRef.service("wms", f"https://localhost:{server.server_port}/wms")
        with pytest.raises(CannotRead, match=r"(?i)certificate") as caught:
            fetching.fetch(ref, ref.address)
        assert "not trusted" in caught.value.remedy
        with pytest.raises(CannotRead, match=r"(?i)certificate"):
            localise(DataRef.parse(f"https://localhost:{server.server_port}/zones.geojson"))
    finally:
        server.shutdown()
        server.server_close()
