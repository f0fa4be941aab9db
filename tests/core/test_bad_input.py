"""Truncated, empty, mislabelled and hostile files: one clear message each, and no more."""

from __future__ import annotations

import shutil
import zipfile
from pathlib import Path

import pytest

from brisk_atlas.core import read
from brisk_atlas.core.model import CannotRead, CloudPart, TablePart, VectorPart
from brisk_atlas.core.read.scene import parse_groups

SAMPLES = (  # one file a reader
    "tolvane_survey.gpkg",
    "fissures_2031/fissures.shp",
    "vents.kml",
    "ash_samples.geojson",
    "elevation_2031.tif",
    "seafloor.nc",
    "boreholes/photos/tg-1_155-160m.jpg",
    "harrow_bay_2031.laz",
    "gas_readings.parquet",
    "laboratory.xlsx",
    "boreholes/tg-1.las",
    "boat_lines/tso2901.mgd77",
    "MERIDEL3_20310624/MERIDEL3_20310624_META.txt",
    "MERIDEL3_20310624/MERIDEL3_20310624.stac.json",
    "elevation_2031.tif.xml",
    "tolvane.brisk.json",
)


def read_all(path: Path) -> None:
    """Do with a file what the program does: look at it, then read it."""
    for part in read.open(path).parts:
        if isinstance(part, TablePart):
            part.rows()
        elif isinstance(part, VectorPart | CloudPart):
            part.read()


def said(path: Path) -> str:
    with pytest.raises(CannotRead) as caught:
        read_all(path)
    message = str(caught.value)
    assert path.name in message and "\n" not in message and len(message) < 500
    assert caught.value.remedy
    return message


def copied(data: Path, name: str, folder: Path) -> Path:
    """Copy a file with all that belongs to it."""
    source = data / name
    for member in source.parent.iterdir():
        if member.is_file() and member.name.startswith(source.name.split(".")[0].split("_META")[0]):
            shutil.copy(member, folder / member.name)
    return folder / source.name


@pytest.mark.parametrize("name", [*SAMPLES, "gas_stations.csv"])
def test_empty(data, tmp_path, name):
    path = tmp_path / Path(name).name
    path.write_bytes(b"")
    assert "the file is empty" in said(path)


@pytest.mark.parametrize("name", SAMPLES)
@pytest.mark.parametrize("share", [0.03, 0.5, 0.97])
def test_truncated(data, tmp_path, name, share):
    path = copied(data, name, tmp_path)
    whole = path.read_bytes()
    path.write_bytes(whole[: max(40, int(len(whole) * share))])
    if (path.suffix == ".las" and share == 0.5) or (path.suffix == ".mgd77" and share >= 0.5):  # as far as it goes
        assert "cut short" in read.open(path).warnings[0]
        return
    said(path)


@pytest.mark.parametrize("name", SAMPLES)
def test_mislabelled(data, tmp_path, name):
    """A picture under the name of something else, and that something under the name of a grid."""
    wrong = tmp_path / Path(name).name
    png = bytes.fromhex("89504e470d0a1a0a0000000d49484452") + bytes(64)
    wrong.write_bytes(png)
    assert "content is PNG" in said(wrong)
    if not name.endswith(".tif"):
        as_grid = tmp_path / "grid.tif"
        shutil.copy(data / name, as_grid)
        assert "its name says GeoTIFF, its content is" in said(as_grid)


def test_a_geopackage_called_a_grid_is_told_its_name(data, tmp_path):
    path = tmp_path / "grid.tif"
    shutil.copy(data / "tolvane_survey.gpkg", path)
    assert "rename it to .gpkg" in said(path)


def test_missing_folder_and_unknown_ending(tmp_path):
    assert "no such file" in said(tmp_path / "nothing.tif")
    with pytest.raises(CannotRead, match="this is a folder"):
        read.open(tmp_path)
    (tmp_path / "a.xyzzy").write_text("hello")
    assert "not one that is known" in said(tmp_path / "a.xyzzy")


