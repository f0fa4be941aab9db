"""Paths that lead into archives, through compressions and over the net; files placed by columns."""

from __future__ import annotations

import gzip
import os
import re
import time
import zipfile

import numpy as np
import openpyxl
import pyarrow as pa
import pytest
import shapely
from hypothesis import given
from hypothesis import strategies as st

import made_files as made
from brisk_atlas.core import read
from brisk_atlas.core.connect import copies, localise
from brisk_atlas.core.model import CannotRead, Columns, DataRef, OpenOptions, TextForm
from brisk_atlas.core.model.open_options import options_from, saved_form
from brisk_atlas.core.place import degrees_from, mgrs_to_degrees
from brisk_atlas.core.place.notation import degrees_text, mgrs_text
from brisk_atlas.core.read.content import content_of, root_of
from brisk_atlas.core.read.positions import numbers, wkb_points
from brisk_atlas.core.read.text_form import guess_form_of, has_columns
from brisk_atlas.core.read.tiff_head import head_of_tiff

AFTER = "MERIDEL3_20310624"


def test_what_belongs_to_a_packed_dataset_comes_along(data, tmp_path, home):
    made.vector(data, tmp_path, "zones.shp", "ESRI Shapefile")
    path = made.zipped(tmp_path, "all.zip", *sorted(tmp_path.glob("zones.*")), data / "elevation_2031.tif")
    dataset = read.open(path / "zones.shp")
    assert dataset.ref == DataRef.member(path, "zones.shp") and dataset.parts[0].facts.crs == "EPSG:32727"
    brought = {p.name for p in (home / "cache" / "copies").rglob("*") if p.is_file()}
    assert "zones.dbf" in brought and "elevation_2031.tif" not in brought
    assert (
        abs(dataset.modified.timestamp() - (tmp_path / "zones.shp").stat().st_mtime) <= 2
    )  # archives count in steps of 2 s


def test_a_scene_and_a_folder_are_opened_inside_an_archive(data, tmp_path):
    path = tmp_path / "scene.zip"
    made.vector(data, tmp_path, "zones.gdb", "OpenFileGDB")
    with zipfile.ZipFile(path, "w") as out:
        for file in (data / AFTER).iterdir():
            out.write(file, f"deep/{file.name}")
        for file in (tmp_path / "zones.gdb").iterdir():
            out.write(file, f"zones.gdb/{file.name}")
        out.writestr("deep/samples.geojson.gz", gzip.compress((data / "ash_samples.geojson").read_bytes()))
    assert len(read.open(path / "deep" / f"{AFTER}_META.txt").parts) == 4
    assert read.open(path / "zones.gdb").format == "GDB folder"
    assert read.open(path / "deep" / "samples.geojson.gz").parts[0].facts.count == 74
    names = {part.facts.name for part in read.open(path).parts}
    assert names == {f"deep/{AFTER}_META.txt", "deep/samples.geojson.gz", "zones.gdb"}
    with pytest.raises(CannotRead, match="does not hold it"):
        read.open(path / "nothing.shp")


def test_copies_that_are_unused_for_longest_go_first(data, tmp_path, home, monkeypatch):
    monkeypatch.setattr(copies, "CACHE_BYTES", 30_000)
    for number in range(4):
        source = tmp_path / f"{number}.csv"
        source.write_text("n\n" + "12345678\n" * 1200)
        read.open(made.gzipped(source))
        for folder in (home / "cache" / "copies").iterdir():
            os.utime(folder, (time.time() - 10,) * 2)
    left = list((home / "cache" / "copies").rglob("*.csv"))
    assert 1 <= len(left) <= 2 and left[-1].name.endswith(".csv")


@given(st.binary(max_size=300))
def test_any_bytes_are_said_to_be_something(head):
    assert content_of(head) and isinstance(root_of(head), str) and has_columns(head) in (True, False)
    assert guess_form_of(head).form.delimiter in ",;\t| "


LANGUAGES = {
    "German": ("Höhe über Meer;Größe;Straße\nKüste;schön;Fläche\n", "cp1252"),
    "French": ("Altitude;Côte d'été;forêt brûlée\nmétéo;relevé;élévation\n", "cp1252"),
    "Russian": ("высота;название;дата\nвулкан;извержение;лава\n", "cp1251"),
    "Japanese": ("標高;名前;日付\n火山;噴火;溶岩\n", "shift_jis"),
    "Chinese": ("高程;名称;日期\n火山;喷发;熔岩\n", "gb18030"),
    "one sign": ("lat;lon\n38° S;20° W\n", "cp1252"),
    "one name": ("id;name\n1;Café\n2;Bay\n", "cp1252"),
}


@pytest.mark.parametrize("language", LANGUAGES)
def test_the_encoding_of_a_text_is_told_by_its_letters(language):
    text, encoding = LANGUAGES[language]
    guess = guess_form_of(text.encode(encoding))
    assert (guess.form.encoding, guess.form.delimiter, guess.sure) == (encoding, ";", False)
    assert guess_form_of(text.encode()).form.encoding == "utf-8"


