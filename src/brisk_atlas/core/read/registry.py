"""One way in: `open(ref)` finds the reader that recognises a file and lets it say what it is.

A reader is registered by what it recognises. Others can add one through the entry point group
`brisk_atlas.readers`; see docs/contributing.md.
"""

from __future__ import annotations

from collections.abc import Callable
from dataclasses import dataclass, replace
from functools import cache, partial
from importlib import import_module
from pathlib import Path

from brisk_atlas.core.connect import fingerprint, localise
from brisk_atlas.core.connect.connector import connector_for
from brisk_atlas.core.connect.copies import copy_folder
from brisk_atlas.core.connect.members import SQLITE_ENDINGS
from brisk_atlas.core.model import (
    NO_OPTIONS,
    CannotRead,
    DataRef,
    Dataset,
    NeedsPermission,
    OpenOptions,
    PlaceKind,
    refusing,
)
from brisk_atlas.core.model.data_ref import ARCHIVE_SUFFIXES
from brisk_atlas.core.model.language import tr
from brisk_atlas.core.system.folders import make_private

from .binary_dxf import as_text, is_binary_dxf
from .content import content_of, head_of, root_of
from .sqlite_file import before_broken_write, has_hot_journal
from .survey_folder import is_survey_folder
from .tile_folder import is_tile_folder


@dataclass(frozen=True)
class Reader:
    """How one family of formats is known and opened.

    `suffixes` are the endings it claims, lower case; `contents` the kinds of content (see
    `content.content_of`) such a file may have, any where empty; `claims` settles shared endings by
    the first bytes; `opens` takes the reference of a file or folder on the disk and what the analyst stated
    about it, returns the dataset and raises CannotRead. `folder` is True where the dataset is a folder with such
    an ending, `reads_addresses` where it can be given an address too, `reads_web` where that may be on a web server,
    which is then read by pieces; the others get a copy on the disk. `parses`
    opens a file that is going to be drawn where even its facts need all of it to be parsed: what comes out is held
    by the dataset.
    """

    format: str
    suffixes: tuple[str, ...]
    contents: tuple[str, ...]
    opens: Callable[[DataRef, OpenOptions], Dataset]
    claims: Callable[[bytes], bool] = lambda head: True
    folder: bool = False
    reads_addresses: bool = False
    reads_web: bool = False
    parses: Callable[[DataRef], Dataset] | None = None


def _late(module: str) -> Callable[[DataRef, OpenOptions], Dataset]:
    """Return an opener whose libraries load when the first such file is met."""
    return lambda ref, reading: import_module(f"brisk_atlas.core.read.{module}").open_dataset(ref)


def _late_asking(module: str) -> Callable[[DataRef, OpenOptions], Dataset]:
    """Return a late opener for files that don't say how they are to be taken."""
    return lambda ref, reading: import_module(f"brisk_atlas.core.read.{module}").open_dataset(ref, reading)


def _late_parsing(module: str) -> Callable[[DataRef], Dataset]:
    """Return what parses a file at once, late."""
    return lambda ref: import_module(f"brisk_atlas.core.read.{module}").parse_dataset(ref)


_in_place = partial(Reader, reads_addresses=True)  # the vector library holds Python's lock while a web server answers
_by_pieces = partial(Reader, reads_addresses=True, reads_web=True)


def _rooted(*names: str) -> Callable[[bytes], bool]:
    return lambda head: root_of(head) in names


def _begins(word: bytes) -> Callable[[bytes], bool]:
    return lambda head: head.lstrip()[: len(word)].lower() == word


def _is_record(head: bytes) -> bool:
    root = root_of(head)
    return root in ("MD_Metadata", "MI_Metadata", "metadata") or (
        root in ("dc", "RDF", "simpledc", "qualifieddc", "record", "srw_dc") and b"purl.org/dc/" in head
    )


def _is_table(head: bytes) -> bool:
    from .text_form import has_columns

    return has_columns(head)


