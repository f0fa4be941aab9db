"""A sheet of 5,000,000 rows and 20 fields against pandas, polars and the table engine doing the same, each in a process
of its own."""

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
TOGETHER, MEMORY = 4.0, 2.0  # what is asked: times faster than pandas, and its peak memory over ours
NO_SLOWER, NO_LARGER = 1.2, 1.3  # times the better of the stronger peers, step by step
RUNS = 5
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
sheet.load(sheet.columns[:across])  # as the window does in the background, so that scrolling waits for nothing
print(json.dumps({"times": times, "peak": peak_mb(), "seen": list(seen.values())}))
"""

PANDAS = """
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


POLARS = """
import json, sys, time
import polars as pl
from bench.case import peak_mb
path, warm, screen, across = sys.argv[1], sys.argv[2], int(sys.argv[3]), int(sys.argv[4])
times, seen = {}, {}
pl.scan_parquet(warm).filter(pl.col("n") > 1).sort("t").collect()
def step(name, act):
    begun = time.perf_counter()
    seen[name] = act()
    times[name] = time.perf_counter() - begun
rows = pl.scan_parquet(path)
def first():
    names = rows.collect_schema().names()[:across]
    return rows.select(names).head(screen).collect().to_dict(as_series=False)["measure_0"][0]
step("first rows", first)
names = rows.collect_schema().names()[:across]
def sort():
    ordered = rows.select(names).sort("measure_3", descending=True).collect()
    return ordered.head(screen).to_dict(as_series=False)["measure_3"][0]
step("sort", sort)
def filtered():
    shown = rows.filter((pl.col("measure_1") > 50) & (pl.col("kind_0") == "ash")).select(names).collect()
    shown.head(screen).to_dict(as_series=False)
    return len(shown)
step("filter", filtered)
def computed():
    density = (pl.col("population") / (pl.col("area_m2") / 1e6)).alias("density")
    return round(rows.select(density).head(screen).collect()["density"].to_list()[0], 6)
step("computed field", computed)
def distinct():
    counts = rows.group_by("place_2").len().sort("len", descending=True).collect()
    return int(counts["len"][0]) and len(rows.group_by("kind_1").len().collect())
step("distinct values", distinct)
print(json.dumps({"times": times, "peak": peak_mb(), "seen": list(seen.values())}))
"""

ENGINE = """
import json, sys, time
import duckdb
from bench.case import peak_mb
path, warm, screen, across = sys.argv[1], sys.argv[2], int(sys.argv[3]), int(sys.argv[4])
times, seen = {}, {}
db = duckdb.connect()
db.sql(f"SELECT t, count(*) FROM '{warm}' WHERE n > 1 GROUP BY t ORDER BY t").to_arrow_table()
def step(name, act):
    begun = time.perf_counter()
    seen[name] = act()
    times[name] = time.perf_counter() - begun
def first():
    global names
    names = ", ".join(db.sql(f"SELECT * FROM '{path}'").columns[:across])
    return db.sql(f"SELECT {names} FROM '{path}' LIMIT {screen}").to_arrow_table()["measure_0"][0].as_py()
step("first rows", first)
def sort():
    order = f"SELECT {names} FROM '{path}' ORDER BY measure_3 DESC"
    return db.sql(order).to_arrow_table().slice(0, screen).to_pydict()["measure_3"][0]
step("sort", sort)
def filtered():
    where = f"FROM '{path}' WHERE measure_1 > 50 AND kind_0 = 'ash'"
    db.sql(f"SELECT {names} {where} LIMIT {screen}").to_arrow_table().to_pydict()
    return db.sql(f"SELECT count(*) {where}").fetchall()[0][0]
step("filter", filtered)
def computed():
    made = db.sql(f"SELECT population / (area_m2 / 1e6) AS density FROM '{path}' LIMIT {screen}")
    return round(made.to_arrow_table()["density"][0].as_py(), 6)
step("computed field", computed)
def distinct():
    counts = db.sql(f"SELECT place_2, count(*) AS n FROM '{path}' GROUP BY 1 ORDER BY n DESC").to_arrow_table()
    return counts["n"][0].as_py() and len(db.sql(f"SELECT kind_1, count(*) FROM '{path}' GROUP BY 1").to_arrow_table())
step("distinct values", distinct)
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


PEERS = {"pandas": PANDAS, "polars, lazy": POLARS, "the table engine asked directly": ENGINE}


def run() -> Iterator[Case]:
    path = table()
    path.read_bytes()  # so that the disk plays no part
    runs: dict[str, list[dict]] = {name: [] for name in ("ours", *PEERS)}
    for _ in range(RUNS):
        for name, code in {"ours": OURS, **PEERS}.items():
            runs[name].append(_in_process(code, path))
    for name in PEERS:
        assert runs[name][0]["seen"] == runs["ours"][0]["seen"], (name, runs[name][0]["seen"], runs["ours"][0]["seen"])
    times = {
        name: {step: statistics.median(r["times"][step] for r in found) for step in STEPS}
        for name, found in runs.items()
    }
    peaks = {name: statistics.median(r["peak"] for r in found) for name, found in runs.items()}

    def whole(name: str) -> Measured:
        return Measured(sum(times[name].values()), peaks[name])

    def memory(name: str) -> Measured:
        return Measured(peaks[name] / 1000, peaks[name])

    title = f"{ROWS:,} rows, 20 fields: {', '.join(STEPS)}"
    yield Case("sheet", title, "pandas", whole("ours"), whole("pandas"), TOGETHER)
    note = "peak memory of the same (GB in place of seconds)"
    yield Case("sheet", note, "pandas", memory("ours"), memory("pandas"), MEMORY)
    strong = [name for name in PEERS if name != "pandas"]
    for step in STEPS:
        peer = min(strong, key=lambda name: times[name][step])
        each = "; ".join(f"{name} {times[name][step] * 1000:.0f} ms" for name in ("ours", *PEERS))
        mine, yours = Measured(times["ours"][step], peaks["ours"]), Measured(times[peer][step], peaks[peer])
        yield Case("sheet", step, peer, mine, yours, 1 / NO_SLOWER, each)
    peer = min(strong, key=lambda name: peaks[name])
    each = "; ".join(f"{name} {peaks[name]:,.0f} MB" for name in ("ours", *PEERS))
    yield Case("sheet", note, peer, memory("ours"), memory(peer), 1 / NO_LARGER, each)
