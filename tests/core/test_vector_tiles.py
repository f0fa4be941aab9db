"""Vector tiles: of archives that the general library wrote, and of the stand-in, whose own tiles that library reads."""

from __future__ import annotations

import gzip

import numpy as np
import pytest
import rasterio
import shapely
from pmtiles.convert import mbtiles_to_pmtiles

import made_files as made
from brisk_atlas.core import read
from brisk_atlas.core.cache import DataCache
from brisk_atlas.core.cache.by_view import seen_features
from brisk_atlas.core.connect import ogcapi
from brisk_atlas.core.connect.recognise import recognise
from brisk_atlas.core.connect.vectortiles import TILE_BYTES, Described, TemplateFeatures, layer_values, unpacked
from brisk_atlas.core.model import CannotRead, CellWindow, DataKind, DataRef, Extent, FeatureQuery
from brisk_atlas.core.place import transform_extent
from brisk_atlas.core.read import tiled_features
from brisk_atlas.core.read.permissions import allow
from brisk_atlas.core.workspace.workspace import Workspace
from range_server import serving
from stand_in import demo_server


@pytest.fixture(scope="module")
def flows(data):
    """The truth: the flows by their ids, with their areas in the CRS of tiles."""
    with Workspace() as workspace:
        found = workspace.cache.features(made.at(data / "tolvane_survey.gpkg", "lava_flows"))
    return found


def areas(features, crs="EPSG:32727"):
    from brisk_atlas.core.place import transform

    shapes = shapely.from_wkb(features.wkb.to_numpy(zero_copy_only=False))
    if features.crs != crs:
        shapes = shapely.transform(shapes, lambda xy: transform(xy, features.crs, crs))
    found = dict.fromkeys(features.table.column("flow_id").to_pylist(), 0.0)
    for name, area in zip(features.table.column("flow_id").to_pylist(), shapely.area(shapes).tolist()):
        found[name] += area
    return found


@pytest.mark.parametrize("kind", made.VECTOR_TILES)
def test_features_of_an_archive_come_whole_and_with_their_values(data, tmp_path, flows, kind):
    dataset = read.open(made.VECTOR_TILES[kind](data, tmp_path))
    (part,) = dataset.parts
    assert part.facts.name == "lava_flows" and part.facts.crs == "EPSG:3857" and not part.paged
    found = part.read()
    here, true = areas(found), areas(flows)
    assert here.keys() == true.keys()  # in pieces, as the library gives them no numbers
    assert all(here[name] == pytest.approx(true[name], rel=0.02) for name in true)
    volumes = [
        dict(zip(f.table.column("flow_id").to_pylist(), f.table.column("volume_m3").to_pylist()))
        for f in (found, flows)
    ]
    assert volumes[0] == pytest.approx(volumes[1])


def test_an_archive_on_a_web_server_is_read_by_pieces(data, tmp_path, flows):
    path = made.VECTOR_TILES["PMTiles"](data, tmp_path)
    with serving(tmp_path) as address:
        found = read.open(f"{address}/{path.name}").parts[0].read()
    assert areas(found) == areas(read.open(path).parts[0].read())


def test_pictures_in_an_archive_are_those_of_the_database_they_came_from(tmp_path):
    source = made.GRIDS["MBTiles"](tmp_path)
    mbtiles_to_pmtiles(str(source), str(tmp_path / "packed.pmtiles"), None)
    with rasterio.open(source) as file:
        colours, alpha, transform = file.read((1, 2, 3)), file.read(4), file.transform
    with serving(tmp_path) as address:
        for place in (tmp_path / "packed.pmtiles", f"{address}/packed.pmtiles"):
            (part,) = read.open(place).parts
            lattice = part.facts.lattice
            assert (part.facts.kind, part.facts.crs, part.facts.name) == (DataKind.RASTER, "EPSG:3857", "packed")
            assert (lattice.a, lattice.e) == pytest.approx((transform.a, transform.e))
            first = round((transform.c - lattice.c) / lattice.a), round((transform.f - lattice.f) / lattice.e)
            window = CellWindow(*first, first[0] + colours.shape[2], first[1] + colours.shape[1])
            found = part.block(window, bands=(1, 2, 3))
            assert np.array_equal(found.valid, alpha > 0) and alpha.any()
            assert np.array_equal(found.values[:, found.valid], colours[:, alpha > 0])
    whole = (tmp_path / "packed.pmtiles").read_bytes()
    (tmp_path / "cut.pmtiles").write_bytes(whole[:-100])
    with pytest.raises(CannotRead, match=r"damaged|did not come|ends in the middle"):
        (cut,) = read.open(tmp_path / "cut.pmtiles").parts
        cut.block(window)


