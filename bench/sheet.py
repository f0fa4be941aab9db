"""A sheet of 5,000,000 rows and 20 fields against pandas doing the same, each in a process of its own."""

from __future__ import annotations

import json
import statistics
import subprocess
import sys
from collections.abc import Iterator
from pathlib import Path

import numpy as np

from . import data
from .case import Case, Measured

ROWS = 5_000_000
STEPS = ("first rows", "sort", "filter", "computed field", "distinct values")
TOGETHER, MEMORY = 4.0, 2.0  # what is asked: times faster, and theirs over ours in peak memory
RUNS = 3
SCREEN, ACROSS = 60, 10  # rows and columns in sight


def small() -> Path:
    """Return a file of a few rows, by which the libraries on both sides load before the clock runs."""

    def make(path: Path) -> None:
        import pyarrow as pa
        import pyarrow.parquet as pq

        pq.write_table(pa.table({"n": [3, 1, 2], "t": ["b", "a", "a"]}), path)

    return data.made("rows-3.parquet", make)


def table() -> Path:
    """Return a Parquet file of buildings that were never built: 14 fields of numbers, 6 of text."""

    def make(path: Path) -> None:
        import pyarrow as pa
        import pyarrow.parquet as pq

        random = np.random.default_rng(7)
        columns = {f"measure_{i}": random.normal(50, 20, ROWS) for i in range(8)}
        columns |= {f"count_{i}": random.integers(0, 10_000, ROWS) for i in range(4)}
        columns |= {"population": random.integers(1, 900, ROWS), "area_m2": random.uniform(20, 5000, ROWS)}
        for i, words in enumerate((("lava", "ash", "soil", "sand"), tuple("abcdefghij"))):
            columns[f"kind_{i}"] = pa.array(words).take(pa.array(random.integers(0, len(words), ROWS)))
        for i in range(4):
            names = pa.array([f"place {n}" for n in range(20_000)])
            columns[f"place_{i}"] = names.take(pa.array(random.integers(0, 20_000, ROWS)))
        pq.write_table(pa.table(columns), path)

    return data.made("rows-5000000.parquet", make)


OURS = """
import json, sys, time
from pathlib import Path
from bench.case import peak_mb
from brisk_atlas.core.model import ComputedField, DataKind, DataRef, FeatureQuery, Layer, TableView
from brisk_atlas.core.cache import DataCache
from brisk_atlas.core.table import rows_of
from brisk_atlas.core.table.engine import Sheet
path, warm, screen, across = Path(sys.argv[1]), Path(sys.argv[2]), int(sys.argv[3]), int(sys.argv[4])
times, seen = {}, {}
def loaded():
    held = DataCache()
    name = held.dataset(DataRef.file(warm)).parts[0].facts.name
    look = TableView(computed=(ComputedField("m", "n * 2"),))
    sheet = Sheet(rows_of(held, Layer("w", "w", DataRef.file(warm).with_part(name), DataKind.TABLE, rows=look)))
    sheet.arrange("n > 1", [("t", True)])
    sheet.distinct("t")
loaded()
def step(name, act):
    begun = time.perf_counter()
    seen[name] = act()
    times[name] = time.perf_counter() - begun
    return seen[name]
held = DataCache()
def first():
    part = held.dataset(DataRef.file(path)).parts[0]
    sheet = Sheet(part.rows(FeatureQuery(limit=300)))
    return sheet.values(0, screen, sheet.columns[:across])["measure_0"][0]
step("first rows", first)
name = held.dataset(DataRef.file(path)).parts[0].facts.name
layer = Layer("l", "l", DataRef.file(path).with_part(name), DataKind.TABLE)
def sort():
    global sheet
    sheet = Sheet(rows_of(held, layer))
    sheet.order = sheet.arrange("", [("measure_3", True)])
    sheet.load(sheet.columns[:across])
    return sheet.values(0, screen, sheet.columns[:across])["measure_3"][0]
step("sort", sort)
def filtered():
    sheet.order = sheet.arrange("measure_1 > 50 AND kind_0 = 'ash'")
    sheet.values(0, screen, sheet.columns[:across])
    return len(sheet)
step("filter", filtered)
def computed():
    field = ComputedField("density", "population / (area_m2 / 1e6)")
    more = Layer("l", "l", DataRef.file(path).with_part(name), DataKind.TABLE, rows=TableView(computed=(field,)))
    other = Sheet(rows_of(held, more))
    return round(other.values(0, screen, ["density"])["density"][0], 6)
step("computed field", computed)
step("distinct values", lambda: sheet.distinct("place_2")[0][0][1] and sheet.distinct("kind_1")[1])
print(json.dumps({"times": times, "peak": peak_mb(), "seen": list(seen.values())}))
"""

