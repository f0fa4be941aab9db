"""What machines read of a whole site: the catalogue by DCAT-AP, the root of its STAC collections, a feed of changes and
a map of the site for search engines.

The descriptions of datasets are put together from the files that each has, so that a site with one change is made
without describing the others anew.
"""

from __future__ import annotations

import json
import re
from collections.abc import Iterator, Sequence
from dataclasses import dataclass
from pathlib import Path
from urllib.parse import quote
from xml.sax.saxutils import escape, quoteattr

from rdflib import DCAT, DCTERMS, FOAF, RDF, BNode, Graph, Literal, URIRef

from .graph_text import NOT_XML, GraphText
from .machine_forms import JSON_LD, RDF_XML, STAC, TURTLE, DatasetAddress
from .site_entry import SiteEntry
from .site_pages import SiteAbout

MOST_CHANGES = 200  # in the feed
MOST_ADDRESSES = 50_000  # of a site map, by its protocol
_RDF_BODY = re.compile(rb"<rdf:RDF([^>]*)>(.*)</rdf:RDF>", re.DOTALL)
_NAMESPACE = re.compile(rb'xmlns:[\w-]+="[^"]*"')


@dataclass(frozen=True)
class DescribedDataset:
    """A dataset of the site with its folder, in which its descriptions lie."""

    entry: SiteEntry
    folder: Path
    address: DatasetAddress

    def read(self, name: str) -> bytes:
        """Return one of its files, empty where it is not there."""
        try:
            return (self.folder / name).read_bytes()
        except FileNotFoundError:
            return b""


def _about_graph(site: SiteAbout, datasets: Sequence[DescribedDataset], day: str) -> Graph:
    """Return what is stated of the catalogue itself."""
    graph = Graph()
    about = URIRef(site.address or "urn:catalogue")
    graph.add((about, RDF.type, DCAT.Catalog))
    graph.add((about, DCTERMS.title, Literal(site.title)))
    graph.add((about, DCTERMS.description, Literal(site.summary or f"Datasets of {site.title}.")))
    graph.add((about, DCTERMS.modified, Literal(day, datatype="http://www.w3.org/2001/XMLSchema#date")))
    publisher = BNode()
    graph.add((about, DCTERMS.publisher, publisher))
    graph.add((publisher, RDF.type, FOAF.Agent))
    graph.add((publisher, FOAF.name, Literal(site.title)))
    if site.address:
        graph.add((about, FOAF.homepage, URIRef(site.address)))
    for each in datasets:
        graph.add((about, DCAT.dataset, URIRef(each.address.subject)))
    return graph


def catalogue_graphs(site: SiteAbout, datasets: Sequence[DescribedDataset], day: str) -> dict[str, bytes]:
    """Return the catalogue by DCAT-AP as Turtle, JSON-LD and RDF/XML."""
    about = _about_graph(site, datasets, day)
    return {
        "catalogue.ttl": _turtle(about, datasets),
        "catalogue.jsonld": _json_ld(about, datasets),
        "catalogue.rdf": _rdf_xml(about, datasets),
    }


def _turtle(about: Graph, datasets: Sequence[DescribedDataset]) -> bytes:
    return b"\n".join([GraphText(about).turtle().encode(), *(each.read(TURTLE) for each in datasets)])


def _json_ld(about: Graph, datasets: Sequence[DescribedDataset]) -> bytes:
    """Return the objects of all documents in one list; nodes without an address get names of their own."""
    texts = [GraphText(about).json_ld().encode("utf-8", "replace"), *(each.read(JSON_LD) for each in datasets)]
    objects = (text.strip().removeprefix(b"[").removesuffix(b"]").strip() for text in texts)
    own = (text.replace(b'"@id": "_:', b'"@id": "_:d%d' % number) for number, text in enumerate(objects) if text)
    return b"[" + b",\n".join(own) + b"]\n"


