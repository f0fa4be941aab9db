"""Boreholes: what belongs to them, where they run, their logs in every dialect, and what is worked out."""

from __future__ import annotations

import json
import os
import tarfile
from dataclasses import replace
from pathlib import Path

import lasio
import numpy as np
import pyarrow as pa
import pyarrow.csv as arrow_csv
import pyogrio
import pytest
import shapely
from hypothesis import given, settings
from hypothesis import strategies as st
from PIL import Image

from brisk_atlas import cli, demo
from brisk_atlas.core import read
from brisk_atlas.core.model import AtlasError, CannotRead, CannotWrite, DataRef, OpenOptions
from brisk_atlas.core.model.hole_choices import HoleChoices, HoleMarker, HoleTable, TableRole
from brisk_atlas.core.model.open_options import Columns
from brisk_atlas.core.place.hole_path import minimum_curvature, straight
from brisk_atlas.core.strip.holes.curve_names import category_of
from brisk_atlas.core.strip.holes.depth_words import depths_in_name, descriptions_in
from brisk_atlas.core.strip.holes.derive import (
    doubtful_rocks,
    expression_curve,
    net_of_gross,
    resampled,
    without_spikes,
)
from brisk_atlas.core.strip.holes.find_holes import holes_of
from brisk_atlas.core.strip.holes.hole_list import HoleFilter, fitting_holes, holes_in
from brisk_atlas.core.strip.holes.hole_numbers import numbers_of, write_las
from brisk_atlas.core.strip.holes.hole_reading import reading_of, value_at
from brisk_atlas.core.strip.holes.hole_set import HoleCurve
from brisk_atlas.core.strip.holes.log_drawing import depths_shown, measured_of
from brisk_atlas.core.strip.holes.read_hole import read_hole
from brisk_atlas.core.strip.holes.tracks import DepthScale, DepthZero
from brisk_atlas.core.workspace import Workspace

FOLDER = demo.DATA / "boreholes"
TRUTH = json.loads((demo.DATA.parent / "truth.json").read_text())
PLACED = OpenOptions(crs="EPSG:32727", columns=Columns("easting", "northing"))


@pytest.fixture
def survey():
    """A workspace with the demo's collars placed, and their holes."""
    with Workspace() as workspace:
        (layer,) = workspace.open(FOLDER / "collars.csv", PLACED)
        yield workspace, layer, holes_of(workspace.cache, layer)


def data_of(survey, name):
    workspace, _, holes = survey
    return read_hole(workspace.cache, holes.holes[holes.named(name)])


# Where they run


def test_minimum_curvature_is_that_of_a_published_example_and_of_a_circle():
    # Bourgoyne, A.T. et al. (1986), Applied Drilling Engineering, SPE Textbook Series 2, chapter 8: from 3,500 ft at 15
    # degrees towards 20 to 3,600 ft at 25 degrees towards 45.
    path = minimum_curvature(np.array([3500.0, 3600.0]), np.array([15.0, 25.0]), np.array([20.0, 45.0]))
    steps = [np.diff(each)[-1] for each in (path.north, path.east, path.down)]
    assert steps == pytest.approx([27.22, 19.45, 94.01], abs=0.01)
    radius = 900 / (np.pi / 2)
    quarter = minimum_curvature(np.array([0.0, 900.0]), np.array([0.0, 90.0]), np.array([90.0, 90.0]))
    assert quarter.position_at([900.0, 450.0, 1000.0]) == pytest.approx(
        np.array(
            [[radius, 0, radius], [radius * (1 - np.sqrt(0.5)), 0, radius * np.sqrt(0.5)], [radius + 100, 0, radius]]
        )
    )


