"""A record in the forms that machines read: ISO 19139 and 19115-3, DCAT-AP as Turtle, JSON-LD and RDF/XML, STAC, and
schema.org for search engines."""

from __future__ import annotations

import json
from collections.abc import Iterator, Sequence
from dataclasses import dataclass, replace
from typing import Any
from urllib.parse import quote

from rdflib import DCAT, DCTERMS, RDF, XSD, BNode, Graph, Literal, Namespace, URIRef
from rdflib.term import Node

from brisk_atlas.core.model.language import tr
from brisk_atlas.core.record.document import address_of, xml_of
from brisk_atlas.core.record.model import EMPTY, Box, Contact, Link, Record
from brisk_atlas.core.record.standards import STANDARDS

from .graph_text import GraphText
from .site_entry import SiteDownload, SiteService

STAC_ROLES = ("producer", "licensor", "processor", "host")
SPDX = Namespace("http://spdx.org/rdf/terms#")
MEDIA_TYPES = "https://www.iana.org/assignments/media-types/"
ISO, ISO_3, TURTLE, JSON_LD, RDF_XML, STAC = (
    "record.iso.xml", "record.iso19115-3.xml", "record.ttl", "record.jsonld", "record.rdf", "collection.json",
)  # fmt: skip
FORM_NAMES = {
    ISO: "ISO 19139", ISO_3: "ISO 19115-3", TURTLE: "DCAT-AP, Turtle", JSON_LD: "DCAT-AP, JSON-LD",
    RDF_XML: "DCAT-AP, RDF/XML", STAC: "STAC collection",
}  # fmt: skip
LOCAL = ("file:", "/", "\\", "~", ".")  # what links into the machine of somebody begin with
OWNERS, HOLDERS = (
    ("originator", "author", "principalInvestigator", "owner"),
    ("publisher", "distributor", "pointOfContact"),
)


@dataclass(frozen=True)
class DatasetAddress:
    """Where a dataset of the site is found: `page` ends with a slash, and is "" where the site has no address yet."""

    id: str
    page: str = ""

    @property
    def subject(self) -> str:
        """What machines call the dataset."""
        return self.page or f"urn:dataset:{quote(self.id, safe='')}"

    def of(self, path: str) -> str:
        """Return the address of a file of the dataset. The site must have one."""
        return self.page + quote(path)


def public_record(record: Record) -> Record:
    """Return a record without links and pictures that lead into the machine of whoever wrote it."""
    return replace(
        record, links=tuple(link for link in record.links if link.url and not _is_local(link.url)),
        pictures=tuple(each for each in record.pictures if each.link and not _is_local(each.link)),
    )  # fmt: skip


def _is_local(address: str) -> bool:
    text = address.strip().lower()
    return text.startswith(LOCAL) or text[1:3] in (":\\", ":/")


def machine_forms(
    record: Record, address: DatasetAddress, downloads: Sequence[SiteDownload], services: Sequence[SiteService]
) -> dict[str, bytes]:
    """Return the files of a public record by their names; no STAC collection for data without a place."""
    linked = record
    if address.page:
        own = (
            Link(address.of(each.path), _name(each), "", "WWW:DOWNLOAD-1.0-http--download", "download")
            for each in downloads
        )
        linked = replace(record, links=(*record.links, *own))
    linked = replace(linked, identifier=record.identifier or address.subject)
    found = {}
    for name, standard_name in ((ISO, "ISO 19139"), (ISO_3, "ISO 19115-3")):
        standard = STANDARDS[standard_name]
        found[name] = xml_of(standard, standard.adapted(linked))
    graph = GraphText(dcat_graph(record, address, downloads, services))
    found[TURTLE] = graph.turtle().encode("utf-8", "replace")
    found[JSON_LD] = graph.json_ld().encode("utf-8", "replace")
    found[RDF_XML] = graph.rdf_xml().encode("utf-8", "replace")
    if any(_sides(box) for box in record.boxes):
        found[STAC] = _as_json(stac_collection(record, address, downloads))
    return found


def _name(download: SiteDownload) -> str:
    return f"{download.of}, {download.format}" if download.of else download.format


def _as_json(value: Any) -> bytes:
    return (json.dumps(value, ensure_ascii=False, indent=1) + "\n").encode("utf-8", "replace")


