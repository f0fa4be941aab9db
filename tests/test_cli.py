"""The command line, as a person calls it."""

from __future__ import annotations

import json
import os
import shutil
import subprocess
import sys

import pytest
from PIL import Image

from brisk_atlas import __version__, cli, demo


def call(*arguments, **surroundings):
    return subprocess.run(
        [sys.executable, "-m", "brisk_atlas", *map(str, arguments)], capture_output=True, text=True, timeout=240,
        env={**os.environ, **surroundings}, check=False,
    )  # fmt: skip


def test_facts_as_json_keep_their_contract(data, truth, capsys):
    assert (
        cli.main(
            [
                "facts",
                str(data / "tolvane_survey.gpkg"),
                str(data / "elevation_2031.tif"),
                str(data / "harrow_bay_2031.laz"),
                "--json",
            ]
        )
        == 0
    )
    survey, grid, cloud = json.loads(capsys.readouterr().out)
    assert set(survey) == {"path", "format", "kind", "size_bytes", "modified", "members", "parts", "warnings"}
    lava = next(part for part in survey["parts"] if part["name"] == "lava_flows")
    assert (lava["count"], lava["crs"], lava["geometry_type"]) == (
        truth["counts"]["lava_flows"],
        "EPSG:32727",
        "Polygon",
    )
    assert {"name": "year", "type": "int32"} in lava["fields"] and len(lava["extent"]) == 4
    part = grid["parts"][0]
    assert (part["width"], part["height"], part["band_count"], part["dtype"], part["nodata"]) == (
        1024,
        900,
        1,
        "float32",
        -9999,
    )
    assert (
        part["resolution"] == [10, 10]
        and part["count"] is None
        and part["extent"] == [504_000, 5_767_000, 514_240, 5_776_000]
    )
    assert grid["members"] == ["elevation_2031.tif", "elevation_2031.tif.xml"]
    points = cloud["parts"][0]
    assert (points["count"], points["point_format"], points["version"]) == (truth["counts"]["laser_points"], 7, "1.4")
    assert "intensity" in points["dimensions"]


def test_facts_for_people(data, capsys):
    assert cli.main(["facts", str(data / "fissures_2031" / "fissures.shp")]) == 0
    out = capsys.readouterr().out
    assert out.startswith("fissures.shp: Shapefile, vector, ") and "fissures: LineString, 6, EPSG:32727" in out


def test_what_can_not_be_read_is_one_line_and_exit_1_and_the_rest_is_told(data, tmp_path, capsys):
    bad = tmp_path / "bad.gpkg"
    bad.write_bytes(b"")
    assert cli.main(["facts", str(bad), str(data / "vents.kml"), "--json"]) == 1
    said = capsys.readouterr()
    assert said.err.count("\n") == 1 and "bad.gpkg: the file is empty" in said.err
    assert [dataset["format"] for dataset in json.loads(said.out)] == ["KML"]


@pytest.mark.parametrize("size", ["12x12", "big", "99999x800"])
def test_a_size_that_is_none_is_refused(size, capsys):
    with pytest.raises(SystemExit):
        cli.main(["--picture", "x.png", "--size", size])
    assert "is not a size such as 1280x800" in capsys.readouterr().err


def test_all_of_a_refusal_and_of_a_check_is_in_the_language_of_the_application():
    done = call("facts", BRISK_ATLAS_LANGUAGE="de")
    assert done.returncode == 2
    assert (
        done.stderr.startswith("Aufruf: brisk-atlas facts") and "Fehler: es fehlen diese Argumente: PATH" in done.stderr
    )


def test_version(capsys):
    with pytest.raises(SystemExit) as stop:
        cli.main(["--version"])
    assert stop.value.code == 0 and __version__ in capsys.readouterr().out


@pytest.mark.parametrize(("page", "size"), [("find", "1280x800"), ("record", "1100x700")])
def test_a_picture_of_the_demo_without_a_display(tmp_path, page, size):
    out = tmp_path / "shot.png"
    done = call("--demo", "--picture", out, "--page", page, "--size", size, DISPLAY="")
    assert done.returncode == 0, done.stderr
    with Image.open(out) as image:
        assert image.size == tuple(map(int, size.split("x")))
        assert len(image.convert("RGB").getcolors(1_000_000)) > 100


def test_the_picture_shows_map_and_relief(tmp_path, data):
    out = tmp_path / "shot.png"
    done = call("--demo", "--picture", out, "--do", "relief")
    assert done.returncode == 0, done.stderr
    with Image.open(out) as image:
        pixels = image.convert("RGB")
        left = {pixels.getpixel((x, 420)) for x in range(260, 560, 3)}
        right = {pixels.getpixel((x, 420)) for x in range(640, 940, 3)}
    assert len(left) > 40 and len(right) > 40


def test_a_picture_that_can_not_be_written_says_so(tmp_path):
    done = call("--picture", tmp_path / "nowhere" / "x.png")
    assert done.returncode == 1 and "can't be written" in done.stderr


def test_a_bad_path_on_the_command_line_is_told_in_the_window(tmp_path):
    bad = tmp_path / "bad.laz"
    bad.write_bytes(b"LASF" + bytes(20))
    done = call(bad, "--picture", tmp_path / "x.png", "--page", "find")
    assert done.returncode == 0 and "bad.laz" in done.stderr


# Records


@pytest.fixture
def shelf(data, tmp_path):
    folder = tmp_path / "shelf"
    shutil.copytree(data, folder)
    return folder


