"""Exports: the right piece, whole or not at all, read back with independent libraries."""

from __future__ import annotations

import errno
import json
import os
import shutil
import subprocess
import sys
from pathlib import Path

import numpy as np
import pyarrow as pa
import pyarrow.csv as arrow_csv
import pyarrow.parquet as pq
import pyogrio
import pytest
import rasterio
import shapely

from brisk_atlas.core import read
from brisk_atlas.core.cache import DataCache
from brisk_atlas.core.handover import (
    RasterOrder,
    VectorOrder,
    hand_over_raster,
    hand_over_table,
    hand_over_vector,
    written_beside,
)
from brisk_atlas.core.handover.grid import write_grid
from brisk_atlas.core.handover.table import write_table
from brisk_atlas.core.handover.vector import FORMATS
from brisk_atlas.core.model import CannotWrite, Extent
from brisk_atlas.core.model.shapes import Features
from brisk_atlas.core.place import transform
from brisk_atlas.core.read.wkb import exact_shapes
from brisk_atlas.core.system.jobs import Cancelled
from made_files import at

UTM = "EPSG:32727"


def rows_of(lava, year):
    return np.flatnonzero(lava.table.column("year").to_numpy() == year)


def leftovers(folder: Path) -> list[str]:
    return [p.name for p in folder.iterdir() if p.name.startswith(".")]


def geometry_of(path, **options):
    return shapely.from_wkb(pyogrio.raw.read(path, **options)[2])


def test_lava_of_2031_inside_the_closed_zones(lava, zones, truth, tmp_path):
    path = tmp_path / "piece.gpkg"
    order = VectorOrder(
        path, "GeoPackage", "lava_2031", rows_of(lava, 2031), crs="EPSG:4326", clip=(zones.wkb, zones.crs)
    )
    count = hand_over_vector(lava, order)
    info = pyogrio.read_info(path)
    assert count == info["features"] == truth["eruption_2031"]["flows_in_closed_zones"] and info["crs"] == "EPSG:4326"
    back = shapely.transform(geometry_of(path), lambda xy: transform(xy, "EPSG:4326", "EPSG:32727"))
    assert shapely.area(back).sum() == pytest.approx(truth["eruption_2031"]["lava_in_closed_zones_m2"], rel=1e-6)
    assert not leftovers(tmp_path)


@pytest.mark.parametrize("format_", list(FORMATS))
def test_every_format_comes_back_whole(lava, tmp_path, format_):
    path = tmp_path / f"all{FORMATS[format_][0]}"
    assert hand_over_vector(lava, VectorOrder(path, format_, "all")) == len(lava)
    dataset = read.open(path)
    part = dataset.parts[0]
    assert part.facts.count == len(lava) and part.facts.crs == ("EPSG:4326" if format_ == "GeoJSON" else "EPSG:32727")
    assert sorted(part.read().table.column("year").to_pylist()) == sorted(lava.table.column("year").to_pylist())


def test_chosen_fields_in_the_chosen_order(lava, tmp_path):
    path = tmp_path / "few.gpkg"
    hand_over_vector(lava, VectorOrder(path, "GeoPackage", "few", fields=("volume_m3", "year")))
    assert list(pyogrio.read_info(path)["fields"]) == ["volume_m3", "year"]


def test_cut_to_an_extent_given_in_degrees(lava, tmp_path):
    path = tmp_path / "cut.gpkg"
    window = Extent(-20.9, -38.25, -20.85, -38.2, "EPSG:4326")
    hand_over_vector(lava, VectorOrder(path, "GeoPackage", "cut", within=window))
    bounds = shapely.total_bounds(geometry_of(path))
    corner = transform(np.array([[-20.9, -38.2]]), "EPSG:4326", "EPSG:32727")[0]
    assert bounds[0] >= corner[0] - 60 and len(geometry_of(path)) < len(lava)


