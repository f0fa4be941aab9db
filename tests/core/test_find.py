"""Find in the core: lists, what is kept, search, children that may die, anatomy, locks, questions."""

from __future__ import annotations

import os
import random
import shutil
import signal
import socket
import subprocess
import sys
import time
from datetime import UTC, datetime, timedelta
from pathlib import Path

import numpy as np
import pytest
import rasterio
from affine import Affine
from hypothesis import given
from hypothesis import strategies as st

import made_files as made
from brisk_atlas.core import read
from brisk_atlas.core.find import (
    Catalogue,
    DatasetSummary,
    Entry,
    Neighbour,
    ScanPool,
    TextPages,
    anatomy_of,
    entry_filter,
    list_folder,
    question_about,
)
from brisk_atlas.core.find.entry_filter import EntryFilter, EntryRow, overlap
from brisk_atlas.core.find.index import index, known_now, rows_found, summaries
from brisk_atlas.core.find.landing import landing_of
from brisk_atlas.core.find.locks import delete_stale
from brisk_atlas.core.find.scan_pool import shared_scan_pool
from brisk_atlas.core.find.scan_worker import summary_of
from brisk_atlas.core.find.shelves import mounted
from brisk_atlas.core.find.summary import from_text, to_text
from brisk_atlas.core.model import CannotRead, CannotWrite, Columns, OpenOptions
from brisk_atlas.core.place import entry_of, search_crs
from brisk_atlas.core.read.grouping import group
from brisk_atlas.core.system.workers import WorkerPool
from made_files import at


@pytest.fixture
def catalogue(tmp_path):
    kept = Catalogue(tmp_path / "kept" / "catalogue.db")
    yield kept
    kept.close()


def known(folder, catalogue, scan_pool=None):
    entries = [entry for entry in list_folder(folder) if not entry.is_folder]
    return {p.name: row for p, row in summaries(folder, entries, catalogue, scan_pool or shared_scan_pool())}


# Lists


def test_files_of_one_dataset_are_one_row(data, tmp_path):
    made.vector(data, tmp_path, "zones.shp", "ESRI Shapefile")
    made.vector(data, tmp_path, "zones.tab", "MapInfo File")
    made.vector(data, tmp_path, "zones.gdb", "OpenFileGDB")
    made.grid(tmp_path, "grid.zarr", "Zarr", copy=True)
    made.world_picture(tmp_path, "picture.png", "PNG")
    (tmp_path / "zones.gdb" / "a.lock").touch()
    made.grid(tmp_path, "left.tif", "GTiff")
    made.rasterio.shutil.copy(tmp_path / "left.tif", tmp_path / "mosaic.vrt", driver="VRT")
    shutil.copytree(data / "MERIDEL3_20310624", tmp_path / "scene")
    for zoom, column in ((3, 3), (3, 4), (2, 1)):  # some tiles of the rectangle are not there
        (tmp_path / "tiles" / str(zoom) / str(column)).mkdir(parents=True)
        made.tile(tmp_path / "tiles" / str(zoom) / str(column) / f"{column + zoom - 2}.png")
    rows = {row.name: row for row in list_folder(tmp_path)}
    assert set(rows) == {
        "zones.shp",
        "zones.tab",
        "zones.gdb",
        "grid.zarr",
        "picture.png",
        "scene",
        "tiles",
        "mosaic.vrt",
    }
    assert (
        not any(row.is_folder for row in rows.values()) and rows["scene"].files == 12 and rows["zones.tab"].files == 5
    )
    assert summary_of(rows["scene"].path).kind == "scene" and summary_of(rows["zones.gdb"].path).kind == "polygon"
    tiles = read.open(rows["tiles"].path)
    assert (
        tiles.format == "map tiles" and tiles.parts[0].facts.crs == "EPSG:3857" and tiles.parts[0].native().valid.any()
    )


@given(
    st.sets(st.sampled_from(["a.shp", "a.dbf", "a.shx", "a.tif", "a.tfw", "a.tif.xml", "a.xml", "b.csv", "notes.docx"]))
)
def test_every_known_name_is_in_one_dataset(names):
    found = group(names)
    members = [member for belongs in found.values() for member in belongs]
    data = [member for member in members if member != "a.xml"]  # a record with the stem serves all of that stem
    assert len(data) == len(set(data))
    assert all(main in belongs for main, belongs in found.items())
    assert {n for n in names if n.endswith((".shp", ".tif", ".csv"))} <= set(members)


