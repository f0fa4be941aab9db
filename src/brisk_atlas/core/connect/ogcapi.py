"""OGC API: collections of features (17-069r4, 18-058r1, 19-079r2) and the tiles that are drawn of them (20-057)."""

from __future__ import annotations

import json
from collections.abc import Iterator
from dataclasses import dataclass
from http import HTTPStatus
from typing import Any, NamedTuple
from urllib.parse import quote, urljoin, urlsplit
from zlib import crc32

from brisk_atlas.core.model import CannotRead, Capability, DataRef, Extent, FeatureQuery, Field
from brisk_atlas.core.model.language import tr
from brisk_atlas.core.place import transform_extent
from brisk_atlas.core.place.tile_grid import WORLD_CRS, TileGrid, TilePlace, world_grid

from .connector import Item
from .fetching import exchange, fetch
from .ows import asking, crs_of, northing_first
from .service import Check, Contents, Coverage, FeatureSource, LayerAbout, Pictures, Service, VectorTiles
from .vectortiles import TemplateFeatures

JSON = "application/json"
GEOJSON = "application/geo+json"
VECTOR = "vector-tile"  # in the media type of such tiles
CRS84 = "http://www.opengis.net/def/crs/OGC/1.3/CRS84"
DEGREES = "EPSG:4326"
REL = "http://www.opengis.net/def/rel/ogc/1.0/"
PAGE = 1000  # features asked for at once
MAX_PAGES = 10_000
TEXT_FILTER = ("cql2-text",)  # what a conformance class ends in that takes conditions as text
ARROW = {"integer": "int64", "number": "double", "boolean": "bool"}
DATES = {"date-time": "timestamp[ms, tz=UTC]", "date": "date32[day]"}
SHAPES = ("Point", "LineString", "Polygon", "MultiPoint", "MultiLineString", "MultiPolygon")
WORLD_SET = "WebMercatorQuad"
LAST_LEVEL = 22


def json_at(ref: DataRef, address: str, accept: str = JSON, check: Check = lambda: None) -> dict[str, Any]:
    """Return the object that an address answers with. Raises CannotRead."""
    answer = fetch(ref, address, accept=accept, check=check)
    return json_in(ref, answer.body)


def json_in(ref: DataRef, body: bytes) -> dict[str, Any]:
    """Return the object in an answer. Raises CannotRead."""
    try:
        found = json.loads(body)
    except (ValueError, RecursionError) as error:
        if body[:200].lstrip().lower().startswith((b"<!doctype html", b"<html")):
            raise CannotRead(ref, tr("the server answers with a page for people"), tr("Check the address.")) from error
        raise CannotRead(
            ref, tr("the server's answer is not whole JSON"), tr("Try again, or tell its owner.")
        ) from error
    if not isinstance(found, dict):
        raise CannotRead(ref, tr("the server's answer is not what the standard has"), tr("Check the address."))
    return found


def links_of(found: dict[str, Any]) -> list[dict[str, Any]]:
    """Return the links of an object that have an address."""
    links = found.get("links")
    return (
        [link for link in links if isinstance(link, dict) and isinstance(link.get("href"), str)]
        if isinstance(links, list)
        else []
    )


def link_in(found: dict[str, Any], base: str, *rels: str, type_: str = "") -> str:
    """Return where the first link with one of some relations leads, "" for none."""
    for rel in rels:
        fitting = [link for link in links_of(found) if link.get("rel") == rel]
        fitting.sort(key=lambda link: type_ not in str(link.get("type", "")))
        if fitting:
            return urljoin(base, fitting[0]["href"])
    return ""


