"""Grids and clouds as postings: seen as maps and tiles, taken as files, replaced with what was there before known."""

from __future__ import annotations

import io
import json
import shutil

import httpx
import laspy
import numpy as np
import pytest
import rasterio
from argon2 import PasswordHasher
from PIL import Image
from pystac_client import Client
from starlette.testclient import TestClient

from brisk_atlas import cli, demo
from brisk_atlas.core.depot.postings.depot_store import DepotStore, NotAllowed
from brisk_atlas.core.depot.postings.outlet import BadOutlet, Outlet, OutletField
from brisk_atlas.core.depot.postings.people import People
from brisk_atlas.core.depot.postings.rights import ALL_RIGHTS, EVERYBODY, Right
from brisk_atlas.core.depot.serving import postings_application, running_postings
from brisk_atlas.core.model import Extent, GridStyle
from brisk_atlas.core.place import transform_extent
from stac_schemas import stac_faults
from stand_in import independently

READ = frozenset({Right.READ})
OLD, NEW, CLOUD = (demo.DATA / name for name in ("elevation_2029.tif", "elevation_2031.tif", "harrow_bay_2031.laz"))
TILE = "/services/xyz/heights/11/905/1259.png"


@pytest.fixture
def store(tmp_path):
    folder = tmp_path / "depot"
    for place, title in ((OLD, "Heights"), (CLOUD, "Harrow Bay")):
        assert cli.main(["depot", "post", str(place), "--store", str(folder), "--title", title]) == 0
    made = DepotStore(folder, lambda file: People(file, PasswordHasher(1, 8, 1)))
    heights, cloud = made.posting("heights"), made.posting("harrow_bay")
    made.offer(
        Outlet("heights", heights.id, "Heights", (), ((EVERYBODY, READ),), grid_style=GridStyle(ramp="ink")), by="local"
    )
    made.offer(Outlet("cloud", cloud.id, "Harrow Bay", (), (("team", READ),)), by="local")
    yield made
    made.close()


@pytest.fixture
def client(store):
    return TestClient(postings_application(store, "Tolvane Depot"))


def test_a_grid_is_stored_as_a_file_of_parts_and_comes_back_with_the_same_numbers(store, client, tmp_path):
    answer = client.get("/pages/heights/download/file")
    assert answer.headers["content-disposition"] == 'attachment; filename="heights.tif"'
    (tmp_path / "heights.tif").write_bytes(answer.content)
    with rasterio.open(tmp_path / "heights.tif") as found, rasterio.open(OLD) as source:
        assert found.tags(ns="IMAGE_STRUCTURE")["LAYOUT"] == "COG" and found.crs == source.crs
        assert np.array_equal(found.read(1, masked=True), source.read(1, masked=True))
    picture = np.asarray(Image.open(io.BytesIO(client.get(TILE).content)))
    grey = picture[picture[..., 3] == 255][:, :3].astype(int)
    assert len(grey) > 1000 and np.ptp(grey, axis=1).max() < 40  # in the ramp that it is offered with
    about = client.get("/services/wcs?service=WCS&version=2.0.1&request=DescribeCoverage&coverageid=heights")
    assert about.status_code == 200 and "heights" in about.text
    page = client.get("/pages/heights").text
    assert "1,024 x 900 cells" in page and "heights.tif" in page and "Rows" not in page
    listed = client.get("/collections").json()["collections"]
    assert [each["id"] for each in listed] == ["heights"] and listed[0]["rights"] == ["read"]
    for place in ("/collections/heights/items", "/collections/heights/changes", "/pages/heights/download/gpkg"):
        assert client.get(place).status_code == 404
    assert client.get("/collections/heights/record").status_code == 200


def test_a_cloud_is_for_those_whom_it_is_offered_to(store, client, tmp_path):
    assert client.get("/pages/cloud").status_code == client.get("/pages/cloud/download/file").status_code == 404
    assert "cloud" not in client.get("/services/collections").text
    store.people.join(store.people.invite(["team"], by="local"), "ada", "long enough 1")
    answer = client.get("/pages/cloud/download/file", auth=("ada", "long enough 1"))
    (tmp_path / "cloud.copc.laz").write_bytes(answer.content)
    with laspy.CopcReader.open(tmp_path / "cloud.copc.laz") as found, laspy.open(CLOUD) as source:
        assert found.header.point_count == source.header.point_count
    tile = client.get("/services/xyz/cloud/14/7243/10080.png", auth=("ada", "long enough 1"))
    assert tile.status_code == 200


