"""Data for the benchmarks: seeded, made once, kept outside the project."""

from __future__ import annotations

import shutil
from collections.abc import Callable, Iterator
from pathlib import Path

import numpy as np
from platformdirs import user_cache_path

CRS = "EPSG:32727"
WEST, SOUTH = 504_000.0, 5_767_000.0


def made(name: str, make: Callable[[Path], None]) -> Path:
    """Return the file `name`, made by `make` the first time."""
    path = user_cache_path("brisk-atlas-bench") / name
    if not path.exists():
        path.parent.mkdir(parents=True, exist_ok=True)
        beside = path.with_name("new-" + path.name)
        if beside.is_dir():
            shutil.rmtree(beside)
        beside.unlink(missing_ok=True)
        make(beside)
        beside.replace(path)
    return path


def rings(count: int, corners: int, width: float, height: float, radii: tuple[float, float], seed: int) -> np.ndarray:
    """Return (count, corners + 1, 2) closed rings around random places, each of a size of its own
    and its corners up to a fifth further in or out."""
    random = np.random.default_rng(seed)
    centre = random.uniform((0, 0), (width, height), (count, 2))
    turn = np.linspace(0, 2 * np.pi, corners, endpoint=False)
    out = random.uniform(*radii, (count, 1)) * random.uniform(0.8, 1.2, (count, corners))
    ring = centre[:, None] + out[..., None] * np.stack([np.cos(turn), np.sin(turn)], axis=-1)
    return np.concatenate([ring, ring[:, :1]], axis=1)


def wandering_lines(count: int, vertices: int, width: float, height: float, step: float, seed: int) -> np.ndarray:
    """Return (count, vertices, 2) lines that wander from random places."""
    random = np.random.default_rng(seed)
    turn = np.cumsum(random.normal(0, 0.25, (count, vertices)), axis=1) + random.uniform(0, 2 * np.pi, (count, 1))
    moves = step * np.stack([np.cos(turn), np.sin(turn)], axis=-1)
    return random.uniform((0, 0), (width, height), (count, 1, 2)) + np.cumsum(moves, axis=1)


def polygons() -> Path:
    """Return a GeoPackage of 100,000 polygons of 12 vertices."""

    def make(path: Path) -> None:
        import pyogrio
        import shapely

        count = 100_000
        corners = rings(count, 12, 10_240, 9_000, (8, 30), 1) + (WEST, SOUTH)
        wkb = shapely.to_wkb(shapely.polygons(corners))
        values = [np.arange(count), np.random.default_rng(2).uniform(0, 9, count)]
        pyogrio.raw.write(path, wkb, values, ["id", "value"], crs=CRS, geometry_type="Polygon", driver="GPKG")

    return made("polygons-100000.gpkg", make)


def lines(count: int, vertices: int) -> Path:
    """Return a GeoPackage of wandering lines."""

    def make(path: Path) -> None:
        import pyogrio
        import shapely

        xy = wandering_lines(count, vertices, 10_000, 8_000, 2.0, 7) + (WEST, SOUTH)
        wkb = shapely.to_wkb(shapely.linestrings(xy))
        pyogrio.raw.write(path, wkb, [np.arange(count)], ["id"], crs=CRS, geometry_type="LineString", driver="GPKG")

    return made(f"lines-{count}-{vertices}.gpkg", make)


GRID_SIDE, CELL = 20_000, 1.0


def grid(*, overviews: bool) -> Path:
    """Return a tiled GeoTIFF of 20,000 x 20,000 float cells, with or without overviews."""

    def make(path: Path) -> None:
        import rasterio
        from rasterio.enums import Resampling
        from rasterio.transform import from_origin
        from rasterio.windows import Window

        random = np.random.default_rng(3)
        x = np.arange(GRID_SIDE, dtype=np.float32)[None, :]
        how = {"driver": "GTiff", "width": GRID_SIDE, "height": GRID_SIDE, "count": 1, "dtype": "float32", "crs": CRS}
        how |= {"transform": from_origin(WEST, SOUTH + GRID_SIDE * CELL, CELL, CELL), "nodata": -9999.0}
        how |= {"tiled": True, "blockxsize": 256, "blockysize": 256, "compress": "lzw", "BIGTIFF": "YES"}
        with rasterio.Env(GDAL_NUM_THREADS="2"), rasterio.open(path, "w", **how) as out:
            for top in range(0, GRID_SIDE, 1000):
                y = np.arange(top, top + 1000, dtype=np.float32)[:, None]
                hills = 300 * np.sin(x / 900) * np.cos(y / 1300) + 40 * np.sin((x + y) / 61) + 500
                hills += random.normal(0, 0.5, hills.shape).astype(np.float32)
                out.write(np.round(hills, 1).astype(np.float32), 1, window=Window(0, top, GRID_SIDE, 1000))
            if overviews:
                out.build_overviews([2, 4, 8, 16, 32, 64], Resampling.average)

    return made(f"grid-{GRID_SIDE}{'-overviews' if overviews else ''}.tif", make)


POINTS = 20_000_000


