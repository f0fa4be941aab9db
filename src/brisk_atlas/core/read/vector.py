"""Vector formats through pyogrio's Arrow path."""

from __future__ import annotations

import warnings
from collections.abc import Iterator, Sequence
from dataclasses import dataclass, replace
from pathlib import Path

import numpy as np
import pyarrow as pa
import pyogrio
from pyogrio.errors import DataLayerError, DataSourceError

from brisk_atlas.core.connect.members import SQLITE_ENDINGS
from brisk_atlas.core.model import (
    EVERYTHING,
    CannotRead,
    Capability,
    DataKind,
    DataRef,
    Dataset,
    Extent,
    Facts,
    FeatureQuery,
    Field,
    Part,
    Relation,
)
from brisk_atlas.core.model.language import tr
from brisk_atlas.core.model.remark import Remark, RemarkCode, no_crs
from brisk_atlas.core.model.words import unique_names
from brisk_atlas.core.place import text_of

from .answer import ArrowLayer, ArrowTable, batches_of
from .content import content_of, head_of
from .curves import CURVED
from .curves import REMARK as CURVES_STRAIGHT
from .dbf_text import dbf_text
from .dxf_text import with_dxf_text
from .foreign_keys import relations_in
from .library_names import vector_name
from .on_disk import on_disk
from .readable_text import OTHERWISE, with_readable_text
from .shape_sidecars import without_foreign_index
from .sqlite_file import plain_tables
from .times import times_of

FORMATS = {
    ".gpkg": "GeoPackage",
    ".shp": "Shapefile",
    ".kml": "KML",
    ".kmz": "KMZ",
    ".fgb": "FlatGeobuf",
    ".geojson": "GeoJSON",
    ".json": "GeoJSON",
    ".topojson": "TopoJSON",
    ".geojsonl": "GeoJSON sequence",
    ".geojsons": "GeoJSON sequence",
    ".ndjson": "GeoJSON sequence",
    ".jsonl": "GeoJSON sequence",
    ".gpx": "GPX",
    ".dxf": "DXF",
    ".tab": "TAB",
    ".mif": "MIF",
    ".gdb": "GDB folder",
    ".sqlite": "SQLite",
    ".sqlite3": "SQLite",
    ".db": "SQLite",
    ".vrt": "VRT",
    ".gml": "GML",
    ".xml": "GML",
    ".dbf": "dBase table",
    ".ods": "ODS",
}
OPTIONS = {".gml": {"WRITE_GFS": "NO"}, ".xml": {"WRITE_GFS": "NO"}}  # nothing is written beside originals
DRIVERS = {  # for endings that several drivers claim, or none
    **dict.fromkeys((".geojsonl", ".geojsons", ".ndjson", ".jsonl"), "GeoJSONSeq:"),
    ".xml": "GML:",
}
ONE_LAYER = (".geojson", ".geojsonl", ".geojsons", ".ndjson", ".jsonl", ".fgb")
ONE_LAYER_BY_NAME = (".shp", ".dbf")  # whose layer has the name of the file
SPATIAL_SQLITE = (".sqlite", ".sqlite3", ".db")
UNDEFINED = ("ENGCRS", "LOCAL_CS", "Undefined")  # what libraries call a CRS that is not known
_ARROW_TYPES = {
    "OFTInteger": "int32",
    "OFTInteger64": "int64",
    "OFTReal": "double",
    "OFTString": "string",
    "OFTDate": "date32",
    "OFTTime": "time32",
    "OFTDateTime": "timestamp",
    "OFTBinary": "binary",
}
_TYPES = {"OFSTBoolean": "bool", "OFSTInt16": "int16", "OFSTFloat32": "float"}
BROKEN = tr("The copy may have been cut short; ask for the file again.")
LAST_OBJECT_BYTES = 4_000_000  # at the end of a .mif, in which its last object is looked for
OBJECTS = (b"region", b"pline", b"point", b"line", b"multipoint", b"text", b"rect", b"arc", b"ellipse", b"none")
SQLITE_PAGE_SIZE, SQLITE_PAGE_COUNT = slice(16, 18), slice(28, 32)  # in the file's head; sqlite.org/fileformat2