# What is kept


def test_rows_are_kept_until_a_file_changes(tmp_path, catalogue):
    folder = tmp_path / "data"
    folder.mkdir()
    (folder / "a.csv").write_text("n\n1\n")
    (folder / "b.csv").write_text("n\n1\n2\n")
    assert known(folder, catalogue)["b.csv"].amount == "2 rows"

    class Nobody(ScanPool):
        def __init__(self):
            super().__init__(None)

        def scan_all(self, paths, check=None):
            assert not list(paths), "nothing changed, so nothing is to be looked at"
            return iter(())

    assert set(known(folder, catalogue, Nobody())) == {"a.csv", "b.csv"}
    (folder / "b.csv").write_text("n\n1\n2\n3\n")
    assert known(folder, catalogue)["b.csv"].amount == "3 rows"
    (folder / "b.csv.xml").write_bytes(made.dublin_core(tmp_path).read_bytes())  # a member that came is a change too
    assert known(folder, catalogue)["b.csv"].record == "Dublin Core"
    assert known_now(at(folder / "b.csv"), catalogue, Nobody()).title == "Report on the eruption"


def test_going_through_the_shelves_goes_on_where_it_stopped(data, tmp_path, catalogue):
    class Enough(Exception):
        pass

    shelf = tmp_path / "shelf"
    for number in range(6):
        (shelf / str(number)).mkdir(parents=True)
        (shelf / str(number) / "a.csv").write_text("n\n1\n")
    seen = []

    def stop(count, folder):
        seen.append(folder)
        if len(set(seen)) == 4:
            raise Enough

    with pytest.raises(Enough):
        index([shelf], catalogue, shared_scan_pool(), stop)
    assert 2 <= len(catalogue) < 6
    assert index([shelf], catalogue, shared_scan_pool()) == 6 == len(catalogue)
    shutil.rmtree(shelf / "3")
    (shelf / "4" / "a.csv").unlink()
    (shelf / "4" / "b.csv").write_text("n\n1\n")
    index([shelf], catalogue, shared_scan_pool())
    assert [Path(r.path).name for r in catalogue.search("b", [shelf])] == ["b.csv"]


def test_search_by_name_field_and_record(data, catalogue):
    index([data], catalogue, shared_scan_pool())
    names = lambda text: [Path(row.path).name for row in catalogue.search(text, [data])]  # noqa: E731
    assert names("fissures")[0] == "fissures.shp"  # the name counts most
    assert "tolvane_survey.gpkg" in names("fissures")
    assert names("so2_ppm") == ["gas_readings.parquet"]  # a field
    assert names("subtracted") == ["elevation_2031.tif"] == names("SUBTR")  # a summary, its beginning
    assert names("subtracted gas") == [] and names('"') == [] and names("elevation OR gas") == []
    assert catalogue.search("fissures", [data / "templates"]) == []


def test_the_only_dataset_of_an_archive_is_found_as_the_archive(data, tmp_path, catalogue):
    shelf = tmp_path / "shelf"
    shelf.mkdir()
    path = made.zipped(shelf, "delivery.zip", data / "vents.kml")
    assert known(shelf, catalogue)["delivery.zip"].format == "KML, zipped"
    assert [row.entry.path for row in rows_found(catalogue.search("tessellate", [tmp_path]))] == [path]


def test_a_damaged_cache_is_made_anew(tmp_path):
    file = tmp_path / "catalogue.db"
    file.write_bytes(b"no database at all" * 100)
    kept = Catalogue(file)
    assert len(kept) == 0
    kept.close()


texts = st.text(max_size=20)


@given(texts, texts, st.tuples(*[st.floats(-180, 180)] * 4), st.lists(texts, max_size=3), st.booleans())
def test_a_row_reads_back_as_it_was_written(path, title, box, themes, placed):
    row = DatasetSummary(path, title=title, box=box if placed else None, themes=tuple(themes), warnings=tuple(themes))
    assert from_text(to_text(row)) == row


# Children that may die