@dataclass(frozen=True)
class CollectionFeatures(FeatureSource):
    """Items of a collection. `items` is where they are; `crs_name` is what the API calls the CRS, "" for degrees."""

    items: str
    crs_name: str

    def pages(self, query: FeatureQuery, check: Check = lambda: None) -> Iterator[bytes]:
        settings = {"limit": str(min(PAGE, query.limit) if query.limit is not None else PAGE)}
        if query.extent is not None:
            settings["bbox"] = ",".join(map(repr, query.extent.bounds))
            settings |= {"bbox-crs": self.crs_name} if self.crs_name else {}
        settings |= {"crs": self.crs_name} if self.crs_name else {}
        if query.where:
            settings |= {"filter": query.where, "filter-lang": "cql2-text"}
        address, left = asking(self.items, settings), query.limit
        for _ in range(MAX_PAGES):
            page = fetch(self.ref, address, accept=GEOJSON, check=check)
            found = json_in(self.ref, page.body)
            yield page.body
            features = found.get("features")
            count = len(features) if isinstance(features, list) else 0
            left = None if left is None else left - count
            following = link_in(found, address, "next")
            if not following or not count or (left is not None and left <= 0):
                return
            if urlsplit(following).hostname != urlsplit(self.items).hostname:
                raise CannotRead(self.ref, tr("its next page lies on another host"), tr("Tell its owner."))
            if following == address:
                raise CannotRead(self.ref, tr("its next page is the same page again"), tr("Tell its owner."))
            address = following
        raise CannotRead(
            self.ref, tr("it has more than {max_pages:,} pages", max_pages=MAX_PAGES), tr("Come closer, or filter it.")
        )


@dataclass(frozen=True)
class CollectionTiles(Pictures):
    """Tiles of a collection by their template."""

    template: str

    def address(self, place: TilePlace) -> str:
        return _filled(self.template, self.grid.levels[place.level].name, place)


def changed_since(ref: DataRef, address: str, cursor: str) -> str:
    """Return the cursor of what a collection has now, by its list of changes; the same where nothing changed since a
    cursor. Raises CannotRead, NotReached."""
    reply = exchange(ref, asking(address, {"since": cursor} if cursor else {}))
    if reply.status == HTTPStatus.GONE:  # it is another offer now
        reply = exchange(ref, address)
    return str(json_in(ref, reply.body).get("cursor", "")) if reply.status == HTTPStatus.OK else cursor


def _filled(template: str, level: str, place: TilePlace) -> str:
    """Return the address of a tile."""
    row, column = str(place.row), str(place.column)
    settings = {"tileMatrix": level, "tileRow": row, "tileCol": column, "tileMatrixSetId": WORLD_SET}
    for name, value in settings.items():
        template = template.replace(f"{{{name}}}", value)
    return template


@dataclass(frozen=True)
class CollectionVectorTiles(TemplateFeatures):
    """Vector tiles of a collection by their template."""

    def address(self, place: TilePlace) -> str:
        return _filled(self.template, self.grid.levels[place.level].name, place)


class WorldTiles(NamedTuple):
    """The tiles over the world that a collection has."""

    ref: DataRef
    about: LayerAbout
    grid: TileGrid
    extent: Extent
    template: str


