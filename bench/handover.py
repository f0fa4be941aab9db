"""Recipes against the libraries that an analyst would write a script with, each side in processes of its own."""

from __future__ import annotations

import json
import shutil
import statistics
import subprocess
import sys
import tempfile
import time
from collections.abc import Iterator
from pathlib import Path

import numpy as np

from . import data
from .case import Case, Measured, MemoryCase, peak_mb

POLYGONS, SIDE, POINTS, CONTOUR_SIDE, FILES = 2_000_000, 20_000, 50_000_000, 10_000, 1_000
RUNS = 3

RUN = """
import sys
class Without:  # as it is installed: peers and tests alone have these
    def find_spec(self, name, *others):
        if name in ("pandas", "geopandas", "boto3"):
            raise ModuleNotFoundError(name)
sys.meta_path.insert(0, Without())
from brisk_atlas.core.handover.recipe import Branch, Recipe, RecipeStep as S
from brisk_atlas.core.handover.run_recipe import RecipeRun
from brisk_atlas.core.handover.sources import FileSources
def done(source, *steps):
    with RecipeRun(Recipe("", (Branch("main", source, steps),)), FileSources()) as run:
        return sum(each.count for branch in run.write() for each in branch.written)
"""
FEATURES = (
    RUN
    + """
def act(source, out):
    return done(source, S("where", {"where": "kind <> 3 AND size > 20"}), S("reproject", {"crs": "EPSG:4326"}),
                S("write", {"path": out + ".parquet", "options": {"compression": "snappy", "covering": False}}))
"""
)
GEOPANDAS = """
import geopandas
def act(source, out):
    found = geopandas.read_file(source)
    found = found[(found["kind"] != 3) & (found["size"] > 20)].to_crs("EPSG:4326")
    found.to_parquet(out + ".parquet")
    return len(found)
"""
GRID = (
    RUN
    + """
def act(source, out):
    return done(source, S("reproject", {"crs": "EPSG:32728"}), S("write", {"path": out + ".tif"}))
"""
)
COGEO = """
import rasterio, os
from rasterio.warp import calculate_default_transform, reproject, Resampling
from rio_cogeo import cog_translate, cog_profiles
def act(source, out):
    with rasterio.open(source) as src:
        t, w, h = calculate_default_transform(src.crs, "EPSG:32728", src.width, src.height, *src.bounds)
        profile = src.profile | {"crs": "EPSG:32728", "transform": t, "width": w, "height": h, "tiled": True,
                                 "blockxsize": 512, "blockysize": 512, "compress": None, "bigtiff": "YES"}
        with rasterio.open(out + ".part.tif", "w", **profile) as made:
            reproject(rasterio.band(src, 1), rasterio.band(made, 1), resampling=Resampling.bilinear, num_threads=2)
    with rasterio.Env(GDAL_NUM_THREADS="2"):
        cog_translate(out + ".part.tif", out + ".tif", cog_profiles.get("deflate") | {"predictor": 3}, quiet=True,
                      overview_resampling="average", config={"GDAL_NUM_THREADS": "2"}, in_memory=False)
    os.unlink(out + ".part.tif")
    return w * h
"""
CLOUD = (
    RUN
    + """
def act(source, out):
    return done(source, S("thin", {"size": 1.0}), S("tile", {"size": 500.0}), S("write", {"path": out + ".laz"}))
"""
)
LASPY = """
import laspy, numpy as np
def act(source, out):
    taken, writers, count = set(), {}, 0
    with laspy.open(source) as src:
        for chunk in src.chunk_iterator(500_000):
            xyz = np.column_stack([chunk.x, chunk.y, chunk.z])
            cubes = np.floor(xyz).astype(np.int64) & 0x1FFFFF
            keys = (cubes[:, 0] << 42) | (cubes[:, 1] << 21) | cubes[:, 2]
            _, first = np.unique(keys, return_index=True)
            first = np.sort(first)
            new = np.fromiter((k not in taken for k in keys[first].tolist()), bool, len(first))
            first = first[new]
            taken.update(keys[first].tolist())
            tiles = np.floor(xyz[first, :2] / 500).astype(int)
            for tile in np.unique(tiles, axis=0):
                name = tuple(tile.tolist())
                if name not in writers:
                    writers[name] = laspy.open(f"{out}_{name[0]}_{name[1]}.laz", mode="w", header=src.header)
                rows = first[(tiles == tile).all(axis=1)]
                writers[name].write_points(chunk[rows])
                count += len(rows)
    for writer in writers.values():
        writer.close()
    return count
"""
CONTOURS = (
    RUN
    + """
def act(source, out):
    return done(source, S("contours", {"interval": 50.0}), S("write", {"path": out + ".fgb"}))
"""
)
CONTOURPY = """
import contourpy, numpy as np, pyarrow as pa, pyogrio, rasterio, shapely
def act(source, out):
    with rasterio.open(source) as src:
        z, t, crs = src.read(1).astype(float), src.transform, src.crs
    made = contourpy.contour_generator(z=z, name="serial", line_type="ChunkCombinedOffset")
    lines, values = [], []
    for level in np.arange(np.ceil(z.min() / 50), np.floor(z.max() / 50) + 1) * 50:
        (points,), (starts,) = made.lines(level)
        if points is None: continue
        owner = np.repeat(np.arange(len(starts) - 1), np.diff(starts.astype(int)))
        xy = np.column_stack([t.c + t.a * (points[:, 0] + .5), t.f + t.e * (points[:, 1] + .5)])
        lines.append(shapely.linestrings(xy, indices=owner)); values.append(np.full(len(lines[-1]), level))
    table = pa.table({"value": np.concatenate(values), "geometry": pa.array(shapely.to_wkb(np.concatenate(lines)), pa.binary())})
    pyogrio.write_arrow(table, out + ".fgb", driver="FlatGeobuf", geometry_name="geometry", geometry_type="LineString", crs=crs.to_wkt())
    return len(table)
"""
TIMED = """
import sys, time, json, os
from bench.case import peak_mb
source, out = sys.argv[1:]
begun = time.perf_counter()
seen = act(source, out)
print(json.dumps({"seconds": time.perf_counter() - begun, "peak": peak_mb(), "seen": seen}))
"""