def dcat_graph(
    record: Record, address: DatasetAddress, downloads: Sequence[SiteDownload], services: Sequence[SiteService]
) -> Graph:
    """Return the description of a dataset by DCAT-AP, with a distribution for each file of the site where that has an
    address, and one for each service."""
    standard = STANDARDS["DCAT-AP"]
    graph = standard.code.new_graph()
    graph.bind("spdx", SPDX)
    about = URIRef(address.subject)
    standard.code.put_record(graph, about, EMPTY, standard.adapted(record))
    if (about, DCTERMS.identifier, None) not in graph:
        graph.add((about, DCTERMS.identifier, Literal(address_of(record) if record.identifier else address.subject)))
    if (about, DCTERMS.description, None) not in graph:
        graph.add((about, DCTERMS.description, Literal(f"{record.title}; nothing more is stated.")))
    if address.page:
        graph.add((about, DCAT.landingPage, URIRef(address.page)))
        for each in downloads:
            _add_distribution(graph, about, each, address)
    for service in services:
        _add_service(graph, about, service)
    return graph


def _add_distribution(graph: Graph, about: Node, download: SiteDownload, address: DatasetAddress) -> None:
    node, checksum, file = BNode(), BNode(), URIRef(address.of(download.path))
    graph.add((about, DCAT.distribution, node))
    graph.add((node, RDF.type, DCAT.Distribution))
    graph.add((node, DCTERMS.title, Literal(_name(download))))
    graph.add((node, DCAT.accessURL, URIRef(address.page)))
    graph.add((node, DCAT.downloadURL, file))
    graph.add((node, DCAT.mediaType, URIRef(MEDIA_TYPES + download.media_type)))
    graph.add((node, DCAT.byteSize, Literal(download.size_bytes, datatype=XSD.nonNegativeInteger)))
    graph.add((node, SPDX.checksum, checksum))
    graph.add((checksum, RDF.type, SPDX.Checksum))
    graph.add((checksum, SPDX.algorithm, SPDX.checksumAlgorithm_sha256))
    graph.add((checksum, SPDX.checksumValue, Literal(download.sha256, datatype=XSD.hexBinary)))


def _add_service(graph: Graph, about: Node, service: SiteService) -> None:
    if set(service.address) & set(' <>"{}|\\^`\n\t'):
        return
    endpoint = URIRef(service.address)
    node = BNode()
    graph.add((about, DCAT.distribution, node))
    graph.add((node, RDF.type, DCAT.Distribution))
    graph.add((node, DCTERMS.title, Literal(service.standard)))
    graph.add((node, DCAT.accessURL, endpoint))


def stac_collection(record: Record, address: DatasetAddress, downloads: Sequence[SiteDownload]) -> dict[str, Any]:
    """Return a collection by STAC 1.0 with the files of the site as its assets, by paths beside it."""
    standard = STANDARDS["STAC"]
    adapted = replace(standard.adapted(record), identifier=address.id, links=(), dates=(), systems=(), bands=())
    values: dict[str, Any] = standard.code.with_record(standard.code.new_collection(), EMPTY, adapted)
    values.pop("proj:code", None)  # a property of items
    for provider in values.get("providers", ()):
        roles = [role for role in provider.pop("roles", ()) if role in STAC_ROLES]
        if roles:
            provider["roles"] = roles
    values["description"] = values.get("description") or f"{record.title or address.id}; nothing more is stated."
    boxes = [sides for box in record.boxes if (sides := _sides(box))]
    values["extent"]["spatial"] = {"bbox": [list(box) for box in boxes]}
    values["assets"] = {
        f"file-{number}": {
            "href": f"./{quote(each.path)}", "title": _name(each), "type": each.media_type, "roles": ["data"],
        }
        for number, each in enumerate(downloads, start=1)
    }  # fmt: skip
    records = [{"rel": "describedby", "href": f"./{name}", "type": "application/xml", "title": FORM_NAMES[name]}
               for name in (ISO, ISO_3)]  # fmt: skip
    root = "../../catalog.json"
    values["links"] = [
        {"rel": "root", "href": root, "type": "application/json"},
        {"rel": "parent", "href": root, "type": "application/json"},
        {"rel": "about", "href": "./index.html", "type": "text/html"}, *records,
    ]  # fmt: skip
    if address.page:
        values["links"].append({"rel": "self", "href": address.of(STAC), "type": "application/json"})
    return values