def test_a_file_is_replaced_and_what_it_was_is_known_until_it_is_withdrawn(store, client, tmp_path):
    first, tile = client.get("/pages/heights/download/file").content, client.get(TILE)
    store.replace_file("heights", NEW, by="olga")
    assert client.get("/pages/heights/download/file").content == NEW.read_bytes() != first
    assert client.get(TILE).headers["etag"] != tile.headers["etag"]
    (edit,) = store.rows("heights").edits()
    assert edit.account == "olga" and (store.database.files / edit.before.values["file"]).read_bytes() == first
    assert all(not each.stat().st_mode & 0o077 for each in store.database.files.iterdir())
    store.withdraw("heights", by="olga")
    assert client.get("/pages/heights").status_code == 404 and len(list(store.database.files.iterdir())) == 1


@pytest.mark.parametrize(
    "changed",
    [{"rights": (("team", ALL_RIGHTS),)}, {"where": "1 = 1"}, {"blur": 5.0}, {"area": (1.0, 0.0, 0.0, 1.0)}, {"bands": (0,)}, {"fields": (OutletField("a", "a"),)}],
)  # fmt: skip
def test_what_a_file_can_t_be_offered_as_is_refused(store, changed):
    with pytest.raises(BadOutlet):
        store.offer(
            Outlet(
                **{
                    "id": "",
                    "posting": "heights",
                    "title": "x",
                    "fields": (),
                    "rights": ((EVERYBODY, READ),),
                    **changed,
                }
            ),
            by="local",
        )
    with pytest.raises(NotAllowed):
        store.replace_file(store.post("T", (), [], owner="olga").id, OLD, by="olga")


def test_a_file_that_is_gone_or_damaged_leaves_the_others_as_they_are(store, client):
    shutil.copyfile(demo.DATA / "vents.kml", store.file_of(store.posting("heights")))
    assert client.get("/services/").status_code == 200
    wrong = client.get("/pages/heights")
    assert wrong.status_code == 400 and "its content is XML" in wrong.text
    assert "be read now" in client.get("/pages").text


AREA = (506_000.0, 5_769_000.0, 508_000.0, 5_771_500.0)


def test_an_area_of_a_grid_is_offered_and_nothing_beyond_it(store, client, tmp_path, capsys):
    folder = ["--store", str(store.database.files.parent)]
    area = ["--area", ",".join(map(str, AREA))]
    asked = ["depot", "offer", "heights", "--title", "Part", "--to", "everybody:read", "--id", "part", *area, *folder]
    assert cli.main(asked) == 0
    sent = client.get("/pages/part/download/file").content
    with rasterio.open(OLD) as source, rasterio.MemoryFile(sent) as memory, memory.open() as found:
        assert tuple(found.bounds) == AREA and found.tags(ns="IMAGE_STRUCTURE")["LAYOUT"] == "COG"
        expected = source.read(1, window=source.window(*AREA), masked=True)
        assert np.array_equal(found.read(1, masked=True), expected)
        tags = str(found.tags()) + str(found.tags(1))
    assert f"{expected.max()}"[:6] in tags or "STATISTICS_MAXIMUM" not in tags  # of the part, if of anything
    page = client.get("/pages/part").text
    assert f"{expected.shape[1]:,} x {expected.shape[0]:,} cells" in page and "part.tif" in page
    assert client.get(TILE.replace("heights", "part")).status_code == 200
    about = client.get("/services/wcs?service=WCS&version=2.0.1&request=DescribeCoverage&coverageid=part").text
    assert "506000" in about and "514240" not in about
    item = client.get("/services/stac/search").json()["features"]
    assert {each["id"]: each["bbox"] for each in item}["part"] != {each["id"]: each["bbox"] for each in item}["heights"]
    store.replace_file("heights", NEW, by="olga")
    sent = client.get("/pages/part/download/file").content
    with rasterio.open(NEW) as source, rasterio.MemoryFile(sent) as memory, memory.open() as found:
        assert np.array_equal(found.read(1, masked=True), source.read(1, window=source.window(*AREA), masked=True))
    plain = ["depot", "offer", "heights", "--title", "Other", "--to", "everybody:read", *folder]
    assert cli.main([*plain, "--area", "0,0,1,1"]) == 1 and "does not meet" in capsys.readouterr().err
    assert cli.main([*plain, "--bands", "4"]) == 1 and "band" in capsys.readouterr().err
    assert {each.id for each in store.outlets} == {"heights", "cloud", "part"}
    store.withdraw("heights", by="olga")
    assert len(list(store.database.files.iterdir())) == 1  # the cloud