@settings(max_examples=40, deadline=None)
@given(st.integers(1, 12), st.integers(0, 2**31))
def test_positions_along_a_path_are_as_far_from_each_other_as_depths_and_come_back(stations, seed):
    random = np.random.default_rng(seed)
    measured = np.cumsum(random.uniform(20, 60, stations))
    path = minimum_curvature(measured, random.uniform(0, 60, stations), random.uniform(0, 360, stations))
    fine = np.linspace(0, measured[-1] + 30, 4000)
    xyz = path.position_at(fine)
    along = np.hypot.reduce(np.diff(xyz, axis=0), axis=1)
    assert along == pytest.approx(np.diff(fine), rel=1e-3)  # the arc is as long as the hole
    inside = fine[fine <= measured[-1]]
    down = path.vertical_at(inside)
    if (np.diff(down) > 0).all():
        assert path.measured_at(down) == pytest.approx(inside, abs=0.3)
    assert np.isnan(path.measured_at(down.max() + 50)[0])


def test_odd_stations_are_put_in_order_or_left_out():
    path = minimum_curvature(
        np.array([60.0, 20.0, np.nan, 60.0, 90.0]),
        np.array([10.0, 0.0, 3.0, 11.0, np.nan]),
        np.array([0.0, 0, 0, 0, 0]),
    )
    assert path.measured.tolist() == [0, 20, 60] and path.inclination.tolist() == [0, 0, 10]
    assert len(minimum_curvature(np.empty(0), np.empty(0), np.empty(0)).measured) == 1
    assert straight(100, 90, 60).position_at(100)[0] == pytest.approx([50, 0, 100 * np.sin(np.radians(60))])


def test_the_deviated_hole_of_the_demo_ends_where_its_circle_ends(survey):
    hole = data_of(survey, "TG-5").hole
    end = hole.way.position_at(hole.length)[0]
    truth = TRUTH["deviated"]
    assert hole.deviates and end == pytest.approx([truth["east_m"], truth["north_m"], truth["down_m"]], abs=1e-6)
    assert not data_of(survey, "TG-1").hole.deviates
    data = data_of(survey, "TG-5")
    vertical = DepthScale(vertical=True)
    sea_feet = DepthScale(zero=DepthZero.SEA, feet=True)
    assert depths_shown(data, hole.length, vertical)[0] == pytest.approx(truth["down_m"])
    assert depths_shown(data, 0.0, sea_feet)[0] == pytest.approx(-hole.elevation / 0.3048)
    at = np.array([0.0, 130.0, 250.0, 400.0])
    for scale in (vertical, sea_feet, DepthScale(feet=True)):
        assert measured_of(data, depths_shown(data, at, scale), scale) == pytest.approx(at, abs=0.2)


# What belongs to them


def test_the_demo_is_recognised_with_what_each_hole_has(survey):
    _, _, holes = survey
    has = {hole.name: hole.has() for hole in holes.holes}
    assert has["TG-1"] == ("intervals", "log", "descriptions", "photographs")
    assert has["TG-5"] == ("deviation survey", "intervals", "log", "descriptions")
    assert has["TG-6"] == ("intervals", "log") and has["TG-7"] == ("intervals",)
    assert [(p.top, p.base) for p in holes.holes[0].pictures] == [(155, 160), (434, 439)]
    data = data_of(survey, "TG-2")
    rocks = next(each for each in data.intervals if each.name == "rock")
    own = [row for row in arrow_csv.read_csv(FOLDER / "intervals.csv").to_pylist() if row["hole_id"] == "TG-2"]
    assert rocks.values == tuple(row["rock"] for row in own)
    assert rocks.top.tolist() == [row["from_m"] for row in own] and rocks.base[-1] == 480.0
    assert [t.top for t in data.texts] == rocks.top.tolist() and data.texts[0].text.startswith("ash and soil:")
    assert data.curve("GR").category == "Radioactivity" and len(data.curve("GR").depth) == TRUTH["logs"]["TG-2"]
    assert data.depth_range == (0.0, 480.0) and not data.remarks


