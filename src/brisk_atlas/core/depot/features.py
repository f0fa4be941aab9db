"""Features of offers as GeoJSON (RFC 7946) and as GML 3.2 (ISO 19136)."""

from __future__ import annotations

import json
from collections.abc import Iterator
from datetime import UTC, date, datetime
from typing import Any

import numpy as np
import shapely
from lxml import etree

from .offers import Depot, Offer, flipped

GML, SPACE = "http://www.opengis.net/gml/3.2", "urn:x-depot:features"
DECIMALS_DEGREES, DECIMALS_METRES = 9, 4
JSON_TYPES = {"bool": "boolean", "int": "integer", "uint": "integer", "float": "number", "double": "number"}
GEOMETRY_NAME = "geometry"


def json_type(arrow: str) -> dict[str, str]:
    """Return the JSON Schema of a field by the name of its Arrow type."""
    if arrow.startswith("timestamp"):
        return {"type": "string", "format": "date-time"}
    if arrow.startswith("date"):
        return {"type": "string", "format": "date"}
    found = next((word for start, word in JSON_TYPES.items() if arrow.startswith(start)), "string")
    return {"type": found}


def plain(value: Any) -> Any:
    """Return a value as JSON has it; what is no number is no value."""
    if isinstance(value, float):
        return value if np.isfinite(value) else None
    if isinstance(value, (datetime, date)):
        text = value.isoformat()
        return text.replace("+00:00", "Z")
    return value if value is None or isinstance(value, (bool, int, str)) else str(value)


def feature_texts(
    depot: Depot, offer: Offer, rows: np.ndarray, crs: str, *, flip: bool, columns: list[str] | None = None
) -> list[str]:
    """Return GeoJSON features as texts, in a CRS, northings first where `flip`."""
    table = depot.features(offer).table.take(rows)
    table = table if columns is None else table.select(columns)
    shapes = depot.geometry(offer, rows, crs)
    geometry = shapely.to_geojson(flipped(shapes) if flip else shapes)
    records = table.to_pylist() if table.num_columns else [{}] * len(rows)
    return [
        f'{{"type": "Feature", "id": {row}, "geometry": {shape or "null"}, '
        f'"properties": {json.dumps({name: plain(value) for name, value in record.items()})}}}'
        for row, shape, record in zip(rows.tolist(), geometry, records)
    ]


def gml_collection(
    depot: Depot, offer: Offer, rows: np.ndarray, crs: str, *, flip: bool, matched: int, version: str
) -> bytes:
    """Return a WFS feature collection of some features."""
    wfs = "http://www.opengis.net/wfs/2.0" if version >= "2" else "http://www.opengis.net/wfs"
    gml = GML if version >= "2" else "http://www.opengis.net/gml"
    names = {"wfs": wfs, "gml": gml, "depot": SPACE}
    root = etree.Element(f"{{{wfs}}}FeatureCollection", nsmap=names)
    if version >= "2":
        root.set("timeStamp", time_stamp())
        root.set("numberMatched", str(matched))
        root.set("numberReturned", str(len(rows)))
    else:
        root.set("numberOfFeatures", str(len(rows)))
    member = f"{{{wfs}}}member" if version >= "2" else f"{{{gml}}}featureMember"
    for feature in _gml_features(depot, offer, rows, crs, flip=flip, names=names):
        etree.SubElement(root, member).append(feature)
    return etree.tostring(root, xml_declaration=True, encoding="UTF-8")


def gml_feature(depot: Depot, offer: Offer, row: int, crs: str, *, flip: bool) -> bytes:
    """Return a feature alone, in the form of WFS 2.0."""
    names = {"gml": GML, "depot": SPACE}
    (feature,) = _gml_features(depot, offer, np.array([row]), crs, flip=flip, names=names)
    return etree.tostring(feature, xml_declaration=True, encoding="UTF-8")


def time_stamp() -> str:
    """Return the moment in UTC, as XML writes it."""
    return datetime.now(UTC).strftime("%Y-%m-%dT%H:%M:%SZ")


def _gml_features(
    depot: Depot, offer: Offer, rows: np.ndarray, crs: str, *, flip: bool, names: dict[str, str]
) -> Iterator[Any]:
    """Yield features as elements. names : the prefixes of namespaces, `gml` among them"""
    gml, system = names["gml"], f"urn:ogc:def:crs:{crs.replace(':', '::')}"
    table = depot.features(offer).table.take(rows)
    shapes = depot.geometry(offer, rows, crs)
    shapes = flipped(shapes) if flip else shapes
    for row, shape, record in zip(rows.tolist(), shapes, table.to_pylist()):
        feature = etree.Element(f"{{{SPACE}}}{offer.id}", {f"{{{gml}}}id": f"{offer.id}.{row}"}, nsmap=names)
        for name, value in record.items():
            text = plain(value)
            if text is not None:
                etree.SubElement(feature, f"{{{SPACE}}}{xml_name(name)}").text = _text(text)
        if shape is not None and not shape.is_empty:
            _write_shape(etree.SubElement(feature, f"{{{SPACE}}}{GEOMETRY_NAME}"), shape, gml, system, f"g.{row}")
        yield feature


def xml_name(name: str) -> str:
    """Return a field's name as the name of an element."""
    safe = "".join(letter if letter.isalnum() or letter in "_-." else "_" for letter in name)
    return safe if safe[:1].isalpha() or safe[:1] == "_" else f"_{safe}"


def _text(value: Any) -> str:
    if isinstance(value, bool):
        return "true" if value else "false"
    return "".join(letter for letter in str(value) if letter in "\t\n\r" or letter >= " ")


def _write_shape(parent: Any, shape: Any, gml: str, system: str, name: str) -> None:
    """Write a geometry below an element."""
    tag = {"MultiLineString": "MultiCurve", "MultiPolygon": "MultiSurface"}.get(shape.geom_type, shape.geom_type)
    made = etree.SubElement(parent, f"{{{gml}}}{tag}", {f"{{{gml}}}id": name, "srsName": system})
    match shape.geom_type:
        case "Point":
            etree.SubElement(made, f"{{{gml}}}pos").text = _positions(shape)
        case "LineString":
            etree.SubElement(made, f"{{{gml}}}posList").text = _positions(shape)
        case "Polygon":
            for kind, rings in (("exterior", [shape.exterior]), ("interior", shape.interiors)):
                for ring in rings:
                    linear = etree.SubElement(etree.SubElement(made, f"{{{gml}}}{kind}"), f"{{{gml}}}LinearRing")
                    etree.SubElement(linear, f"{{{gml}}}posList").text = _positions(ring)
        case _:
            member = {"MultiPoint": "pointMember", "MultiCurve": "curveMember", "MultiSurface": "surfaceMember"}.get(
                tag, "geometryMember"
            )
            for number, piece in enumerate(shape.geoms):
                _write_shape(etree.SubElement(made, f"{{{gml}}}{member}"), piece, gml, system, f"{name}.{number}")


def _positions(shape: Any) -> str:
    return " ".join(
        f"{value:.9g}" if abs(value) < 400 else f"{value:.4f}" for value in shapely.get_coordinates(shape).ravel()
    )