def test_heights_of_trails_survive(cache, data, tmp_path):
    trails = cache.features(at(data / "tolvane_survey.gpkg", "trails"))
    path = tmp_path / "trails.gpkg"
    hand_over_vector(trails, VectorOrder(path, "GeoPackage", "trails", crs="EPSG:4326"))
    made = geometry_of(path)
    assert shapely.has_z(made).all()
    assert shapely.get_coordinates(made, include_z=True)[0, 2] == pytest.approx(trails.shapes.z[0])


def test_an_empty_choice_is_refused_and_leaves_the_old_file(lava, tmp_path):
    path = tmp_path / "old.gpkg"
    path.write_text("the old file")
    order = VectorOrder(path, "GeoPackage", "x", within=Extent(0, 0, 1, 1, "EPSG:32727"))
    with pytest.raises(CannotWrite, match="nothing to write"):
        hand_over_vector(lava, order)
    assert path.read_text() == "the old file" and not leftovers(tmp_path)


def test_a_crs_that_does_not_reach_here_is_refused(lava, tmp_path):
    with pytest.raises(CannotWrite, match="no place in that CRS"):
        hand_over_vector(
            lava, VectorOrder(tmp_path / "x.gpkg", "GeoPackage", "x", crs="+proj=gnom +lat_0=80 +lon_0=160")
        )


def test_cancelled_in_the_middle_nothing_is_left(lava, tmp_path):
    path = tmp_path / "x.gpkg"

    def report(share, step):
        if step == "moving into place":
            raise Cancelled(step)

    with pytest.raises(Cancelled):
        hand_over_vector(lava, VectorOrder(path, "GeoPackage", "x"), report)
    assert not path.exists() and not leftovers(tmp_path)


def test_progress_only_grows(lava, zones, tmp_path):
    seen = []
    order = VectorOrder(tmp_path / "x.gpkg", "GeoPackage", "x", clip=(zones.wkb, zones.crs))
    hand_over_vector(lava, order, lambda share, step: seen.append(share))
    assert seen == sorted(seen) and seen[0] >= 0 and seen[-1] <= 1 and len(seen) > 4


@pytest.mark.parametrize("mark", list("!;#%?*"))
@pytest.mark.parametrize("format_", list(FORMATS))
def test_folders_and_files_may_be_called_anything(lava, tmp_path, format_, mark):
    folder = tmp_path / f"of{mark}today"
    folder.mkdir()
    path = folder / f"all{mark}2{FORMATS[format_][0]}"
    hand_over_vector(lava, VectorOrder(path, format_, "all"))
    assert path.is_file() and not leftovers(folder)
    assert {p.name[: len(path.stem)] for p in folder.iterdir()} == {path.stem}
    assert read.open(path).parts[0].facts.count == len(lava)


# The disk says no


@pytest.mark.parametrize(
    ("code", "words"), [(errno.ENOSPC, "the disk is full"), (errno.EACCES, "you may not write there")]
)
def test_a_failing_disk_is_told_and_the_old_file_stays(tmp_path, monkeypatch, code, words):
    path = tmp_path / "old.txt"
    path.write_text("the old file")

    def fail(descriptor):
        raise OSError(code, os.strerror(code))

    monkeypatch.setattr("brisk_atlas.core.system.atomic_write.os.fsync", fail)
    with pytest.raises(CannotWrite, match=words) as caught, written_beside(path) as beside:
        beside.write_text("the new file")
    assert path.read_text() == "the old file" and not leftovers(tmp_path)
    assert "nothing was changed" in str(caught.value).lower()


def test_a_folder_that_is_not_there_is_told(lava, tmp_path):
    with pytest.raises(CannotWrite, match="No such file"):
        hand_over_vector(lava, VectorOrder(tmp_path / "nowhere" / "x.gpkg", "GeoPackage", "x"))


def test_a_full_disk_for_real(lava, tmp_path):
    """/dev/full takes the write and answers as a full disk does."""
    path = tmp_path / "x.bin"
    with pytest.raises(CannotWrite, match="the disk is full"), written_beside(path), open("/dev/full", "w") as full:  # noqa: PTH123
        full.write("x" * 100_000)
    assert not path.exists() and not leftovers(tmp_path)