def test_holes_are_filtered_by_what_there_is_length_date_words_and_region(survey, tmp_path):
    workspace, _, holes = survey
    names = lambda **by: [holes.holes[n].name[-1] for n in fitting_holes(holes, HoleFilter(**by))]  # noqa: E731
    assert names(has=("photographs",)) == ["1", "2", "3", "4"] and names(has=("log",), longest=400.0) == ["6"]
    assert names(has=("temperature", "deviation survey")) == ["5"]  # what was logged
    assert names(begin="2031-09-10") == ["6", "7"] and names(text="percussion") == ["7"]
    assert names(within=(509_000, 5_770_000, 510_000, 5_771_000), crs="EPSG:32727") == ["1", "6"]
    area = shapely.box(-20.92, -38.3, -20.9, -38.0)
    path = tmp_path / "r.geojson"
    path.write_text(json.dumps({"type": "Feature", "properties": {}, "geometry": json.loads(shapely.to_geojson(area))}))
    (region,) = workspace.open(path)
    assert [holes.holes[n].name for n in holes_in(workspace.cache, holes, region)] == ["TG-3", "TG-7", "TG-5", "TG-2"][:0] + [
        hole.name for hole in holes.holes if hole.xy[0] < 508_740
    ]  # fmt: skip


def written_collection(folder):
    """Write collars, intervals in feet under other names, samples, and photographs that are odd."""
    folder.mkdir()
    (folder / "wells.csv").write_text("well,x,y,rl,td\nA 1,0,0,5,100\nA 12,50,0,6,\nB,9,9,7,30\n")
    (folder / "strata.csv").write_text(
        "Bore,top_ft,base_ft,unit\nA-1,0,10,sand\nA-1,30,10,clay\nA-1,25,40,clay\nA-1,,50,rock\nC,0,1,x\n"
    )
    (folder / "samples.csv").write_text("hole,depth,gold,note\nA1,12,0.5,ok\nA1,4,,low\nb,7,2,\n")
    (folder / "other.csv").write_text("a,b\n1,2\n")
    (folder / "broken.las").write_text("~V\n VERS. 2.0 :\n")
    for name in ("A 1_10-12m.png", "A 12_box 3.png", "A-12 20ft.png", "B_1-2m.jpg"):
        Image.new("RGB", (8, 4)).save(folder / name)
    (folder / "a1_notes.txt").write_bytes(
        "5 m: brown, fï¿½ne\n  and wet\n8,5 - 9 m  grå leire\n".encode("latin-1", "replace")
    )
    return folder / "wells.csv"


def test_names_in_other_dialects_feet_overlaps_and_what_cannot_be_read(tmp_path):
    collars = written_collection(tmp_path / "c")
    with Workspace() as workspace:
        (layer,) = workspace.open(collars)
        holes = holes_of(workspace.cache, layer)
        assert [hole.name for hole in holes.holes] == ["A 1", "A 12", "B"]
        first, second, third = (read_hole(workspace.cache, hole) for hole in holes.holes)
        unit = next(each for each in first.intervals if each.name == "unit")
        assert unit.top == pytest.approx([0, 3.048, 7.62]) and unit.values == ("sand", "clay", "clay")
        assert unit.base == pytest.approx([3.048, 9.144, 12.192])
        said = "; ".join(first.remarks)
        assert "1 intervals end above their begin" in said and "1 intervals without a depth" in said
        assert "1 intervals begin above the end of the one before" in said
        assert first.curve("gold").depth.tolist() == [4, 12] and np.isnan(first.curve("gold").values[0])
        assert first.curve("note").texts == ("low", "ok") and [t.top for t in first.texts] == [5, 8.5]
        assert "grå leire" in first.texts[1].text and first.texts[0].text.endswith("and wet")
        assert [p.top for p in second.hole.pictures] == pytest.approx([6.096]) and second.hole.length is None
        assert any("broken.las can't be read" in remark for remark in holes.remarks)
        assert {t.role for t in holes.tables if t.ref.name == "other.csv"} == {TableRole.NOT_USED}
        (tmp_path / "c" / "B_1-2m.jpg").unlink()
        assert read_hole(workspace.cache, third.hole).remarks == ("B_1-2m.jpg is missing",)