BUILT_IN = (
    _in_place("GeoPackage", (".gpkg",), ("a SQLite database",), _late("geopackage")),
    _in_place("Shapefile", (".shp",), ("a shapefile",), _late("shapefile")),
    Reader("Project", (".json",), ("JSON",), _late("saved_work"), lambda head: b"brisk_atlas_project" in head),
    Reader("STAC", (".json",), ("JSON",), _late("scene"), lambda head: b'"stac_version"' in head),
    _in_place("GeoJSON", (".geojson", ".json"), ("JSON",), _late("vector"), parses=_late_parsing("geojson")),
    _in_place("TopoJSON", (".topojson",), ("JSON",), _late("vector")),
    _in_place("GeoJSON sequence", (".geojsonl", ".geojsons", ".ndjson", ".jsonl"), ("JSON",), _late("vector")),
    _in_place("FlatGeobuf", (".fgb",), ("FlatGeobuf",), _late("vector")),
    _in_place("KML", (".kml",), ("XML",), _late("vector"), _rooted("kml")),
    _in_place("KMZ", (".kmz",), ("a zip archive",), _late("vector")),
    _in_place("GPX", (".gpx",), ("XML",), _late("vector"), _rooted("gpx")),
    _in_place("DXF", (".dxf",), ("text",), _late("vector")),
    _in_place("TAB", (".tab",), ("text",), _late("vector"), lambda head: head.lstrip()[:6].lower() == b"!table"),
    _in_place("MIF", (".mif",), ("text",), _late("vector"), lambda head: head.lstrip()[:7].lower() == b"version"),
    _in_place("GDB folder", (".gdb",), (), _late("vector"), folder=True),
    Reader("DuckDB", (".duckdb", ".ddb"), ("a DuckDB file",), _late("duckdb_file")),
    _in_place("SQLite", (".sqlite", ".sqlite3", ".db"), ("a SQLite database",), _late("vector")),
    _by_pieces("GeoTIFF", (".tif", ".tiff", ".gtiff"), ("TIFF",), _late("geotiff")),
    _by_pieces("VRT", (".vrt",), ("XML",), _late("raster"), _rooted("VRTDataset")),
    _in_place("VRT", (".vrt",), ("XML",), _late("vector"), _rooted("OGRVRTDataSource")),
    _by_pieces(
        "ASCII grid", (".asc", ".agr", ".grd"), ("text",), _late("raster"), lambda h: b"ncols" in h[:400].lower()
    ),
    _by_pieces("binary grid", (".flt", ".bil", ".bip", ".bsq"), (), _late("raster")),
    _by_pieces("HFA grid", (".img",), ("an HFA grid",), _late("raster")),
    _by_pieces("grid with .hdr", (".img", ".dat", ".raw"), (), _late("raster")),
    _by_pieces("netCDF", (".nc", ".nc4", ".cdf"), ("netCDF", "HDF5"), _late("raster")),
    _by_pieces("HDF5", (".h5", ".hdf5", ".he5"), ("HDF5",), _late("raster")),
    _by_pieces("Zarr", (".zarr",), (), _late("raster"), folder=True),
    _by_pieces("GRIB", (".grib", ".grb", ".grib2", ".grb2"), ("GRIB",), _late("raster")),
    _by_pieces("JPEG 2000", (".jp2", ".j2k", ".jpx"), ("JPEG 2000",), _late("raster")),
    _by_pieces("JPEG", (".jpg", ".jpeg"), ("JPEG",), _late("raster")),
    _by_pieces("PNG", (".png",), ("PNG",), _late("raster")),
    _by_pieces("DTED", (".dt0", ".dt1", ".dt2"), ("DTED",), _late("raster")),
    _by_pieces("HGT", (".hgt",), ("binary data", "text"), _late("raster")),
    Reader("MBTiles", (".mbtiles",), ("a SQLite database",), _late("tiles")),
    Reader("PMTiles", (".pmtiles",), ("a PMTiles archive",), _late("tiles"), reads_addresses=True, reads_web=True),
    Reader("LAS/LAZ", (".laz", ".las"), ("LAS points",), _late("cloud")),
    Reader("DLIS log", (".dlis",), (), _late("dlis")),
    Reader("LAS 2.0 log", (".las",), ("a well log", "text"), _late("logs")),
    Reader("PLY", (".ply",), ("PLY",), _late("ply")),
    Reader("XYZ points", (".xyz", ".pts"), ("text",), _late_asking("text_cloud")),
    Reader("CSV", (".csv", ".tsv", ".tab"), ("text", "JSON", "XML"), _late_asking("table")),
    Reader("Parquet", (".parquet", ".geoparquet", ".pq"), ("Parquet",), _late("parquet")),
    Reader("XLSX", (".xlsx",), ("a zip archive",), _late("workbook")),
    Reader("ODS", (".ods",), ("a zip archive",), _late("workbook")),
    _in_place("dBase table", (".dbf",), (), _late("vector")),
    Reader("MGD77", (".mgd77",), ("text",), _late("mgd77")),
    Reader("MGD77T", (".m77t",), ("text",), _late("mgd77")),
    Reader("Scene metadata", (".txt", ".met"), ("text",), _late("scene"), lambda head: head.lstrip()[:5] == b"GROUP"),
    Reader("Text table", (".txt", ".dat"), ("text",), _late_asking("table"), _is_table),
    Reader("Text", (".txt", ".md"), ("text",), _late("document")),
    _in_place("GML", (".gml", ".xml"), ("XML",), _late("vector"), _rooted("FeatureCollection", "GML", "Dataset")),
    Reader("Metadata record", (".xml", ".rdf"), ("XML",), _late("record"), _is_record),
    Reader("DCAT record", (".ttl", ".jsonld"), ("text", "JSON"), _late("record"), lambda head: b"dcat" in head),
    Reader("zip archive", ARCHIVE_SUFFIXES, ("a zip archive",), _late("archive")),
)
TILED = (".tif", ".tiff", ".gtiff", ".jp2")  # of which pieces are read; others come whole
TILE_FOLDER = Reader("map tiles", (), (), _late("raster"), folder=True)
SURVEY_FOLDER = Reader("MGD77", (), (), _late("mgd77"), folder=True)