def test_all_files_of_a_shapefile_move_together(lava, tmp_path):
    hand_over_vector(lava, VectorOrder(tmp_path / "s.shp", "Shapefile", "s"))
    assert {p.suffix for p in tmp_path.iterdir()} >= {".shp", ".shx", ".dbf", ".prj"}


# Rasters and tables


def test_a_grid_as_it_is_keeps_every_cell(after, tmp_path):
    path = tmp_path / "g.tif"
    window = Extent(508_004, 5_771_004, 509_996, 5_771_996, "EPSG:32727")
    assert hand_over_raster(after, RasterOrder(path, (1,), within=window)) == (200, 100)
    with rasterio.open(path) as made:
        assert (
            made.transform.c == 508_000
            and made.transform.f == 5_772_000
            and made.nodata == -9999
            and made.units == ("m",)
        )
        inside = Extent(508_001, 5_771_001, 509_999, 5_771_999, "EPSG:32727")
        assert np.array_equal(made.read(1), after.native(inside).values[0])


def test_a_grid_in_another_crs_has_the_same_values_in_the_same_places(after, tmp_path):
    path = tmp_path / "g.tif"
    hand_over_raster(after, RasterOrder(path, (1,), crs="EPSG:4326"))
    with rasterio.open(path) as made:
        assert made.crs.to_epsg() == 4326
        lon, lat = transform(np.array([[508_305.0, 5_771_905.0]]), "EPSG:32727", "EPSG:4326")[0]
        found = next(made.sample([(lon, lat)]))[0]
    source = after.native()
    row, col = source.cell_of(508_305, 5_771_905)
    near = source.values[0, row - 1 : row + 2, col - 1 : col + 2]
    assert near.min() - 1 <= found <= near.max() + 1


def test_chosen_bands_of_a_scene(cache, data, tmp_path):
    scene = cache.raster(at(data / "MERIDEL3_20310624" / "MERIDEL3_20310624_META.txt", "visible to shortwave"))
    hand_over_raster(scene, RasterOrder(tmp_path / "s.tif", (4, 3)))
    with (
        rasterio.open(tmp_path / "s.tif") as made,
        rasterio.open(data / "MERIDEL3_20310624" / "MERIDEL3_20310624_B4.tif") as near,
    ):
        assert made.descriptions == ("near infrared", "red") and np.array_equal(made.read(1), near.read(1))


def test_an_extent_beside_the_grid_is_refused(after, tmp_path):
    with pytest.raises(CannotWrite, match="does not meet the grid"):
        hand_over_raster(after, RasterOrder(tmp_path / "g.tif", (1,), within=Extent(0, 0, 9, 9, "EPSG:32727")))


def test_tables(cache, data, tmp_path):
    table = cache.table(at(data / "gas_readings.parquet", "gas_readings"))
    rows = np.array([5, 2, 9])
    assert hand_over_table(table, tmp_path / "t.csv", "CSV", rows, ("station", "so2_ppm")) == 3
    assert arrow_csv.read_csv(tmp_path / "t.csv").column_names == ["station", "so2_ppm"]
    assert hand_over_table(table, tmp_path / "t", "Parquet", None, None) == table.num_rows
    assert pq.read_table(tmp_path / "t.parquet").schema.field("time").type == pa.timestamp("ms")
    with pytest.raises(CannotWrite, match="leaves no row"):
        hand_over_table(table, tmp_path / "n.csv", "CSV", rows[:0], None)


def test_a_computed_grid_becomes_a_file_like_any_other(after, home):
    path = write_grid(after.native(), "B minus A / x", unit="m")
    assert path.parent == home / "derived" and "/" not in path.name.removesuffix(".tif")
    part = read.open(path).parts[0]
    assert part.facts.grid.bands[0].unit == "m" and part.facts.grid.overviews == (2, 4, 8)
    assert np.array_equal(part.native().valid, after.native().valid)