def test_a_view_takes_tiles_as_coarse_as_it_can(data, tmp_path, monkeypatch):
    path = made.VECTOR_TILES["PMTiles"](data, tmp_path)
    monkeypatch.setattr(tiled_features, "HELD", 0)  # as if there were very many
    asked = []
    get = tiled_features.TiledFeatures._table
    monkeypatch.setattr(
        tiled_features.TiledFeatures, "_table", lambda part, place: asked.append(place) or get(part, place)
    )
    cache = DataCache()
    ref = made.at(path, "lava_flows")
    part = cache.part(ref)
    whole = part.facts.extent
    seen = seen_features(cache, ref, whole, whole.width / 100)
    assert seen.note == "read by view" and len(areas(seen.features)) == 13 and len(asked) <= 4
    assert len({place.level for place in asked}) == 1 and asked[0].level >= 3
    near = Extent(whole.xmin, whole.ymin, whole.xmin + 1500, whole.ymin + 1500, whole.crs)
    asked.clear()
    close = seen_features(cache, ref, near, 1.0)
    assert asked and {place.level for place in asked} == {0} and 0 < len(areas(close.features)) < 13
    box = np.array([near.grown(0.5).bounds])
    bounds = shapely.bounds(shapely.from_wkb(close.features.wkb.to_numpy(zero_copy_only=False)))
    assert ((bounds[:, :2] <= box[:, 2:]) & (bounds[:, 2:] >= box[:, :2])).all()
    monkeypatch.setattr(tiled_features, "MAX_EXACT", 3)
    with pytest.raises(CannotRead, match="tiles, more than 3"):
        part.read(FeatureQuery(extent=whole))


def test_tiles_of_a_service_have_every_layer(home):
    with demo_server() as (depot, server), Workspace() as workspace:
        allow(("127.0.0.1",))
        template = f"{server.address}/vectortiles/{{z}}/{{x}}/{{y}}.mvt"
        refs = [recognise(f"{server.address}/vectortiles.json").ref, recognise(template).ref]
        assert [ref.protocol for ref in refs] == ["vectortiles"] * 2
        for offer in depot.feature_offers:
            true = depot.geometry(offer, np.arange(offer.facts.count), "EPSG:3857")
            for ref in refs:
                part = workspace.cache.part(DataRef.parse(f"{ref}#{offer.id}").with_part(offer.id))
                found = part.read()
                shapes = shapely.from_wkb(found.wkb.to_numpy(zero_copy_only=False))
                assert len(found) == offer.facts.count
                if offer.facts.geometry_type == "LineString":
                    assert shapely.length(shapes).sum() == pytest.approx(shapely.length(true).sum(), rel=0.01)
                else:
                    assert shapely.area(shapes).sum() == pytest.approx(shapely.area(true).sum(), rel=0.05)
        api = DataRef.service("ogcapi", f"{server.address}/", "lava_flows")
        of_api = tiled_features.part_of(ogcapi.CONNECTOR.vector_tiles(api), "lava_flows").read()
        assert sorted(areas(of_api)) == sorted(areas(found_flows(workspace, refs[0])))
        assert "/collections/lava_flows/tiles/WebMercatorQuad/14/" in "\n".join(server.log)


def test_tiles_of_all_the_world_are_counted_and_not_listed(tmp_path):
    ref = DataRef.parse("vectortiles+http://127.0.0.1/{z}/{x}/{y}.mvt#a")
    about = Described({"vector_layers": [{"id": "a"}], "maxzoom": 20}, "http://127.0.0.1/{z}/{x}/{y}.mvt")
    part = tiled_features.part_of(TemplateFeatures(**layer_values(ref, about, "a"), template=about.template), "a")
    assert part.paged and part.tiles.grid.count_in(0, part.tiles.extent) > 2**39
    with pytest.raises(CannotRead, match="tiles, more than"):
        part.read()


def found_flows(workspace, ref):
    return workspace.cache.part(DataRef.parse(f"{ref}#lava_flows").with_part("lava_flows")).read()


def test_damaged_and_endless_tiles_are_refused(data, tmp_path):
    ref = DataRef.parse("vectortiles+http://127.0.0.1/{z}/{x}/{y}.mvt#a")
    with pytest.raises(CannotRead, match="larger than"):
        unpacked(ref, gzip.compress(bytes(TILE_BYTES + 10)))
    with pytest.raises(CannotRead, match="damaged"):
        unpacked(ref, gzip.compress(bytes(range(256)))[:100])
    path = made.VECTOR_TILES["PMTiles"](data, tmp_path)
    whole = path.read_bytes()
    for share in (0.001, 0.3, 0.95):
        path.with_name(f"cut{share}.pmtiles").write_bytes(whole[: max(20, int(len(whole) * share))])
        with pytest.raises(CannotRead):
            read.open(path.with_name(f"cut{share}.pmtiles")).parts[0].read()
    bounds = transform_extent(read.open(path).parts[0].facts.extent, "EPSG:4326")
    assert -21 < bounds.xmin < bounds.xmax < -20