def run() -> Iterator[Case]:
    yield from _both(f"{POLYGONS:,} polygons, GeoPackage to GeoParquet, filtered and reprojected", FEATURES, GEOPANDAS,
                     polygons(), "geopandas", 4.0, 3.0)  # fmt: skip
    yield from _both(f"a grid of {SIDE:,} x {SIDE:,} to COG, reprojected", GRID, COGEO, grid(SIDE),
                     "rasterio.warp and rio-cogeo", 1.3, None)  # fmt: skip
    yield from _both(
        f"{POINTS:,} points of LAZ, thinned and tiled", CLOUD, LASPY, cloud(), "laspy, chunk by chunk", 2.0, None
    )
    yield from _both(f"contours of {CONTOUR_SIDE:,} x {CONTOUR_SIDE:,}", CONTOURS, CONTOURPY, grid(CONTOUR_SIDE),
                     "contourpy on the whole", 1.0, 10.0)  # fmt: skip
    yield from _many()


def _both(
    name: str, ours: str, theirs: str, source: Path, peer: str, target: float, memory: float | None
) -> Iterator[Case]:
    """Yield the case of time, and that of memory where there is a target for it."""
    times: dict[str, list[float]] = {ours: [], theirs: []}
    peaks, seen = dict.fromkeys(times, 0.0), {}
    for _ in range(RUNS):
        for program in times:
            with tempfile.TemporaryDirectory() as folder:
                asked = [sys.executable, "-c", program + TIMED, str(source), str(Path(folder, "out"))]
                done = subprocess.run(asked, capture_output=True, text=True, cwd=Path(__file__).parents[1])
                if done.returncode:
                    raise RuntimeError(done.stderr[-2000:])
            found = json.loads(done.stdout.splitlines()[-1])
            times[program].append(found["seconds"])
            peaks[program] = max(peaks[program], found["peak"])
            seen[program] = found["seen"]
    assert abs(seen[ours] - seen[theirs]) <= 1e-4 * seen[theirs], seen
    mine, yours = (Measured(statistics.median(times[p]), peaks[p]) for p in (ours, theirs))
    yield Case("handover", name, peer, mine, yours, target)
    if memory is not None:
        yield MemoryCase("handover", f"{name}, memory", peer, mine, yours, memory)


def _many() -> Iterator[Case]:
    """Yield how much quicker two workers are than one, and how a cluster compares with our own processes."""
    from distributed import LocalCluster

    from brisk_atlas.core.handover.batch import Batch, inputs_in
    from brisk_atlas.core.handover.batch_cluster import ClusterRunner
    from brisk_atlas.core.handover.batch_task import Runner
    from brisk_atlas.core.handover.batch_worker import ProcessRunner
    from brisk_atlas.core.handover.recipe import Branch, Recipe, RecipeStep

    recipe = Recipe("", (Branch("main", "${input}", (
        RecipeStep("where", {"where": "size > 20"}), RecipeStep("compute", {"field": "twice", "expression": "size * 2"}),
        RecipeStep("repair"), RecipeStep("reproject", {"crs": "EPSG:4326"}),
        RecipeStep("write", {"path": "${out}/${name}.parquet"}),
    )),))  # fmt: skip
    places = inputs_in([small_files()])

    def once(runner: Runner) -> float:
        with tempfile.TemporaryDirectory() as folder:
            begun = time.perf_counter()
            outcomes = Batch(recipe, places, Path(folder)).run(runner)
            assert all(outcome.state == "done" for outcome in outcomes), outcomes[0]
            return time.perf_counter() - begun

    one, two, dask = [], [], []
    with LocalCluster(n_workers=2, threads_per_worker=1, dashboard_address=None, host="127.0.0.1") as cluster:
        for _ in range(RUNS):
            one.append(once(ProcessRunner(1)))
            two.append(once(ProcessRunner(2)))
            dask.append(once(ClusterRunner(cluster.scheduler_address)))
    single, pair, spread = (Measured(statistics.median(each), peak_mb()) for each in (one, two, dask))
    name = f"{FILES:,} small files through five steps"
    yield Case("handover", f"{name}, two workers", "one worker", pair, single, 1.7)
    yield Case("handover", f"{name}, by a Dask cluster on the loopback", "our own two processes", spread, pair, 1 / 1.2)