def _layer_of(shapes, table=None, crs=UTM):
    wkb, flat = exact_shapes(
        pa.array([None if s is None else s if isinstance(s, bytes) else shapely.to_wkb(s) for s in shapes], pa.binary())
    )
    return Features(table if table is not None else pa.table({"n": list(range(len(shapes)))}), wkb, flat, crs)


ONE_POINT = b"\x01\x02\x00\x00\x00\x01\x00\x00\x00" + np.array([5.0, 6.0]).tobytes()


@pytest.mark.parametrize("format_", ["GeoPackage", "GeoJSON", "FlatGeobuf", "Shapefile"])
def test_odd_layers_are_handed_over(tmp_path, format_):
    box = shapely.box(0, 0, 10, 10)
    layers = {
        "no fields": _layer_of([box, box], pa.table({"gone": [1, 2]})),
        "a null geometry": _layer_of([box, None]),
        "50% done": _layer_of([box]),
        "-a; b!": _layer_of([box]),
        "a track of one point": _layer_of([ONE_POINT, shapely.LineString([(0, 0), (3, 4)])]),
    }
    for name, features in layers.items():
        fields = () if name == "no fields" else None
        target = tmp_path / f"{name} #1"
        count = hand_over_vector(features, VectorOrder(target, format_, name, fields=fields))
        path = next(
            p
            for p in tmp_path.iterdir()
            if p.name.startswith(f"{name} #1.") and p.suffix in (".gpkg", ".geojson", ".fgb", ".shp")
        )
        assert count == len(features)
        made = (
            shutil.copy(path, tmp_path / f"plain{path.suffix}") if path.suffix != ".shp" else path
        )  # the library can't open some names
        if path.suffix != ".shp" or "!" not in name:
            assert pyogrio.read_info(made)["features"] == count, name


def test_class_colours_go_out_with_their_cells(tmp_path):
    path = tmp_path / "classes.tif"
    with rasterio.open(path, "w", driver="GTiff", width=4, height=3, count=1, dtype="uint8", crs=UTM, nodata=255,
                       transform=rasterio.transform.from_origin(0, 30, 10, 10)) as out:  # fmt: skip
        out.write(np.arange(12, dtype="uint8").reshape(1, 3, 4) % 3)
        out.write_colormap(1, {0: (10, 20, 30, 255), 1: (200, 0, 0, 255), 2: (0, 0, 200, 255)})
    part = DataCache().raster(at(path, "classes"))
    for crs in (UTM, "EPSG:4326"):
        hand_over_raster(part, RasterOrder(tmp_path / "out.tif", (1,), crs=crs, smooth=True))
        with rasterio.open(tmp_path / "out.tif") as out:
            assert out.colormap(1)[1] == (200, 0, 0, 255)
            assert set(np.unique(out.read(1))) <= {0, 1, 2, 255}  # classes are never averaged