def test_columns_that_the_analyst_states_win_and_are_saved(tmp_path):
    (tmp_path / "collars.csv").write_text("hole,x,y,depth\nH1,0,0,20\n")
    (tmp_path / "odd.csv").write_text("nr,von,bis,art\nH1,0,4,Sand\nH1,4,20,Ton\n")
    with Workspace() as workspace:
        (layer,) = workspace.open(tmp_path / "collars.csv")
        holes = holes_of(workspace.cache, layer)
        (table,) = holes.tables
        assert table.role is TableRole.NOT_USED and holes.holes[0].has() == ()
        stated = HoleTable(table.ref, TableRole.INTERVALS, "nr", "von", "bis", reason="you stated it")
        choices = HoleChoices((stated,), (HoleMarker("top of clay", "H1", 4.0),))
        workspace.work.change("state", layer.id, holes=choices)
        layer = workspace.work.layer(layer.id)
        data = read_hole(workspace.cache, holes_of(workspace.cache, layer).holes[0])
        assert data.intervals[0].values == ("Sand", "Ton")
        workspace.save_project(tmp_path / "p.brisk.json")
    with Workspace() as workspace:
        assert not workspace.open_project(tmp_path / "p.brisk.json")
        assert workspace.work.layers[0].holes == choices


def test_a_layer_without_holes_is_refused_and_logs_stand_alone():
    with Workspace() as workspace:
        (layer,) = workspace.open(demo.DATA / "gas_stations.csv")
        with pytest.raises(AtlasError, match="none of its fields names a hole"):
            holes_of(workspace.cache, layer)
        (log,) = workspace.open(FOLDER / "tg-3.las")
        holes = holes_of(workspace.cache, log, workspace.work.layers)
        assert [hole.name for hole in holes.holes] == ["TG-3"] and holes.holes[0].xy is None
        assert dict(holes.holes[0].facts)["collar elevation"].startswith("406.9")


@pytest.mark.parametrize(
    ("name", "depths"),
    [("tg-1_155-160m", (155, 160)), ("-0100.5-0105", (100.5, 105)), ("dsc_0012", None), ("core 2031-09-02", None),
     ("box 4 30,5 m", (30.5, 30.5)), ("100ft-110ft", (30.48, 33.528)), ("a_20-10m", (10, 20))],
)  # fmt: skip
def test_depths_are_read_out_of_names(name, depths):
    assert depths_in_name(name) == (pytest.approx(depths) if depths is not None else None)


def test_descriptions_are_read_line_by_line():
    found = descriptions_in("head\n 0.0 -  3.3 m  ash: loose\n  more\n@ 4 m: pyrite\n12ft\tvein\nx 5 m no\n")
    assert [(round(t.top, 2), round(t.base, 2)) for t in found] == [(0, 3.3), (4, 4), (3.66, 3.66)]
    assert found[0].text == "ash: loose more" and found[2].text == "vein x 5 m no"


def test_mnemonics_have_categories():
    assert [category_of(*each) for each in (("GR:2",), ("ILD", "OHMM"), ("Q1", "us/ft"), ("X", "", "bulk density"), ("ZZ",))] == [
        "Radioactivity", "Resistivity", "Sound", "Density", "Other"]  # fmt: skip


# Logs


def test_logs_that_go_upwards_repeat_depths_or_hold_words_are_shown_for_what_they_are(tmp_path):
    head = "~V\n VERS. 2.0 :\n WRAP. NO :\n~W\n NULL. -999.25 :\n WELL. W-1 :\n~C\n DEPT.F :\n GR.GAPI :\n GR.GAPI :\n ROCK. :\n~A\n"
    (tmp_path / "w-1.las").write_text(head + "30 3 -999.25 sand\n20 2 5 clay\n20 2.5 6 clay\n10 1 7 silt\n")
    with Workspace() as workspace:
        (layer,) = workspace.open(tmp_path / "w-1.las")
        data = read_hole(workspace.cache, holes_of(workspace.cache, layer).holes[0])
    names = [curve.name for curve in data.curves]
    assert names == ["GR:1", "GR:2", "ROCK"] and data.curve("GR:1").depth == pytest.approx([3.048, 6.096, 6.096, 9.144])
    assert data.curve("GR:1").values.tolist() == [1, 2, 2.5, 3] and np.isnan(data.curve("GR:2").values[-1])
    assert data.curve("ROCK").texts == ("silt", "clay", "clay", "sand")
    said = "; ".join(data.remarks)
    assert "go back" in said or "go upwards" in said
    assert "1 depths occur more than once" in said


