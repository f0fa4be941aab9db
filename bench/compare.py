"""What changed: two deliveries of a million rows, against a merge and a comparison by pandas and shapely; two large grids,
against NumPy on all of their cells and against decoding them."""

from __future__ import annotations

import json
import statistics
import subprocess
import sys
from collections.abc import Iterator
from pathlib import Path

import numpy as np

from . import data
from .case import Case, Measured, MemoryCase

ROWS, EDITED = 1_000_000, 5_000
SIDE = 20_000  # cells along each side of the grids
RUNS = 3
DATES, DATE_SIDE = 40, 4_000
FRAME = Measured(1 / 60, 0.0)

OURS = """
import json, sys, time
from bench.case import peak_mb
from brisk_atlas.core.cache import DataCache
from brisk_atlas.core.compare.datasets import dataset_change
from brisk_atlas.core.model import DataRef
def seen(a, b):
    part = dataset_change(DataCache(), DataRef.file(a), DataRef.file(b)).parts[0]
    return [int(part.rows.shape.sum()), part.rows.by_field["height"], part.rows.counts["added"], part.rows.counts["removed"]]
"""
PEER = """
import json, sys, time
import numpy as np, pandas as pd, pyogrio, shapely
from bench.case import peak_mb
def read(path):
    meta, _, geometry, values = pyogrio.raw.read(path)
    frame = pd.DataFrame(dict(zip(meta["fields"], values)))
    frame["geometry"] = shapely.from_wkb(geometry)
    return frame
def seen(a, b):
    both = read(a).merge(read(b), on="id", how="outer", suffixes=("_a", "_b"), indicator=True)
    kept = both[both._merge == "both"]
    moved = ~shapely.equals_exact(kept.geometry_a.to_numpy(), kept.geometry_b.to_numpy())
    found = {}
    for name in ("kind", "height", "people"):
        x, y = kept[f"{name}_a"], kept[f"{name}_b"]
        found[name] = int(((x != y) & ~(x.isna() & y.isna())).sum())
    return [int(moved.sum()), found["height"], int((both._merge == "right_only").sum()), int((both._merge == "left_only").sum())]
"""
TIMED = """
seen(sys.argv[3], sys.argv[3].replace("-a.", "-b."))  # the libraries load before the clock runs
begun = time.perf_counter()
found = seen(sys.argv[1], sys.argv[2])
print(json.dumps({"seconds": time.perf_counter() - begun, "peak": peak_mb(), "seen": found}))
"""


GRIDS = """
import json, sys, time
from bench.case import peak_mb
from brisk_atlas.core import read
from brisk_atlas.core.compare import change_between
def seen(a, b):
    change = change_between(*(read.open(path).parts[0] for path in (a, b)), threshold=0.5)
    return [round(change.risen_volume / 1e6), round(change.fallen_volume / 1e6), change.compared_cells]
"""
NUMPY = """
import json, sys, time
import numpy as np, rasterio
from bench.case import peak_mb
def seen(a, b):
    with rasterio.open(a) as one, rasterio.open(b) as two:
        first, second = one.read(1, masked=True), two.read(1, masked=True)
        area = abs(one.transform.a * one.transform.e)
    off = second - first
    count = int(off.count())
    off = off.filled(0)
    risen, fallen = off >= 0.5, off <= -0.5
    volumes = [float(off[where].sum(dtype=float)) * area / 1e6 for where in (risen, fallen)]
    return [round(volumes[0]), round(-volumes[1]), count]
"""
DECODING = """
import json, sys, time
import rasterio
from concurrent.futures import ThreadPoolExecutor
from bench.case import peak_mb
def seen(a, b):
    def rows(path, first, step=500):
        with rasterio.open(path) as file:
            for top in range(first, file.height, 2 * step):
                file.read(1, window=((top, min(file.height, top + step)), (0, file.width)))
    with ThreadPoolExecutor(2) as pool:
        list(pool.map(rows, (a, a, b, b), (0, 500, 0, 500)))
    return None
"""