def polygons() -> Path:
    """Return a GeoPackage of 2,000,000 polygons of 12 corners with four fields."""

    def make(path: Path) -> None:
        import pyarrow as pa
        import pyogrio
        import shapely

        random = np.random.default_rng(21)

        def batches() -> Iterator[pa.RecordBatch]:
            for start in range(0, POLYGONS, 100_000):
                size = random.uniform(5, 60, 100_000)
                turn = np.linspace(0, 2 * np.pi, 12, endpoint=False)
                centre = random.uniform(0, 300_000, (100_000, 1, 2)) + (data.WEST, data.SOUTH)
                ring = centre + np.stack([np.cos(turn), np.sin(turn)], axis=1)[None] * size[:, None, None]
                shapes = shapely.polygons(np.concatenate([ring, ring[:, :1]], axis=1))
                numbers = np.arange(start, start + 100_000)
                yield from pa.table({
                    "id": numbers, "kind": random.integers(0, 5, 100_000).astype(np.int32), "size": size,
                    "name": [f"plot {n}" for n in numbers.tolist()], "geometry": pa.array(shapely.to_wkb(shapes), pa.binary()),
                }).to_batches()  # fmt: skip

        first = pa.schema([("id", pa.int64()), ("kind", pa.int32()), ("size", pa.float64()), ("name", pa.string()),
                           ("geometry", pa.binary())])  # fmt: skip
        pyogrio.write_arrow(pa.RecordBatchReader.from_batches(first, batches()), path, driver="GPKG", layer="plots",
                            geometry_name="geometry", geometry_type="Polygon", crs=data.CRS)  # fmt: skip

    return data.made(f"plots-{POLYGONS}.gpkg", make)


def grid(side: int) -> Path:
    """Return a tiled GeoTIFF of smooth heights."""

    def make(path: Path) -> None:
        import rasterio
        from affine import Affine

        across = np.arange(side, dtype=np.float32)
        noise = np.random.default_rng(22).normal(0, 0.4, (512, side)).astype(np.float32)
        with rasterio.open(path, "w", driver="GTiff", width=side, height=side, count=1, dtype="float32", crs=data.CRS,
                           transform=Affine(10, 0, data.WEST, 0, -10, data.SOUTH + side * 10), tiled=True, blockxsize=512,
                           blockysize=512, compress="deflate", predictor=3, bigtiff="yes") as out:  # fmt: skip
            for row in range(0, side, 512):
                tall = min(512, side - row)
                y = np.arange(row, row + tall, dtype=np.float32)[:, None]
                z = 600 + 400 * np.sin(across / 900) * np.cos(y / 700) + 120 * np.sin((across + y) / 97) + noise[:tall]
                out.write(z, 1, window=((row, row + tall), (0, side)))

    return data.made(f"heights-{side}.tif", make)


def cloud() -> Path:
    """Return a LAZ file of 50,000,000 points along strips, as a scanner flies."""

    def make(path: Path) -> None:
        import laspy

        header = laspy.LasHeader(point_format=6, version="1.4")
        header.scales, header.offsets = [0.001] * 3, [data.WEST, data.SOUTH, 0]
        random = np.random.default_rng(23)
        with laspy.open(path.with_suffix(".laz"), mode="w", header=header) as out:
            for number in range(50):
                count = POINTS // 50
                record = laspy.ScaleAwarePointRecord.zeros(count, header=header)
                x = random.uniform(0, 2000, count)
                record.x, record.y = data.WEST + x, data.SOUTH + np.sort(random.uniform(0, 40, count)) + number * 40
                record.z = 200 + 30 * np.sin(x / 150) + random.gamma(1.0, 2.0, count)
                record["intensity"] = random.integers(0, 4000, count)
                record["classification"] = random.choice([2, 5, 6], count)
                out.write_points(record)
        path.with_suffix(".laz").rename(path)

    return data.made(f"flown-{POINTS}.laz", make)


def small_files() -> Path:
    """Return a folder of 1,000 GeoPackages of 500 polygons."""

    def make(folder: Path) -> None:
        import pyarrow as pa
        import pyogrio
        import shapely

        folder.mkdir()
        random = np.random.default_rng(24)
        first = folder / "f0000.gpkg"
        size = random.uniform(5, 60, 500)
        x, y = random.uniform(0, 9000, (2, 500)) + np.array([[data.WEST], [data.SOUTH]])
        shapes = shapely.box(x, y, x + size, y + size)
        pyogrio.write_arrow(pa.table({"size": size, "geometry": pa.array(shapely.to_wkb(shapes), pa.binary())}), first,
                            driver="GPKG", layer="plots", geometry_name="geometry", geometry_type="Polygon",
                            crs=data.CRS)  # fmt: skip
        for number in range(1, FILES):
            shutil.copy(first, folder / f"f{number:04}.gpkg")

    return data.made(f"small-{FILES}", make)