@cache
def readers() -> tuple[Reader, ...]:
    """Return all readers, those of third parties first, so that they can take over a format."""
    from importlib.metadata import entry_points  # slow to load, and not needed to show a window

    added = [point.load() for point in entry_points(group="brisk_atlas.readers")]
    return (*added, *BUILT_IN)


@cache
def known_suffixes() -> frozenset[str]:
    """Return the endings that some reader claims."""
    return frozenset(suffix for reader in readers() for suffix in reader.suffixes)


def read_in_place(ref: DataRef) -> bool:
    """Return whether what lies at an address can be looked at there, without fetching all of it."""
    return ref.suffix in TILED


@cache
def folder_suffixes() -> frozenset[str]:
    """Return the endings of folders that are datasets."""
    return frozenset(suffix for reader in readers() if reader.folder for suffix in reader.suffixes)


def reader_for(ref: DataRef) -> Reader:
    """Return the reader for a file, judged by its ending and its first bytes.

    Raises CannotRead for a file that is missing, empty, unknown, or not what its name says.
    """
    suffix = ref.suffix
    by_name = [reader for reader in readers() if suffix in reader.suffixes]
    if ref.is_local and ref.path.is_dir():
        by_folder = [reader for reader in by_name if reader.folder]
        if by_folder:
            return by_folder[0]
        if is_tile_folder(ref.path):
            return TILE_FOLDER
        if is_survey_folder(ref.path):
            return SURVEY_FOLDER
        raise CannotRead(ref, tr("this is a folder"), tr("Open one of the datasets in it; Find lists them."))
    head = head_of(ref)
    if not by_name:
        raise CannotRead(
            ref,
            tr("the ending '{suffix}' is not one that is known", suffix=suffix or "none"),
            tr("Rename the file to what it is, or convert it first."),
        )
    by_name = [reader for reader in by_name if not reader.folder]
    content = content_of(head) if head else ""
    for reader in by_name:
        if not head or ((not reader.contents or content in reader.contents) and reader.claims(head)):
            return reader
    if content == "XML" and suffix == ".xml":
        remedy = tr("ISO 19139, ISO 19115-3, FGDC and Dublin Core records are, and GML.")
        raise CannotRead(
            ref, tr("this XML is not one that is known (its root is '{root_of}')", root_of=root_of(head)), remedy
        )
    vague = ("text", "XML", "JSON", "binary data", "a zip archive")
    fitting = [r for r in readers() if content in r.contents and content not in vague]
    remedy = (
        tr("If it is {format}, rename it to {suffixes}.", format=fitting[0].format, suffixes=fitting[0].suffixes[0])
        if fitting
        else tr("Ask for the file again, or check how it was copied.")
    )
    wanted = by_name[0].format if by_name else tr("a folder ending in {suffix}", suffix=suffix)
    raise CannotRead(
        ref, tr("its name says {wanted}, its content is {content}", wanted=wanted, content=content), remedy
    )