def _options(ref: DataRef) -> dict[str, str]:
    return OPTIONS.get(ref.suffix, {})


def read_arrow(ref: DataRef, layer: str | None, **which: object) -> tuple[dict, pa.Table]:
    """Return what the library says about a layer, and its rows, geometry in the last column. Raises CannotRead."""
    try:
        with warnings.catch_warnings(), without_foreign_index(ref, "bbox" in which) as name:
            warnings.simplefilter("ignore")
            layer = None if ref.suffix in ONE_LAYER_BY_NAME else layer
            meta, table = pyogrio.read_arrow(name, layer=layer, **which, **_options(ref))
            table, _ = with_readable_text(table)
            table = with_dxf_text(ref.path, table) if ref.suffix == ".dxf" and ref.is_local else table
            bare = [field.name for field in table.schema if pa.types.is_timestamp(field.type) and not field.type.tz]
            if bare:  # the library leaves out the zones of some formats, and where there are several
                again = {**which, "columns": bare, "read_geometry": False, "datetime_as_string": True}
                texts = pyogrio.read_arrow(name, layer=layer, **again, **_options(ref))[1]
                for field in bare:
                    table = table.set_column(table.column_names.index(field), field, times_of(texts.column(field)))
            return meta, table
    except (DataSourceError, DataLayerError, RuntimeError, pa.ArrowException, ValueError, OSError) as error:
        raise CannotRead(ref, _first_line(error), BROKEN) from error


def stream_arrow(ref: DataRef, layer: str | None, **which: object) -> Iterator[pa.Table]:
    """Yield the rows of a layer as `read_arrow` returns them, some at a time. Raises CannotRead."""
    try:
        with warnings.catch_warnings(), without_foreign_index(ref, "bbox" in which) as name:
            warnings.simplefilter("ignore")
            only = None if ref.suffix in ONE_LAYER_BY_NAME else layer
            asked = {key: value for key, value in which.items() if key != "max_features"}
            left = which.get("max_features")
            with pyogrio.open_arrow(name, layer=only, use_pyarrow=True, **asked, **_options(ref)) as (_, reader):
                bare = any(pa.types.is_timestamp(field.type) and not field.type.tz for field in reader.schema)
                if not bare and ref.suffix != ".dxf":
                    yield with_readable_text(reader.schema.empty_table())[0]
                    for batch in reader:
                        if isinstance(left, int):
                            batch, left = batch.slice(0, left), max(0, left - batch.num_rows)
                        yield with_readable_text(pa.Table.from_batches([batch]))[0]
                        if left == 0:
                            break
                    return
        yield read_arrow(ref, layer, **which)[1]  # times without their zones have to be read twice
    except (DataSourceError, DataLayerError, RuntimeError, pa.ArrowException, ValueError, OSError) as error:
        raise CannotRead(ref, _first_line(error), BROKEN) from error


def _first_line(error: Exception) -> str:
    return str(error).splitlines()[0][:200] if str(error) else type(error).__name__


def _asked(query: FeatureQuery, encoding: str | None) -> dict[str, object]:
    """Return a query as what the library takes."""
    return {
        "encoding": encoding,
        **({"bbox": query.extent.bounds} if query.extent is not None else {}),
        **({"columns": list(query.columns)} if query.columns is not None else {}),
        **({"max_features": query.limit} if query.limit is not None else {}),
    }


@dataclass(frozen=True)
class OgrLayer(ArrowLayer):
    """A layer with geometry. `encoding` is that of its text where the analyst states it."""

    able = Capability.EXTENT | Capability.COLUMNS | Capability.LIMIT | Capability.STEP
    encoding: str | None = None
    related: tuple[Relation, ...] = ()

    @property
    def relations(self) -> tuple[Relation, ...]:
        """What the table is related to by foreign keys."""
        return self.related

    def batches(self, query: FeatureQuery, *, geometry: bool = True) -> Iterator[pa.RecordBatch]:
        yield from batches_of(read_arrow(self.ref, self.facts.name, **self._which(query, geometry))[1])

    def streamed(self, query: FeatureQuery = EVERYTHING) -> Iterator[pa.Table]:
        yield from stream_arrow(self.ref, self.facts.name, **self._which(query, True))

    def _which(self, query: FeatureQuery, geometry: bool) -> dict[str, object]:
        which = _asked(query, self.encoding) | {"read_geometry": geometry}
        conditions = [f"({query.where})"] if query.where else []
        if query.step > 1:
            column = pyogrio.read_info(vector_name(self.ref), layer=self.facts.name)["fid_column"] or "FID"
            conditions.append(f'"{column}" % {int(query.step)} = 0')
        if conditions:
            which["where"] = " AND ".join(conditions)
        return which


