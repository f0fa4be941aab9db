"""A sketch: marks with texts, notes and measures, as one GeoJSON file that a reference carries itself."""

from __future__ import annotations

import json
import re
from dataclasses import dataclass, replace
from enum import StrEnum
from functools import lru_cache
from math import isfinite
from typing import Any

import numpy as np

from brisk_atlas.core.model import CannotRead, DataRef, Extent, Facts, Field
from brisk_atlas.core.model.kinds import DataKind
from brisk_atlas.core.model.language import tr
from brisk_atlas.core.place import transform
from brisk_atlas.core.place.geodesy import legs, ring_area

GEOGRAPHIC = "EPSG:4326"
URN = re.compile(r"urn:ogc:def:crs:(\w+):[^:]*:(\w+)")
NAMED = re.compile(r"[A-Za-z]+:\w+")  # a CRS by its authority and code
FIELDS = (
    Field("kind", "string"),
    Field("text", "string"),
    Field("note", "string"),
    Field("length_m", "double"),
    Field("area_m2", "double"),
)


class MarkKind(StrEnum):
    """What kind of mark was drawn."""

    POINT = "point"
    LINE = "line"
    AREA = "area"
    TEXT = "text"


GEOMETRIES = {MarkKind.POINT: "Point", MarkKind.TEXT: "Point", MarkKind.LINE: "LineString", MarkKind.AREA: "Polygon"}
FEWEST = {MarkKind.POINT: 1, MarkKind.TEXT: 1, MarkKind.LINE: 2, MarkKind.AREA: 3}


@lru_cache(20_000)
def _measures(xy: tuple[tuple[float, float], ...], crs: str, *, closed: bool) -> tuple[float, float | None]:
    """Return a length in m, and the area in m² of a closed line. They are asked for again with each further mark."""
    corners = np.array(xy)
    steps = legs(np.vstack([corners, corners[:1]]) if closed else corners, crs)
    return float(sum(leg.on_ellipsoid for leg in steps)), ring_area(corners, crs) if closed else None


@dataclass(frozen=True)
class Mark:
    """One thing that was drawn. `xy` are its corners in the CRS of the sketch; an area's ring is not closed there."""

    kind: MarkKind
    xy: tuple[tuple[float, float], ...]
    text: str = ""
    note: str = ""

    def __post_init__(self) -> None:
        if len(self.xy) < FEWEST[self.kind] or not all(isfinite(x) and isfinite(y) for x, y in self.xy):
            raise ValueError(
                tr("a {kind} needs {fewest} corners with a place", kind=self.kind, fewest=FEWEST[self.kind])
            )

    def measures(self, crs: str) -> tuple[float | None, float | None]:
        """Return the length, of an area around it, in m, and the area in m², on the ellipsoid; None for what it has
        not."""
        return (None, None) if FEWEST[self.kind] == 1 else _measures(self.xy, crs, closed=self.kind is MarkKind.AREA)


