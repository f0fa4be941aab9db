"""GeoPackages: what they hold is asked of their own tables; features and grids come by the libraries.

Table names and types: OGC 12-128r18 (GeoPackage 1.3), sections 1.1 and 2.1.
"""

from __future__ import annotations

import sqlite3
from contextlib import closing
from pathlib import Path

from brisk_atlas.core.model import CannotRead, DataKind, DataRef, Dataset, Extent, Facts, Field, Part
from brisk_atlas.core.model.language import tr
from brisk_atlas.core.place import text_of

from . import sqlite_file, vector
from .curves import REMARK
from .on_disk import on_disk

TYPES = {
    "BOOLEAN": "bool",
    "TINYINT": "int32",
    "SMALLINT": "int16",
    "MEDIUMINT": "int32",
    "INT": "int64",
    "INTEGER": "int64",
    "FLOAT": "float",
    "DOUBLE": "double",
    "REAL": "double",
    "TEXT": "string",
    "BLOB": "binary",
    "DATE": "date32",
    "DATETIME": "timestamp",
}
GEOMETRIES = {
    name.upper(): name
    for name in (
        "Point",
        "LineString",
        "Polygon",
        "MultiPoint",
        "MultiLineString",
        "MultiPolygon",
        "GeometryCollection",
    )
}
GRIDS = ("tiles", "2d-gridded-coverage")


def read_only(path: Path) -> sqlite3.Connection:
    """Return a connection that changes nothing, not even beside the file."""
    return sqlite3.connect(sqlite_file.read_only(path), uri=True)


def open_dataset(ref: DataRef) -> Dataset:
    """Return the dataset of a GeoPackage. Raises CannotRead."""
    if not ref.is_local:
        return vector.open_dataset(ref)
    path = ref.path
    vector.check_whole(ref)
    try:
        with closing(read_only(path)) as database:
            layers = _layers(path, database)
            grids = _grid_tables(database)
            plain = _compared_by_letters(database)
    except (sqlite3.Error, UnicodeDecodeError) as error:
        raise CannotRead(path, tr("its tables can't be read ({error})", error=error), vector.BROKEN) from error
    if layers is None:  # it has something out of the ordinary: leave it to the library
        return vector.open_dataset(ref)
    parts: list[Part] = [
        (vector.AskedTable if f.kind is DataKind.TABLE else vector.AskedLayer)(ref, f)
        if f.name in plain
        else (vector.OgrTable if f.kind is DataKind.TABLE else vector.OgrLayer)(ref, f)
        for f in layers
    ]
    if grids:
        from .raster import part_of

        parts += [part_of(ref, f"GPKG:{path}:{table}", table) for table in grids]
    if not parts:
        raise CannotRead(path, tr("it holds no layers"))
    parts = vector.with_relations(ref, parts)
    kinds = [part.facts.kind for part in parts]
    kind = next((k for k in (DataKind.VECTOR, DataKind.RASTER) if k in kinds), DataKind.TABLE)
    remarks = [text for part in parts for text in vector.remarks(part.facts)]
    return Dataset(format="GeoPackage", kind=kind, parts=tuple(parts), warnings=tuple(remarks), **on_disk(ref))


def _grid_tables(database: sqlite3.Connection) -> list[str]:
    asked = "SELECT table_name FROM gpkg_contents WHERE data_type IN (?, ?) ORDER BY rowid"
    return [name for (name,) in database.execute(asked, GRIDS)]


def _compared_by_letters(database: sqlite3.Connection) -> set[str]:
    """Return the tables, but not views, whose texts are equal where all their letters are: none is collated."""
    asked = "SELECT name FROM sqlite_master WHERE type = 'table' AND sql NOT LIKE '%COLLATE%'"
    return {name for (name,) in database.execute(asked)}


def _layers(path: Path, database: sqlite3.Connection) -> list[Facts] | None:
    """Return the facts of all tables with rows of features or attributes; None where SQL alone can't tell."""
    tables = {
        name.lower() for (name,) in database.execute("SELECT name FROM sqlite_master WHERE type IN ('table','view')")
    }
    if "gpkg_contents" not in tables:
        return None
    contents = database.execute(
        "SELECT table_name, data_type, min_x, min_y, max_x, max_y FROM gpkg_contents ORDER BY rowid"
    ).fetchall()
    known = {name.lower() for name, *_ in contents}
    own = {t for t in tables if not t.startswith(("gpkg_", "rtree_", "sqlite_", "layer_styles"))}
    if own - known or any(kind not in ("features", "attributes", *GRIDS) for _, kind, *_ in contents):
        return None
    geometry, counts = {}, {}
    if "gpkg_geometry_columns" in tables:
        asked = "SELECT table_name, column_name, geometry_type_name, srs_id, z, m FROM gpkg_geometry_columns"
        geometry = {name.lower(): rest for name, *rest in database.execute(asked)}
    if "gpkg_ogr_contents" in tables:
        counts = dict(database.execute("SELECT lower(table_name), feature_count FROM gpkg_ogr_contents"))
    systems = {
        srs: (str(body).upper(), code, wkt)
        for srs, body, code, wkt in database.execute(
            "SELECT srs_id, organization, organization_coordsys_id, definition FROM gpkg_spatial_ref_sys"
        )
    }
    found = []
    for name, kind, *bounds in contents:
        if kind in GRIDS:
            continue
        column, type_name, srs, z, m = geometry.get(name.lower(), (None, None, None, 0, 0))
        if (kind == "features") != (column is not None) or z not in (0, 1) or m != 0:
            return None
        quoted = '"' + name.replace('"', '""') + '"'
        fields = []
        for _, field, declared, _, _, key in database.execute(f"PRAGMA table_info({quoted})"):
            word = declared.upper().partition("(")[0].strip()
            if key or field == column:
                continue
            if word not in TYPES:
                return None
            fields.append(Field(field, TYPES[word]))
        count = counts.get(name.lower())
        if count is None:
            (count,) = database.execute(f"SELECT COUNT(*) FROM {quoted}").fetchone()
        if column is None:
            found.append(Facts(name, DataKind.TABLE, count, None, tuple(fields)))
            continue
        crs = None
        if srs not in (None, 0, -1) and srs in systems:
            body, code, wkt = systems[srs]
            crs = f"EPSG:{code}" if body == "EPSG" else text_of(wkt)
        if count and None in bounds:
            return None
        shape = GEOMETRIES.get(type_name.upper(), "Unknown") + (" Z" if z else "")
        extent = Extent.of(bounds, crs) if count else None
        curved = any(word in type_name.upper() for word in ("CURVE", "CIRCULAR", "SURFACE", "TIN", "TRIANGLE"))
        notes = {"curves": REMARK} if curved else {}
        found.append(Facts(name, DataKind.VECTOR, count, shape, tuple(fields), crs, extent, notes=notes))
    return found
