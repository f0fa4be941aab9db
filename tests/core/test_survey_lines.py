"""Lines of surveys: MGD77 in both forms, what is damaged, the list, checks, crossovers and levelling."""

from __future__ import annotations

import filecmp
import json
from dataclasses import replace

import numpy as np
import pyarrow as pa
import pyarrow.csv
import pyogrio
import pytest
import shapely
from hypothesis import given, settings
from hypothesis import strategies as st

from brisk_atlas import cli, demo
from brisk_atlas.core import read
from brisk_atlas.core.handover.mgd77 import write_survey
from brisk_atlas.core.model import AtlasError, CannotRead, CannotWrite, ComputedField, DataRef
from brisk_atlas.core.read.mgd77_layout import CODES, NUMBERS
from brisk_atlas.core.read.survey_header import header_of, headers_of
from brisk_atlas.core.strip.crossovers import crossovers_of, table_of_crossovers
from brisk_atlas.core.strip.levelling import level, levelled_expression
from brisk_atlas.core.strip.line_checks import LineFault, check_lines
from brisk_atlas.core.strip.line_list import LineFilter, fitting, list_lines
from brisk_atlas.core.strip.survey_lines import LineLayer, LineSet, chosen_lines, line_set
from brisk_atlas.core.table import rows_of
from brisk_atlas.core.workspace import Workspace

FOLDER = demo.DATA / "boat_lines"
TRUTH = json.loads((demo.DATA.parent / "truth.json").read_text())


@pytest.fixture
def surveys():
    """A workspace with the folder of surveys as one layer, and its lines."""
    with Workspace() as workspace:
        (layer,) = workspace.open(FOLDER)
        yield workspace, layer, line_set(workspace.cache, layer)


def rows(path):
    return read.open(path).parts[0].rows()


def test_surveys_that_were_not_changed_are_written_byte_for_byte_whatever_is_in_them(tmp_path):
    odd = (FOLDER / "tso2903.mgd77").read_bytes().replace(b"\n", b"\r\n")
    odd = odd[:2100].replace(b"HALVOREN", b"HALV\xd8REN") + odd[2100:-30]  # Latin-1, CRLF, and a last record cut short
    for n, content in enumerate((odd, (FOLDER / "tso2901.mgd77").read_bytes().rstrip(b"\n"))):
        source, target = tmp_path / f"s{n}.mgd77", tmp_path / f"t{n}.mgd77"
        source.write_bytes(content)
        table = rows(source)
        write_survey(table, target, name="S", source=source, rows=np.arange(table.num_rows))
        assert filecmp.cmp(source, target, shallow=False)
    assert "HALVØREN" in header_of(tmp_path / "s0.mgd77").stated("chief scientist")


def test_one_changed_value_changes_its_own_columns_alone_and_a_selection_of_records_the_header_not(tmp_path):
    source, target = FOLDER / "tso2901.mgd77", tmp_path / "t.mgd77"
    table, lines = rows(source), source.read_bytes().split(b"\n")
    depth = table.column("depth_m").to_numpy().copy()
    depth[7], depth[9] = -12.5, np.nan
    new = table.set_column(table.column_names.index("depth_m"), "depth_m", pa.array(depth, from_pandas=True))
    write_survey(new, target, name="S", source=source, rows=np.arange(len(new)))
    written = target.read_bytes().split(b"\n")
    assert [n for n, (a, b) in enumerate(zip(lines, written)) if a != b] == [24 + 7, 24 + 9]
    assert written[31][51:57] == b"-00125" and written[31][:51] + written[31][57:] == lines[31][:51] + lines[31][57:]
    assert written[33][51:57] == b"999999"
    some = np.array([3, 50, 51])
    write_survey(table.take(pa.array(some)), target, name="S", source=source, rows=some)
    assert target.read_bytes().split(b"\n")[:-1] == [*lines[:24], *(lines[24 + n] for n in some)]


