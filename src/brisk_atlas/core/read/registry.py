"""One way in: `open(path)` finds the reader that recognises a file and lets it say what it is.

A reader is registered by what it recognises. Others can add one through the entry point group
`brisk_atlas.readers`; see docs/contributing.md.
"""

from __future__ import annotations

from collections.abc import Callable
from dataclasses import dataclass, replace
from functools import cache
from importlib import import_module
from pathlib import Path

from brisk_atlas.core.model import AS_IT_SAYS, CannotRead, Dataset, NeedsPermission, Reading, path_text, refusing

from .content import content_of, head_of, root_of
from .reach import ARCHIVES, brought, is_remote, settled, suffix_of
from .tile_folder import is_tile_folder


@dataclass(frozen=True)
class Reader:
    """How one family of formats is known and opened.

    `suffixes` are the endings it claims, lower case; `contents` the kinds of content (see
    `content.content_of`) such a file may have, any where empty; `claims` settles shared endings by
    the first bytes; `opens` takes the path and what the analyst said about the file, returns the
    dataset and raises CannotRead. `folder` is True where the dataset is a folder with such an ending.
    """

    format: str
    suffixes: tuple[str, ...]
    contents: tuple[str, ...]
    opens: Callable[[Path, Reading], Dataset]
    claims: Callable[[bytes], bool] = lambda head: True
    folder: bool = False


def _late(module: str) -> Callable[[Path, Reading], Dataset]:
    """Return an opener whose libraries load when the first such file is met."""
    return lambda path, reading: import_module(f"brisk_atlas.core.read.{module}").open_dataset(path)


def _late_asking(module: str) -> Callable[[Path, Reading], Dataset]:
    """Return a late opener for files that don't say how they are to be taken."""
    return lambda path, reading: import_module(f"brisk_atlas.core.read.{module}").open_dataset(path, reading)


def _rooted(*names: str) -> Callable[[bytes], bool]:
    return lambda head: root_of(head) in names


def _is_record(head: bytes) -> bool:
    root = root_of(head)
    return root in ("MD_Metadata", "MI_Metadata", "metadata") or (
        root in ("dc", "RDF", "simpledc", "qualifieddc", "record", "srw_dc") and b"purl.org/dc/" in head
    )


def _is_table(head: bytes) -> bool:
    from .text_form import has_columns

    return has_columns(head)