def test_records_are_shown_and_checked(shelf, capsys):
    assert cli.main(["record", "show", str(shelf / "fissures_2031" / "fissures.shp")]) == 0
    out = capsys.readouterr().out
    assert "Fissures of Mount Serrick" in out and "Largest opening. Widest gap" in out
    assert cli.main(["record", "show", "--json", str(shelf / "elevation_2031.tif")]) == 0
    told = json.loads(capsys.readouterr().out)
    assert told[0]["values"]["contacts[1].email"] == "data@survey.tolvane.example"
    assert cli.main(["record", "check", "--schema", str(shelf / "ash_samples.geojson")]) == 1
    out = capsys.readouterr().out
    assert "5 of 9 filled in" in out and "fault: date" in out and "dateStamp" in out
    assert cli.main(["record", "check", str(shelf / "elevation_2031.tif.xml")]) == 0
    assert cli.main(["record", "check", "--json", "--standard", "inspire", str(shelf / "fissures_2031")]) == 1
    capsys.readouterr()
    assert cli.main(["record", "show", str(shelf / "vents.kml")]) == 1
    assert "it has no record" in capsys.readouterr().err


def test_records_are_converted_tabled_and_mended(shelf, tmp_path, capsys):
    shp = shelf / "fissures_2031" / "fissures.shp"
    assert cli.main(["record", "convert", str(shp), "iso19139"]) == 0
    assert "lost: fields of (entities)" in capsys.readouterr().out
    assert (shelf / "fissures_2031" / "fissures.shp.iso.xml").exists()
    assert cli.main(["record", "convert", str(shp), "dublincore", "-o", str(shelf / "elevation_2031.tif.xml")]) == 1
    assert "is there already" in capsys.readouterr().err
    assert cli.main(["record", "convert", str(shp), "nonsense"]) == 1
    assert "nonsense: no standard is called so" in capsys.readouterr().err
    out = tmp_path / "t.xlsx"
    assert cli.main(["record", "table", str(shelf), "--element", "contacts.email", "-o", str(out)]) == 0
    assert out.exists()
    template, ash = str(shelf / "templates" / "office_iso19139.xml"), shelf / "ash_samples.geojson"
    before = (shelf / "ash_samples.geojson.xml").read_bytes()
    assert cli.main(["record", "apply", template, str(ash)]) == 0
    assert (
        "Nothing was written" in capsys.readouterr().out and (shelf / "ash_samples.geojson.xml").read_bytes() == before
    )
    assert cli.main(["record", "apply", template, str(ash), str(shelf / "vents.kml"), "--write"]) == 0
    capsys.readouterr()
    assert cli.main(["record", "table", str(ash), str(shelf / "vents.kml"), "--element", "contacts.email"]) == 0
    assert capsys.readouterr().out.count("data@survey.tolvane.example") == 2


def test_records_are_flattened_and_handed_on(shelf, tmp_path, capsys):
    xml = str(shelf / "fissures_2031" / "fissures.shp.xml")
    assert cli.main(["record", "flatten", xml, "attr", "-o", str(tmp_path)]) == 0
    assert (tmp_path / "fissures_attr.csv").read_text().startswith("row,attrlabl")
    assert cli.main(["record", "flatten", xml, "nothing"]) == 1
    assert cli.main(["record", "page", str(shelf / "elevation_2031.tif.xml"), "-o", str(tmp_path / "p.html")]) == 0
    assert "data:image/png;base64" in (tmp_path / "p.html").read_text()
    assert cli.main(["record", "catalogue", str(shelf / "fissures_2031"), "-o", str(tmp_path / "c.ttl")]) == 0
    assert "dcat:Catalog" in (tmp_path / "c.ttl").read_text()
    capsys.readouterr()


def test_what_an_operation_works_on_may_stand_first_in_its_order(capsys):
    data = demo.DATA
    before, after = str(data / "elevation_2029.tif"), str(data / "elevation_2031.tif")
    assert cli.main(["grid-change", before, after, "--json"]) == 0
    placed = json.loads(capsys.readouterr().out)
    assert cli.main(["grid-change", after, "--before", before, "--json"]) == 0
    assert json.loads(capsys.readouterr().out) == placed
    for wrong, reason in (([before], "--after"), ([before, after, "more.tif"], "more.tif")):
        with pytest.raises(SystemExit):
            cli.main(["grid-change", *wrong])
        assert reason in capsys.readouterr().err.splitlines()[-1]


def test_the_console_of_a_terminal_has_the_layers_and_states_faults_in_a_line(tmp_path):
    def typed(project, *lines):
        console = [sys.executable, "-m", "brisk_atlas", "console", str(project)]
        own = {**os.environ, "BRISK_ATLAS_HOME": str(tmp_path)}
        return subprocess.run(console, input="\n".join([*lines, "exit", ""]), capture_output=True, text=True, env=own)

    done = typed(demo.PROJECT, "len(workspace.work.layers)", "Statistics('elevation_2029').run(workspace).unit",
                 "Export('nowhere', 'x.csv').run(workspace)", "show('x.csv')")  # fmt: skip
    printed = done.stdout + done.stderr
    assert done.returncode == 0 and "Out[1]: 11" in printed and "Out[2]: 'm'" in printed, printed
    assert "nowhere: 0 open layers" in printed and "Traceback" not in printed and "No window runs" in printed
    none = typed(tmp_path / "none.brisk.json")
    assert none.returncode == 1 and len(none.stderr.splitlines()) == 1 and "none.brisk.json" in none.stderr
