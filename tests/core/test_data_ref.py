"""References: places as values, parsed, printed and stored in one place; and projects of the version before."""

from __future__ import annotations

import doctest
import json
import shutil
import string
import zipfile
from pathlib import Path

import pytest
from hypothesis import given
from hypothesis import strategies as st

from brisk_atlas.core.connect.copies import copies_folder, copy_target
from brisk_atlas.core.model import CannotRead, DataRef, OpenOptions, PlaceKind, Quantity, data_ref
from brisk_atlas.core.read.library_names import library_name
from brisk_atlas.core.workspace.project_file import project_bytes, read

STORED = Path(__file__).parents[1] / "stored"
plain = st.text(string.ascii_letters + string.digits + " !#%?;&=+-_äЖ", min_size=1, max_size=12).filter(str.strip)
names = plain.map(lambda text: text.strip().strip("/") or "a")
parts = st.none() | st.text(min_size=1, max_size=12)
refs = st.one_of(
    st.builds(lambda a, b: DataRef.file(f"/survey/{a}/{b}.gpkg"), names, names),
    st.builds(
        lambda host, name: DataRef.parse(f"https://{host}.example/{name}.tif?token=1/2"),
        st.sampled_from(["a", "office.tolvane"]),
        st.text(string.ascii_letters, min_size=1, max_size=9),
    ),
    st.builds(lambda t: DataRef(PlaceKind.TABLE, "postgresql://reader@db.example/survey", t), names),
    st.builds(lambda t: DataRef(PlaceKind.SERVICE, "wms+https://maps.example/ows", t), names),
)


@given(refs, parts, st.sampled_from([None, *Quantity]))
def test_a_reference_reads_back_as_it_prints_and_as_it_is_stored(ref, part, quantity):
    ref = ref.with_part(part)
    ref = ref.with_quantity(quantity) if part else ref
    assert DataRef.parse(str(ref)) == ref and hash(DataRef.parse(str(ref))) == hash(ref)
    for folder in (None, Path("/survey"), Path("/elsewhere/deep")):
        assert DataRef.from_json(json.loads(json.dumps(ref.as_json(folder))), folder) == ref
        if folder is not None:
            assert DataRef.parse(ref.relative_to(folder), folder) == ref
        if folder is not None and ref.is_local:
            assert not Path(ref.as_json(folder)["place"]).is_absolute()
    assert ref.whole.part is None and ref.whole.with_part(part) == ref.with_part(part)


def test_what_a_person_types(tmp_path, monkeypatch):
    monkeypatch.chdir(tmp_path)
    monkeypatch.setenv("HOME", str(tmp_path / "home"))
    with zipfile.ZipFile(tmp_path / "delivery.zip", "w") as out:
        out.writestr("deep/zones.shp", "x")
    (tmp_path / "folder.zip").mkdir()
    for text, kind, name, suffix in (
        ("zones.gpkg", PlaceKind.FILE, "zones.gpkg", ".gpkg"),
        ("~/ash.geojson.gz", PlaceKind.FILE, "ash.geojson.gz", ".geojson"),
        ("file:///survey/a%20b.TIF", PlaceKind.FILE, "a b.TIF", ".tif"),
        ("delivery.zip/deep/zones.shp", PlaceKind.MEMBER, "zones.shp", ".shp"),
        ("folder.zip/zones.shp", PlaceKind.FILE, "zones.shp", ".shp"),
        ("HTTPS://host.example/a/b.tif?token=1.2", PlaceKind.ADDRESS, "b.tif", ".tif"),
        ("https:/host.example/folded.tif", PlaceKind.ADDRESS, "folded.tif", ".tif"),
        ("s3://shelf/a.laz", PlaceKind.ADDRESS, "a.laz", ".laz"),
        ("postgresql://u@h/db#survey.zones", PlaceKind.TABLE, "survey.zones", ".zones"),
        ("wfs+https://h.example/ows#closed%20zones", PlaceKind.SERVICE, "closed zones", ""),
    ):
        ref = DataRef.parse(text)
        assert (ref.kind, ref.name, ref.suffix) == (kind, name, suffix), text
    member = DataRef.parse("delivery.zip/deep/zones.shp")
    assert (member.place, member.inner) == (str(tmp_path / "delivery.zip"), "deep/zones.shp")
    assert member.path == tmp_path / "delivery.zip" / "deep" / "zones.shp" and member.folder == tmp_path
    with pytest.raises(ValueError, match="is no file"):
        _ = DataRef.parse("https://host.example/a.tif").path


def test_no_name_leads_out_of_its_folder_and_none_is_changed(tmp_path):
    for text in ("https://h.example/..%2f..%2fetc%2fpasswd", "https://h.example/a/%2e%2e", "https://h.example/.."):
        target = copy_target(DataRef.parse(text), "1")
        assert target.parent.parent == copies_folder() and target.name in ("passwd", "data")
    odd = tmp_path / " rain .csv "
    odd.write_text("n\n1\n")
    assert DataRef.parse(str(odd)).path == odd == DataRef.from_json(DataRef.file(odd).as_json()).path


def test_the_libraries_reach_addresses_by_names_of_their_own():
    assert library_name(DataRef.parse("https://host.example/a.tif")) == "/vsicurl/https://host.example/a.tif"
    assert library_name(DataRef.parse("s3://shelf/a.tif")) == "/vsis3/shelf/a.tif"
    assert library_name(DataRef.file("/a/b.tif")) == "/a/b.tif"


def test_the_examples_in_the_text_hold():
    assert doctest.testmod(data_ref).attempted >= 3 and doctest.testmod(data_ref).failed == 0


def test_a_project_of_version_1_opens_with_all_its_references(tmp_path):
    path = tmp_path / "version_1.brisk.json"
    shutil.copy(STORED / path.name, path)
    state, place, readings = read(path)
    by_name = {layer.name: layer for layer in state.layers}
    home = DataRef.file(tmp_path / "tolvane_survey.gpkg")
    assert by_name["lava_flows"].ref == home.with_part("lava_flows")
    assert by_name["zones"].ref.kind is PlaceKind.ADDRESS and by_name["zones"].ref.part == "zones"
    assert by_name["composite"].style.others[0] == DataRef.file(tmp_path / "elevation_2029.tif").with_part(
        "elevation_2029"
    )
    assert by_name["lava_flows"].rows.joins[0].ref == DataRef.file(tmp_path / "laboratory.xlsx").with_part("samples")
    assert readings == {DataRef.file(tmp_path / "gas_stations.csv"): OpenOptions(crs="EPSG:4326")} and place is not None
    saved = tmp_path / "version_2.brisk.json"
    saved.write_bytes(project_bytes(state, place, readings, tmp_path))
    assert json.loads(saved.read_text())["brisk_atlas_project"] == 2
    assert read(saved)[:2] == (state, place)


def test_a_reference_of_another_shape_is_refused(tmp_path):
    path = tmp_path / "w.brisk.json"
    layer = {"id": "a", "name": "n", "kind": "vector", "ref": {"kind": "dream", "place": "p"}}
    path.write_text(json.dumps({"brisk_atlas_project": 2, "layers": [layer]}))
    with pytest.raises(CannotRead, match="dream"):
        read(path)