TREND = """
import json, sys, time
import numpy as np
from pathlib import Path
from bench.case import peak_mb
from brisk_atlas.core import read
from brisk_atlas.core.compare.series import DatedBand, series_statistics
def seen(folder, _):
    paths = sorted(Path(folder).glob("*.tif"))
    bands = [DatedBand(read.open(path).parts[0], 1, 31_556_952.0 * number) for number, path in enumerate(paths)]
    trend = series_statistics(bands).grid.values[4]
    return [round(float(trend[0, 0]), 3), round(float(np.mean(trend, dtype=float)), 3)]
"""
POLYFIT = """
import json, sys, time
import numpy as np, rasterio
from pathlib import Path
from bench.case import peak_mb
def seen(folder, _):
    stack = []
    for path in sorted(Path(folder).glob("*.tif")):
        with rasterio.open(path) as file:
            stack.append(file.read(1))
    stack = np.stack(stack)
    trend = np.polyfit(np.arange(len(stack)), stack.reshape(len(stack), -1), 1)[0]
    return [round(float(trend[0]), 3), round(float(trend.mean()), 3)]
"""
PAINTING = """
import json, os, sys, time
os.environ["QT_QPA_PLATFORM"] = "offscreen"
import numpy as np
from bench.case import peak_mb
from PyQt6.QtGui import QPixmap
from PyQt6.QtWidgets import QApplication
from brisk_atlas.core.draw import View
from brisk_atlas.core.draw.frame import Frame
from brisk_atlas.core.workspace.comparison import Divide, Way
from brisk_atlas.desktop.panes.map_canvas import MapCanvas
app = QApplication([])
canvas = MapCanvas()
canvas.resize(1280, 800)
canvas.show()
view = View(0.0, 0.0, 1.0, 1280, 800, "EPSG:32727")
random = np.random.default_rng(2)
frames = []
for _ in range(2):
    picture = random.integers(0, 255, (800, 1280, 4), np.uint8)
    picture[..., 3] = 255
    frames.append(Frame(picture, view))
canvas.view = view
canvas.show_frames(frames)
canvas.sides.titles = ("before", "after")
screen = QPixmap(1280, 800)
def one(step):
    if sys.argv[1] == "blink":
        canvas.sides.way, canvas.sides.mix = Way.BLINK, float(step % 2)
    elif sys.argv[1] == "fade":
        canvas.sides.way, canvas.sides.mix = Way.BLINK, 0.01 + step % 90 / 100
    else:
        canvas.sides.way, canvas.sides.divide = Way.CURTAIN, Divide(sys.argv[1])
        canvas.sides.move(step % 100 / 100)
    begun = time.perf_counter()
    canvas.render(screen)
    return time.perf_counter() - begun
times = sorted(one(step) for step in range(200))
print(json.dumps({"seconds": times[len(times) // 2], "peak": peak_mb()}))
"""


def dates(count: int = DATES, side: int = DATE_SIDE, *, packed: bool = False) -> Path:
    """Return a folder of grids, one a year, in tiles, compressed if `packed`: each cell rises or falls evenly, with
    noise."""
    stored = {"compress": "deflate", "predictor": 3, "zlevel": 1, "num_threads": "all_cpus"} if packed else {}

    def make(folder: Path) -> None:
        import rasterio
        from rasterio.transform import from_origin

        folder.mkdir()
        random = np.random.default_rng(7)
        x, y = np.arange(side), np.arange(side)[:, None]
        base = (300 + 200 * np.sin(x / 900) * np.cos(y / 700)).astype(np.float32)
        rise = (0.5 * np.sin(x / 500) * np.sin(y / 300)).astype(np.float32)
        for date in range(count):
            noise = random.integers(-8, 8, (side, side), np.int8) / np.float32(16)
            with rasterio.open(
                folder / f"height_{1990 + date}.tif", "w", driver="GTiff", width=side, height=side, count=1,
                dtype="float32", tiled=True, blockxsize=512, blockysize=512, crs=data.CRS,
                transform=from_origin(data.WEST, data.SOUTH + side, 1, 1), **stored,
            ) as out:  # fmt: skip
                out.write(np.round((base + rise * date) * 16) / np.float32(16) + noise, 1)

    return data.made(f"dates-{count}-{side}{'' if packed else '-plain'}", make)


def painting(which: str) -> Measured:
    """Return the median time to paint two sides anew, the pictures being there."""
    asked = [sys.executable, "-c", PAINTING, which]
    found = [json.loads(subprocess.run(asked, capture_output=True, text=True, check=True).stdout) for _ in range(RUNS)]
    return Measured(statistics.median(f["seconds"] for f in found), max(f["peak"] for f in found))


