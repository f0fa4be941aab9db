"""What the answers of the interface look like, as OGC API Features part 1 (17-069r4, annex of schemas), its parts 2 to
5 and GeoJSON (RFC 7946) have them; in the words of OpenAPI 3.0."""

from __future__ import annotations

from typing import Any

TEXT: dict[str, Any] = {"type": "string"}
COUNT: dict[str, Any] = {"type": "integer", "minimum": 0}


def listed(of: dict[str, Any], **more: Any) -> dict[str, Any]:
    return {"type": "array", "items": of, **more}


def thing(required: tuple[str, ...], **properties: dict[str, Any]) -> dict[str, Any]:
    return {"type": "object", "required": list(required), "properties": properties}


def one_of(*values: str) -> dict[str, Any]:
    return {"type": "string", "enum": list(values)}


def ref(name: str) -> dict[str, Any]:
    return {"$ref": f"#/components/schemas/{name}"}


def _geometry(name: str, depth: int) -> dict[str, Any]:
    coordinates: dict[str, Any] = {"type": "number"}
    for level in range(depth + 1):
        coordinates = listed(coordinates, **({"minItems": 2} if level == 0 else {}))
    return thing(("type", "coordinates"), type=one_of(name), coordinates=coordinates)


SHAPES = {"Point": 0, "MultiPoint": 1, "LineString": 1, "MultiLineString": 2, "Polygon": 2, "MultiPolygon": 3}
EXTENT = thing((), spatial=thing(
    (), bbox=listed(listed({"type": "number"}, minItems=4, maxItems=6), minItems=1), crs=TEXT))  # fmt: skip
SCHEMAS: dict[str, dict[str, Any]] = {
    "exception": thing(("code",), code=TEXT, description=TEXT),
    "link": thing(("href", "rel"), href=TEXT, rel=TEXT, type=TEXT, title=TEXT),
    "landingPage": thing(("links",), title=TEXT, description=TEXT, links=listed(ref("link"), minItems=1)),
    "confClasses": thing(("conformsTo",), conformsTo=listed(TEXT, minItems=1)),
    "collection": thing(
        ("id", "links"), id=TEXT, title=TEXT, description=TEXT, links=listed(ref("link")), extent=EXTENT,
        itemType=one_of("feature"), crs=listed(TEXT), storageCrs=TEXT, rights=listed(TEXT),
    ),
    "collections": thing(("links", "collections"), links=listed(ref("link")), collections=listed(ref("collection"))),
    **{f"{name}Geometry": _geometry(name, depth) for name, depth in SHAPES.items()},
    "collectionGeometry": thing(("type", "geometries"), type=one_of("GeometryCollection"),
                                geometries=listed(ref("geometry"))),
    "geometry": {"oneOf": [*(ref(f"{name}Geometry") for name in SHAPES), ref("collectionGeometry")]},
    "feature": thing(
        ("type", "geometry", "properties"), type=one_of("Feature"), id=TEXT, state=TEXT, links=listed(ref("link")),
        geometry={"nullable": True, "allOf": [ref("geometry")]}, properties={"type": "object", "nullable": True},
    ),
    "featureCollection": thing(
        ("type", "features"), type=one_of("FeatureCollection"), features=listed(ref("feature")),
        links=listed(ref("link")), numberMatched=COUNT, numberReturned=COUNT,
    ),
    "changes": thing(
        ("type", "features", "gone", "cursor"), type=one_of("FeatureCollection"), features=listed(ref("feature")),
        gone=listed(TEXT), cursor=TEXT,
    ),
    "history": thing(("edits",), edits=listed(thing(
        ("edit", "at", "by", "before", "after"), edit=TEXT, at={"type": "string", "format": "date-time"}, by=TEXT,
        before={"nullable": True, "allOf": [ref("feature")]}, after={"nullable": True, "allOf": [ref("feature")]}))),
    "schema": thing(("type", "properties"), type=one_of("object"), title=TEXT, properties={"type": "object"}),
}  # fmt: skip
# The answer of a path, by its end and method: its media type and schema.
ANSWERS: dict[tuple[str, str], tuple[str, str]] = {
    ("/conformance", "get"): ("application/json", "confClasses"),
    ("/collections", "get"): ("application/json", "collections"),
    ("/collections/{id}", "get"): ("application/json", "collection"),
    ("/schema", "get"): ("application/schema+json", "schema"),
    ("/queryables", "get"): ("application/schema+json", "schema"),
    ("/items", "get"): ("application/geo+json", "featureCollection"),
    ("/items/{row}", "get"): ("application/geo+json", "feature"),
    ("/items/{row}", "put"): ("application/geo+json", "feature"),
    ("/items/{row}", "patch"): ("application/geo+json", "feature"),
    ("/undo", "post"): ("application/geo+json", "feature"),
    ("/changes", "get"): ("application/json", "changes"),
    ("{id}/history", "get"): ("application/geo+json", "featureCollection"),
    ("{row}/history", "get"): ("application/json", "history"),
}


def answer_of(path: str, method: str, status: str) -> dict[str, Any] | None:
    """Return what the answer of a path has, None for what has no body or is no JSON."""
    if status in ("204", "304", "201"):
        return None
    if status == "412":
        return {"application/geo+json": {"schema": ref("feature")}, "application/json": {"schema": ref("exception")}}
    if status != "200":
        return {"application/json": {"schema": ref("exception")}}
    if path == "/":
        return {"application/json": {"schema": ref("landingPage")}}
    found = next((answer for (end, of), answer in ANSWERS.items() if of == method and path.endswith(end)), None)
    return {found[0]: {"schema": ref(found[1])}} if found is not None else None