THEIRS = """
import json, sys, time
import pandas as pd
from bench.case import peak_mb
path, warm, screen, across = sys.argv[1], sys.argv[2], int(sys.argv[3]), int(sys.argv[4])
times, seen = {}, {}
pd.read_parquet(warm).sort_values("t").t.value_counts()
def step(name, act):
    begun = time.perf_counter()
    seen[name] = act()
    times[name] = time.perf_counter() - begun
def first():
    global frame
    frame = pd.read_parquet(path)
    return frame.iloc[:screen, :across].to_dict("list")["measure_0"][0]
step("first rows", first)
def sort():
    ordered = frame.sort_values("measure_3", ascending=False)
    return ordered.iloc[:screen, :across].to_dict("list")["measure_3"][0]
step("sort", sort)
def filtered():
    shown = frame[(frame.measure_1 > 50) & (frame.kind_0 == "ash")]
    shown.iloc[:screen, :across].to_dict("list")
    return len(shown)
step("filter", filtered)
def computed():
    frame["density"] = frame.population / (frame.area_m2 / 1e6)
    return round(float(frame.density.head(screen).tolist()[0]), 6)
step("computed field", computed)
step("distinct values", lambda: int(frame.place_2.value_counts().iloc[0]) and len(frame.kind_1.value_counts()))
print(json.dumps({"times": times, "peak": peak_mb(), "seen": list(seen.values())}))
"""


def _in_process(code: str, path: Path) -> dict:
    run = subprocess.run(
        [sys.executable, "-c", code, str(path), str(small()), str(SCREEN), str(ACROSS)],
        capture_output=True,
        text=True,
        check=True,
    )
    return json.loads(run.stdout.splitlines()[-1])


def run() -> Iterator[Case]:
    path = table()
    path.read_bytes()  # so that the disk plays no part
    ours, theirs = [], []
    for _ in range(RUNS):
        ours.append(_in_process(OURS, path))
        theirs.append(_in_process(THEIRS, path))
    assert ours[0]["seen"] == theirs[0]["seen"], (ours[0]["seen"], theirs[0]["seen"])
    mine, yours = (
        {step: statistics.median(r["times"][step] for r in runs) for step in STEPS} for runs in (ours, theirs)
    )
    peaks = [statistics.median(r["peak"] for r in runs) for runs in (ours, theirs)]
    each = "; ".join(f"{step} {mine[step] * 1000:.0f} against {yours[step] * 1000:.0f} ms" for step in STEPS)
    whole = Measured(sum(mine.values()), peaks[0]), Measured(sum(yours.values()), peaks[1])
    title = f"{ROWS:,} rows, 20 fields: {', '.join(STEPS)}"
    yield Case("sheet", title, "pandas", *whole, TOGETHER, each)
    memory = Measured(peaks[0] / 1000, peaks[0]), Measured(peaks[1] / 1000, peaks[1])
    yield Case("sheet", "peak memory of the same (GB in place of seconds)", "pandas", *memory, MEMORY)