def grid(version: str, side: int = SIDE) -> Path:
    """Return a GeoTIFF of heights in compressed tiles, with gaps; `b` is up to 3 m higher or lower in places."""

    def make(path: Path) -> None:
        import rasterio
        from rasterio.transform import from_origin

        with rasterio.open(
            path, "w", driver="GTiff", width=side, height=side, count=1, dtype="float32", nodata=-9999, tiled=True,
            blockxsize=512, blockysize=512, compress="deflate", predictor=3, zlevel=1, num_threads="all_cpus",
            crs=data.CRS, transform=from_origin(data.WEST, data.SOUTH + side, 1, 1),
        ) as out:  # fmt: skip
            x = np.arange(side)
            for top in range(0, side, 512):
                y = np.arange(top, min(side, top + 512))[:, None]
                heights = 300 + 200 * np.sin(x / 900) * np.cos(y / 700) + 5 * np.sin(x / 23) * np.sin(y / 31)
                heights = np.round(heights * 16) / 16
                if version == "b":
                    heights += np.round(3 * np.sin(x / 1500) * np.sin(y / 1300) * 16) / 16
                heights[(x // 1000 + y // 1000) % 9 == 4] = -9999
                out.write(heights.astype(np.float32), 1, window=((top, top + len(y)), (0, side)))

    return data.made(f"heights-{side}-{version}.tif", make)


def delivery(version: str, count: int = ROWS) -> Path:
    """Return a GeoPackage of squares; in `b` some moved, have another height, are gone or new, in another order."""

    def make(path: Path) -> None:
        import pyogrio
        import shapely

        random = np.random.default_rng(5)
        ids = random.permutation(count) + 1
        x, y = random.uniform(0, 90_000, (2, count)) + [[data.WEST], [data.SOUTH]]
        kind = np.array(["barn", "house", "shed", "chapel"], object)[random.integers(0, 4, count)]
        height, people = random.uniform(2, 40, count), random.integers(0, 9, count)
        if version == "b":
            edited = min(EDITED, count // 10)
            x[:edited] += 1.5
            height[edited : 2 * edited] += 0.5
            ids[-edited:] += 2 * count  # others came in their places
            order = random.permutation(count)
            ids, x, y, kind, height, people = (each[order] for each in (ids, x, y, kind, height, people))
        wkb = shapely.to_wkb(shapely.box(x, y, x + 12, y + 9))
        pyogrio.raw.write(path, wkb, [ids, kind, height, people], ["id", "kind", "height", "people"], crs=data.CRS,
                          geometry_type="Polygon", driver="GPKG")  # fmt: skip

    return data.made(f"delivery-{count}-{version}.gpkg", make)


def _in_turn(programs: tuple[str, ...], sides: list[Path], few: Path) -> list[tuple[Measured, object]]:
    """Return what each program takes in processes of its own, one after another, and what it saw."""
    times: dict[str, list[float]] = {program: [] for program in programs}
    peaks, seen = dict.fromkeys(programs, 0.0), {}
    for _ in range(RUNS):
        for program in programs:
            asked = [sys.executable, "-c", program + TIMED, *map(str, sides), str(few)]
            found = json.loads(subprocess.run(asked, capture_output=True, text=True, check=True).stdout)
            times[program].append(found["seconds"])
            peaks[program] = max(peaks[program], found["peak"])
            seen[program] = found["seen"]
    return [(Measured(statistics.median(times[p]), peaks[p]), seen[p]) for p in programs]


def run() -> Iterator[Case]:
    delivery("b", 1000)
    (ours, mine), (theirs, others) = _in_turn((OURS, PEER), [delivery("a"), delivery("b")], delivery("a", 1000))
    assert mine == others == [EDITED, EDITED, EDITED, EDITED], (mine, others)
    yield Case("compare", f"two deliveries of {ROWS:,} rows, read and compared",
               "pyogrio, a pandas merge and shapely", ours, theirs, 5.0)  # fmt: skip
    grid("b", 1000)
    (ours, mine), (theirs, others), (decoded, _) = _in_turn(
        (GRIDS, NUMPY, DECODING), [grid("a"), grid("b")], grid("a", 1000)
    )
    assert mine == others, (mine, others)
    name = f"difference and volumes of two grids of {SIDE:,} x {SIDE:,}"
    yield Case("compare", name, "rasterio and NumPy on all cells", ours, theirs, 1.5)
    yield MemoryCase("compare", f"{name}, memory", "rasterio and NumPy on all cells", ours, theirs, 5.0)
    yield MemoryCase("compare", f"{name}, memory", "the limit of 500 MB", ours, Measured(0.0, 500.0), 1.0)
    yield Case("compare", name, "decoding both files on two threads", ours, decoded, 1 / 1.3)
    for packed, target in ((False, 5.0), (True, 2.0)):  # as a stack is, and where decoding takes most of the time
        sides = [dates(packed=packed)] * 2
        (ours, mine), (theirs, others) = _in_turn((TREND, POLYFIT), sides, dates(3, 100))
        assert np.allclose(mine, others, atol=0.002), (mine, others)
        stored = "compressed" if packed else "plain"
        name = f"trend of {DATES} dates of {DATE_SIDE:,} x {DATE_SIDE:,}, with its significance, from {stored} files"
        peer = "rasterio and NumPy polyfit over the stack, without significance"
        yield Case("compare", name, peer, ours, theirs, target)
    for which, name in (("upright", "the curtain's edge moves"), ("glass", "the glass moves"), ("blink", "blink swaps"),
                        ("fade", "A fades into B")):  # fmt: skip
        yield Case("compare", f"{name} at 1280 x 800, pictures being there", "a frame of the screen, 16.7 ms",
                   painting(which), FRAME, 1.0)  # fmt: skip