@dataclass(frozen=True)
class Sketch:
    """Marks in their order of drawing, in a CRS; those of one without an authority's code are stored in degrees."""

    name: str
    crs: str
    marks: tuple[Mark, ...] = ()

    @classmethod
    def begun_in(cls, name: str, crs: str) -> Sketch:
        """Return an empty sketch for marks that are drawn on a map: in its CRS, so that straight lines stay straight,
        if a file can name that."""
        return cls(name, crs if NAMED.fullmatch(crs) else GEOGRAPHIC)

    @classmethod
    def of(cls, ref: DataRef) -> Sketch:
        """Return the sketch that a reference carries. Raises CannotRead for another thing."""
        return _carried(ref.whole)

    def ref(self) -> DataRef:
        """Return the reference that carries the sketch, to the one part that it has."""
        return DataRef.inline(f"{self.name}.geojson", self.text()).with_part(self.name)

    def text(self) -> str:
        """Return the sketch as GeoJSON, with the CRS by its name where it is not in degrees of WGS 84."""
        head: dict[str, Any] = {"type": "FeatureCollection", "name": self.name}
        if self.crs != GEOGRAPHIC:
            authority, _, code = self.crs.partition(":")
            head["crs"] = {"type": "name", "properties": {"name": f"urn:ogc:def:crs:{authority}::{code}"}}
        features = [_feature_of(mark, self.crs) for mark in self.marks]
        return json.dumps({**head, "features": features}, ensure_ascii=False, separators=(",", ":"))

    def facts(self) -> Facts:
        """Return the facts of the sketch as a dataset's part."""
        xy = np.array([place for mark in self.marks for place in mark.xy])
        xmin, ymin, xmax, ymax = (*xy.min(axis=0).tolist(), *xy.max(axis=0).tolist()) if len(xy) else (0, 0, 0, 0)
        extent = Extent(xmin, ymin, xmax, ymax, self.crs) if len(xy) else None
        return Facts(self.name, DataKind.VECTOR, len(self.marks), "Unknown", FIELDS, self.crs, extent)

    def placed(self, xy: np.ndarray, crs: str) -> tuple[tuple[float, float], ...]:
        """Return (n, 2) positions of another CRS as corners of this sketch."""
        return tuple((x, y) for x, y in transform(xy, crs, self.crs).tolist())

    def with_mark(self, mark: Mark) -> Sketch:
        """Return the sketch with one mark more."""
        return replace(self, marks=(*self.marks, mark))

    def with_changed(self, number: int, mark: Mark) -> Sketch:
        """Return the sketch with another mark in the place of one."""
        return replace(self, marks=(*self.marks[:number], mark, *self.marks[number + 1 :]))

    def without(self, number: int) -> Sketch:
        """Return the sketch without one of its marks."""
        return replace(self, marks=(*self.marks[:number], *self.marks[number + 1 :]))


@lru_cache(16)
def _carried(ref: DataRef) -> Sketch:
    """Return the sketch that a reference carries; the same one is asked for by several after each change."""
    try:
        content = json.loads(ref.place)
        crs = _crs_named(content["crs"]) if "crs" in content else GEOGRAPHIC
        marks = tuple(_mark_of(feature) for feature in content["features"])
    except (ValueError, KeyError, TypeError, AttributeError) as error:
        remedy = tr("It can be looked at, but not drawn into.")
        raise CannotRead(ref, tr("it is no sketch of points, lines, areas and text"), remedy) from error
    return Sketch(str(content.get("name", ref.stem)), crs, marks)


def _feature_of(mark: Mark, crs: str) -> dict[str, Any]:
    length, area = mark.measures(crs)
    corners: Any = [list(place) for place in mark.xy]
    match mark.kind:
        case MarkKind.POINT | MarkKind.TEXT:
            corners = corners[0]
        case MarkKind.AREA:
            corners = [[*corners, corners[0]]]
    return {
        "type": "Feature",
        "properties": {
            "kind": mark.kind.value,
            "text": mark.text or None,
            "note": mark.note or None,
            "length_m": None if length is None else round(length, 3),
            "area_m2": None if area is None else round(area, 3),
        },
        "geometry": {"type": GEOMETRIES[mark.kind], "coordinates": corners},
    }


def _crs_named(member: dict[str, Any]) -> str:
    """Return the CRS that the member `crs` of a file names. Raises ValueError for one by another way of naming."""
    found = URN.fullmatch(member["properties"]["name"])
    if found is None:
        raise ValueError(tr("a CRS without a code"))
    return f"{found[1]}:{found[2]}"


def _mark_of(feature: dict[str, Any]) -> Mark:
    properties, geometry = feature["properties"], feature["geometry"]
    kind = MarkKind(properties["kind"])
    if geometry["type"] != GEOMETRIES[kind]:
        raise ValueError(tr("another geometry"))
    corners = geometry["coordinates"]
    match kind:
        case MarkKind.POINT | MarkKind.TEXT:
            corners = [corners]
        case MarkKind.AREA:
            (ring,) = corners
            corners = ring[:-1]
    xy = tuple((float(x), float(y)) for x, y in corners)
    return Mark(kind, xy, str(properties.get("text") or ""), str(properties.get("note") or ""))
