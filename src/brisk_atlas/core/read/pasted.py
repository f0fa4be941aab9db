"""Text from the clipboard as data: geometry as well-known text or binary, GeoJSON, rows, paths and addresses."""

from __future__ import annotations

import csv
import io
import json
import re
from collections.abc import Sequence
from enum import StrEnum
from pathlib import Path
from typing import NamedTuple

import numpy as np
import shapely

from brisk_atlas.core.model import AtlasError, DataRef
from brisk_atlas.core.model.language import tr
from brisk_atlas.core.place import transform

LARGEST = 1_000_000  # characters that a reference carries; more belong into a file
MOST_REFS = 200
GEOGRAPHIC = "EPSG:4326"
_GEOJSON = ("Feature", "FeatureCollection", "GeometryCollection", "Point", "LineString", "Polygon", "MultiPoint",
            "MultiLineString", "MultiPolygon")  # fmt: skip
_SRID = re.compile(r"^SRID=(\d{1,6});", re.IGNORECASE)
_SHAPE = re.compile(
    r"^(SRID=\d+;)?\s*(POINT|LINESTRING|POLYGON|MULTI\w+|GEOMETRYCOLLECTION|LINEARRING)\b", re.IGNORECASE
)
_HEX = re.compile(r"^0[01][0-9A-Fa-f]{40,}$")  # well-known binary begins with its byte order
_ADDRESS = re.compile(r"^[a-z][a-z0-9+.-]*://\S+$", re.IGNORECASE)


class PastedKind(StrEnum):
    """What a text is."""

    REFS = "references"  # files and addresses, to open
    SHAPES = "geometry"  # a reference that carries it
    ROWS = "rows"  # a table, to be written to a file


class Pasted(NamedTuple):
    """What a text means: references to open, or the text of a table with its suffix. `remark` states what was
    assumed."""

    kind: PastedKind
    refs: tuple[DataRef, ...] = ()
    rows: str = ""
    remark: str = ""


def pasted(text: str, map_crs: str | None) -> Pasted:
    """Return what a text from the clipboard means. Geometry that names no CRS is in the map's.

    Raises AtlasError where it means no data.
    """
    text = text.strip().lstrip("\ufeff")
    lines = [line.strip() for line in text.splitlines() if line.strip()]
    if not lines:
        raise AtlasError(
            tr("Paste"), tr("the clipboard has no text and no files"), tr("Copy files, WKT, GeoJSON or rows first.")
        )
    if text[0] in "{[":
        return _geojson(text)
    if all(_SHAPE.match(line) or _HEX.match(line) for line in lines):
        return _shapes(lines, map_crs)
    refs = _refs(lines)
    if refs:
        return Pasted(PastedKind.REFS, refs)
    rows = _rows(text)
    if rows:
        return Pasted(PastedKind.ROWS, rows=rows)
    raise AtlasError(
        tr("Paste"),
        tr("the text is no geometry, no GeoJSON, no table and no path"),
        tr("Copy WKT, GeoJSON, rows or files."),
    )


def _geojson(text: str) -> Pasted:
    try:
        found = json.loads(text)
    except ValueError as error:
        raise AtlasError(
            tr("Paste"), tr("the text is no JSON that can be read: {error}", error=error), tr("Copy all of it again.")
        ) from error
    if not isinstance(found, dict) or found.get("type") not in _GEOJSON:
        raise AtlasError(
            tr("Paste"), tr("the text is JSON, but no GeoJSON"), tr("Write it to a file to open it as a table.")
        )
    return Pasted(PastedKind.SHAPES, (_carrying(text),))


def _shapes(lines: Sequence[str], map_crs: str | None) -> Pasted:
    features, assumed = [], False
    for number, line in enumerate(lines):
        srid = _SRID.match(line)
        body = line[srid.end() :] if srid else line
        try:
            shape = shapely.from_wkb(body) if _HEX.match(body) else shapely.from_wkt(body)
        except shapely.errors.GEOSException as error:
            what = tr("line {number} is no geometry: {error}", number=number + 1, error=str(error).strip())
            raise AtlasError(tr("Paste"), what, tr("Copy all of it again.")) from error
        code = int(srid[1]) if srid else shapely.get_srid(shape)
        crs = f"EPSG:{code}" if code else map_crs
        assumed = assumed or not code
        if crs is None:
            raise AtlasError(
                tr("Paste"), tr("neither the geometry nor the map has a CRS"), tr("Put SRID=…; before the geometry.")
            )
        features.append({"type": "Feature", "properties": {"number": number + 1}, "geometry": _placed(shape, crs)})
    text = json.dumps({"type": "FeatureCollection", "features": features})
    remark = tr("It names no CRS: read as {map_crs}, the map's.", map_crs=map_crs) if assumed else ""
    return Pasted(PastedKind.SHAPES, (_carrying(text),), remark=remark)


def _placed(shape: shapely.Geometry, crs: str) -> dict[str, object]:
    """Return a geometry as GeoJSON has it: in longitude and latitude."""

    def moved(xyz: np.ndarray) -> np.ndarray:
        flat = transform(xyz[:, :2], crs, GEOGRAPHIC)
        if not (np.isfinite(flat).all() and (np.abs(flat) <= (360.0, 90.0)).all()):
            raise AtlasError(
                tr("Paste"),
                tr("the geometry has no place on the Earth in {crs}", crs=crs),
                tr("Put SRID=…; before it."),
            )
        return np.column_stack([np.round(flat, 9), xyz[:, 2:]])

    placed: dict[str, object] = json.loads(shapely.to_geojson(shapely.transform(shape, moved, include_z=shape.has_z)))
    return placed


def _carrying(text: str) -> DataRef:
    if len(text) > LARGEST:
        raise AtlasError(
            tr("Paste"),
            tr("it is longer than {largest:,} characters", largest=LARGEST),
            tr("Write it to a file and open that."),
        )
    return DataRef.inline("pasted.geojson", text)


def _refs(lines: Sequence[str]) -> tuple[DataRef, ...]:
    """Return the references that all of the lines are, none if one of them is something else."""
    found = []
    for line in lines[: MOST_REFS + 1]:
        named = line.strip("'\"")
        if not (_ADDRESS.match(named) or (named.startswith(("/", "~")) and Path(named).expanduser().exists())):
            return ()
        found.append(DataRef.parse(str(Path(named).expanduser()) if named.startswith("~") else named))
    return tuple(found) if len(found) <= MOST_REFS else ()


def _rows(text: str) -> str:
    """Return a table as CSV, "" if the text is none: two lines or more of two fields or more, all as many."""
    delimiter = next((each for each in "\t;,|" if each in text.splitlines()[0]), "")
    if not delimiter:
        return ""
    rows = [row for row in csv.reader(io.StringIO(text), delimiter=delimiter) if row]
    if len(rows) < 2 or len(rows[0]) < 2 or any(len(row) != len(rows[0]) for row in rows):
        return ""
    out = io.StringIO()
    csv.writer(out, lineterminator="\n").writerows(rows)
    return out.getvalue()