def _sides(box: Box) -> tuple[float, float, float, float] | None:
    """Return a box that is whole, None for one that is not."""
    if box.west is None or box.south is None or box.east is None or box.north is None:
        return None
    return box.west, box.south, box.east, box.north


def schema_org(
    record: Record, address: DatasetAddress, downloads: Sequence[SiteDownload], title: str
) -> dict[str, Any]:
    """Return the description of a dataset as search engines read it, by schema.org's Dataset."""
    found: dict[str, Any] = {
        "@context": "https://schema.org/", "@type": "Dataset", "name": title,
        "description": record.abstract or f"{title}; nothing more is stated.",
        "identifier": record.identifier or address.subject,
    }  # fmt: skip
    if address.page:
        found["url"] = address.page
    keywords = [word for each in record.keywords for word in each.words]
    boxes = [sides for box in record.boxes if (sides := _sides(box))]
    times = [f"{each.begin or '..'}/{each.end or '..'}" for each in record.times]
    days = {each.kind: each.day for each in record.dates}
    stated = {
        "keywords": keywords,
        "creator": [_agent(each) for each in contacts_in(record, OWNERS)],
        "publisher": [_agent(each) for each in contacts_in(record, ("publisher",))],
        "license": next((text for each in record.constraints for text in each.other), ""),
        "temporalCoverage": times,
        "spatialCoverage": [_place(*box) for box in boxes],
        "variableMeasured": [field.name for each in record.entities for field in each.fields],
        "dateCreated": days.get("creation", ""),
        "datePublished": days.get("publication", ""),
        "dateModified": days.get("revision", ""),
        "version": record.edition,
        "distribution": [
            {"@type": "DataDownload", "name": _name(each), "encodingFormat": each.media_type,
             "contentUrl": address.of(each.path) if address.page else quote(each.path),
             "contentSize": str(each.size_bytes), "sha256": each.sha256}
            for each in downloads
        ],
    }  # fmt: skip
    return found | {name: value for name, value in stated.items() if value}


def _place(west: float, south: float, east: float, north: float) -> dict[str, Any]:
    return {"@type": "Place", "geo": {"@type": "GeoShape", "box": f"{south} {west} {north} {east}"}}


def _agent(contact: Contact) -> dict[str, str]:
    if contact.organisation:
        return {"@type": "Organization", "name": contact.organisation}
    return {"@type": "Person", "name": contact.person}


def contacts_in(record: Record, roles: Sequence[str]) -> list[Contact]:
    """Return the contacts that have a name, by roles, in the order of these, each name once."""
    named = {(each.organisation or each.person): each for each in _by_role(record, roles)}
    return [each for name, each in named.items() if name]


def _by_role(record: Record, roles: Sequence[str]) -> Iterator[Contact]:
    for role in roles:
        yield from (each for each in record.contacts if each.role == role)


def citation_of(record: Record, title: str, address: DatasetAddress, day: str) -> str:
    """Return how a dataset is cited: who made it, when, what it is, who publishes it, where it is found. What is not
    stated is left out; without an author the publisher stands first.

    day : on which the site was made, ISO 8601, for an address
    """
    makers = [each.organisation or each.person for each in contacts_in(record, OWNERS)]
    holders = [each.organisation or each.person for each in contacts_in(record, HOLDERS)]
    dates = {each.kind: each.day for each in record.dates}
    year = next(
        (dates[kind][:4] for kind in ("publication", "revision", "creation") if dates.get(kind)), tr("no date stated")
    )
    authors = "; ".join(makers or holders[:1]) or tr("No author stated")
    publisher = next((name for name in holders if name not in (makers or holders[:1])), "")
    edition = tr(", edition {edition}", edition=record.edition) if record.edition else ""
    where = tr(" {address} (as of {day}).", address=address.page, day=day) if address.page else ""
    named = title + edition
    about = tr("{authors} ({year}): {title} [dataset].", authors=authors, year=year, title=named)
    return about + (f" {publisher}." if publisher else "") + where