def test_sections_of_las_three_become_tables(tmp_path):
    path = tmp_path / "three.las"
    path.write_text(
        "~Version\nVERS. 3.0 : v\nWRAP. NO :\nDLM. COMMA :\n~Well\nSTRT.M 10 :\nNULL. -999.25 :\nWELL. T-9 : WELL\n"
        "~Log_Definition\nDEPT.M : depth {F}\nGR.GAPI : gamma {F}\nFACIES. : word {S}\n"
        "~Log_Data | Log_Definition\n10,1.5,\"mud, soft\"\n11,-999.25,sand\n# remark\n12,3\n"
        "~Core_Definition[1]\nC_TOP.M : top {F}\nC_BASE.M : base {F}\nLITH. : lithology {S}\n"
        "~Core_Data[1] | Core_Definition[1]\n10,11,tuff\n11,12,lava\n~Odd_Data | Nothing\n1,2\n"
    )  # fmt: skip
    dataset = read.open(path)
    assert dataset.format == "LAS 3.0 log" and [part.facts.name for part in dataset.parts] == ["T-9", "core"]
    log, core = (part.rows().to_pydict() for part in dataset.parts)
    assert log == {"DEPT": [10, 11], "GR": [1.5, None], "FACIES": ["mud, soft", "sand"]}
    assert core == {"C_TOP": [10, 11], "C_BASE": [11, 12], "LITH": ["tuff", "lava"]}
    assert dataset.parts[0].facts.fields[1].unit == "GAPI" and dataset.parts[0].facts.fields[1].meaning == "gamma"
    assert "1 lines of LOG_DATA" in dataset.warnings[0] and "no definition" in dataset.warnings[1]
    path.write_text("~Version\nVERS. 3.0 :\n~Well\nWELL. X :\n")
    with pytest.raises(CannotRead, match="no section with columns"):
        read.open(path)


def test_sections_of_las_three_belong_to_their_hole(tmp_path):
    path = tmp_path / "t.las"
    path.write_text(
        "~Version\nVERS. 3.0 :\nDLM. COMMA :\n~Well\nWELL. T-9 :\n~Log_Definition\nDEPT.M : depth\nGR.GAPI : gamma\n"
        "~Log_Data | Log_Definition\n0,1\n100,2\n~Core_Definition\nCORET.M : Core Top Depth\nCOREB.M : Core Bottom Depth\n"
        "CDES. : words {S}\n~Core_Data | Core_Definition\n10,20,tuff\n~Inclinometry_Definition\nMD.M : Measured Depth\n"
        "AZIM.DEG : Azimuth\nDEVI.DEG : Borehole Deviation\n~Inclinometry_Data | Inclinometry_Definition\n0,90,60\n100,90,60\n"
    )  # fmt: skip
    with Workspace() as workspace:
        layers = workspace.open(path)
        (hole,) = holes_of(workspace.cache, layers[-1], workspace.work.layers).holes
        data = read_hole(workspace.cache, hole)
    assert set(hole.has()) == {"log", "intervals", "deviation survey"}
    assert data.intervals[0].values == ("tuff",) and data.intervals[0].top.tolist() == [10]
    assert hole.way.position_at(100.0)[0] == pytest.approx([100 * np.sin(np.radians(60)), 0, 50])


def samples():
    """Return the sample files in the source of the library that reads logs."""
    home = Path(os.environ.get("BRISK_ATLAS_SAMPLES", Path(__file__).parents[2] / ".venv" / "samples"))
    found = sorted(home.glob("lasio-*.tar.gz"))
    if not found and os.environ.get("CI") != "true":
        pytest.skip("the library's samples are not here")
    assert found, "the library's samples are not here"
    return found[-1]