def test_bands_of_a_picture_and_an_area_of_a_cloud_are_offered(store, client, tmp_path):
    folder = store.database.files.parent
    with rasterio.open(OLD) as source:
        profile = {**source.profile, "count": 3, "dtype": "uint8", "nodata": None, "driver": "GTiff"}
    rng = np.random.default_rng(2)
    cells = rng.integers(0, 255, (3, profile["height"], profile["width"]), np.uint8)
    with rasterio.open(tmp_path / "three.tif", "w", **profile) as made:
        made.write(cells)
    assert cli.main(["depot", "post", str(tmp_path / "three.tif"), "--store", str(folder), "--title", "Three"]) == 0
    store.offer(Outlet("two", "three", "Two", (), ((EVERYBODY, READ),), bands=(3, 1)), by="local")
    with rasterio.MemoryFile(client.get("/pages/two/download/file").content) as memory, memory.open() as found:
        assert np.array_equal(found.read(), cells[[2, 0]])
    with laspy.open(CLOUD) as source:
        points = source.read()
    west, south = np.median(points.x) + 0.003, np.median(points.y) + 0.003  # no point lies on it
    area = (float(points.x.min()) - 1, float(points.y.min()) - 1, float(west), float(south))
    store.offer(Outlet("bay", "harrow_bay", "Bay", (), ((EVERYBODY, READ),), area=area), by="local")
    (tmp_path / "bay.copc.laz").write_bytes(client.get("/pages/bay/download/file").content)
    with laspy.CopcReader.open(tmp_path / "bay.copc.laz") as found:
        inside = (np.asarray(points.x) <= west) & (np.asarray(points.y) <= south)
        assert found.header.point_count == inside.sum() and found.header.maxs[0] <= west + 0.01


def test_grids_and_clouds_are_scenes_that_clients_of_catalogues_find(store, tmp_path):
    with running_postings(store, "Tolvane Depot") as address:
        catalogue = Client.open(f"{address}/services/stac")
        (item,) = catalogue.search(method="GET", bbox=[-21, -39, -20, -38]).items()
        assert item.id == "heights" and item.datetime.year == 2029
        assert {"data", "thumbnail", "metadata"} == set(item.assets)
        with rasterio.open(OLD) as source:
            box = transform_extent(Extent(*source.bounds, "EPSG:32727"), "EPSG:4326").bounds
        assert np.allclose(item.bbox, box, atol=1e-9) and item.geometry["type"] == "Polygon"
        answer = httpx.get(item.assets["data"].href)
        assert answer.status_code == 200 and answer.content[:4] == b"II*\0"
        assert Image.open(io.BytesIO(httpx.get(item.assets["thumbnail"].href).content)).size == (256, 256)
        assert b"MD_Metadata" in httpx.get(item.assets["metadata"].href).content
        for more, count in (
            ({"datetime": "2029-01-01/2029-12-31"}, 1),
            ({"datetime": "2031-01-01/.."}, 0),
            ({"bbox": [1, 2, 3, 4]}, 0),
        ):
            assert len(list(catalogue.search(method="GET", **more).items())) == count
        found = httpx.get(f"{address}/services/stac/search").json()
        assert stac_faults(found["features"][0], "item") == []
        assert stac_faults(httpx.get(f"{address}/services/stac").json(), "catalog") == []
        store.close_outlet("heights", by="local")
        assert httpx.get(f"{address}/services/stac").status_code == 404  # nobody learns of the cloud


def test_a_reader_of_map_services_reads_what_is_offered(store):
    with running_postings(store, "Tolvane Depot") as address:
        printed = independently(f"""
import json, rasterio
ask = "WMS:{address}/services/wms?SERVICE=WMS&VERSION=1.3.0&REQUEST=GetMap&LAYERS=heights&CRS=EPSG:32727&BBOX=504000,5767000,514240,5776000"
with rasterio.open(ask) as source:
    wms = float(source.read(out_shape=(3, 90, 102)).std())
with rasterio.open("WMTS:{address}/services/wmts,layer=heights") as source:
    wmts = [source.crs.to_epsg(), float(source.read(out_shape=(source.count, 90, 100)).std())]
with rasterio.open("WCS:{address}/services/wcs?version=2.0.1&coverage=heights") as source:
    values = source.read(1)  # that nothing is known where it is -9999 is in the description, which this reader leaves out
    wcs = [source.width, source.height, float(values[values != -9999].mean())]
print(json.dumps([wms, wmts, wcs]))
""")
    wms, (code, wmts), (width, height, mean) = json.loads(printed)
    with rasterio.open(OLD) as source:
        assert (width, height) == (source.width, source.height) and abs(
            mean - source.read(1, masked=True).mean()
        ) < 0.01
    assert code == 3857 and wms > 5 and wmts > 5