def crashing_reader(tmp_path, monkeypatch):
    """Install a reader that brings its process down, as a damaged file can do with a native library."""
    home = tmp_path / "plug"
    (home / "crash-1.dist-info").mkdir(parents=True)
    (home / "crash-1.dist-info" / "METADATA").write_text("Metadata-Version: 2.1\nName: crash\nVersion: 1\n")
    (home / "crash-1.dist-info" / "entry_points.txt").write_text("[brisk_atlas.readers]\ncrash = crash:READER\n")
    (home / "crash.py").write_text(
        "import ctypes, time\nfrom brisk_atlas.core.read import Reader\n"
        "def opens(path, reading):\n"
        "    if 'slow' in path.name: time.sleep(60)\n"
        "    ctypes.string_at(0)\n"
        "READER = Reader('Crash', ('.crash',), (), opens)\n"
    )
    monkeypatch.setenv("PYTHONPATH", f"{home}:{os.environ.get('PYTHONPATH', '')}")
    monkeypatch.syspath_prepend(str(home))
    read.readers.cache_clear()
    read.known_suffixes.cache_clear()


def test_a_file_that_brings_a_library_down_takes_only_the_child_along(tmp_path, monkeypatch, catalogue, request):
    crashing_reader(tmp_path, monkeypatch)
    request.addfinalizer(read.readers.cache_clear)
    request.addfinalizer(read.known_suffixes.cache_clear)
    folder = tmp_path / "data"
    folder.mkdir()
    for name in ("a.csv", "b.crash", "c.csv", "slow.crash", "z.csv"):
        (folder / name).write_text("n\n1\n")
    scan_pool = ScanPool(WorkerPool(2), patience_s=8.0)
    try:
        rows = known(folder, catalogue, scan_pool)
    finally:
        scan_pool.pool.close()
    assert "broke down on it (SIGSEGV)" in rows["b.crash"].fault
    assert "took longer than 8 s" in rows["slow.crash"].fault
    assert [rows[n].amount for n in ("a.csv", "c.csv", "z.csv")] == ["1 row"] * 3


def test_a_look_can_be_broken_off(tmp_path, monkeypatch, request):
    crashing_reader(tmp_path, monkeypatch)
    request.addfinalizer(read.readers.cache_clear)
    request.addfinalizer(read.known_suffixes.cache_clear)
    (tmp_path / "slow.crash").write_text("x")
    scan_pool, calls = ScanPool(WorkerPool(1)), []

    def check():
        calls.append(1)
        if len(calls) > 30:
            raise InterruptedError

    with pytest.raises(InterruptedError):
        scan_pool.scan(at(tmp_path / "slow.crash"), check)
    scan_pool.pool.close()


def test_a_child_that_ended_while_it_waited_is_replaced(tmp_path):
    (tmp_path / "a.csv").write_text("n\n1\n")
    scan_pool = ScanPool(WorkerPool(1))
    assert scan_pool.scan(at(tmp_path / "a.csv")).amount == "1 row"
    (worker,) = scan_pool.pool.workers
    os.kill(worker.process_id, signal.SIGKILL)
    while worker.alive:
        time.sleep(0.01)
    assert scan_pool.scan(at(tmp_path / "a.csv")).amount == "1 row"
    scan_pool.pool.close()


def test_only_what_takes_too_long_ends_a_child_not_its_waiting_for_work():
    code = """
import time
from brisk_atlas.core.system.child import at_most
with at_most(0.3):
    print("looked", flush=True)
time.sleep(0.6)
print("waited", flush=True)
with at_most(0.3):
    time.sleep(20)
print("never")
"""
    ended = subprocess.run([sys.executable, "-c", code], capture_output=True, text=True)
    assert (ended.returncode, ended.stdout.split()) == (1, ["looked", "waited"])


def test_a_grid_that_comes_unpacked_as_one_piece_is_tried_where_it_can_do_no_harm(tmp_path):
    side = 16_000
    profile = {"driver": "GTiff", "count": 1, "dtype": "uint8", "crs": "EPSG:32727", "compress": "zstd", "tiled": True}
    place = Affine(10, 0, 5e5, 0, -10, 5.8e6)
    for name, wide in (("small", 16), ("sea_floor", side)):
        tile = {"width": wide, "height": wide, "blockxsize": wide, "blockysize": wide, "transform": place}
        with rasterio.open(tmp_path / f"{name}.tif", "w", **tile, **profile) as out:
            out.write(np.full((wide, wide), 7, "uint8"), 1)
    assert (tmp_path / "sea_floor.tif").stat().st_size < 100_000
    code = f"""
from pathlib import Path
from brisk_atlas.core.find import scan_worker
from brisk_atlas.core.model import DataRef
scan_worker.ROOM_FOR_A_LOOK = {side * side // 2}
small, large = (DataRef.file(Path({str(tmp_path)!r}, name)) for name in ("small.tif", "sea_floor.tif"))
scan_worker.LARGE = 0
print(scan_worker.scan(small).fault)
scan_worker.LARGE = {side * side}
found = scan_worker.scan(large)
print(found.danger, found.fault)
"""
    looked = subprocess.run([sys.executable, "-c", code], capture_output=True, text=True)
    assert looked.stdout.split("\n")[:2] == ["", "True it needs more memory than its size explains"], looked.stderr