@dataclass(frozen=True)
class OgrTable(ArrowTable):
    """A layer without geometry. `encoding` is that of its text where the analyst states it."""

    able = Capability.COLUMNS | Capability.LIMIT
    encoding: str | None = None
    related: tuple[Relation, ...] = ()

    @property
    def relations(self) -> tuple[Relation, ...]:
        """What the table is related to by foreign keys."""
        return self.related

    def batches(self, query: FeatureQuery) -> Iterator[pa.RecordBatch]:
        yield from batches_of(read_arrow(self.ref, self.facts.name, **self._which(query))[1])

    def streamed(self, query: FeatureQuery = EVERYTHING) -> Iterator[pa.Table]:
        yield from stream_arrow(self.ref, self.facts.name, **self._which(query))

    def _which(self, query: FeatureQuery) -> dict[str, object]:
        return _asked(query, self.encoding) | ({"where": query.where} if query.where else {})


@dataclass(frozen=True)
class AskedLayer(OgrLayer):
    """A layer of a GeoPackage whose conditions SQLite is asked for."""

    able = OgrLayer.able | Capability.WHERE
    dialect = "geopackage"


@dataclass(frozen=True)
class AskedTable(OgrTable):
    """A table of a GeoPackage whose conditions SQLite is asked for."""

    able = OgrTable.able | Capability.WHERE
    dialect = "geopackage"


def in_encoding(part: OgrLayer | OgrTable, encoding: str) -> OgrLayer | OgrTable:
    """Return a part whose names and text are read in an encoding. Raises CannotRead."""
    try:
        facts = _facts(part.ref, part.facts.name, encoding)
    except (DataSourceError, DataLayerError, RuntimeError, ValueError, LookupError) as error:
        raise CannotRead(
            part.ref, tr("its text is not in {encoding}", encoding=encoding), tr("Choose another encoding.")
        ) from error
    return replace(part, facts=replace(part.facts, fields=facts.fields), encoding=encoding)


def check_whole(ref: DataRef) -> None:
    """Raise CannotRead for the ways of being cut short that the library does not notice."""
    if not ref.is_local or ref.path.is_dir():
        return
    path = ref.path
    head = head_of(path)
    kind = content_of(head)
    if ref.suffix == ".dbf":
        wanted = dbf_size(head)
        if path.stat().st_size < wanted:
            raise CannotRead(
                path,
                tr("it should have {wanted:,} bytes and has {st_size:,}", wanted=wanted, st_size=path.stat().st_size),
                BROKEN,
            )
        return
    if kind == "a SQLite database":
        page = int.from_bytes(head[SQLITE_PAGE_SIZE], "big")
        size = (65536 if page == 1 else page) * int.from_bytes(head[SQLITE_PAGE_COUNT], "big")
        if path.stat().st_size < size:
            raise CannotRead(
                path,
                tr("it should have {size:,} bytes and has {st_size:,}", size=size, st_size=path.stat().st_size),
                BROKEN,
            )
    elif kind == "JSON" or kind == "XML":
        with path.open("rb") as file:
            file.seek(max(0, path.stat().st_size - 64))
            tail = file.read().rstrip()
        if not tail.endswith((b"}", b"]") if kind == "JSON" else b">"):
            raise CannotRead(path, tr("its {kind} ends in the middle", kind=kind), BROKEN)
    elif kind == "a shapefile":
        size = 2 * int.from_bytes(head[24:28], "big")  # length in 16-bit words
        if path.stat().st_size < size:
            raise CannotRead(
                path,
                tr("it should have {size:,} bytes and has {st_size:,}", size=size, st_size=path.stat().st_size),
                BROKEN,
            )


