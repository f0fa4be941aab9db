"""Catalogues by OGC API Records (20-004r1): collections whose items are records.

A record comes in the XML that it links to, else in its own JSON, put into the words of DCAT.
"""

from __future__ import annotations

import json
from typing import Any
from urllib.parse import quote, unquote, urljoin, urlsplit

from brisk_atlas.core.model import CannotRead, DataRef
from brisk_atlas.core.model.language import tr

from .catalogues import MAX_RECORDS, PAGE, RECORD_BYTES, RecordCatalogue, RecordSearch
from .connector import Item
from .fetching import fetch
from .ogcapi import GEOJSON, collections_in, json_at, link_in, links_of
from .ows import asking

ITEM_TYPE = "record"
TERMS = "http://purl.org/dc/terms/"


class Records(RecordCatalogue):
    """Collections of records are folders."""

    def list(self, ref: DataRef) -> list[Item]:
        if not ref.inner:
            collections = [each for each in collections_in(ref) if each.get("itemType") == ITEM_TYPE]
            return [
                Item(DataRef(ref.kind, ref.place, quote(str(each["id"]))), str(each.get("title") or each["id"]), True,
                     0, 0.0, "")
                for each in collections
            ]  # fmt: skip
        search, found = RecordSearch.of(ref), list[Item]()
        settings = {"limit": str(PAGE)} | ({"q": search.words} if search.words else {})
        settings |= {"bbox": ",".join(map(repr, search.box))} if search.box else {}
        address = asking(_items(ref, search.collection), settings)
        while address and len(found) < MAX_RECORDS:
            page = json_at(ref, address, GEOJSON)
            features = [each for each in page.get("features") or [] if isinstance(each, dict) and each.get("id")]
            for each in features:
                stated = each.get("properties") or {}
                title, state = str(stated.get("title") or ""), str(stated.get("updated") or "")
                found.append(self.item(ref, unquote(search.collection), str(each["id"]), title, state))
            following = link_in(page, address, "next")
            same = following == address or urlsplit(following).hostname != urlsplit(address).hostname
            address = "" if same or not features else following
        return found[:MAX_RECORDS]

    def record(self, ref: DataRef) -> tuple[bytes, str]:
        collection = ref.inner.partition("/")[0]
        address = f"{_items(ref, collection).rstrip('/')}/{quote(self.name_in(ref), safe='')}"
        found = json_at(ref, address, GEOJSON)
        for link in links_of(found):
            there = urljoin(address, link["href"])
            own = urlsplit(there).hostname == urlsplit(address).hostname
            if link.get("rel") in ("alternate", "via", "describedby") and "xml" in str(link.get("type")) and own:
                return fetch(ref, there, accept="application/xml", limit=RECORD_BYTES).body, ".xml"
        return json.dumps(_as_dcat(found, address), ensure_ascii=False, indent=1).encode(), ".jsonld"


def _items(ref: DataRef, collection: str) -> str:
    for each in collections_in(ref):
        if quote(str(each["id"])) == collection:
            return link_in(each, ref.address, "items", type_="json") or urljoin(
                ref.address, f"collections/{collection}/items"
            )
    raise CannotRead(
        ref, tr("the catalogue has no collection '{unquote}'", unquote=unquote(collection)), tr("List it again.")
    )


def _as_dcat(found: dict[str, Any], address: str) -> dict[str, Any]:
    """Return a record in the words of DCAT 2."""
    stated = found.get("properties") or {}
    out: dict[str, Any] = {
        "@context": {
            "dcat": "http://www.w3.org/ns/dcat#", "dct": TERMS, "foaf": "http://xmlns.com/foaf/0.1/",
            "vcard": "http://www.w3.org/2006/vcard/ns#", "locn": "http://www.w3.org/ns/locn#",
        },
        "@id": address, "@type": "dcat:Dataset", "dct:identifier": str(found.get("id") or ""),
    }  # fmt: skip
    texts = {"title": "dct:title", "description": "dct:description", "language": "dct:language"}
    for name, term in texts.items():
        if isinstance(stated.get(name), str):
            out[term] = stated[name]
    keywords = stated.get("keywords")
    out["dcat:keyword"] = [str(word) for word in keywords] if isinstance(keywords, list) else []
    days = {"created": "dct:created", "updated": "dct:modified", "issued": "dct:issued"}
    out |= {term: str(stated[name])[:10] for name, term in days.items() if stated.get(name)}
    box = _box_of(found.get("geometry"))
    if box is not None:
        west, south, east, north = box
        ring = f"POLYGON(({west} {south},{east} {south},{east} {north},{west} {north},{west} {south}))"
        out["dct:spatial"] = {"@type": "dct:Location", "dcat:bbox": ring}
    contacts = [each for each in stated.get("contacts") or [] if isinstance(each, dict)]
    names = [str(each.get("organization") or each.get("name") or "") for each in contacts]
    out["dcat:contactPoint"] = [{"@type": "vcard:Organization", "vcard:fn": name} for name in names if name]
    out["dcat:distribution"] = [
        {"@type": "dcat:Distribution", "dct:title": str(link.get("title") or link.get("rel") or ""),
         "dcat:accessURL": {"@id": urljoin(address, link["href"])}}
        for link in links_of(found) if link.get("rel") not in ("self", "collection", "root", "parent")
    ]  # fmt: skip
    return out


def _box_of(geometry: Any) -> tuple[float, float, float, float] | None:
    def positions(found: Any) -> list[tuple[float, float]]:
        if isinstance(found, list) and len(found) > 1 and all(isinstance(each, int | float) for each in found[:2]):
            return [(float(found[0]), float(found[1]))]
        return [spot for each in found for spot in positions(each)] if isinstance(found, list) else []

    spots = positions(geometry.get("coordinates")) if isinstance(geometry, dict) else []
    if not spots:
        return None
    x, y = zip(*spots)
    return min(x), min(y), max(x), max(y)


CONNECTOR = Records()