def test_every_sample_of_the_library_is_read_as_the_library_reads_it(tmp_path):
    with tarfile.open(samples()) as archive:
        archive.extractall(tmp_path, filter="data")
    same, refused = 0, []
    for path in sorted(tmp_path.rglob("*.[lL][aA][sS]")):
        try:
            theirs = lasio.read(path, ignore_header_errors=True)
            empty = not len(theirs.curves) or not len(theirs.index)
        except Exception:  # the library has no error of its own for each of them
            theirs, empty = None, True
        try:
            ours = read.open(path).parts[0].rows()
        except CannotRead:
            refused.append(path.name)
            assert empty, path.name
            continue
        assert theirs is not None and ours.column_names == theirs.keys(), path.name
        for curve in theirs.curves:
            values = np.asarray(curve.data)
            if values.dtype.kind in "fiu":
                assert ours.column(curve.mnemonic).to_numpy()[: len(values)] == pytest.approx(values, nan_ok=True), (
                    path.name
                )
            else:
                words = [
                    "nan" if value is None else str(value).strip() for value in ours.column(curve.mnemonic).to_pylist()
                ]
                assert words[: len(values)] == [str(value).strip() for value in values.tolist()], path.name
        same += 1
    assert same > 100 and len(refused) < 15


def test_a_dlis_file_says_what_its_own_library_says(tmp_path):
    import dlisio
    from dliswriter import DLISFile

    depth, image = np.arange(100, 130, 0.5), np.arange(240.0).reshape(60, 4)
    gamma = np.where(depth > 120, -999.25, depth / 2)
    file = DLISFile()
    logical = file.add_logical_file()
    logical.add_origin("ORIGIN", well_name="TG-9", field_name="Serrick", file_set_number=1)
    channels = [logical.add_channel("DEPTH", data=depth, units="m"), logical.add_channel("GR", data=gamma, units="gAPI"),
                logical.add_channel("AMP", data=image), logical.add_channel("WIDE", data=np.zeros((60, 80)))]  # fmt: skip
    logical.add_frame("MAIN", channels=channels, index_type="BOREHOLE-DEPTH")
    path = tmp_path / "tg-9.dlis"
    file.write(path)
    dataset = read.open(path)
    (part,) = dataset.parts
    assert (dataset.format, part.facts.name, part.facts.count) == ("DLIS log", "TG-9", 60)
    rows = part.rows()
    with dlisio.dlis.load(str(path)) as files:
        curves = files[0].frames[0].curves()
    assert rows.column("DEPTH").to_numpy().tolist() == curves["DEPTH"].tolist()
    assert (
        rows.column("GR").null_count == (depth > 120).sum()
        and rows.column("AMP 3").to_pylist() == curves["AMP"][:, 2].tolist()
    )
    assert "WIDE" in dataset.warnings[0] and "WIDE" not in rows.column_names
    assert [f.unit for f in part.facts.fields[:2]] == ["m", "gAPI"] and part.facts.notes["well"] == "TG-9"
    with Workspace() as workspace:
        (layer,) = workspace.open(path)
        data = read_hole(workspace.cache, holes_of(workspace.cache, layer).holes[0])
    assert data.curve("GR").depth[0] == 100 and data.hole.name == "TG-9"
    path.write_bytes(path.read_bytes()[:200])
    with pytest.raises(CannotRead, match="not a whole DLIS file"):
        read.open(path).parts[0].rows()


def test_curves_are_written_as_las_and_come_back(survey, tmp_path):
    data = data_of(survey, "TG-1")
    assert write_las(data, ["GR", "RHOB"], tmp_path / "o.las") == TRUTH["logs"]["TG-1"]
    back = lasio.read(tmp_path / "o.las")
    assert back.keys() == ["DEPT", "GR", "RHOB"] and back.well.WELL.value == "TG-1" and back.curves.GR.unit == "GAPI"
    assert back["GR"] == pytest.approx(data.curve("GR").values, rel=1e-5, nan_ok=True)
    assert (
        write_las(data, ["GR"], tmp_path / "s.las", step=2.0) == 311
        and lasio.read(tmp_path / "s.las").well.STEP.value == 2
    )
    with pytest.raises(CannotWrite, match="no curve with numbers"):
        write_las(data, ["rock"], tmp_path / "n.las")
    with pytest.raises(CannotWrite, match="Choose a larger step"):
        write_las(data, ["GR"], tmp_path / "n.las", step=1e-6)