BUILT_IN = (
    Reader("GeoPackage", (".gpkg",), ("a SQLite database",), _late("geopackage")),
    Reader("Shapefile", (".shp",), ("a shapefile",), _late("shapefile")),
    Reader("Project", (".json",), ("JSON",), _late("saved_work"), lambda head: b"brisk_atlas_project" in head),
    Reader("STAC", (".json",), ("JSON",), _late("scene"), lambda head: b'"stac_version"' in head),
    Reader("GeoJSON", (".geojson", ".json", ".topojson"), ("JSON",), _late("vector")),
    Reader("GeoJSON sequence", (".geojsonl", ".geojsons", ".ndjson", ".jsonl"), ("JSON",), _late("vector")),
    Reader("FlatGeobuf", (".fgb",), ("FlatGeobuf",), _late("vector")),
    Reader("KML", (".kml",), ("XML",), _late("vector"), _rooted("kml")),
    Reader("KMZ", (".kmz",), ("a zip archive",), _late("vector")),
    Reader("GPX", (".gpx",), ("XML",), _late("vector"), _rooted("gpx")),
    Reader("DXF", (".dxf",), ("text",), _late("vector")),
    Reader("MapInfo TAB", (".tab",), ("text",), _late("vector"), lambda head: head.lstrip()[:6].lower() == b"!table"),
    Reader("MapInfo MIF", (".mif",), ("text",), _late("vector"), lambda head: head.lstrip()[:7].lower() == b"version"),
    Reader("File geodatabase", (".gdb",), (), _late("vector"), folder=True),
    Reader("SQLite", (".sqlite", ".sqlite3", ".db"), ("a SQLite database",), _late("vector")),
    Reader("GeoTIFF", (".tif", ".tiff", ".gtiff"), ("TIFF",), _late("geotiff")),
    Reader("VRT", (".vrt",), ("XML",), _late("raster"), _rooted("VRTDataset")),
    Reader("VRT", (".vrt",), ("XML",), _late("vector"), _rooted("OGRVRTDataSource")),
    Reader("ASCII grid", (".asc", ".agr", ".grd"), ("text",), _late("raster"), lambda h: b"ncols" in h[:400].lower()),
    Reader("binary grid", (".flt", ".bil", ".bip", ".bsq"), (), _late("raster")),
    Reader("Imagine grid", (".img",), ("an Imagine grid",), _late("raster")),
    Reader("ENVI grid", (".img", ".dat", ".raw"), (), _late("raster")),
    Reader("netCDF", (".nc", ".nc4", ".cdf"), ("netCDF", "HDF5"), _late("raster")),
    Reader("HDF5", (".h5", ".hdf5", ".he5"), ("HDF5",), _late("raster")),
    Reader("Zarr", (".zarr",), (), _late("raster"), folder=True),
    Reader("JPEG 2000", (".jp2", ".j2k", ".jpx"), ("JPEG 2000",), _late("raster")),
    Reader("JPEG", (".jpg", ".jpeg"), ("JPEG",), _late("raster")),
    Reader("PNG", (".png",), ("PNG",), _late("raster")),
    Reader("DTED", (".dt0", ".dt1", ".dt2"), ("DTED",), _late("raster")),
    Reader("HGT", (".hgt",), ("binary data", "text"), _late("raster")),
    Reader("MBTiles", (".mbtiles",), ("a SQLite database",), _late("tiles")),
    Reader("LAS/LAZ", (".laz", ".las"), ("LAS points",), _late("cloud")),
    Reader("LAS 2.0 log", (".las",), ("a well log", "text"), _late("logs")),
    Reader("PLY", (".ply",), ("PLY",), _late("ply")),
    Reader("XYZ points", (".xyz", ".pts"), ("text",), _late_asking("text_cloud")),
    Reader("CSV", (".csv", ".tsv", ".tab"), ("text", "JSON", "XML"), _late_asking("table")),
    Reader("Parquet", (".parquet", ".geoparquet", ".pq"), ("Parquet",), _late("parquet")),
    Reader("XLSX", (".xlsx",), ("a zip archive",), _late("workbook")),
    Reader("ODS", (".ods",), ("a zip archive",), _late("workbook")),
    Reader("dBase table", (".dbf",), (), _late("vector")),
    Reader("MGD77", (".mgd77",), ("text",), _late("marine")),
    Reader("Scene metadata", (".txt", ".met"), ("text",), _late("scene"), lambda head: head.lstrip()[:5] == b"GROUP"),
    Reader("Text table", (".txt", ".dat"), ("text",), _late_asking("table"), _is_table),
    Reader("Text", (".txt", ".md"), ("text",), _late("document")),
    Reader("GML", (".gml", ".xml"), ("XML",), _late("vector"), _rooted("FeatureCollection", "GML", "Dataset")),
    Reader("Metadata record", (".xml", ".rdf"), ("XML",), _late("record"), _is_record),
    Reader("DCAT record", (".ttl", ".jsonld"), ("text", "JSON"), _late("record"), lambda head: b"dcat" in head),
    Reader("zip archive", ARCHIVES, ("a zip archive",), _late("archive")),
)
TILE_FOLDER = Reader("map tiles", (), (), _late("raster"), folder=True)


@cache
def readers() -> tuple[Reader, ...]:
    """Return all readers, those of third parties first, so that they can take over a format."""
    from importlib.metadata import entry_points  # slow to load, and not needed to show a window

    added = [point.load() for point in entry_points(group="brisk_atlas.readers")]
    return (*added, *BUILT_IN)