def test_a_survey_without_a_source_gets_a_header_and_comes_back(tmp_path):
    table, target = rows(FOLDER / "tso2906.mgd77"), tmp_path / "t.mgd77"
    write_survey(table, target, name="NEW")
    back = rows(target)
    assert back.drop_columns(["survey"]).equals(table.drop_columns(["survey"]))
    header = header_of(target)
    assert (header.stated("survey identifier"), header.stated("departure")) == ("NEW", "2029-04-07")
    assert [header.stated(word) for word in ("depths", "magnetics", "high-resolution seismics")] == [
        "collected", "collected", "not collected"]  # fmt: skip
    deep = table.set_column(table.column_names.index("depth_m"), "depth_m", pa.array(np.full(len(table), 1e6)))
    with pytest.raises(CannotWrite, match="longer than the format has room"):
        write_survey(deep, target, name="NEW")
    with pytest.raises(CannotWrite, match="no field time"):
        write_survey(table.drop_columns(["time"]), target, name="NEW")


def test_the_tabular_form_says_the_same(tmp_path):
    table = rows(FOLDER / "tso2901.mgd77")
    when = table.column("time").to_numpy()
    minutes = (when - when.astype("datetime64[h]")).astype(np.int64) / 60_000
    columns = {"SURVEY_ID": table.column("survey"), "TIMEZONE": pa.array(["-1"] * len(table))}
    later = when + np.timedelta64(1, "h")  # of a clock that is an hour ahead
    columns["DATE"] = pa.array([str(each)[:10].replace("-", "") for each in later.astype("datetime64[D]")])
    columns["TIME"] = pa.array([f"{str(h)[11:13]}{m:06.3f}" for h, m in zip(later.astype("datetime64[h]"), minutes)])
    for field in (*NUMBERS, *CODES):
        if field.name in table.column_names:
            texts = ["" if value is None else str(value) for value in table.column(field.name).to_pylist()]
            columns[field.tabular] = pa.array(texts)
    lines = ["\t".join(columns), *("\t".join(map(str, row.values())) for row in pa.table(columns).to_pylist())]
    path = tmp_path / "tso2901.m77t"
    path.write_text("\n".join(lines) + "\n")
    (tmp_path / "tso2901.h77t").write_text(
        "SURVEY_ID\tPARAMS_CO\tPLATFORM\tDATE_DEP\tVDATUM_CO\tOWN\nTSO2901\t55111\tSV PETREL\t20290402\t77\tx\n"
    )
    found = rows(path)
    assert found.column_names == table.column_names
    assert all(found.column(n).equals(table.column(n)) for n in table.column_names)
    header = header_of(path)
    assert header.stated("vessel") == "SV PETREL" and header.stated("magnetics") == "collected"
    assert header.stated("vertical datum of depths") == "code 77, which the format does not name"
    assert header.stated("OWN") == "x"
    coded = {each.words for each in header.entries if each.coded}  # which are the format's own words, to be translated
    assert "magnetics" in coded and coded.isdisjoint({"vessel", "vertical datum of depths", "OWN"})
    path.write_text("\n".join([lines[0], lines[1].replace("2606.7", "deep"), lines[2]]) + "\n")
    assert "1 record is damaged" in read.open(path).warnings[0] and rows(path).column("depth_m")[0].as_py() is None
    path.write_text("A\tB\n1\t2\n")
    with pytest.raises(CannotRead, match="no columns SURVEY_ID"):
        read.open(path)


def test_older_records_zones_and_damage_are_read_for_what_they_are(tmp_path):
    lines = (FOLDER / "tso2901.mgd77").read_text().split("\n")
    record = lines[24]
    old = "3" + record[1:9] + "-0130" + "76" + record[16:]  # a zone of -1.30 hours, a year of two digits
    zoned = record[:9] + "+03" + record[12:]
    letters, no_day = record[:51] + "12a456" + record[57:], record[:16] + "13" + record[18:]
    path = tmp_path / "s.mgd77"
    path.write_text("\n".join([*lines[:24], old, zoned, letters, record[:60], no_day, record]) + "\n")
    dataset = read.open(path)
    times = [str(each) for each in rows(path).column("time").to_pylist()]
    assert times[0].startswith("1976-04-02 04:42") and times[1].startswith("2029-04-02 09:00")
    assert rows(path).column("depth_m").to_pylist()[2:4] == [None, 2606.7] and times[4] == "None"
    assert dataset.warnings == ("3 records are damaged, and shown as far as possible: 3, 4, 5",)
    path.write_text("\n".join([*lines[:24], letters[:50]]) + "\n")
    with pytest.raises(CannotRead, match="all of its records are damaged"):
        read.open(path)


