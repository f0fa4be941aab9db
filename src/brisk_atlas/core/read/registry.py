"""One way in: `open(path)` finds the reader that recognises a file and lets it say what it is.

A reader is registered by what it recognises. Others can add one through the entry point group
`brisk_atlas.readers`; see docs/contributing.md.
"""

from __future__ import annotations

from collections.abc import Callable
from dataclasses import dataclass
from functools import cache
from importlib import import_module
from pathlib import Path

from brisk_atlas.core.model import CannotRead, Dataset

from .content import content_of, head_of


@dataclass(frozen=True)
class Reader:
    """How one family of formats is known and opened.

    `suffixes` are the endings it claims, lower case; `contents` the kinds of content (see
    `content.content_of`) such a file may have; `claims` settles shared endings by the first bytes;
    `opens` returns the dataset and raises CannotRead.
    """

    format: str
    suffixes: tuple[str, ...]
    contents: tuple[str, ...]
    opens: Callable[[Path], Dataset]
    claims: Callable[[bytes], bool] = lambda head: True


def _late(module: str) -> Callable[[Path], Dataset]:
    """Return an opener whose libraries load when the first such file is met."""
    return lambda path: import_module(f"brisk_atlas.core.read.{module}").open_dataset(path)


def _is_record(head: bytes) -> bool:
    return b"MD_Metadata" in head or b"<metadata" in head


BUILT_IN = (
    Reader("GeoPackage", (".gpkg",), ("a SQLite database",), _late("vector")),
    Reader("Shapefile", (".shp",), ("a shapefile",), _late("vector")),
    Reader("Project", (".json",), ("JSON",), _late("saved_work"), lambda head: b"brisk_atlas_project" in head),
    Reader("STAC item", (".json",), ("JSON",), _late("scene"), lambda head: b"stac_version" in head),
    Reader("GeoJSON", (".geojson", ".json"), ("JSON",), _late("vector")),
    Reader("FlatGeobuf", (".fgb",), ("FlatGeobuf",), _late("vector")),
    Reader("KML", (".kml",), ("XML",), _late("vector")),
    Reader("GeoTIFF", (".tif", ".tiff"), ("TIFF",), _late("raster")),
    Reader("netCDF", (".nc",), ("netCDF", "HDF5"), _late("raster")),
    Reader("JPEG", (".jpg", ".jpeg"), ("JPEG",), _late("raster")),
    Reader("PNG", (".png",), ("PNG",), _late("raster")),
    Reader("LAS/LAZ", (".laz", ".las"), ("LAS points",), _late("cloud"), lambda head: head[:4] == b"LASF"),
    Reader("LAS 2.0 log", (".las",), ("a well log",), _late("logs")),
    Reader("CSV", (".csv", ".tsv"), ("text",), _late("table")),
    Reader("Parquet", (".parquet",), ("Parquet",), _late("table")),
    Reader("XLSX", (".xlsx",), ("a zip archive",), _late("workbook")),
    Reader("MGD77", (".mgd77",), ("text",), _late("marine")),
    Reader("Scene metadata", (".txt",), ("text",), _late("scene"), lambda head: head.lstrip()[:5] == b"GROUP"),
    Reader("Text", (".txt", ".md"), ("text",), _late("document")),
    Reader("Metadata record", (".xml",), ("XML",), _late("record"), _is_record),
)


@cache
def readers() -> tuple[Reader, ...]:
    """Return all readers, those of third parties first, so that they can take over a format."""
    from importlib.metadata import entry_points  # slow to load, and not needed to show a window

    added = [point.load() for point in entry_points(group="brisk_atlas.readers")]
    return (*added, *BUILT_IN)


def known_suffixes() -> frozenset[str]:
    return frozenset(suffix for reader in readers() for suffix in reader.suffixes)


def reader_for(path: Path) -> Reader:
    """Return the reader for a file, judged by its ending and its first bytes.

    Raises CannotRead for a file that is missing, empty, unknown, or not what its name says.
    """
    head = head_of(path)
    suffix = path.suffix.lower()
    by_name = [reader for reader in readers() if suffix in reader.suffixes]
    if not by_name:
        raise CannotRead(
            path,
            f"the ending '{suffix or 'none'}' is not one that is known",
            "Rename the file to what it is, or convert it first.",
        )
    content = content_of(head)
    for reader in by_name:
        if content in reader.contents and reader.claims(head):
            return reader
    fitting = [r for r in readers() if content in r.contents and content not in ("text", "XML", "JSON")]
    remedy = (
        f"If it is {fitting[0].format}, rename it to {fitting[0].suffixes[0]}."
        if fitting
        else ("Ask for the file again, or check how it was copied.")
    )
    wanted = by_name[0].format
    if content == "XML" and suffix == ".xml":
        raise CannotRead(
            path, "this XML is not a metadata record that is known", "ISO 19139, ISO 19115-3 and FGDC are."
        )
    raise CannotRead(path, f"its name says {wanted}, its content is {content}", remedy)


def open(path: str | Path) -> Dataset:
    """Return what the file (or the folder with one scene) at `path` is. Raises CannotRead."""
    path = Path(path).expanduser().absolute()
    if path.is_dir():
        scenes = sorted(path.glob("*_META.txt"))
        if len(scenes) != 1:
            raise CannotRead(path, "this is a folder", "Open one of the datasets in it; Find lists them.")
        path = scenes[0]
    return reader_for(path).opens(path)