def _rdf_xml(about: Graph, datasets: Sequence[DescribedDataset]) -> bytes:
    """Return the elements of all documents in one; namespaces stand at the root."""
    spaces: dict[bytes, None] = {}
    bodies = []
    for content in (GraphText(about).rdf_xml().encode(), *(each.read(RDF_XML) for each in datasets)):
        found = _RDF_BODY.search(content)
        if found is not None:
            spaces.update(dict.fromkeys(_NAMESPACE.findall(found[1])))
            bodies.append(found[2].strip(b"\n"))
    head = b'<?xml version="1.0" encoding="utf-8"?>\n<rdf:RDF ' + b"\n  ".join(spaces) + b">\n"
    return head + b"\n".join(bodies) + b"\n</rdf:RDF>\n"


def stac_catalog(site: SiteAbout, datasets: Sequence[DescribedDataset]) -> bytes:
    """Return the root of the collections by STAC 1.0, with paths beside it."""
    there = [each.entry for each in datasets if (each.folder / STAC).exists()]
    links = [{"rel": "root", "href": "./catalog.json", "type": "application/json"}]
    links += [
        {
            "rel": "child",
            "href": f"./datasets/{quote(entry.id)}/{STAC}",
            "type": "application/json",
            "title": entry.title,
        }
        for entry in there
    ]
    if site.address:
        links.append({"rel": "self", "href": f"{site.address}catalog.json", "type": "application/json"})
    content = {
        "type": "Catalog", "stac_version": "1.0.0", "id": "catalogue", "title": site.title,
        "description": site.summary or f"Datasets of {site.title}.", "links": links,
    }  # fmt: skip
    return (json.dumps(content, ensure_ascii=False, indent=1) + "\n").encode("utf-8", "replace")


def change_feed(site: SiteAbout, entries: Sequence[SiteEntry], moment: str) -> bytes:
    """Return the latest changes as an Atom feed (RFC 4287).

    moment : when the site was made, RFC 3339
    """
    latest = sorted(entries, key=lambda entry: entry.changed, reverse=True)[:MOST_CHANGES]
    lines = [
        '<?xml version="1.0" encoding="utf-8"?>',
        '<feed xmlns="http://www.w3.org/2005/Atom">',
        f"<title>{_xml(site.title)}</title>",
        f"<id>{_xml(site.address or 'urn:catalogue:' + quote(site.title, safe=''))}</id>",
        f"<updated>{max((entry.changed for entry in latest), default=moment) or moment}</updated>",
        f"<author><name>{_xml(site.title)}</name></author>",
        f'<link rel="self" href={quoteattr(site.address + "feed.xml")}/>',
        *(line for entry in latest for line in _feed_entry(site, entry, moment)),
        "</feed>",
    ]
    return "\n".join(lines).encode("utf-8", "replace") + b"\n"


def _feed_entry(site: SiteAbout, entry: SiteEntry, moment: str) -> Iterator[str]:
    page = f"{site.address}datasets/{quote(entry.id)}/"
    yield "<entry>"
    yield f"<title>{_xml(entry.title)}</title>"
    yield f"<id>{_xml(page if site.address else 'urn:dataset:' + entry.id)}</id>"
    yield f"<updated>{entry.changed or moment}</updated>"
    yield f"<link href={quoteattr(page if site.address else page + 'index.html')}/>"
    yield f"<summary>{_xml(entry.summary[:1000] or entry.title)}</summary>"
    yield "</entry>"


def site_map(site: SiteAbout, entries: Sequence[SiteEntry]) -> bytes:
    """Return the pages of the site as the sitemap protocol 0.9 lists them. The site must have an address."""
    pages = [(site.address, ""), (f"{site.address}all.html", "")]
    pages += [(f"{site.address}datasets/{quote(entry.id)}/", entry.changed[:10]) for entry in entries]
    lines = ['<?xml version="1.0" encoding="UTF-8"?>', '<urlset xmlns="http://www.sitemaps.org/schemas/sitemap/0.9">']
    lines += [
        f"<url><loc>{_xml(page)}</loc>{f'<lastmod>{day}</lastmod>' if day else ''}</url>"
        for page, day in pages[:MOST_ADDRESSES]
    ]
    return "\n".join([*lines, "</urlset>"]).encode("utf-8", "replace") + b"\n"


def _xml(text: str) -> str:
    """Return a text as XML holds it, without the characters that it does not have."""
    return escape(NOT_XML.sub("�", str(text)))