def test_a_folder_of_surveys_is_one_layer_and_what_cannot_be_read_is_said(tmp_path, surveys):
    _, layer, lines = surveys
    counts = {name: int(n) for name, n in zip(lines.names, np.diff(lines.starts))}
    assert counts == TRUTH["boat_lines"] and {each.survey for each in headers_of(layer.ref)} == set(counts)
    for name in ("tso2901", "tso2905"):
        (tmp_path / f"{name}.mgd77").write_bytes((FOLDER / f"{name}.mgd77").read_bytes())
    (tmp_path / "broken.mgd77").write_text("nothing\n")
    dataset = read.open(tmp_path)
    assert dataset.parts[0].facts.count == 185 + 382
    assert dataset.warnings[0].startswith("broken.mgd77 is left out: it has no whole MGD77 header")
    (tmp_path / "other.csv").write_text("a\n1\n")
    with pytest.raises(CannotRead, match="this is a folder"):
        read.open(tmp_path)


def test_lines_are_filtered_by_what_they_measured_when_where_and_by_whom(surveys):
    workspace, _layer, lines = surveys
    listed = list_lines(workspace.cache, workspace.work.layers)
    names = lambda **by: [lines.names[n][-2:] for n in fitting(listed, LineFilter(**by))]  # noqa: E731
    assert names(measured=("magnetics", "gravity")) == ["01", "02", "06", "07", "09"]
    assert names(measured=("gravity",), begin="2029-04-05", end="2029-04-07") == ["04", "06"]
    assert names(text="petrel", measured=("gravity",), end="2029-04-02") == ["01"] and names(text="2905") == ["05"]
    xmin, ymin, _xmax, ymax = lines.bounds[4]
    assert names(within=(xmin, ymin, xmin + 0.01, ymax)) == ["05", "08"] and listed.vessel(0) == "SV PETREL"
    with pytest.raises(AtlasError, match="no day"):
        names(begin="2029-13-40")
    assert lines.lengths[4] == pytest.approx(49_522.2, abs=0.1)


def test_a_layer_of_several_lines_with_edits_and_another_layer_are_listed_together(tmp_path, surveys):
    workspace, _layer, _ = surveys
    points = shapely.points([[500_000 + 10 * n, 5_770_000] for n in range(6)])
    table = pa.table(
        {"wkb_geometry": shapely.to_wkb(points), "Line_ID": [1, 1, 1, 2, 2, 2], "gamma": [1.0, 2, 3, 4, 5, 6]}
    )
    pyogrio.write_arrow(
        table, tmp_path / "g.gpkg", geometry_name="wkb_geometry", geometry_type="Point", crs="EPSG:32727"
    )
    workspace.open(tmp_path / "g.gpkg")
    listed = list_lines(workspace.cache, workspace.work.layers[::-1])
    assert listed.lines.names[-2:] == ("1", "2") and listed.measured(9) == ("gamma",)
    profile = listed.lines.profile(10)
    assert profile.traces[0].values.tolist() == [4, 5, 6] and profile.time is None
    assert profile.length == pytest.approx(20, rel=1e-3)
    assert list(profile.xy[:, 1]) == pytest.approx([-38.23] * 3, abs=0.05)  # in the CRS of the first


def test_what_was_put_in_is_what_the_check_finds_with_its_record_number(surveys):
    workspace, _layer, lines = surveys
    found = check_lines(workspace.cache, lines)
    every = {(lines.names[n], int(lines.records[p]) + 1, fault)
             for n, p, fault in zip(found.lines, found.places, found.faults)}  # fmt: skip
    assert {("TSO2907", 61, LineFault.JUMP), ("TSO2908", 41, LineFault.OUT_OF_RANGE), ("TSO2908", 41, LineFault.JUMP),
            ("TSO2909", 51, LineFault.TOO_FAST), ("TSO2909", 52, LineFault.TOO_FAST)} <= every  # fmt: skip
    assert len(every) <= 8  # of 1,506 records in five quantities
    (land,) = workspace.open(demo.DATA / "elevation_2029.tif")
    (zones,) = workspace.open(DataRef.file(demo.DATA / "tolvane_survey.gpkg").with_part("ash_bands"))
    assert not any(f is LineFault.ON_LAND for f in check_lines(workspace.cache, lines, land).faults)
    on_land = replace(lines, xy=lines.xy + (-20.895 - lines.xy[0, 0], -38.205 - lines.xy[0, 1]))
    by_grid, by_polygons = (check_lines(workspace.cache, on_land, each) for each in (land, zones))
    assert by_grid.faults[0] is LineFault.ON_LAND and by_polygons.faults.count(LineFault.ON_LAND) > 3