def dbf_size(head: bytes) -> int:
    """Return how long a dBase table must be by its head: that, and its records."""
    count, first, each = (int.from_bytes(head[a:b], "little") for a, b in ((4, 8), (8, 10), (10, 12)))
    return first + count * each


def _facts(ref: DataRef, layer: str | None, encoding: str | None = None) -> Facts:
    """Return the facts of a layer, or of the only one."""
    info = pyogrio.read_info(
        vector_name(ref),
        layer=layer,
        encoding=encoding,
        force_feature_count=True,
        force_total_bounds=True,
        **_options(ref),
    )
    layer = layer if layer is not None else str(info["layer_name"])
    return facts_from(layer, info, info["features"], info["total_bounds"])


def facts_from(layer: str, about: dict, count: int, bounds: Sequence[float] | np.ndarray | None) -> Facts:
    """Return the facts of a layer from what the library says about it."""
    types = [
        _TYPES.get(sub) or _ARROW_TYPES.get(main, main)
        for main, sub in zip(about["ogr_types"], about.get("ogr_subtypes", about["ogr_types"]))
    ]
    geometry = about["geometry_type"]
    fields = tuple(map(Field, unique_names([str(name) for name in about["fields"]]), types))
    if geometry is None:
        return Facts(layer, DataKind.TABLE, count, None, fields)
    crs = text_of(about["crs"]) if about["crs"] and not about["crs"].startswith(UNDEFINED) else None
    extent = None
    if bounds is not None and np.isfinite(bounds).all() and count:
        xmin, ymin, xmax, ymax = (float(v) for v in bounds)
        extent = Extent(xmin, ymin, xmax, ymax, crs)
    return Facts(layer, DataKind.VECTOR, count, geometry, fields, crs, extent)


def _facts_in_some_encoding(ref: DataRef, layer: str | None) -> tuple[Facts, str | None]:
    """Return the facts of a layer, and the encoding to read it in where the one stated does not fit its names."""
    try:
        return _facts(ref, layer), None
    except UnicodeDecodeError:
        return _facts(ref, layer, OTHERWISE), OTHERWISE


def table_beside(ref: DataRef) -> Path | None:
    """Return the dBase table of a Shapefile, or of itself; None where there is none."""
    if ref.suffix not in ONE_LAYER_BY_NAME or not ref.is_local:
        return None
    path = ref.path
    return next((t for t in (path.with_suffix(".dbf"), path.with_suffix(".DBF")) if t.is_file()), None)


def text_remarks(ref: DataRef) -> list[str]:
    """Return what should be reported of how a dBase table's text is stored."""
    table = table_beside(ref)
    remark = dbf_text(table).remark if table is not None else ""
    return [remark] if remark else []


def remarks(facts: Facts) -> list[str]:
    """Return what should be reported of a vector part before it is used."""
    notes: list[str] = []
    if facts.kind is DataKind.VECTOR and facts.crs is None:
        notes.append(no_crs(facts.name))
    if "curves" in facts.notes or any(word in (facts.geometry_type or "") for word in CURVED):
        notes.append(f"{facts.name}: {CURVES_STRAIGHT}")
    if not facts.count:
        notes.append(tr("{name}: no {what}", name=facts.name, what="features" if facts.kind == "vector" else "rows"))
    return notes


def _layer_names(ref: DataRef) -> list[str] | list[None]:
    """Return the layers; of formats that always have all, those with something in them; None for the only
    one of formats that have no more, as asking would read the whole file."""
    if ref.suffix in ONE_LAYER:
        return [None]
    names = [str(name) for name, _ in pyogrio.list_layers(vector_name(ref))]
    if ref.is_local and ref.suffix in SPATIAL_SQLITE:  # of which it lists those with geometry alone, if there are any
        names += [name for name in plain_tables(ref.path) if name not in names]
    if ref.suffix != ".gpx":
        return names
    filled = [n for n in names if pyogrio.read_info(vector_name(ref), layer=n, force_feature_count=True)["features"]]
    return filled or names[:1]