class OgcApi(Service):
    """Collections, with what each offers."""

    def contents(self, ref: DataRef) -> list[Contents]:
        stated = [each for each in collections_in(ref) if each.get("itemType") != "record"]
        return [
            Contents(str(each["id"]), str(each.get("title") or each["id"]), f"{crc32(json.dumps(each).encode()):x}")
            for each in stated
        ]

    def list(self, ref: DataRef) -> list[Item]:
        """Return the layers, and the collections of records as folders."""
        folders = [
            Item(DataRef.service("records", ref.address, quote(str(each["id"]))), str(each.get("title") or each["id"]),
                 True, 0, 0.0, "")
            for each in collections_in(ref)
            if each.get("itemType") == "record"
        ]  # fmt: skip
        return folders + super().list(ref)

    def features(self, ref: DataRef) -> FeatureSource | None:
        about, base = _collection(ref)
        items = link_in(about, base, "items", type_="geo+json")
        if not items:
            return None
        stated = [name for name in about.get("crs") or [] if isinstance(name, str)]
        stored = about.get("storageCrs")
        stored = stored if isinstance(stored, str) and stored in stated and crs_of(stored) else CRS84
        crs_name = "" if stored == CRS84 or northing_first(stored) else stored  # so that x always comes first
        crs = (crs_of(crs_name) if crs_name else None) or DEGREES
        fields, shape = _fields(ref, about, base)
        first = json_at(ref, asking(items, {"limit": "10"}), GEOJSON)
        if not fields:
            fields = _fields_of(first)
        shape = shape or _shape_of(first)
        count = first.get("numberMatched")
        able = Capability.EXTENT | Capability.LIMIT
        if _takes_filters(ref):
            able |= Capability.WHERE
        return CollectionFeatures(
            ref=DataRef(ref.kind, ref.place, ref.inner),
            about=_layer_about(about, base),
            fields=fields,
            geometry_type=shape,
            crs=crs,
            extent=_extent(about, crs),
            count=count if isinstance(count, int) and count >= 0 else None,
            able=able,
            items=items,
            crs_name=crs_name,
            changes=link_in(about, base, "changes"),
        )

    def pictures(self, ref: DataRef) -> Pictures | None:
        found = _world_tiles(ref, "map", "image/png")
        return CollectionTiles(*found) if found is not None else None

    def coverage(self, ref: DataRef) -> Coverage | None:
        about, base = _collection(ref)
        address = link_in(about, base, f"{REL}coverage", type_="tiff")
        if not address:
            return None
        from .api_coverages import coverage_at  # the raster library loads with it

        return coverage_at(DataRef(ref.kind, ref.place, ref.inner), about, _layer_about(about, base), address)

    def vector_tiles(self, ref: DataRef) -> VectorTiles | None:
        found = _world_tiles(ref, "vector", VECTOR)
        if found is None:
            return None
        about, base = _collection(ref)
        fields, shape = _fields(ref, about, base)
        return CollectionVectorTiles(*found[:4], fields, shape or "Unknown", found.template)


def collections_in(ref: DataRef) -> list[dict[str, Any]]:
    """Return what an API says of each of its collections. Raises CannotRead."""
    whole = DataRef(ref.kind, ref.place)
    address, found = _collections_address(whole), list[dict[str, Any]]()
    for _ in range(MAX_PAGES):
        page = json_at(whole, address)
        found += [each for each in page.get("collections") or [] if isinstance(each, dict) and each.get("id")]
        following = link_in(page, address, "next")
        if not following or following == address or urlsplit(following).hostname != urlsplit(address).hostname:
            break
        address = following
    return found


def _collections_address(ref: DataRef) -> str:
    landing = json_at(ref, ref.address)
    if "collections" in landing:
        return ref.address
    address = link_in(landing, ref.address, "data", f"{REL}data", type_="json")
    if not address:
        raise CannotRead(
            ref, tr("the server names no collections"), tr("Check the address; it should be the landing page.")
        )
    return address


def _collection(ref: DataRef) -> tuple[dict[str, Any], str]:
    """Return what the API says of a collection, and the address that its links start from."""
    whole = DataRef(ref.kind, ref.place)
    address = _collections_address(whole)
    for _ in range(MAX_PAGES):
        page = json_at(whole, address)
        for each in page.get("collections") or []:
            if isinstance(each, dict) and str(each.get("id")) == ref.inner:
                return each, address
        following = link_in(page, address, "next")
        if not following or following == address:
            break
        address = following
    raise CannotRead(ref, tr("the server has no collection '{inner}'", inner=ref.inner), tr("List the service again."))


def _world_tiles(ref: DataRef, kind: str, media_type: str) -> WorldTiles | None:
    """Return the tiles of a collection over the world that hold a map or features, None where it has none."""
    about, base = _collection(ref)
    listed = link_in(about, base, f"{REL}tilesets-{kind}", type_="json")
    if not listed:
        return None
    sets = json_at(ref, listed).get("tilesets") or []
    world = next((each for each in sets if isinstance(each, dict) and WORLD_SET in json.dumps(each)), None)
    address = link_in(world, listed, "self", type_="json") if world else ""
    if not address:
        return None
    found = json_at(ref, address)
    template, extent = link_in(found, address, "item", type_=media_type), _extent(about, WORLD_CRS)
    if not template or extent is None:
        return None
    template = template.replace("%7B", "{").replace("%7D", "}")
    own = DataRef(ref.kind, ref.place, ref.inner)
    return WorldTiles(own, _layer_about(about, base), _world_grid(found), extent, template)