@cache
def known_suffixes() -> frozenset[str]:
    return frozenset(suffix for reader in readers() for suffix in reader.suffixes)


@cache
def folder_suffixes() -> frozenset[str]:
    """Return the endings of folders that are datasets."""
    return frozenset(suffix for reader in readers() if reader.folder for suffix in reader.suffixes)


def reader_for(path: Path) -> Reader:
    """Return the reader for a file, judged by its ending and its first bytes.

    Raises CannotRead for a file that is missing, empty, unknown, or not what its name says.
    """
    suffix = suffix_of(path)
    by_name = [reader for reader in readers() if suffix in reader.suffixes]
    if path.is_dir():
        by_folder = [reader for reader in by_name if reader.folder]
        if by_folder:
            return by_folder[0]
        if is_tile_folder(path):
            return TILE_FOLDER
        raise CannotRead(path, "this is a folder", "Open one of the datasets in it; Find lists them.")
    head = head_of(path)
    if not by_name:
        raise CannotRead(
            path,
            f"the ending '{suffix or 'none'}' is not one that is known",
            "Rename the file to what it is, or convert it first.",
        )
    by_name = [reader for reader in by_name if not reader.folder]
    content = content_of(head) if head else ""
    for reader in by_name:
        if not head or ((not reader.contents or content in reader.contents) and reader.claims(head)):
            return reader
    if content == "XML" and suffix == ".xml":
        told = "ISO 19139, ISO 19115-3, FGDC and Dublin Core records are, and GML."
        raise CannotRead(path, f"this XML is not one that is known (its root is '{root_of(head)}')", told)
    vague = ("text", "XML", "JSON", "binary data", "a zip archive")
    fitting = [r for r in readers() if content in r.contents and content not in vague]
    remedy = (
        f"If it is {fitting[0].format}, rename it to {fitting[0].suffixes[0]}."
        if fitting
        else "Ask for the file again, or check how it was copied."
    )
    wanted = by_name[0].format if by_name else f"a folder ending in {suffix}"
    raise CannotRead(path, f"its name says {wanted}, its content is {content}", remedy)


def open(path: str | Path, reading: Reading = AS_IT_SAYS) -> Dataset:
    """Return what is at `path` (a file, a folder with one scene, a name in an archive, an address).

    `reading` is what the analyst said about it. Raises CannotRead.
    """
    path = settled(path)
    try:
        is_folder = not is_remote(path) and path.is_dir()
    except (OSError, ValueError) as error:  # such as a name that is too long
        raise CannotRead(path, getattr(error, "strerror", None) or str(error), "Check the path.") from error
    if not is_remote(path) and path.exists() and not (is_folder or path.is_file()):
        raise CannotRead(path, "it is a pipe or a device", "Copy what comes out of it into a file.")
    if is_folder and suffix_of(path) not in folder_suffixes():
        path = _only_scene(path)
    try:
        with refusing(path):
            here = brought(path)
            return _opened(path, here, reading)
    except NeedsPermission:
        raise
    except CannotRead as error:
        if path_text(path) not in error.place:
            raise CannotRead(path, error.reason, error.remedy) from error
        raise


def _opened(path: Path, here: Path, reading: Reading) -> Dataset:
    from .given import taken_as

    reader = reader_for(here)
    if here.is_file() and not is_remote(here):
        from .references import check_references

        check_references(here)
    dataset = reader.opens(here, reading)
    return taken_as(dataset if here == path else replace(dataset, path=path), reading)


def _only_scene(folder: Path) -> Path:
    from .scene_names import metadata_in

    if is_tile_folder(folder):
        return folder
    scenes = metadata_in(folder)
    if len(scenes) != 1:
        raise CannotRead(folder, "this is a folder", "Open one of the datasets in it; Find lists them.")
    return scenes[0]
