"""The stand-in, as other clients of the standards understand it."""

from __future__ import annotations

import json

import httpx
import numpy as np
import pytest

from brisk_atlas.core.model import CellWindow
from stac_schemas import stac_faults
from stand_in import independently

pytestmark = pytest.mark.usefixtures("well_behaved")


def test_other_clients_understand_the_stand_in(served):
    address = served[1].address
    printed = independently(f"""
import json, pyogrio, rasterio
out = {{}}
for version in ("2.0.0", "1.1.0"):
    meta, table = pyogrio.read_arrow("WFS:{address}/wfs?version=" + version, layer="depot:lava_flows")
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


def test_scenes_and_features_are_by_the_schemas_of_their_standards(served):
    def asked(path):
        return httpx.get(f"{served[1].address}{path}").raise_for_status().json()

    landing, (collection,) = asked("/stac"), asked("/stac/collections")["collections"]
    items = asked("/stac/search?limit=50")["features"]
    assert stac_faults(landing, "catalog") == stac_faults(collection, "collection") == []
    assert len(items) == 2 and [stac_faults(item, "item") for item in items] == [[], []]
    assert stac_faults({**items[0], "bbox": [1, 2]}, "item")  # they do find what is wrong
    flows = asked("/collections/lava_flows/items?limit=50")["features"]
    assert len(flows) > 5 and not [fault for flow in flows for fault in stac_faults(flow, "Feature")]