# What is worked out


def curve_of(depth, values, name="Q"):
    return HoleCurve(name, "", "", np.asarray(depth, float), np.asarray(values, float), "Other", "test")


def test_numbers_of_what_is_in_sight_have_intervals_and_depths_as_they_are_stated(survey):
    data = data_of(survey, "TG-5")
    table = numbers_of(data, ["GR", "rock"], DepthScale(vertical=True), (300.0, 302.0))
    assert table.column("depth_m").to_pylist() == [300, 300.5, 301, 301.5, 302]
    assert table.column_names[1] == "depth vertical, from the collar, m"
    assert table.column(1)[0].as_py() == pytest.approx(data.hole.way.vertical_at(300.0)[0])
    rocks = next(each for each in data.intervals if each.name == "rock")
    at = int(np.searchsorted(rocks.top, 300.0, "right")) - 1
    assert table.column("rock")[0].as_py() == rocks.values[at]
    words = reading_of(data, ["GR", "rock", "CALI"], 300.1, DepthScale())
    assert words[0] == "TG-5 at 300.1 m" and f"rock {rocks.values[at]}" in words
    assert (
        value_at(data.curve("GR"), 300.1) == data.curve("GR").values[600] and value_at(data.curve("GR"), 470.0) is None
    )


def test_expressions_steps_and_spikes(survey):
    data = data_of(survey, "TG-1")
    found = expression_curve(data, "porosity", "(2.65 - RHOB) / 1.65 + 0 * depth_m")
    assert found.values == pytest.approx((2.65 - data.curve("RHOB").values) / 1.65)
    with pytest.raises(AtlasError):
        expression_curve(data, "x", "NOTHING + 1")
    ragged = curve_of([0, 0.4, 0.6, 2.0, 3.0], [1, 3, 5, 7, np.nan])
    coarse = resampled(ragged, 1.0)
    assert (
        coarse.depth.tolist() == [0, 1, 2, 3] and coarse.values[:3].tolist() == [2, 5, 7] and np.isnan(coarse.values[3])
    )
    fine = resampled(curve_of([0, 10], [0, 10]), 2.5)
    assert fine.values.tolist() == [0, 2.5, 5, 7.5, 10]
    smooth = np.sin(np.arange(200) / 20) + np.random.default_rng(1).normal(0, 0.01, 200)
    smooth[77] += 4
    clean = without_spikes(curve_of(np.arange(200), smooth))
    assert np.flatnonzero(np.isnan(clean.values)).tolist() == [77]
    with pytest.raises(AtlasError, match="is no step"):
        resampled(ragged, 0.0)


def test_net_of_gross_is_the_thickness_that_each_value_stands_for():
    curve = curve_of([0, 1, 2, 3, 4], [5, 1, np.nan, 9, 9])
    found = net_of_gross(curve, 5.0, 0.0, 4.0)
    assert (found.gross, found.net, found.unknown) == (4, 2.0, 1.0) and found.mean == pytest.approx(
        (5 * 0.5 + 9 * 1.5) / 2
    )
    assert net_of_gross(curve, 5.0, 0.0, 4.0, above=False).net == 1.5
    assert net_of_gross(curve, 5.0, 10.0, 14.0).net == 0 and np.isnan(net_of_gross(curve, 5.0, 4.0, 4.0).share)


def test_an_interval_under_a_wrong_name_is_doubted(survey):
    data = data_of(survey, "TG-1")
    rocks = next(each for each in data.intervals if each.name == "rock")
    names = ["GR", "RHOB", "DT"]
    assert doubtful_rocks(data, rocks, names) == ()
    n = next(n for n, value in enumerate(rocks.values) if value == "basalt flow" and rocks.base[n] - rocks.top[n] > 10)
    wrong = replace(rocks, values=(*rocks.values[:n], "lapilli tuff", *rocks.values[n + 1 :]))
    (doubt,) = doubtful_rocks(data, wrong, names)
    assert (doubt.top, doubt.stated, doubt.looks_like) == (
        rocks.top[n],
        "lapilli tuff",
        "basalt flow",
    ) and doubt.share > 0.8
    with pytest.raises(AtlasError, match="no curve"):
        doubtful_rocks(data, rocks, [])


