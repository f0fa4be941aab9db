"""Jobs, Find and records."""

from __future__ import annotations

import threading

import pytest

from brisk_atlas.core import read
from brisk_atlas.core.curate.data_sections import derived_sections
from brisk_atlas.core.find import Shelves, list_folder, role_of, walk
from brisk_atlas.core.find.scan_worker import summary_of
from brisk_atlas.core.model import CannotRead
from brisk_atlas.core.system.jobs import Jobs
from made_files import at

# Jobs


@pytest.fixture
def jobs():
    made = Jobs(2)
    yield made
    made.close()


def finished(jobs, work, **options):
    """Run work to its end and return the job."""
    over = threading.Event()
    job = jobs.start("work", work, lambda job: over.set(), **options)
    assert over.wait(10)
    return job


def test_a_job_reports_and_brings_its_result(jobs):
    heard = []
    jobs.listen(lambda job: heard.append((job.state, job.progress)))

    def work(job):
        job.report(0.5, "half")
        job.report(7)
        return 42

    job = finished(jobs, work)
    assert (job.state, job.result, job.step) == ("done", 42, "half")
    assert heard == [("running", 0), ("running", 0.5), ("running", 1), ("done", 1)] and not jobs.open


def test_a_failure_is_kept_and_the_next_job_runs(jobs):
    job = finished(jobs, lambda job: 1 / 0)
    assert job.state == "failed" and isinstance(job.error, ZeroDivisionError)
    assert finished(jobs, lambda job: "on").result == "on"


def test_cancelling_stops_at_the_next_check(jobs):
    started, going = threading.Event(), threading.Event()

    def work(job):
        started.set()
        while True:
            job.check()
            going.wait(0.01)

    over = threading.Event()
    job = jobs.start("endless", work, lambda job: over.set())
    assert started.wait(10) and jobs.open == [job]
    job.cancel()
    assert over.wait(10) and job.state == "cancelled" and job.finished


def test_cancelled_before_it_began_it_does_nothing(jobs):
    gate, done = threading.Event(), []
    for _ in range(2):
        jobs.start("block", lambda job: gate.wait(10))
    over = threading.Event()
    waiting = jobs.start("never", lambda job: done.append(1), lambda job: over.set())
    waiting.cancel()
    gate.set()
    assert over.wait(10) and waiting.state == "cancelled" and not done


# Find


def test_a_folder_lists_datasets_and_not_files(data):
    names = [row.name for row in list_folder(data)]
    assert names[:3] == ["boat_lines", "boreholes", "delivery_2032"]
    assert "elevation_2031.tif" in names and "elevation_2031.tif.xml" not in names and "tolvane_survey.gpkg" in names
    assert [row.name for row in list_folder(data / "fissures_2031")] == ["fissures.shp"]
    assert [row.name for row in list_folder(data / "land_cover")] == ["land_cover_2029.tif", "land_cover_2031.tif"]
    assert [row.name for row in list_folder(data / "MERIDEL3_20310624")] == ["MERIDEL3_20310624_META.txt"]


def test_walking_finds_every_dataset_once(data):
    found = [row.path for rows in walk(data) for row in rows]
    assert len(found) == len(set(found)) and data / "boreholes" / "tg-1.las" in found


def test_a_folder_that_can_not_be_listed_says_why(tmp_path):
    with pytest.raises(CannotRead, match="No such file"):
        list_folder(tmp_path / "gone")


def test_broken_links_stay_in_the_list_and_hidden_files_do_not(tmp_path):
    (tmp_path / ".hidden.tif").write_bytes(b"II*\0")
    (tmp_path / "a.csv").write_text("x\n1\n")
    (tmp_path / "dangling.tif").symlink_to(tmp_path / "nowhere.tif")
    (tmp_path / "loop").symlink_to(tmp_path)
    assert [row.name for row in list_folder(tmp_path)] == ["loop", "a.csv", "dangling.tif"]
    assert [row.name for rows in walk(tmp_path) for row in rows] == ["a.csv", "dangling.tif"]
    assert summary_of(at(tmp_path / "dangling.tif")).fault == "there is no such file"


def test_members_have_roles_in_plain_words(data):
    dataset = read.open(data / "fissures_2031" / "fissures.shp")
    roles = {m.name: role_of(m, dataset) for m in dataset.members}
    assert roles["fissures.shp"] == "what to open" and roles["fissures.dbf"] == "attributes"
    assert roles["fissures.shp.xml"] == "metadata record"


def test_shelves_are_remembered(home, tmp_path):
    shelves = Shelves()
    shelves.pin(tmp_path)
    shelves.pin(tmp_path)
    for i in range(20):
        shelves.opened(tmp_path / f"{i}.tif")
    shelves.opened(tmp_path / "15.tif")
    shelves.save()
    again = Shelves()
    again.load()
    assert again.pinned == [tmp_path] and len(again.recent) == 12 and again.recent[0].name == "15.tif"
    again.unpin(tmp_path)
    shelves.file.write_text("{ damaged")
    fresh = Shelves()
    fresh.load()
    assert fresh.pinned == []


# Records


def lines(sections):
    return {line.label: line.text for section in sections for line in section.lines}


def test_the_data_tells_of_itself(data, truth):
    told = lines(derived_sections(read.open(data / "elevation_2031.tif")))
    assert (
        told["cells"] == "1,024 columns x 900 rows" and told["nodata"] == "-9999" and told["bands"] == "elevation [m]"
    )
    assert told["reference system"] == "WGS 84 / UTM zone 27S (EPSG:32727)"
    layer = lines(derived_sections(read.open(data / "tolvane_survey.gpkg"), "closed_zones"))
    assert layer["features"] == str(truth["counts"]["closed_zones"]) and "zone (text)" in layer["fields"]


def test_an_unknown_crs_is_said_to_be_unknown(data):
    photo = next((data / "boreholes" / "photos").glob("*.jpg"))
    told = lines(derived_sections(read.open(photo)))
    assert told["reference system"] == "unknown" and told["place"].startswith("none: a picture")


# Relief