def test_a_csv_that_breaks_off_in_the_middle_of_a_row(data, tmp_path):
    path = tmp_path / "stations.csv"
    lines = (data / "gas_stations.csv").read_text().splitlines()
    path.write_text("\n".join([*lines[:5], lines[5][:12]]))
    dataset = read.open(path)
    assert dataset.parts[0].facts.count == 4 and "1 line left out, with 2 cells instead of 7" in dataset.warnings[0]


def test_an_entity_bomb_is_refused_before_it_grows(tmp_path):
    path = tmp_path / "record.xml"
    entities = "".join(f'<!ENTITY e{i} "{f"&e{i - 1};" * 10 if i else "boom"}">' for i in range(9))
    path.write_text(f'<?xml version="1.0"?><!DOCTYPE metadata [{entities}]><metadata>&e8;</metadata>')
    message = said(path)
    assert "entit" in message.lower()


def test_an_external_entity_reads_no_file(tmp_path):
    secret = tmp_path / "secret.txt"
    secret.write_text("the secret")
    path = tmp_path / "record.xml"
    path.write_text(
        f'<!DOCTYPE metadata [<!ENTITY x SYSTEM "{secret.as_uri()}">]><metadata><idinfo>&x;</idinfo></metadata>'
    )
    assert "the secret" not in said(path)


def test_xml_that_is_no_record_is_said_to_be_none(tmp_path):
    path = tmp_path / "other.xml"
    path.write_text("<?xml version='1.0'?><shopping><item/></shopping>")
    assert "not one that is known" in said(path)


def test_a_scene_may_not_name_files_outside_its_folder(tmp_path, data):
    text = (data / "MERIDEL3_20310624" / "MERIDEL3_20310624_META.txt").read_text()
    path = tmp_path / "scene" / "X_META.txt"
    path.parent.mkdir()
    path.write_text(text.replace("MERIDEL3_20310624_B1.tif", "../../etc/passwd"))
    assert "outside its folder" in said(path)


def test_a_scene_without_some_bands_opens_with_a_warning(tmp_path, data):
    folder = tmp_path / "scene"
    shutil.copytree(data / "MERIDEL3_20310624", folder)
    (folder / "MERIDEL3_20310624_B8.tif").unlink()
    dataset = read.open(folder / "MERIDEL3_20310624_META.txt")
    assert "MERIDEL3_20310624_B8.tif" in dataset.warnings[0]
    assert "thermal" not in [p.facts.name for p in dataset.parts]
    assert read.open(folder).ref == dataset.ref  # the folder alone is enough


def test_groups_must_close():
    assert parse_groups('GROUP = A\n X = "1"\nEND_GROUP = A\nEND') == {"A": {"X": "1"}}
    for broken in ("GROUP = A\nX = 1", "GROUP = A\nEND_GROUP = B"):
        with pytest.raises(ValueError, match="group"):
            parse_groups(broken)


def test_a_shapefile_without_its_crs_opens_and_says_so(data, tmp_path):
    path = copied(data, "fissures_2031/fissures.shp", tmp_path)
    path.with_suffix(".prj").unlink()
    dataset = read.open(path)
    assert dataset.parts[0].facts.crs is None
    assert "no coordinate reference system" in dataset.warnings[0]


def test_a_workbook_that_unpacks_without_end_is_refused(tmp_path, monkeypatch):
    from brisk_atlas.core.read import workbook

    monkeypatch.setattr(workbook, "UNPACKED_LIMIT", 1000)
    path = tmp_path / "big.xlsx"
    with zipfile.ZipFile(path, "w", zipfile.ZIP_DEFLATED) as archive:
        archive.writestr("xl/workbook.xml", "0" * 100_000)
    assert "unpacks to more than" in said(path)


def test_strange_names_do_no_harm(data, tmp_path):
    path = tmp_path / "höhe 'a' \" ; -- %s.tif"
    shutil.copy(data / "elevation_2031.tif", path)
    assert read.open(path).parts[0].facts.name == path.stem


def test_a_table_with_a_header_and_no_rows_is_a_warning(tmp_path):
    path = tmp_path / "empty.csv"
    path.write_text("a,b,c\n")
    dataset = read.open(path)
    assert dataset.parts[0].facts.count == 0 and "no rows" in dataset.warnings[0]