def test_words_of_one_column_are_not_taken_for_columns():
    assert guess_form_of(b"name\n" + b"old vent\n" * 20).form.delimiter == ","
    assert guess_form_of(b"x y z\n" + b"1 2  3\n" * 20).form.delimiter == " "


def test_the_root_of_xml_is_found_behind_what_may_come_before():
    text = b'\xef\xbb\xbf<?xml version="1.0"?>\n<!-- a <b> c -->\n<!DOCTYPE kml [<!ENTITY x "y">]>\n<kml:kml xmlns:kml="k">'
    assert root_of(text) == "kml" and root_of(b"<a/>") == "a" and root_of(b"no xml") == ""


@given(st.binary(min_size=8, max_size=400))
def test_a_tiff_of_any_bytes_is_left_to_the_library_or_refused(tmp_path_factory, content):
    path = tmp_path_factory.mktemp("t") / "a.tif"
    path.write_bytes(b"II*\0" + content)
    try:
        assert head_of_tiff(path) is None
    except CannotRead as error:
        assert "it ends before" in error.reason


readings = st.builds(
    OpenOptions,
    st.none() | st.just("EPSG:32727"),
    st.none() | st.builds(TextForm, st.sampled_from(",;\t"), st.just("cp1252"), st.booleans(), st.sampled_from(".,")),
    st.none() | st.builds(Columns, st.text(max_size=5), st.text(max_size=5)),
    st.none() | st.lists(st.text(max_size=5), max_size=3).map(tuple),
)


@given(readings)
def test_what_was_said_reads_back_as_it_was_saved(said):
    assert options_from(saved_form(said)) == said


coordinate = st.floats(-1e7, 1e7) | st.just(np.nan)


@given(st.lists(st.tuples(coordinate, coordinate), max_size=30))
def test_points_are_the_binary_that_others_read(pairs):
    x, y = np.array(pairs, float).reshape(-1, 2).T
    shapes = shapely.from_wkb(wkb_points(x, y).to_numpy(zero_copy_only=False))
    for shape, a, b in zip(shapes, x, y):
        assert shape is None if np.isnan(a) or np.isnan(b) else (shape.x, shape.y) == (a, b)


def test_numbers_in_any_usual_writing():
    column = pa.chunked_array([["508767,5", "-20.9", "38°12′36.0″S", "20 54 0 W", "", None, "no"]])
    found = numbers(column)
    assert np.allclose(found[:4], [508_767.5, -20.9, -38.21, -20.9]) and np.isnan(found[4:]).all()
    assert numbers(pa.chunked_array([[1, None, 3]])).tolist()[::2] == [1.0, 3.0]


@given(st.floats(-89.9, 89.9), st.floats(-179.9, 179.9))
def test_degrees_read_back_as_they_are_written(lat, lon):
    south_north, east_west = degrees_text(lon, lat).split()
    assert degrees_from(south_north) == pytest.approx(lat, abs=2e-5)
    assert degrees_from(east_west) == pytest.approx(lon, abs=2e-5)
    assert degrees_from("38°61′S") is None and degrees_from("north") is None


@given(st.floats(-79, 83), st.floats(-179, 179))
def test_mgrs_references_read_back_within_their_metre(lat, lon):
    found = mgrs_to_degrees(mgrs_text(lon, lat))
    assert found is not None and abs(found[1] - lat) < 3e-5
    assert abs(found[0] - lon) * np.cos(np.radians(lat)) < 3e-5 and mgrs_to_degrees("27Z nothing") is None


def test_all_that_comes_along_with_a_member_is_bounded(tmp_path):
    archive = tmp_path / "many.zip"
    with zipfile.ZipFile(archive, "w", zipfile.ZIP_DEFLATED) as packed:
        packed.writestr("scene_META.txt", "a = b\n")
        for number in range(30):
            packed.writestr(f"scene_B{number}.tif", bytes(40_000_000))
    with pytest.raises(CannotRead, match=r"30 files beside it would unpack from .* which looks like an attack"):
        localise(DataRef.member(archive, "scene_META.txt"))
    assert sum(f.stat().st_size for f in copies.copies_folder().rglob("*") if f.is_file()) == 0


def test_a_sheet_is_as_large_as_its_cells_and_not_as_it_says(tmp_path):
    path = tmp_path / "vast.xlsx"
    book = openpyxl.Workbook()
    book.active.append(["vent", "depth_m"])
    book.active.append(["Eastern", 12.5])
    book.save(path)
    with zipfile.ZipFile(path) as whole:
        members = {name: whole.read(name) for name in whole.namelist()}
    sheet = "xl/worksheets/sheet1.xml"
    members[sheet] = re.sub(rb'<dimension ref="[^"]*"', b'<dimension ref="A1:XFD1048576"', members[sheet])
    with zipfile.ZipFile(path, "w") as changed:
        for name, content in members.items():
            changed.writestr(name, content)
    (part,) = read.open(path).parts
    assert part.rows().to_pylist() == [{"vent": "Eastern", "depth_m": 12.5}]