def open(place: str | Path | DataRef, reading: OpenOptions = NO_OPTIONS) -> Dataset:
    """Return what is at a place: a file, a folder with one scene, a member of an archive, an address.

    `reading` is what the analyst stated about it. Raises CannotRead.
    """
    from .apply_options import apply_options

    return apply_options(open_as_stored(place, reading), reading)


def open_as_stored(place: str | Path | DataRef, reading: OpenOptions = NO_OPTIONS, *, to_draw: bool = False) -> Dataset:
    """Return what is at a place, of `reading` only what its reader has to know to read it at all. What is opened
    `to_draw` holds what had to be parsed for its facts. Raises CannotRead."""
    ref = DataRef.parse(place).whole
    with refusing(ref):
        if ref.kind is PlaceKind.SERVICE:
            return _late("service")(ref, reading)
        if ref.kind is PlaceKind.TABLE:
            connector_for(ref)  # which says why nothing reaches it
            return _late("mariadb" if ref.place.startswith(("mariadb", "mysql")) else "database")(ref, reading)
        ref = _one_dataset(ref)
        try:
            return _opened(ref, readable(ref), reading, to_draw)
        except NeedsPermission:
            raise
        except CannotRead as error:
            if ref.is_inline or str(ref) not in error.place:
                raise CannotRead(ref, error.reason, error.remedy) from error
            raise


def _one_dataset(ref: DataRef) -> DataRef:
    """Return what to open at a place: of a folder that is no dataset by itself, its only scene. Raises CannotRead."""
    if ref.kind is not PlaceKind.FILE:
        return ref
    path = ref.path
    try:
        is_folder = path.is_dir()
    except (OSError, ValueError) as error:  # such as a name that is too long
        raise CannotRead(ref, getattr(error, "strerror", None) or str(error), tr("Check the path.")) from error
    if path.exists() and not (is_folder or path.is_file()):
        raise CannotRead(ref, tr("it is a pipe or a device"), tr("Copy what comes out of it into a file."))
    return _only_scene(ref) if is_folder and ref.suffix not in folder_suffixes() else ref


def readable(ref: DataRef) -> DataRef:
    """Return what a reader can be given: a plain file or folder, or an address. Raises CannotRead.

    What is packed is unpacked; a database with a write that was broken off is copied as it was before; a binary
    drawing becomes text.
    """
    if not ref.is_local and not ref.is_inline and not ref.name.lower().endswith(".gz"):
        return ref
    here = localise(ref)
    path = here.path
    if here.suffix in SQLITE_ENDINGS and has_hot_journal(path):
        return DataRef.file(before_broken_write(path, make_private(_own_folder(here))))
    if here.suffix == ".dxf" and path.is_file() and is_binary_dxf(path):
        return DataRef.file(as_text(path, _own_folder(here)))
    return here


def _own_folder(ref: DataRef) -> Path:
    return copy_folder(ref, fingerprint(ref))


def _opened(ref: DataRef, here: DataRef, reading: OpenOptions, to_draw: bool) -> Dataset:
    reader = reader_for(here)
    if not here.is_local and not (reader.reads_web if here.place.startswith("http") else reader.reads_addresses):
        here = localise(here)
    if here.is_local and here.path.is_file():
        from .references import check_references

        check_references(here.path)
    dataset = reader.parses(here) if to_draw and reader.parses is not None else reader.opens(here, reading)
    return dataset if here == ref else replace(dataset, ref=ref)


def _only_scene(ref: DataRef) -> DataRef:
    from .scene_names import metadata_in

    if is_tile_folder(ref.path) or is_survey_folder(ref.path):
        return ref
    scenes = metadata_in(ref.path)
    if len(scenes) != 1:
        raise CannotRead(ref, tr("this is a folder"), tr("Open one of the datasets in it; Find lists them."))
    return DataRef.file(scenes[0])