# Bad input


def test_two_hundred_damaged_files_are_listed_whole_each_with_its_reason(data, tmp_path, catalogue, home):
    folder, chance = tmp_path / "damaged", random.Random(8)
    folder.mkdir()
    whole = [
        p
        for p in data.rglob("*")
        if p.is_file() and p.suffix not in (".xml", ".md", ".jpg") and not p.name.startswith(".")
    ]
    for number in range(200):
        source = whole[number % len(whole)]
        content = source.read_bytes()
        (folder / f"cut {number:03d}{source.suffix}").write_bytes(
            content[: chance.randrange(1, max(2, len(content) // 2))]
        )
    for number in range(25):
        source = whole[number % len(whole)]
        other = chance.choice([p.suffix for p in whole if p.suffix != source.suffix])
        (folder / f"named wrong {number:02d}{other}").write_bytes(source.read_bytes()[:400_000])
    for number, ending in enumerate(
        (".tif", ".shp", ".gpkg", ".laz", ".nc", ".kml", ".parquet", ".xlsx", ".zip", ".gdb")
    ):
        (folder / f"empty {number}{ending}").touch()
    (folder / "loop.tif").symlink_to(folder / "loop.tif")
    (folder / "gone.tif").symlink_to(folder / "nowhere.tif")
    (folder / "circle").symlink_to(folder)
    Path(os.fsdecode(os.fsencode(folder) + b"/gr\xfcn.csv")).write_text("n\n1\n")
    made.hostile_zip(folder)
    made.bomb(folder)
    (folder / "bomb.xml").write_text(
        '<?xml version="1.0"?><!DOCTYPE a [<!ENTITY b "'
        + "x" * 9000
        + '"><!ENTITY c "'
        + "&b;" * 9000
        + '">]><metadata><idinfo>&c;</idinfo></metadata>'
    )
    (folder / "endless.vrt").write_text(
        '<VRTDataset rasterXSize="9" rasterYSize="9"><VRTRasterBand dataType="Byte" band="1"><SimpleSource><SourceFilename relativeToVRT="1">endless.vrt</SourceFilename><SourceBand>1</SourceBand></SimpleSource></VRTRasterBand></VRTDataset>'
    )
    before = {p.name for p in folder.iterdir()}
    outside = {p for p in tmp_path.rglob("*") if folder not in p.parents}
    entries = list_folder(folder)
    rows = known(folder, catalogue)
    assert len(rows) == sum(not entry.is_folder for entry in entries) > 200
    for name, row in rows.items():
        assert row.fault or row.kind, name  # what is there is said, or why it can't be
        if name.startswith(("empty", "loop", "gone", "escape", "bomb", "endless")):
            assert row.fault, name
    text_like = (".csv", ".txt", ".geojson", ".mgd77", ".las", ".json", ".met", ".md", ".tfw", ".parquet")
    cut = [row for name, row in rows.items() if name.startswith("cut") and not name.endswith(text_like)]
    assert sum(bool(row.fault) for row in cut) == len(cut), [row for row in cut if not row.fault]
    assert {p.name for p in folder.iterdir()} == before  # nothing was written
    assert {p for p in tmp_path.rglob("*") if folder not in p.parents} == outside and not (
        tmp_path / "outside.csv"
    ).exists()


def test_a_big_gzip_is_not_unpacked_without_end(tmp_path, home):
    path = tmp_path / "big.csv.gz"
    subprocess.run(f"head -c 90000000 /dev/zero | tr '\\0' '1' | gzip -9 > {path}", shell=True, check=True)
    with pytest.raises(CannotRead, match="unpacks to more than"):
        read.open(path)
    assert not list(home.rglob("*.new"))


# Anatomy and locks


def test_overviews_older_than_their_grid_are_said(data, tmp_path):
    path = made.grid(tmp_path, "g.tif", "GTiff")
    overview = tmp_path / "g.tif.ovr"
    shutil.copy(path, overview)
    os.utime(overview, (time.time() - 9000,) * 2)
    remarks = {m.ref.name: m.remark for m in anatomy_of(read.open(path)).members}
    assert "older than the data" in remarks["g.tif.ovr"] and remarks["g.tif"] == ""


def test_locks_say_who_holds_them(data, tmp_path):
    shutil.copy(data / "laboratory.xlsx", tmp_path / "lab.xlsx")
    path = tmp_path / ".~lock.lab.xlsx#"
    path.write_text("Mara Quill,mara,ws-204,2031-07-01 10:00;")
    only = anatomy_of(read.open(tmp_path / "lab.xlsx")).locks[0]
    assert "Mara Quill" in only.holder and not only.stale and "somebody may be at work" in only.why
    os.utime(path, (time.time() - 3 * 86_400,) * 2)
    stale = anatomy_of(read.open(tmp_path / "lab.xlsx")).locks[0]
    assert stale.stale and "3 days old" in stale.why
    with subprocess.Popen(
        [sys.executable, "-c", f"f = open({str(path)!r}); print(1, flush=True); input()"],
        stdin=subprocess.PIPE,
        stdout=subprocess.PIPE,
    ) as holder:
        assert holder.stdout.readline()
        held = anatomy_of(read.open(tmp_path / "lab.xlsx")).locks[0]
        assert not held.stale and f"process {holder.pid}" in held.holder
        with pytest.raises(CannotWrite, match="does not look stale"):
            delete_stale(held)
        holder.stdin.close()
    os.utime(path)  # renewed since it was looked at
    with pytest.raises(CannotWrite, match="renewed"):
        delete_stale(stale)
    assert path.exists()


def test_a_lock_of_a_process_that_is_gone_is_stale(data, tmp_path):
    folder = made.vector(data, tmp_path, "zones.gdb", "OpenFileGDB")
    host = socket.gethostname().partition(".")[0]
    gone = subprocess.run(["true"], check=False)
    assert gone.returncode == 0
    name = f"zones.{host}.4194000.77.sr.lock"
    (folder / name).touch()
    found = [lock for lock in anatomy_of(read.open(folder)).locks if lock.path.name == name]
    assert found[0].stale and found[0].why == "that process no longer runs"
    delete_stale(found[0])
    assert not (folder / name).exists()


def test_changes_that_are_not_merged_are_never_thrown_away(data, tmp_path):
    shutil.copy(data / "tolvane_survey.gpkg", tmp_path / "s.gpkg")
    (tmp_path / "s.gpkg-wal").write_bytes(b"x" * 40)
    os.utime(tmp_path / "s.gpkg-wal", (time.time() - 9 * 86_400,) * 2)
    lock = next(x for x in anatomy_of(read.open(tmp_path / "s.gpkg")).locks if x.path.name.endswith("-wal"))
    with pytest.raises(CannotWrite, match="changes that are not in the data yet"):
        delete_stale(lock)


def test_mounted_places_are_shelves(tmp_path):
    table = tmp_path / "mounts"
    table.write_text(
        "/dev/sda1 / ext4 rw 0 0\n/dev/sdb1 /run/media/mara/FIELD\\040DISK vfat rw 0 0\nnas:/maps /srv/maps nfs4 rw 0 0\n"
    )
    assert mounted(table) == [(Path("/run/media/mara/FIELD DISK"), "removable"), (Path("/srv/maps"), "network")]


# Questions


NEAR = [Neighbour("elevation_2031.tif", "EPSG:32727", (-20.96, -38.25, -20.83, -38.16))]


def test_what_is_asked_about_a_table(data, tmp_path):
    asked = question_about(read.open(data / "gas_stations.csv"), NEAR)
    assert asked.needed and asked.guess.columns == Columns("longitude", "latitude") and asked.guess.crs == "EPSG:4326"
    path = tmp_path / "collars.csv"
    path.write_text("hole;easting;northing\nTG-1;508767,5;5772205\nTG-2;508000;5771000\n")
    asked = question_about(read.open(path), NEAR)
    assert asked.guess.columns == Columns("easting", "northing") and asked.guess.crs == "EPSG:32727"
    assert asked.form.form.decimal == "," and "elevation_2031.tif" in asked.crs_reason
    assert question_about(read.open(path)).guess.crs is None  # nothing nearby, so nothing to guess by
    path.write_text("place,where\nrim,POINT (508767 5772205)\n")
    assert question_about(read.open(path), NEAR).guess.columns == Columns(wkt="where") or path.read_text()
    path.write_text("site,wkt\nrim,POINT (508767 5772205)\n")
    assert question_about(read.open(path), NEAR).guess.columns == Columns(wkt="wkt")
    path.write_text("site,mgrs\nrim,27HWC0876772205\n")
    assert question_about(read.open(path), NEAR).guess.columns == Columns(mgrs="mgrs")
    path.write_text("site,name\n1,rim\n2,bay\n")
    asked = question_about(read.open(path), NEAR)
    assert not asked.needed and asked.guess.columns == Columns()


def test_what_is_asked_about_other_files(data, tmp_path):
    assert question_about(read.open(data / "elevation_2031.tif")) is None
    assert (
        question_about(read.open(next((data / "boreholes" / "photos").glob("*.jpg")))) is None
    )  # a picture has no place
    assert not question_about(read.open(data / "tolvane_survey.gpkg")).needed
    assert question_about(read.open(data / "laboratory.xlsx")).needed
    cloud = question_about(read.open(made.xyz(tmp_path)), NEAR)
    assert cloud.needed and cloud.guess.columns.z == "column 3" and cloud.guess.crs == "EPSG:32727"
    grid = question_about(read.open(made.grid(tmp_path, "bare.asc", "AAIGrid", copy=True, crs=made.CRS)), NEAR)
    assert grid is None  # its .prj came along
    (tmp_path / "bare.prj").unlink()
    (tmp_path / "bare.asc.aux.xml").unlink(missing_ok=True)
    assert question_about(read.open(tmp_path / "bare.asc"), NEAR).guess.crs == "EPSG:32727"


def test_a_crs_given_once_serves_all_rooms(data, tmp_path, cache):
    for source in (data / "fissures_2031").glob("fissures.*"):
        if source.suffix != ".prj":
            shutil.copy(source, tmp_path / source.name)
    path = tmp_path / "fissures.shp"
    cache.set_options(at(path), OpenOptions(crs="EPSG:32727"))
    assert cache.features(at(path, "fissures")).crs == "EPSG:32727"
    assert not cache.dataset(at(path)).warnings
    cache.set_options(at(path), OpenOptions(crs="EPSG:32728"))
    assert cache.features(at(path, "fissures")).crs == "EPSG:32728"


def test_looking_for_a_crs():
    assert search_crs("32727")[0].code == "EPSG:32727" == search_crs("epsg:32727")[0].code
    assert search_crs("utm 27s wgs 84")[0].code == "EPSG:32727"
    assert all("27S" in entry.name for entry in search_crs("utm zone 27S"))
    near = search_crs("utm wgs", near=(-20.9, -38.2))
    assert near[0].code == "EPSG:32727"
    assert search_crs("") == [] and search_crs("no such system") == [] and entry_of("EPSG:1") is None


def test_where_coordinates_would_land():
    bounds = (506_000, 5_770_000, 510_000, 5_774_000)
    good, beside = (
        landing_of(bounds, "EPSG:32727"),
        landing_of((2_500_000, 5_770_000, 2_600_000, 5_780_000), "EPSG:32727"),
    )
    assert (good.fits and "38.2" in good.words and "S" in good.words and "3.99 km wide" in good.words) or good.fits
    assert beside.fits is False and "24°W" in beside.area
    assert landing_of((1e12, 1e12, 2e12, 2e12), "EPSG:32727") is None


# Filters and texts


def row(name, **known):
    entry = Entry(Path("/d") / name, name, False, 1, datetime.now(UTC), 1, "")
    return EntryRow(entry, DatasetSummary(f"/d/{name}", **known)) if known else EntryRow(entry)


def test_a_filter_leaves_what_fits():
    island = row("a.tif", kind="grid", crs="EPSG:32727", box=(-21, -38.3, -20.8, -38.1))
    far, unknown = row("b.tif", kind="grid", crs="EPSG:4326", box=(10, 10, 11, 11)), row("c.tif")
    rows = [island, far, unknown]
    keep = lambda s: [r.entry.name for r in rows if s.keeps(r)]  # noqa: E731
    assert keep(EntryFilter()) == ["a.tif", "b.tif", "c.tif"] and keep(EntryFilter(text="B T")) == ["b.tif"]
    assert (
        keep(EntryFilter(box=(-20.9, -38.2, -20.7, -38)))
        == ["a.tif"]
        == keep(EntryFilter(crs=frozenset({"EPSG:32727"})))
    )
    assert keep(EntryFilter(kinds=frozenset({"grid"}))) == ["a.tif", "b.tif"]
    old = island._replace(entry=island.entry._replace(modified=datetime.now(UTC) - timedelta(days=9)))
    assert not EntryFilter(age="last 7 days").keeps(old) and EntryFilter(age="last 30 days").keeps(old)


@given(st.lists(st.integers(0, 5), max_size=9), st.booleans())
def test_sorting_keeps_all_rows_and_folders_first(sizes, down):
    rows = [row(f"{i}.tif", size_bytes=size, kind="grid")._replace() for i, size in enumerate(sizes)]
    rows.append(EntryRow(Entry(Path("/d/z"), "z", True, 0, datetime.now(UTC))))
    ordered = entry_filter.in_order(rows, "size", down=down)
    assert sorted(ordered, key=id) == sorted(rows, key=id) and ordered[0].entry.is_folder


@pytest.mark.parametrize("encoding", ["utf-8", "utf-16", "cp1252"])
def test_text_by_lines(tmp_path, encoding):
    lines = [f"line {i} é" + "x" * (i % 50) for i in range(3000)]
    path = tmp_path / "t.csv"
    path.write_bytes("\n".join(lines).encode(encoding))
    pages = TextPages(at(path))
    while pages.go_on():
        pass
    assert pages.known == 3000 and pages.lines(0, 3) == lines[:3] and pages.lines(2990, 50) == lines[2990:]
    assert pages.lines(1234, 1) == [lines[1234]] and pages.lines(9999, 5) == []
    assert pages.find("LINE 2750 ", 0) == 2750 and pages.find("line 3 ", 4) == 3 and pages.find("nothing", 0) is None
    pages.close()


def test_all_that_records_say_is_found(tmp_path):
    from brisk_atlas.core.read.record_words import words_of

    fgdc = tmp_path / "ash.xml"
    fgdc.write_text(
        "<metadata><idinfo><citation><citeinfo><title>Ash</title></citeinfo></citation></idinfo>"
        "<dataqual><logic>No gaps anywhere.</logic><lineage><procstep><procdesc>Weighed on roofs.</procdesc></procstep></lineage></dataqual>"
        "<eainfo><detailed><attr><attrlabl>THK</attrlabl><attrdomv><edom><edomvd>not measurable</edomvd></edom></attrdomv></attr></detailed></eainfo>"
        "<metainfo><metc><cntinfo><cntorgp><cntper>Ines Maro</cntper></cntorgp></cntinfo></metc></metainfo></metadata>"
    )
    turtle = tmp_path / "zones.dcat.ttl"
    turtle.write_text(
        '<urn:z> a <http://www.w3.org/ns/dcat#Dataset> ; <http://purl.org/dc/terms/title> "Zones" ; <urn:p> "drawn by Ines Maro" .'
    )
    linked = tmp_path / "zones.dcat.jsonld"
    linked.write_text(
        '{"@context": {"dcat": "http://www.w3.org/ns/dcat#"}, "@type": "dcat:Dataset", "dct:title": "Zones", "dct:provenance": {"x": "traced by hand"}}'
    )
    assert all(
        words in words_of(fgdc).others
        for words in ("No gaps", "Weighed on roofs", "not measurable", "Ines Maro", "THK")
    )
    assert "drawn by Ines Maro" in words_of(turtle).others and "traced by hand" in words_of(linked).others


def test_boxes_in_degrees_share_a_place_across_180_too():
    isle = (177.0, -19.0, 182.0, -16.0)  # as it runs on
    assert overlap(isle, (-179.5, -18.0, -178.5, -17.0)) and overlap((-179.5, -18.0, -178.5, -17.0), isle)
    assert overlap((177.0, -19.0, -178.0, -16.0), (-179.0, -18.0, -178.5, -17.0))  # as records state it
    assert not overlap(isle, (-177.0, -18.0, -176.0, -17.0)) and not overlap(isle, (178.0, 10.0, 179.0, 12.0))
    assert overlap((-180.0, -90.0, 180.0, 90.0), isle)
