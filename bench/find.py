"""Knowing 5,000 mixed datasets in one folder against a plain loop of the libraries' own info calls, and
searching 50,000 records within one frame of typing."""

from __future__ import annotations

import shutil
import statistics
import tempfile
import warnings
from collections.abc import Iterator
from pathlib import Path

from . import data
from .case import Case, Measured, peak_mb, timed

MIXTURE = (  # what is made once, and how many copies of it under other names
    ("shapefile", 1400),
    ("geotiff", 1300),
    ("geopackage", 500),
    ("geojson", 500),
    ("csv", 400),
    ("laz", 300),
    ("parquet", 300),
    ("kml", 200),
    ("xlsx", 100),
)
RECORDS = 50_000
FRAME_S = 1 / 60
RUNS = 3
WORDS = ("lava", "ash", "gas", "vent", "ridge", "bay", "survey", "laser", "grid", "road", "depth", "heat", "coast")


def folder() -> Path:
    """Return a folder of 5,000 datasets, a third of them with a metadata record."""

    def make(path: Path) -> None:
        from brisk_atlas import demo

        source = demo.DATA
        files = {
            "shapefile": sorted((source / "fissures_2031").glob("fissures.[sdpc]*")),
            "geotiff": [source / "elevation_2031.tif"],
            "geopackage": [source / "tolvane_survey.gpkg"],
            "geojson": [source / "ash_samples.geojson"],
            "csv": [source / "boreholes" / "intervals.csv"],
            "laz": [source / "harrow_bay_2031.laz"],
            "parquet": [source / "gas_readings.parquet"],
            "kml": [source / "vents.kml"],
            "xlsx": [source / "laboratory.xlsx"],
        }
        path.mkdir()
        for kind, count in MIXTURE:
            for number in range(count):
                for file in files[kind]:
                    if file.name.endswith(".shp.xml"):
                        continue
                    ending = file.name.partition(".")[2]
                    (path / f"{kind}_{number:04d}.{ending}").hardlink_to(_kept(path, file))
                if number % 3 == 0:
                    record = source / "elevation_2031.tif.xml"
                    main = f"{kind}_{number:04d}.{files[kind][0].name.partition('.')[2]}"
                    main = f"{kind}_{number:04d}.shp" if kind == "shapefile" else main
                    (path / f"{main}.xml").hardlink_to(_kept(path, record))

    def _kept(path: Path, file: Path) -> Path:
        store = path.with_name("files-of-" + path.name)
        store.mkdir(exist_ok=True)
        copy = store / file.name
        if not copy.exists():
            shutil.copy(file, copy)
        return copy

    return data.made("mixed-5000", make)


def run() -> Iterator[Case]:
    warnings.simplefilter("ignore")
    here = folder()
    yield _search()
    yield from _listing(here)


def _plain_loop(here: Path) -> int:
    """Ask each library about each of its files, one after the other."""
    import laspy
    import openpyxl
    import pyarrow.csv
    import pyarrow.parquet
    import pyogrio
    import rasterio

    count = 0
    for path in sorted(here.iterdir()):
        ending = path.suffix
        if ending in (".shp", ".gpkg", ".geojson", ".kml"):
            for name, _ in pyogrio.list_layers(path):
                pyogrio.read_info(path, layer=name, force_feature_count=True, force_total_bounds=True)
        elif ending == ".tif":
            with rasterio.open(path) as source:
                _ = source.profile, source.bounds, source.descriptions, source.tags(), source.overviews(1)
        elif ending == ".laz":
            with laspy.open(path) as source:
                source.header.parse_crs()
        elif ending == ".parquet":
            pyarrow.parquet.read_metadata(path).schema.to_arrow_schema()
        elif ending == ".csv":
            pyarrow.csv.read_csv(path)
        elif ending == ".xlsx":
            book = openpyxl.load_workbook(path, read_only=True, data_only=True)
            _ = [list(sheet.iter_rows(values_only=True)) for sheet in book.worksheets]
        else:
            continue
        count += 1
    return count


def _know(here: Path, catalogue_at: Path) -> int:
    """List the folder and know every dataset in it."""
    from brisk_atlas.core.find import Catalogue, ScanPool, list_folder
    from brisk_atlas.core.find.index import summaries
    from brisk_atlas.core.system.workers import WorkerPool

    catalogue, scan_pool = Catalogue(catalogue_at), ScanPool(WorkerPool(2))
    try:
        entries = list_folder(here)
        found = sum(1 for _, row in summaries(here, entries, catalogue, scan_pool) if not row.fault)
    finally:
        scan_pool.pool.close()
        catalogue.close()
    return found


def _listing(here: Path) -> Iterator[Case]:
    loop, cold, warm = [], [], []
    with tempfile.TemporaryDirectory() as temporary:
        for number in range(RUNS):
            at = Path(temporary) / f"{number}.db"
            cold.append(timed(lambda: _know(here, at)))  # noqa: B023
            warm += [timed(lambda: _know(here, at)) for _ in range(3)]  # noqa: B023
            ours_peak = peak_mb()
            loop.append(timed(lambda: _plain_loop(here)))
        told = f"{_know(here, at):,} datasets; memory of this process after three rounds {ours_peak:.0f} MB"
    theirs = Measured(statistics.median(loop), peak_mb())
    peer = "one call of the library's own a dataset, in a loop"
    yield Case("find", "5,000 datasets, cold", peer, Measured(statistics.median(cold), ours_peak), theirs, 3.0, told)
    yield Case("find", "5,000 datasets, warm", peer, Measured(statistics.median(warm), ours_peak), theirs, 50.0)


def _search() -> Case:
    """Search 50,000 records as each letter of a few words is typed; the worst letter counts."""
    import random
    from datetime import UTC, datetime

    from brisk_atlas.core.find import Catalogue, DatasetSummary, Entry

    chance = random.Random(5)
    place = Path("/tolvane")
    with tempfile.TemporaryDirectory() as temporary:
        catalogue = Catalogue(Path(temporary) / "catalogue.db")
        rows = []
        for number in range(RECORDS):
            words = chance.choices(WORDS, k=24)
            name = f"{words[0]}_{words[1]}_{number}.tif"
            path = place / f"folder_{number // 500}" / name
            entry = Entry(path, name, False, 1000, datetime.fromtimestamp(0, UTC), 1, "1")
            abstract = " ".join(words) + f" survey number {number}" + (" obsidian" if number == 4321 else "")
            rows.append(
                (
                    entry,
                    DatasetSummary(str(path), "GeoTIFF", "grid", title=f"{words[2]} of {words[3]}", abstract=abstract),
                )
            )
        catalogue.store(place, rows)
        typed = [word[:end] for word in ("lava survey", "obsidian", "heat ash dep") for end in range(1, len(word) + 1)]
        catalogue.search("warm", [place])
        each = [statistics.median(timed(lambda: catalogue.search(text, [place])) for _ in range(5)) for text in typed]  # noqa: B023
        catalogue.close()
    worst = max(each)
    told = (
        f"slowest of {len(typed)} letters '{typed[each.index(worst)]}', median {statistics.median(each) * 1000:.1f} ms"
    )
    frame = Measured(FRAME_S, 0.0)
    return Case(
        "find",
        "50,000 records, a letter typed",
        "one frame at 60 a second",
        Measured(worst, peak_mb()),
        frame,
        1.0,
        told,
    )
