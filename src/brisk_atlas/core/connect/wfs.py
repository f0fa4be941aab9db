"""Web Feature Services 1.1.0 and 2.0.0 (OGC 04-094, 09-025r2)."""

from __future__ import annotations

import logging
import re
from collections.abc import Iterator
from dataclasses import dataclass, replace
from typing import Any

from lxml import etree

from brisk_atlas.core.model import CannotRead, Capability, DataRef, Extent, FeatureQuery, Field
from brisk_atlas.core.model.language import tr
from brisk_atlas.core.place import transform_extent

from .fetching import fetch
from .ows import asking, capabilities, capabilities_state, check_xml, crs_of, northing_first, on_own_host
from .service import Check, Contents, FeatureSource, LayerAbout, Service

log = logging.getLogger(__name__)
PAGE = 1000
MAX_PAGES = 10_000
JSON_FORMATS = ("application/geo+json", "application/json", "json", "geojson", "application/json; subtype=geojson")
ARROW = {
    "int": "int32", "integer": "int64", "long": "int64", "short": "int32", "byte": "int32", "double": "double",
    "float": "double", "decimal": "double", "boolean": "bool", "date": "date32[day]",
    "dateTime": "timestamp[ms, tz=UTC]",
}  # fmt: skip
SHAPES = {
    "Point": "Point", "MultiPoint": "MultiPoint", "Curve": "LineString", "LineString": "LineString",
    "MultiCurve": "MultiLineString", "MultiLineString": "MultiLineString", "Surface": "Polygon", "Polygon": "Polygon",
    "MultiSurface": "MultiPolygon", "MultiPolygon": "MultiPolygon",
}  # fmt: skip
MATCHED = re.compile(rb"\b(?:numberMatched|numberOfFeatures)\s*=\s*[\"'](\d+)[\"']")


@dataclass(frozen=True)
class TypeFeatures(FeatureSource):
    """Features of a type. `crs_name` is what the service calls their CRS; `flipped` where it states northings first."""

    endpoint: str
    version: str
    format: str
    crs_name: str
    flipped: bool
    paged: bool

    def settings(self, query: FeatureQuery) -> dict[str, str]:
        """Return what a question states, but for its page."""
        newer = self.version >= "2"
        stated = {"service": "WFS", "version": self.version, "request": "GetFeature", "srsname": self.crs_name}
        stated["typenames" if newer else "typename"] = self.about.name
        stated |= {"outputformat": self.format} if self.format else {}
        if query.extent is not None:
            x0, y0, x1, y1 = query.extent.bounds
            box = (y0, x0, y1, x1) if self.flipped else (x0, y0, x1, y1)
            stated["bbox"] = ",".join([*map(repr, box), self.crs_name])
        return stated

    def pages(self, query: FeatureQuery, check: Check = lambda: None) -> Iterator[bytes]:
        count_name = "count" if self.version >= "2" else "maxfeatures"
        stated, start, left = self.settings(query), 0, query.limit
        before = b""
        for _ in range(MAX_PAGES):
            asked = PAGE if left is None else min(PAGE, left)
            paging = {count_name: str(asked), "startindex": str(start)} if self.paged else {}
            if not self.paged and left is not None:
                paging = {count_name: str(left)}
            body = fetch(self.ref, asking(self.endpoint, stated | paging), check=check).body
            if not self.format or body[:1] == b"<":
                check_xml(self.ref, body)
            if body == before:
                raise CannotRead(self.ref, tr("its next page is the same page again"), tr("Tell its owner."))
            yield body
            count = _returned(body)
            start, before = start + count, body
            left = None if left is None else left - count
            if not self.paged or count < asked or (left is not None and left <= 0):
                return
        raise CannotRead(
            self.ref, tr("it has more than {max_pages:,} pages", max_pages=MAX_PAGES), tr("Come closer, or filter it.")
        )


def _returned(body: bytes) -> int:
    """Return how many features a page has."""
    stated = re.search(rb"numberReturned[\"']?\s*[=:]\s*[\"']?(\d+)", body[:5000])
    if stated:
        return int(stated[1])
    if body.lstrip()[:1] == b"{":
        return body.count(b'"Feature"')
    return len(re.findall(rb"<(?:[\w-]+:)?(?:member|featureMember)\b", body))


def _parse(version: str, body: bytes) -> Any:
    from owslib.wfs import WebFeatureService  # slow to load

    return WebFeatureService("", version="2.0.0" if version >= "2" else "1.1.0", xml=body)