def cloud() -> Path:
    """Return a LAZ file of 20,000,000 points in flight lines."""

    def make(path: Path) -> None:
        import laspy

        header = laspy.LasHeader(version="1.4", point_format=6)
        header.scales, header.offsets = [0.01] * 3, [WEST, SOUTH, 0]
        random = np.random.default_rng(4)
        with laspy.open(path.with_suffix(".laz"), "w", header=header) as out:
            for piece in range(40):
                count = POINTS // 40
                record = laspy.ScaleAwarePointRecord.zeros(count, header=header)
                along = np.sort(random.uniform(0, 4000, count))
                across = piece * 75 + random.uniform(0, 90, count)
                record.x, record.y = WEST + along, SOUTH + across
                record.z = 200 + 80 * np.sin(along / 300) * np.cos(across / 400) + random.normal(0, 0.4, count)
                record.intensity = random.integers(0, 4000, count)
                record.classification = random.choice([2, 2, 2, 5, 6], count)
                out.write_points(record)
        path.with_suffix(".laz").rename(path)

    return made(f"cloud-{POINTS}.laz", make)


def large_polygons() -> Path:
    """Return a GeoPackage of 190,000 polygons with 10,600,000 vertices, some of them with thousands, as coasts have."""

    def make(path: Path) -> None:
        import pyogrio
        import shapely

        random = np.random.default_rng(11)
        sizes = np.clip(random.lognormal(3.2, 1.2, 190_000).astype(int), 4, 20_000)
        sizes = np.maximum(4, sizes * 10_600_000 // sizes.sum())
        starts = np.concatenate([[0], np.cumsum(sizes + 1)])
        of = np.repeat(np.arange(len(sizes)), sizes + 1)
        turn = (np.arange(len(of)) - starts[of]) % np.repeat(sizes, sizes + 1) / np.repeat(sizes, sizes + 1) * 2 * np.pi
        out = random.uniform(50, 60, len(of))
        out[starts[1:] - 1] = out[starts[:-1]]
        centres = random.uniform(0, 300_000, (len(sizes), 2)) + (WEST, SOUTH)
        xy = centres[of] + np.column_stack([np.cos(turn), np.sin(turn)]) * out[:, None]
        wkb = shapely.to_wkb(shapely.polygons(shapely.linearrings(xy, indices=of)))
        pyogrio.raw.write(path, wkb, [np.arange(len(sizes))], ["id"], crs=CRS, geometry_type="Polygon", driver="GPKG")

    return made("coasts-190000.gpkg", make)


COAST_POLYGONS, COAST_VERTICES, COAST_LARGEST = 190_000, 10_600_000, 1_000_000


def coast() -> Path:
    """Return a GeoPackage of 190,000 islands with 10,600,000 vertices in degrees, of very uneven size: coasts that are
    rough at every scale, one of them with a million vertices."""

    def make(path: Path) -> None:
        import pyogrio
        import shapely

        random = np.random.default_rng(14)
        share = random.pareto(1.05, COAST_POLYGONS - 1)
        room = COAST_VERTICES - COAST_LARGEST - 5 * COAST_POLYGONS
        for _ in range(20):  # what the largest would have beyond their bound goes to the others
            share = np.minimum(share / share.sum() * room, COAST_LARGEST // 4)
        counts = 5 + np.floor(share).astype(int)
        counts[: COAST_VERTICES - COAST_LARGEST - counts.sum()] += 1
        islands = [_island(random, COAST_LARGEST, 12.0)]
        islands += [_island(random, n, 12.0 * (n / COAST_LARGEST) ** 0.8) for n in counts.tolist()]
        wkb = shapely.to_wkb(np.array([shapely.polygons(ring) for ring in islands], object))
        values = [np.arange(len(islands)), np.array([len(ring) for ring in islands])]
        pyogrio.raw.write(path, wkb, values, ["id", "corners"], crs="EPSG:4326", geometry_type="Polygon", driver="GPKG")

    return made("coast-190000.gpkg", make)


def _island(random: np.random.Generator, count: int, size: float) -> np.ndarray:
    """Return (count, 2) corners of a closed ring around a random place, about `size` degrees from its middle; the
    roughness falls with the wavelength, as a fractal's does."""
    free = count - 1
    waves = np.arange(1, free // 2 + 1)
    grain = np.zeros(free // 2 + 1, complex)
    grain[1:] = (random.normal(size=waves.size) + 1j * random.normal(size=waves.size)) / waves**1.2
    rough = np.fft.irfft(grain, free)
    rough /= max(float(np.abs(rough).max()), 1e-12)
    turn = np.linspace(0, 2 * np.pi, free, endpoint=False)
    out = size * (1 + 0.55 * rough)
    middle = random.uniform((-165, -68), (165, 68))
    ring = middle + np.column_stack([out * np.cos(turn), 0.7 * out * np.sin(turn)])
    return np.concatenate([ring, ring[:1]])


def two_gigabytes() -> Path:
    """Return a GeoPackage of 14,000,000 points with a text each, about 2 GB."""

    def make(path: Path) -> None:
        import pyarrow as pa
        import pyogrio
        import shapely

        random = np.random.default_rng(12)
        texts = pa.array([f"measured at station {i % 997:04d} on day {i % 365:03d}" for i in range(1_000_000)])
        schema = pa.schema([("id", pa.int64()), ("note", pa.string()), ("geometry", pa.binary())])

        def batches() -> Iterator[pa.RecordBatch]:
            for number in range(14):
                xy = random.uniform((WEST, SOUTH), (WEST + 100_000, SOUTH + 80_000), (1_000_000, 2))
                ids = pa.array(np.arange(1_000_000) + number * 1_000_000)
                wkb = pa.array(shapely.to_wkb(shapely.points(xy), flavor="iso"), pa.binary())
                yield pa.record_batch([ids, texts, wkb], schema=schema)

        reader = pa.RecordBatchReader.from_batches(schema, batches())
        pyogrio.write_arrow(
            reader, path, layer="points", geometry_name="geometry", geometry_type="Point", crs=CRS, driver="GPKG"
        )

    return made("points-2gb.gpkg", make)