def test_all_of_some_holes_goes_into_a_folder_and_is_recognised_there(tmp_path, capsys):
    source = ["holes", "write", "--source", str(FOLDER / "collars.csv"), "--hole", "TG-5", "tg_2"]
    assert cli.main([*source, "--folder", str(tmp_path / "own")]) == 0
    names = {path.name for path in (tmp_path / "own").iterdir()}
    assert names == {"collars.csv", "intervals.csv", "deviation.csv", "tg-2.las", "tg-5.las", "tg-2_description.txt",
                     "tg-5_description.txt", "tg-2_120-125m.jpg", "tg-2_336-341m.jpg"}  # fmt: skip
    assert (tmp_path / "own" / "tg-5.las").read_bytes() == (FOLDER / "tg-5.las").read_bytes()
    with Workspace() as workspace:
        (layer,) = workspace.open(tmp_path / "own" / "collars.csv", PLACED)
        holes = holes_of(workspace.cache, layer)
        assert {hole.name: hole.has() for hole in holes.holes} == {
            "TG-5": ("deviation survey", "intervals", "log", "descriptions"),
            "TG-2": ("intervals", "log", "descriptions", "photographs"),
        }
    capsys.readouterr()
    assert cli.main([*source, "--folder", str(FOLDER)]) == 1 and "holds files already" in capsys.readouterr().err


def test_tables_of_a_geopackage_belong_to_its_collars(tmp_path):
    path = tmp_path / "holes.gpkg"
    points = shapely.to_wkb(shapely.points([[500_000, 5_770_000], [500_100, 5_770_000]]))
    collars = pa.table({"geom": points, "bore_id": ["K1", "K2"], "total_depth": [50.0, 40.0]})
    pyogrio.write_arrow(collars, path, layer="collars", geometry_name="geom", geometry_type="Point", crs="EPSG:32727")
    layers = pa.table(
        {"bore": ["K1", "K1", "K2"], "top": [0.0, 20, 0], "bottom": [20.0, 50, 40], "soil": ["sand", "clay", "silt"]}
    )
    pyogrio.write_arrow(layers, path, layer="layers", append=True)
    with Workspace() as workspace:
        (layer,) = workspace.open(DataRef.file(path).with_part("collars"))
        holes = holes_of(workspace.cache, layer)
        data = read_hole(workspace.cache, holes.holes[0])
    assert data.intervals[0].values == ("sand", "clay") and data.hole.length == 50 and data.hole.crs == "EPSG:32727"


def test_the_commands_list_holes_and_write_their_logs(tmp_path, capsys):
    source = ["--source", str(FOLDER / "collars.csv")]
    assert cli.main(["holes", "list", *source, "--has", "log", "--shortest", "500"]) == 0
    said = capsys.readouterr().out
    assert "TG-1" in said and "TG-2" not in said and "2 of 7 holes" in said and "from_m and to_m are where" in said
    assert cli.main(["holes", "log", *source, "--hole", "TG-4", "--out", str(tmp_path / "n.csv"), "--sea"]) == 0
    table = arrow_csv.read_csv(tmp_path / "n.csv")
    assert "rock" in table.column_names and table.column(1)[0].as_py() == pytest.approx(-238.4)
    assert (
        cli.main(["holes", "log", *source, "--hole", "TG-4", "--out", str(tmp_path / "n.las"), "--curves", "DT"]) == 0
    )
    assert lasio.read(tmp_path / "n.las").keys() == ["DEPT", "DT"]
    capsys.readouterr()
    assert cli.main(["holes", "log", *source, "--hole", "TG-9", "--out", str(tmp_path / "n.pdf")]) == 1
    assert "There are: TG-1" in capsys.readouterr().err
    both = ["--hole", "TG-1", "TG-2"]
    assert cli.main(["holes", "log", *source, *both, "--out", str(tmp_path / "m.csv")]) == 1
    assert cli.main(["holes", "log", *source, "--out", str(tmp_path / "m.doc")]) == 1
