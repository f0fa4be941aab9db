"""Reading back what was written: a library may not notice that a disk is full when it closes a file."""

from __future__ import annotations

import json
import zipfile
from pathlib import Path

import laspy
import pyarrow as pa
import pyarrow.csv as arrow_csv
import pyarrow.parquet as pq
import pyogrio
import rasterio
from rasterio.errors import RasterioError

from brisk_atlas.core.model import CannotWrite
from brisk_atlas.core.model.language import tr
from brisk_atlas.core.system.atomic_write import reason_of

COUNTED = {".gpkg", ".fgb", ".shp", ".geojson", ".json", ".gml"}
TIFF, TABLES, ZIPPED, POINTS = {".tif", ".tiff"}, {".csv", ".tsv"}, {".xlsx", ".ods", ".kmz"}, {".las", ".laz"}


def check_written(path: Path, count: int, final: Path) -> None:
    """Raise CannotWrite, naming the final place, for a file that does not have all `count` rows, cells or points.

    That is as far as its format says so without all of it being parsed; grids are read through once.
    """
    ending = path.suffix.lower()
    try:
        found: int | None = None
        if ending in COUNTED:
            found = int(pyogrio.read_info(path, force_feature_count=True)["features"]) if ending != ".gpkg" else None
            if ending == ".gpkg":
                _check_geopackage(path)
        elif ending == ".parquet":
            found = pq.read_metadata(path).num_rows
        elif ending in TIFF:
            found = _cells_read(path)
        elif ending in POINTS:
            with laspy.open(path) as made:
                found = made.header.point_count
        elif ending in ZIPPED:
            with zipfile.ZipFile(path) as book:
                damaged = book.testzip()
            if damaged:
                raise OSError(tr("{damaged} in it can't be read back", damaged=damaged))
        elif ending in TABLES:
            found = _rows_of_csv(path)
        elif not path.is_dir() and not path.stat().st_size:
            raise OSError(tr("it is empty"))
        if found is not None and found != count:
            raise OSError(tr("of {count:,} that were written {found:,} can be read back", count=count, found=found))
    except (OSError, RuntimeError, ValueError, RasterioError, pa.ArrowException, zipfile.BadZipFile,
            laspy.errors.LaspyException, pyogrio.errors.DataSourceError, json.JSONDecodeError) as error:  # fmt: skip
        if isinstance(error, CannotWrite):
            raise
        raise reason_of(error, final) from error


def _check_geopackage(path: Path) -> None:
    """Raise OSError for a GeoPackage that is not whole."""
    import sqlite3
    from contextlib import closing

    try:
        with closing(sqlite3.connect(f"file:{path}?mode=ro", uri=True)) as database:
            (found,) = database.execute("PRAGMA quick_check(1)").fetchone()
    except sqlite3.Error as error:
        raise OSError(str(error)) from error
    if found != "ok":
        raise OSError(str(found).splitlines()[0])


def _cells_read(path: Path) -> int:
    """Return how many cells a grid has, each band of which was read through once."""
    with rasterio.open(path) as made:
        for _, block in made.block_windows(1):
            made.read(window=block)
        return int(made.width * made.height)


def _rows_of_csv(path: Path) -> int:
    head = path.open("rb").readline()
    if not head:
        raise OSError(tr("it is empty"))
    delimiter = max(",;\t", key=lambda sign: head.count(sign.encode()))
    parse = arrow_csv.ParseOptions(newlines_in_values=True, delimiter=delimiter)
    with arrow_csv.open_csv(path, parse_options=parse) as batches:
        return sum(batch.num_rows for batch in batches)