FULL_DISK = """
import resource, signal, sys
from pathlib import Path
signal.signal(signal.SIGXFSZ, signal.SIG_IGN)
from brisk_atlas.core.handover import RasterOrder, VectorOrder, hand_over_raster, hand_over_vector
from brisk_atlas.core.handover.table import write_table
from brisk_atlas.core import read
from brisk_atlas.core.model import CannotWrite
from brisk_atlas.core.model import DataRef
from brisk_atlas.core.cache import DataCache
import numpy as np, pyarrow as pa
data, target = Path(sys.argv[1]), Path(sys.argv[2])
held = DataCache()
grid = held.raster(DataRef.file(data / "elevation_2031.tif").with_part("elevation_2031")); grid.native()
lava = held.features(DataRef.file(data / "tolvane_survey.gpkg").with_part("lava_flows"))
table = pa.table({"x": np.random.default_rng(1).random(50_000)})
def written():
    if target.suffix == ".tif":
        hand_over_raster(grid, RasterOrder(target, (1,)))
    elif target.suffix in (".csv", ".parquet", ".xlsx"):
        write_table(table, target, {".csv": "CSV", ".parquet": "Parquet", ".xlsx": "XLSX"}[target.suffix])
    else:
        kinds = {".gpkg": "GeoPackage", ".geojson": "GeoJSON", ".fgb": "FlatGeobuf", ".shp": "Shapefile"}
        hand_over_vector(lava, VectorOrder(target, kinds[target.suffix], "lava"))


for room in (3_000, 20_000, 60_000):
    target.write_bytes(b"what was there before")
    resource.setrlimit(resource.RLIMIT_FSIZE, (room, resource.RLIM_INFINITY))
    try:
        written()
        refused = False
    except CannotWrite:
        refused = True
    resource.setrlimit(resource.RLIMIT_FSIZE, (resource.RLIM_INFINITY, resource.RLIM_INFINITY))
    is_right = target.read_bytes() == b"what was there before" if refused else bool(read.open(target).parts)
    print(room, is_right, [p.name for p in target.parent.iterdir() if p.name.startswith(".")])
    for other in target.parent.iterdir():
        other.unlink()
"""


@pytest.mark.parametrize("ending", [".tif", ".gpkg", ".geojson", ".fgb", ".shp", ".csv", ".parquet", ".xlsx"])
def test_a_full_disk_leaves_what_was_there(tmp_path, data, ending):
    asked = [sys.executable, "-c", FULL_DISK, str(data), str(tmp_path / f"out{ending}")]
    done = subprocess.run(asked, capture_output=True, text=True, timeout=120)
    assert done.stdout.splitlines() == [f"{room} True []" for room in (3_000, 20_000, 60_000)], done.stderr[-2000:]


def test_links_are_followed_and_permissions_stay(tmp_path):
    real = tmp_path / "real" / "a.csv"
    real.parent.mkdir()
    real.write_text("old")
    real.chmod(0o600)
    link = tmp_path / "link.csv"
    link.symlink_to(real)
    write_table(pa.table({"x": [1]}), link, "CSV")
    assert link.is_symlink() and "x" in real.read_text() and real.stat().st_mode & 0o777 == 0o600
    real.chmod(0o444)
    with pytest.raises(CannotWrite, match="write-protected"):
        write_table(pa.table({"x": [2]}), link, "CSV")
    assert "2" not in real.read_text()


def test_what_was_made_of_an_overwritten_file_goes_with_it(tmp_path, after):
    target = tmp_path / "out.tif"
    for name in ("out.tif", "out.tif.ovr", "out.tif.aux.xml", "out.tif.xml"):
        (tmp_path / name).write_bytes(b"old")
    hand_over_raster(after, RasterOrder(target, (1,)))
    assert sorted(p.name for p in tmp_path.iterdir()) == [
        "out.tif",
        "out.tif.xml",
    ]  # the record is not made of the cells


def test_a_write_that_was_killed_between_two_moves_is_finished_by_the_next(tmp_path):
    from brisk_atlas.core.system import atomic_write
    from brisk_atlas.core.system.processes import own_mark

    host, process, begun = own_mark().rsplit("-", 2)
    room = tmp_path / f"{atomic_write.ROOM}{host}-{process}-{int(begun) + 1}-abc"  # a process that is no more
    room.mkdir()
    for name in ("a.dbf", "a.shp"):
        (tmp_path / name).write_text("old")
    (tmp_path / "a.dbf").write_text("new")  # moved before the kill
    (room / "a.shp").write_text("new")
    (room / atomic_write.LIST).write_text(json.dumps({"moves": [["a.dbf", "a.dbf"], ["a.shp", "a.shp"]], "gone": []}))
    mine = tmp_path / f"{atomic_write.ROOM}{own_mark()}-def"
    mine.mkdir()
    atomic_write.write_whole(tmp_path / "other.txt", b"x")
    assert (tmp_path / "a.shp").read_text() == "new" and not room.exists() and mine.exists()