def _takes_filters(ref: DataRef) -> bool:
    landing = json_at(DataRef(ref.kind, ref.place), ref.address)
    address = link_in(landing, ref.address, "conformance", f"{REL}conformance", type_="json")
    stated = json_at(ref, address).get("conformsTo") if address else None
    return isinstance(stated, list) and any(str(each).endswith(TEXT_FILTER) for each in stated)


def _layer_about(about: dict[str, Any], base: str) -> LayerAbout:
    keywords = tuple(str(word) for word in about.get("keywords") or [] if isinstance(word, str))
    record = link_in(about, base, "describedby", type_="xml")
    record = record if record and "xml" in json.dumps(links_of(about)) else ""
    name = str(about["id"])
    return LayerAbout(
        name, str(about.get("title") or name), str(about.get("description") or ""), keywords,
        str(about.get("attribution") or ""), record, {"service": "OGC API"},
    )  # fmt: skip


def _extent(about: dict[str, Any], crs: str) -> Extent | None:
    try:
        box = about["extent"]["spatial"]["bbox"][0]
        values = [float(value) for value in (box if len(box) == 4 else [box[0], box[1], box[3], box[4]])]
    except (KeyError, IndexError, TypeError, ValueError):
        return None
    placed = transform_extent(Extent.of(values, DEGREES), crs)
    return placed if placed is not None and placed.is_finite else None


def _fields(ref: DataRef, about: dict[str, Any], base: str) -> tuple[tuple[Field, ...], str | None]:
    """Return the fields and the type of geometry that a collection states, as far as it does."""
    address = link_in(about, base, f"{REL}schema", "describedby", f"{REL}queryables", type_="schema+json")
    if not address or "schema" not in json.dumps(links_of(about)):
        return (), None
    schema = json_at(ref, address, "application/schema+json")
    fields, shape = [], None
    properties = schema.get("properties")
    for name, stated in properties.items() if isinstance(properties, dict) else ():
        stated = stated if isinstance(stated, dict) else {}
        form, kind = str(stated.get("format", "")), stated.get("type")
        kind = next((each for each in kind if each != "null"), None) if isinstance(kind, list) else kind
        if form.startswith("geometry-") or "geojson.org" in str(stated.get("$ref", "")):
            word = form.removeprefix("geometry-")
            shape = next((each for each in SHAPES if each.lower() == word), None)
        else:
            fields.append(Field(str(name), DATES.get(form) or ARROW.get(str(kind), "string")))
    return tuple(fields), shape


def _fields_of(page: dict[str, Any]) -> tuple[Field, ...]:
    """Return the fields of some features, by their values."""
    found: dict[str, str] = {}
    for feature in page.get("features") or []:
        for name, value in (feature.get("properties") or {}).items():
            word = {bool: "bool", int: "int64", float: "double"}.get(type(value), "string")
            if value is not None:
                found[name] = (
                    word
                    if found.get(name, word) == word
                    else "double"
                    if "string" not in (word, found[name])
                    else "string"
                )
            else:
                found.setdefault(name, "string")
    return tuple(Field(name, type_) for name, type_ in found.items())


def _shape_of(page: dict[str, Any]) -> str | None:
    kinds = {str((each.get("geometry") or {}).get("type", "")) for each in page.get("features") or []} - {""}
    return kinds.pop() if len(kinds) == 1 else "Unknown"


def _world_grid(tileset: dict[str, Any]) -> TileGrid:
    """Return the levels that a set of tiles over the world has."""
    limits = [each for each in tileset.get("tileMatrixSetLimits") or [] if isinstance(each, dict)]
    numbers = [int(each["tileMatrix"]) for each in limits if str(each.get("tileMatrix", "")).isdecimal()]
    return world_grid(min(numbers), min(max(numbers), LAST_LEVEL)) if numbers else world_grid(0, LAST_LEVEL)


CONNECTOR = OgcApi()
