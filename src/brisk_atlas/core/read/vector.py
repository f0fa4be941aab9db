"""Vector formats through pyogrio's Arrow path."""

from __future__ import annotations

import warnings
from dataclasses import dataclass
from pathlib import Path

import numpy as np
import pyarrow as pa
import pyogrio
import shapely
from pyogrio.errors import DataLayerError, DataSourceError

from brisk_atlas.core.model import CannotRead, Dataset, Extent, Facts, Field, Part, TablePart, VectorPart
from brisk_atlas.core.model.shapes import Features
from brisk_atlas.core.place import text_of

from .content import content_of, head_of
from .members import on_disk
from .wkb import shapes_of

FORMATS = {
    ".gpkg": "GeoPackage",
    ".shp": "Shapefile",
    ".kml": "KML",
    ".fgb": "FlatGeobuf",
    ".geojson": "GeoJSON",
    ".json": "GeoJSON",
}
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
BROKEN = "The copy may have been cut short; ask for the file again."
SQLITE_PAGE_SIZE, SQLITE_PAGE_COUNT = slice(16, 18), slice(28, 32)  # in the file's head; sqlite.org/fileformat2


def _read_arrow(path: Path, layer: str, **which: object) -> tuple[dict, pa.Table]:
    try:
        with warnings.catch_warnings():
            warnings.simplefilter("ignore")
            return pyogrio.read_arrow(path, layer=layer, **which)
    except (DataSourceError, DataLayerError, RuntimeError, pa.ArrowException, ValueError, OSError) as error:
        raise CannotRead(path, _first_line(error), BROKEN) from error


def _first_line(error: Exception) -> str:
    return str(error).splitlines()[0][:200] if str(error) else type(error).__name__


@dataclass(frozen=True)
class OgrLayer(VectorPart):
    """A layer with geometry."""

    def read(self) -> Features:
        return self._read()

    def read_within(self, extent: Extent) -> Features:
        return self._read(bbox=extent.bounds)

    def read_every(self, step: int) -> Features:
        column = pyogrio.read_info(self.path, layer=self.facts.name)["fid_column"] or "FID"
        return self._read(where=f'"{column}" % {int(step)} = 0' if step > 1 else None)

    def _read(self, **which: object) -> Features:
        meta, table = _read_arrow(self.path, self.facts.name, **which)
        name = meta["geometry_name"] or "wkb_geometry"
        column = table.column(name).combine_chunks()
        wkb = column.chunk(0) if isinstance(column, pa.ChunkedArray) else column
        wkb = wkb.storage if isinstance(wkb, pa.ExtensionArray) else wkb
        shapes, status = shapes_of(wkb)
        if status:  # big-endian, curves or damage: let GEOS put it right, dropping what it can't read
            wkb = pa.array(
                shapely.to_wkb(
                    shapely.from_wkb(wkb.to_numpy(zero_copy_only=False), on_invalid="ignore"),
                    byte_order=1,
                    flavor="iso",
                )
            )
            shapes, _ = shapes_of(wkb.cast(pa.binary()))
        return Features(table.drop_columns([name]), wkb.cast(pa.binary()), shapes, self.facts.crs)


@dataclass(frozen=True)
class OgrTable(TablePart):
    """A layer without geometry."""

    def read(self) -> pa.Table:
        return _read_arrow(self.path, self.facts.name)[1]


def _check_whole(path: Path) -> None:
    """Raise CannotRead for the ways of being cut short that the library does not notice."""
    head = head_of(path)
    kind = content_of(head)
    if kind == "a SQLite database":
        page = int.from_bytes(head[SQLITE_PAGE_SIZE], "big")
        size = (65536 if page == 1 else page) * int.from_bytes(head[SQLITE_PAGE_COUNT], "big")
        if path.stat().st_size < size:
            raise CannotRead(path, f"it should have {size:,} bytes and has {path.stat().st_size:,}", BROKEN)
    elif kind == "JSON" or kind == "XML":
        with path.open("rb") as file:
            file.seek(max(0, path.stat().st_size - 64))
            tail = file.read().rstrip()
        if not tail.endswith((b"}", b"]") if kind == "JSON" else b">"):
            raise CannotRead(path, f"its {kind} ends in the middle", BROKEN)
    elif kind == "a shapefile":
        size = 2 * int.from_bytes(head[24:28], "big")  # length in 16-bit words
        if path.stat().st_size < size:
            raise CannotRead(path, f"it should have {size:,} bytes and has {path.stat().st_size:,}", BROKEN)


def _facts(path: Path, layer: str) -> tuple[Facts, list[str]]:
    info = pyogrio.read_info(path, layer=layer, force_feature_count=True, force_total_bounds=True)
    types = [
        _TYPES.get(sub) or _ARROW_TYPES.get(main, main)
        for main, sub in zip(info["ogr_types"], info.get("ogr_subtypes", info["ogr_types"]))
    ]
    fields = tuple(Field(str(n), t) for n, t in zip(info["fields"], types))
    geometry = info["geometry_type"]
    if geometry is None:
        return Facts(layer, "table", info["features"], None, fields), []
    crs = text_of(info["crs"]) if info["crs"] else None
    bounds = info["total_bounds"]
    extent = None
    if bounds is not None and np.isfinite(bounds).all() and info["features"]:
        xmin, ymin, xmax, ymax = (float(v) for v in bounds)
        extent = Extent(xmin, ymin, xmax, ymax, crs)
    said = []
    if crs is None:
        said.append(f"{layer}: no coordinate reference system")
    if not info["features"]:
        said.append(f"{layer}: no features")
    return Facts(layer, "vector", info["features"], geometry, fields, crs, extent), said


def open_dataset(path: Path) -> Dataset:
    """Return the dataset of a vector file. Raises CannotRead."""
    _check_whole(path)
    said: list[str] = []
    parts: list[Part] = []
    if path.suffix.lower() == ".shp":
        missing = [ending for ending in (".shx", ".dbf", ".prj") if not path.with_suffix(ending).exists()]
        if ".shx" in missing or ".dbf" in missing:
            said.append(f"{' and '.join(m for m in missing if m != '.prj')} missing beside the .shp")
    try:
        with warnings.catch_warnings():
            warnings.simplefilter("ignore")
            for name, _ in pyogrio.list_layers(path):
                facts, more = _facts(path, str(name))
                said += more
                parts.append((OgrTable if facts.kind == "table" else OgrLayer)(path, facts))
    except (DataSourceError, DataLayerError, RuntimeError, ValueError, OSError) as error:
        raise CannotRead(path, _first_line(error), BROKEN) from error
    if not parts:
        raise CannotRead(path, "it holds no layers")
    kind = "vector" if any(part.facts.kind == "vector" for part in parts) else "table"
    return Dataset(
        format=FORMATS[path.suffix.lower()], kind=kind, parts=tuple(parts), warnings=tuple(said), **on_disk(path)
    )