def open_dataset(ref: DataRef) -> Dataset:
    """Return the dataset of a vector file or folder. Raises CannotRead."""
    check_whole(ref)
    notes: list[str] = []
    parts: list[Part] = []
    if ref.suffix == ".shp" and ref.is_local:
        path = ref.path
        missing = [ending for ending in (".shx", ".dbf") if not _beside(path, ending)]
        if missing:
            notes.append(
                Remark(tr("{missing} missing beside the .shp", missing=" and ".join(missing)), RemarkCode.FILES_MISSING)
            )
        table = path.with_suffix(".dbf")
        if table.exists() and table.stat().st_size < dbf_size(head_of(table)):
            notes.append(
                Remark(tr("{name} is cut short, so attributes are missing", name=table.name), RemarkCode.FILES_MISSING)
            )
    try:
        with warnings.catch_warnings():
            warnings.simplefilter("ignore")
            for name in _layer_names(ref):
                facts, encoding = _facts_in_some_encoding(ref, name)
                notes += _rows_beside(ref, facts.count or 0)
                parts.append((OgrTable if facts.kind is DataKind.TABLE else OgrLayer)(ref, facts, encoding=encoding))
                notes += remarks(facts)
    except IndexError as error:
        raise CannotRead(ref, tr("its head is damaged, so that no layer is found in it"), BROKEN) from error
    except (DataSourceError, DataLayerError, RuntimeError, ValueError, OSError) as error:
        raise CannotRead(ref, _first_line(error), BROKEN) from error
    if not parts:
        raise CannotRead(ref, tr("it holds no layers"))
    notes += text_remarks(ref)
    parts = with_relations(ref, parts)
    kind = DataKind.VECTOR if any(part.facts.kind is DataKind.VECTOR for part in parts) else DataKind.TABLE
    return Dataset(
        format=FORMATS.get(ref.suffix, "vector"), kind=kind, parts=tuple(parts), warnings=tuple(notes), **on_disk(ref)
    )


def with_relations(ref: DataRef, parts: list[Part]) -> list[Part]:
    """Return the tables of a SQLite file with what they are related to by foreign keys; others as they are."""
    if not ref.is_local or ref.suffix not in SQLITE_ENDINGS:
        return parts
    found = relations_in(ref)
    return [
        replace(part, related=found.get(part.facts.name.lower(), ())) if isinstance(part, OgrLayer | OgrTable) else part
        for part in parts
    ]


def _rows_beside(ref: DataRef, count: int) -> list[str]:
    """Return what should be reported of a .mif whose table beside it has another number of rows, as it is read to where
    it ends."""
    if ref.suffix != ".mif" or not ref.is_local:
        return []
    path = ref.path
    table = next((t for t in (path.with_suffix(".mid"), path.with_suffix(".MID")) if t.is_file()), None)
    _check_last_object(path)
    if table is None:
        return [Remark(tr("{stem}.mid missing beside the .mif", stem=path.stem), RemarkCode.FILES_MISSING)]
    with table.open("rb") as file:
        rows = sum(1 for line in file if line.strip())
    return (
        []
        if rows == count
        else [
            tr("it has {count:,} objects and {rows:,} rows; the copy may have been cut short", count=count, rows=rows)
        ]
    )


def _check_last_object(path: Path) -> None:
    """Raise CannotRead for a .mif that ends among the positions of its last line or region."""
    with path.open("rb") as file:
        file.seek(max(0, path.stat().st_size - LAST_OBJECT_BYTES))
        lines = [line.split() for line in file.read().splitlines()]
    last = next((i for i in range(len(lines) - 1, -1, -1) if lines[i][:1] and lines[i][0].lower() in OBJECTS), None)
    if last is None:
        return
    words, at = lines[last], last + 1
    rings = int(words[1]) if words[0].lower() == b"region" and len(words) > 1 and words[1].isdigit() else 0
    for _ in range(rings):
        count = int(lines[at][0]) if at < len(lines) and lines[at] and lines[at][0].isdigit() else 0
        positions = lines[at + 1 : at + 1 + count]
        if not count or len(positions) < count or any(len(p) != 2 for p in positions):
            raise CannotRead(path, tr("it ends in the middle of an object"), BROKEN)
        at += 1 + count


def _beside(path: Path, ending: str) -> bool:
    return path.with_suffix(ending).exists() or path.with_suffix(ending.upper()).exists()