class Wfs(Service):
    """Feature types."""

    def contents(self, ref: DataRef) -> list[Contents]:
        found, state = capabilities(ref, "WFS", _parse).contents, capabilities_state(ref, "WFS")
        return [Contents(name, each.title or name, state) for name, each in found.items()]

    def features(self, ref: DataRef) -> FeatureSource:
        service = capabilities(ref, "WFS", _parse)
        layer = service.contents.get(ref.inner)
        if layer is None:
            raise CannotRead(
                ref, tr("the service has no feature type '{inner}'", inner=ref.inner), tr("List the service again.")
            )
        version = "2.0.0" if service.version >= "2" else "1.1.0"
        operation = next((each for each in service.operations if each.name == "GetFeature"), None)
        methods = operation.methods if operation is not None else []
        stated = next((each["url"] for each in methods if each.get("type", "").lower() == "get"), "")
        endpoint = on_own_host(ref, stated)
        names = [each.getcodeurn() if each.encoding == "urn" else each.id for each in layer.crsOptions or []]
        crs_name = next((name for name in names if crs_of(name)), names[0] if names else "urn:ogc:def:crs:EPSG::4326")
        crs = crs_of(crs_name)
        offered = (operation.parameters.get("outputFormat", {}) if operation is not None else {}).get("values", [])
        offered = [*offered, *(getattr(layer, "outputFormats", None) or [])]  # only those of 1.1.0 have them
        form = next((each for each in offered if each.lower() in JSON_FORMATS), "")
        schema_address = asking(
            endpoint,
            {"service": "WFS", "version": version, "request": "DescribeFeatureType"}
            | {"typenames" if version >= "2" else "typename": ref.inner},
        )
        fields, shape = _schema(ref, fetch(ref, schema_address, accept="text/xml").body)
        degrees = layer.boundingBoxWGS84
        extent = transform_extent(Extent.of(degrees, "EPSG:4326"), crs) if degrees and crs else None
        records = [each["url"] for each in layer.metadataUrls or [] if each.get("url")]
        notes = {"service": f"WFS {version}"}
        stored = _stored_queries(ref, endpoint) if version >= "2" else ()
        notes |= {"stored queries": ", ".join(stored)} if stored else {}
        about = LayerAbout(
            ref.inner,
            layer.title or ref.inner,
            layer.abstract or "",
            tuple(layer.keywords or ()),
            record=records[0] if records else "",
            notes=notes,
        )
        source = TypeFeatures(
            ref=DataRef(ref.kind, ref.place, ref.inner),
            about=about,
            fields=fields,
            geometry_type=shape,
            crs=crs,
            extent=extent if extent is not None and extent.is_finite else None,
            count=None,
            able=Capability.EXTENT | Capability.LIMIT,
            endpoint=endpoint,
            version=version,
            format=form,
            crs_name=crs_name,
            flipped=northing_first(crs_name),
            paged=version >= "2" or _pages(service),
        )
        return _with_count(source)


def _pages(service: Any) -> bool:
    return "ImplementsResultPaging" in str(getattr(service, "constraints", {}))


def _with_count(source: TypeFeatures) -> TypeFeatures:
    """Return a source with how many features it has, where the service counts them."""
    settings = source.settings(FeatureQuery()) | {"resulttype": "hits"}
    settings.pop("outputformat", None)
    found = MATCHED.search(fetch(source.ref, asking(source.endpoint, settings)).body[:5000])
    return replace(source, count=int(found[1])) if found else source


def _stored_queries(ref: DataRef, endpoint: str) -> tuple[str, ...]:
    """Return the names of the questions that a service has ready; none where it does not list them."""
    try:
        body = fetch(ref, asking(endpoint, {"service": "WFS", "version": "2.0.0", "request": "ListStoredQueries"})).body
        check_xml(ref, body)
        root = etree.fromstring(body, etree.XMLParser(resolve_entities=False, no_network=True))
    except (CannotRead, etree.XMLSyntaxError):
        log.info("%s lists no stored queries", ref.name, exc_info=True)
        return ()
    found = [each.findtext("{*}Title") or each.get("id", "") for each in root.iter("{*}StoredQuery")]
    return tuple(name.strip() for name in found if name.strip())


def _schema(ref: DataRef, body: bytes) -> tuple[tuple[Field, ...], str | None]:
    """Return the fields and the type of geometry in a schema. Raises CannotRead."""
    check_xml(ref, body)
    try:
        root = etree.fromstring(body, etree.XMLParser(resolve_entities=False, no_network=True))
    except etree.XMLSyntaxError as error:
        raise CannotRead(
            ref, tr("the schema that it states is broken ({error})", error=error), tr("Tell its owner.")
        ) from error
    fields, shape = [], None
    for element in root.iter("{http://www.w3.org/2001/XMLSchema}element"):
        name, kind = element.get("name"), (element.get("type") or "").rpartition(":")[2]
        if not name or element.getparent() is root:
            continue
        if kind.endswith("PropertyType"):
            shape = shape or SHAPES.get(kind.removesuffix("PropertyType"), "Unknown")
            continue
        if not kind:
            inner = element.find(".//{http://www.w3.org/2001/XMLSchema}restriction")
            kind = (inner.get("base") or "").rpartition(":")[2] if inner is not None else ""
        fields.append(Field(name, ARROW.get(kind, "string")))
    return tuple(fields), shape


CONNECTOR = Wfs()