def brute(lines):
    """Return (line, line) of all crossovers, segment by segment."""
    found = []
    line = np.repeat(np.arange(len(lines)), np.diff(lines.starts))
    inner = np.flatnonzero(line[1:] == line[:-1])
    inner = inner[~lines.breaks[inner + 1]]
    for a, i in enumerate(inner):
        p, u = lines.xy[i], lines.xy[i + 1] - lines.xy[i]
        others = inner[a + 1 :]
        others = others[(line[others] != line[i]) | (others > i + 1)]
        q, v = lines.xy[others], lines.xy[others + 1] - lines.xy[others]
        with np.errstate(divide="ignore", invalid="ignore"):
            turn = u[0] * v[:, 1] - u[1] * v[:, 0]
            s = ((q[:, 0] - p[0]) * v[:, 1] - (q[:, 1] - p[1]) * v[:, 0]) / turn
            t = ((q[:, 0] - p[0]) * u[1] - (q[:, 1] - p[1]) * u[0]) / turn
        hit = (s >= 0) & (s < 1) & (t >= 0) & (t < 1)
        found += [(int(i), int(j)) for j in others[hit]]
    return found


@settings(max_examples=40, deadline=None)
@given(st.integers(1, 7), st.integers(2, 120), st.integers(0, 2**31))
def test_all_crossovers_are_found_as_by_testing_each_segment_against_each(count, places, seed):
    random = np.random.default_rng(seed)
    sizes = random.integers(2, places + 1, count)
    xy = np.concatenate([np.cumsum(random.normal(0, 1, (n, 2)), axis=0) for n in sizes])
    xy[random.random(len(xy)) < 0.1] = np.round(xy[0])  # several at one place, and lines through it
    breaks = random.random(len(xy)) < 0.05
    values = xy @ [2.0, -3.0] + 5  # in a plane: both lines have the same where they cross
    starts = np.concatenate([[0], np.cumsum(sizes)])
    own = LineLayer("a", "a", "line")
    lines = LineSet(tuple(map(str, range(count))), (own,) * count, starts, np.arange(len(xy)), np.arange(len(xy)), xy,
                    None, np.zeros(len(xy)), breaks, None, (("v", ""),), (values,))  # fmt: skip
    found = crossovers_of(lines)
    assert [tuple(pair) for pair in found.places.tolist()] == sorted(brute(lines))
    assert found.values(0)[:, 0] == pytest.approx(found.values(0)[:, 1], abs=1e-9)
    assert found.values(0)[:, 0] == pytest.approx(found.xy @ [2.0, -3.0] + 5, abs=1e-9)


def test_crossovers_and_levels_that_were_put_in_come_back(surveys):
    _workspace, _layer, lines = surveys
    found = crossovers_of(lines)
    pairs = sorted((lines.names[a], lines.names[b]) for a, b in found.lines.tolist())
    assert pairs == sorted(map(tuple, TRUTH["crossovers"]))
    table = table_of_crossovers(found)
    assert table.column("hours_between").to_numpy().min() > 20 and not any("lat" in n for n in table.column_names)
    for name, key, tolerance in (("depth_m", "depth", 4.0), ("magnetic_total_nt", "field", 11.0)):
        levelling = level(found, lines.quantity(name))
        assert levelling.after.rms < 0.3 * levelling.before.rms and levelling.groups == 1
        known = np.isfinite(levelling.shifts)
        assert levelling.shifts[known].sum() == pytest.approx(0, abs=1e-6)
        put_in = np.array([TRUTH["levels"].get(each, {}).get(key, 0.0) for each in lines.names])
        both = levelling.shifts[known] + put_in[known]
        assert np.abs(both - np.median(both)).max() < tolerance  # what is left is the same for all, but for noise
    with pytest.raises(AtlasError, match="no quantity nothing"):
        lines.quantity("nothing")


def test_levelling_is_the_solution_of_least_squares_and_becomes_a_field(surveys):
    workspace, layer, lines = surveys
    found = crossovers_of(lines)
    number = lines.quantity("depth_m")
    levelling = level(found, number)
    of_two = found.lines[:, 0] != found.lines[:, 1]
    matrix = np.zeros((of_two.sum(), len(lines)))
    at = np.arange(len(matrix))
    matrix[at, found.lines[of_two, 1]], matrix[at, found.lines[of_two, 0]] = 1, -1
    expected = np.linalg.lstsq(matrix, found.differences(number)[of_two], rcond=None)[0]
    joined = np.isfinite(levelling.shifts)
    assert levelling.shifts[joined] == pytest.approx(expected[joined], abs=1e-6)
    assert lines.names[int(np.flatnonzero(~joined)[0])] == "TSO2902"  # crosses no other
    field = ComputedField("levelled", levelled_expression(levelling, found, layer.id), "DOUBLE")
    workspace.work.change("add", layer.id, rows=replace(layer.rows, computed=(field,)))
    again = line_set(workspace.cache, workspace.work.layer(layer.id))
    after = crossovers_of(again).summary(again.quantity("levelled"))
    assert after.rms == pytest.approx(levelling.after.rms, abs=1e-3)
    table = rows_of(workspace.cache, workspace.work.layer(layer.id))
    unlevelled = np.flatnonzero(np.array(table.column("survey").to_pylist()) == "TSO2902")
    assert table.column("levelled").take(unlevelled).equals(table.column("depth_m").take(unlevelled))


def test_lines_across_180_degrees_cross_where_they_do():
    lon = np.array([179.8, 179.95, -179.9, -179.7, 179.9, 179.99, -179.92, -179.8])
    lat = np.array([0.0, 0.1, 0.2, 0.3, 0.3, 0.2, 0.1, 0.0])
    own = LineLayer("a", "a", "line")
    lines = LineSet(("1", "2"), (own, own), np.array([0, 4, 8]), np.arange(8), np.arange(8), np.column_stack([lon, lat]),
                    "EPSG:4326", np.zeros(8), np.zeros(8, bool), None, (), ())  # fmt: skip
    found = crossovers_of(lines)
    assert found.lines.tolist() == [[0, 1]] and abs(found.xy[0, 0]) > 179.8
    assert len(crossovers_of(chosen_lines(lines, [1]))) == 0


def test_the_commands_list_check_compare_and_write_lines(tmp_path, capsys):
    source = ["--sources", str(FOLDER)]
    assert cli.main(["lines", "list", *source, "--measured", "gravity", "--begin", "2029-04-08"]) == 0
    said = capsys.readouterr().out
    assert "TSO2907" in said and "TSO2901" not in said and "2 of 9 lines" in said
    assert cli.main(["lines", "check", *source, "--json"]) == 0
    faults = json.loads(capsys.readouterr().out)["rows"]
    assert {"line": "TSO2908", "record": 41, "fault": "out of range"}.items() <= faults[3].items()
    out = tmp_path / "c.gpkg"
    assert cli.main(["lines", "crossovers", *source, "--path", str(out), "--levels", str(tmp_path / "l.csv")]) == 0
    assert read.open(out).parts[0].facts.count == 12 and read.open(out).parts[0].facts.crs == "EPSG:4326"
    assert pa.csv.read_csv(tmp_path / "l.csv").num_rows == 9 * 5
    assert cli.main(["lines", "write", "--source", str(FOLDER), "--path", str(tmp_path / "all")]) == 0
    assert all(filecmp.cmp(path, tmp_path / "all" / path.name, shallow=False) for path in FOLDER.iterdir())
    one = ["--line", "TSO2903", "--path", str(tmp_path / "one.gpkg")]
    assert cli.main(["lines", "write", "--source", str(FOLDER), *one]) == 0
    assert read.open(tmp_path / "one.gpkg").parts[0].facts.count == 177
    capsys.readouterr()
    assert cli.main(["lines", "write", "--source", str(FOLDER), "--path", str(tmp_path / "x.mgd77")]) == 1
    assert "Name a folder instead" in capsys.readouterr().err
    assert cli.main(["lines", "write", "--source", str(FOLDER), "--path", str(FOLDER)]) == 1
    assert cli.main(["lines", "list", "--sources", str(demo.DATA / "elevation_2029.tif")]) == 1
