"""DCAT-AP: a dataset described in RDF, as JSON-LD, Turtle or RDF/XML."""

from __future__ import annotations

import re
from collections.abc import Callable, Iterator
from dataclasses import dataclass, replace
from typing import Any

from rdflib import DCAT, DCTERMS, FOAF, RDF, RDFS, SKOS, XSD, BNode, Graph, Literal, Namespace, URIRef
from rdflib.term import Node

from ..iso_values import number_in, plain_number
from ..model import (
    Box,
    Constraint,
    Contact,
    DatedEvent,
    Format,
    KeywordSet,
    Link,
    Measure,
    Period,
    Record,
    Related,
    System,
)
from ..words import Words, tidy

VCARD = Namespace("http://www.w3.org/2006/vcard/ns#")
LOCN = Namespace("http://www.w3.org/ns/locn#")
GEO = Namespace("http://www.opengis.net/ont/geosparql#")
ADMS = Namespace("http://www.w3.org/ns/adms#")
PREFIXES = (
    ("dcat", DCAT), ("dct", DCTERMS), ("foaf", FOAF), ("vcard", VCARD), ("adms", ADMS), ("skos", SKOS), ("geo", GEO),
)  # fmt: skip
EPSG = "http://www.opengis.net/def/crs/EPSG/0/"
AUTHORITY = "http://publications.europa.eu/resource/authority/"
FREQUENCY = {
    "continual": "CONT",
    "daily": "DAILY",
    "weekly": "WEEKLY",
    "fortnightly": "BIWEEKLY",
    "monthly": "MONTHLY",
    "quarterly": "QUARTERLY",
    "biannually": "ANNUAL_2",
    "annually": "ANNUAL",
    "asNeeded": "AS_NEEDED",
    "irregular": "IRREG",
    "notPlanned": "NOT_PLANNED",
    "unknown": "UNKNOWN",
}
FORMATS = {".jsonld": "json-ld", ".json": "json-ld", ".ttl": "turtle", ".rdf": "xml", ".xml": "xml"}
_POLYGON = re.compile(r"POLYGON\s*\(\(([^()]*)\)\)", re.IGNORECASE)


@dataclass(frozen=True)
class Term:
    """One field: the property it stands in, how it is read from a graph and written to it."""

    field: str
    predicate: URIRef
    read: Callable[[Graph, Node], Any]
    write: Callable[[Graph, Node, Any], None]
    parts: tuple[str, ...] = ()


def words_of(graph: Graph, subject: Node, predicate: URIRef) -> str:
    """Return a text with its translations; the one without a language, or the first, is the text."""
    lines = [(o.language or "", tidy(str(o))) for o in graph.objects(subject, predicate) if isinstance(o, Literal)]
    lines = sorted((pair for pair in lines if pair[1]), key=lambda pair: (pair[0] != "", pair[0] != "en", pair[0]))
    if not lines:
        return ""
    also = tuple(pair for pair in lines[1:] if pair[0])
    return Words(lines[0][1], also) if also else lines[0][1]


def say(graph: Graph, subject: Node, predicate: URIRef, text: str) -> None:
    graph.add((subject, predicate, Literal(str(text))))
    for language, words in getattr(text, "also", ()):
        if re.fullmatch(r"[a-zA-Z]{1,8}(-[a-zA-Z0-9]{1,8})*", language):
            graph.add((subject, predicate, Literal(words, lang=language)))


def _text(field: str, predicate: URIRef) -> Term:
    return Term(field, predicate, lambda g, s: words_of(g, s, predicate), lambda g, s, v: say(g, s, predicate, v))


def _texts(field: str, predicate: URIRef) -> Term:
    def read(graph: Graph, subject: Node) -> tuple[str, ...]:
        return tuple(sorted(tidy(str(o)) for o in graph.objects(subject, predicate) if isinstance(o, Literal)))

    def write(graph: Graph, subject: Node, values: tuple[str, ...]) -> None:
        for value in values:
            graph.add((subject, predicate, Literal(str(value))))

    return Term(field, predicate, read, write)


def _coded(field: str, predicate: URIRef, table: str, codes: dict[str, str] | None = None) -> Term:
    back = {entry: code for code, entry in (codes or {}).items()}

    def read(graph: Graph, subject: Node) -> str:
        found = next((str(o).rstrip("/").rpartition("/")[2] for o in graph.objects(subject, predicate)), "")
        return back.get(found, found if codes else found.lower())

    def write(graph: Graph, subject: Node, value: str) -> None:
        entry = codes.get(value, value) if codes else value.upper()
        if re.fullmatch(r"[\w.-]+", entry):
            graph.add((subject, predicate, URIRef(f"{AUTHORITY}{table}/{entry}")))

    return Term(field, predicate, read, write)


def _first_uri(graph: Graph, subject: Node, *predicates: URIRef) -> str:
    return next((str(o) for p in predicates for o in graph.objects(subject, p)), "")


def _add_link(graph: Graph, subject: Node, predicate: URIRef, address: str) -> None:
    if address and not re.search(r'[\s<>"{}|\\^`]', address):
        graph.add((subject, predicate, URIRef(address)))


def _agents(predicate: URIRef, role: str) -> Term:
    def read(graph: Graph, subject: Node) -> tuple[Contact, ...]:
        found = []
        for agent in graph.objects(subject, predicate):
            name = tidy(str(agent)) if isinstance(agent, Literal) else words_of(graph, agent, FOAF.name)
            mail = _first_uri(graph, agent, FOAF.mbox).removeprefix("mailto:")
            page = _first_uri(graph, agent, FOAF.homepage)
            if name or mail or page:
                found.append(Contact(organisation=name, role=role, email=mail, link=page))
        return tuple(sorted(found, key=repr))

    def write(graph: Graph, subject: Node, values: tuple[Contact, ...]) -> None:
        for contact in values:
            if contact.role != role:
                continue
            agent = BNode()
            name = contact.organisation or contact.person
            if not (name or contact.email or contact.link):
                continue
            graph.add((subject, predicate, agent))
            graph.add((agent, RDF.type, FOAF.Organization if contact.organisation else FOAF.Agent))
            if name:
                say(graph, agent, FOAF.name, name)
            if contact.email:
                _add_link(graph, agent, FOAF.mbox, f"mailto:{contact.email}")
            _add_link(graph, agent, FOAF.homepage, contact.link)

    return Term("contacts", predicate, read, write, ("organisation", "role", "email", "link"))


def _contact_points() -> Term:
    simple = {"person": VCARD.fn, "organisation": VCARD["organization-name"], "position": VCARD.title}

    def read(graph: Graph, subject: Node) -> tuple[Contact, ...]:
        found = []
        for point in graph.objects(subject, DCAT.contactPoint):
            stored: dict[str, Any] = {name: words_of(graph, point, p) for name, p in simple.items()}
            stored["email"] = _first_uri(graph, point, VCARD.hasEmail).removeprefix("mailto:")
            stored["phone"] = _first_uri(graph, point, VCARD.hasTelephone).removeprefix("tel:")
            stored["link"] = _first_uri(graph, point, VCARD.hasURL)
            if stored["person"] == stored["organisation"]:
                stored["person"] = ""
            if any(stored.values()):
                found.append(Contact(role="pointOfContact", **stored))
        return tuple(sorted(found, key=repr))

    def write(graph: Graph, subject: Node, values: tuple[Contact, ...]) -> None:
        for contact in values:
            if contact.role != "pointOfContact":
                continue
            point = BNode()
            graph.add((subject, DCAT.contactPoint, point))
            graph.add((point, RDF.type, VCARD.Kind if contact.person else VCARD.Organization))
            for name, predicate in simple.items():
                if getattr(contact, name):
                    say(graph, point, predicate, getattr(contact, name))
            if not contact.person and contact.organisation:  # a vCard must have a formatted name
                say(graph, point, VCARD.fn, contact.organisation)
            if contact.email:
                _add_link(graph, point, VCARD.hasEmail, f"mailto:{contact.email}")
            if contact.phone:
                _add_link(graph, point, VCARD.hasTelephone, "tel:" + re.sub(r"\s", "-", contact.phone))
            _add_link(graph, point, VCARD.hasURL, contact.link)

    return Term("contacts", DCAT.contactPoint, read, write, (*simple, "email", "phone", "link", "role"))


def _dates(predicate: URIRef, kind: str) -> Term:
    def read(graph: Graph, subject: Node) -> tuple[DatedEvent, ...]:
        return tuple(DatedEvent(day, kind) for day in sorted(str(o) for o in graph.objects(subject, predicate)) if day)

    def write(graph: Graph, subject: Node, values: tuple[DatedEvent, ...]) -> None:
        for value in values:
            if value.kind == kind and value.day:
                graph.add((subject, predicate, _day(value.day)))

    return Term("dates", predicate, read, write, ("day", "kind"))


def _day(day: str) -> Literal:
    types = {4: XSD.gYear, 7: XSD.gYearMonth, 10: XSD.date}
    known = re.fullmatch(r"\d{4}(-\d\d(-\d\d(T[\d:.]+(Z|[+-]\d\d:\d\d)?)?)?)?", day)
    return Literal(day, datatype=types.get(len(day), XSD.dateTime) if known else None, normalize=False)


def _read_keywords(graph: Graph, subject: Node) -> tuple[KeywordSet, ...]:
    words = tuple(sorted(tidy(str(o)) for o in graph.objects(subject, DCAT.keyword)))
    return (KeywordSet(words=words),) if words else ()


def _write_keywords(graph: Graph, subject: Node, values: tuple[KeywordSet, ...]) -> None:
    for word in dict.fromkeys(word for keywords in values for word in keywords.words):
        graph.add((subject, DCAT.keyword, Literal(str(word))))


def _read_boxes(graph: Graph, subject: Node) -> tuple[Box, ...]:
    found = []
    for place in graph.objects(subject, DCTERMS.spatial):
        for result in (*graph.objects(place, DCAT.bbox), *graph.objects(place, LOCN.geometry)):
            ring = _POLYGON.search(str(result))
            corners = [tuple(map(number_in, pair.split())) for pair in ring[1].split(",")] if ring else []
            if len(corners) >= 4 and all(len(c) == 2 and None not in c for c in corners):
                xs, ys = [c[0] for c in corners], [c[1] for c in corners]
                west, east = (xs[0], xs[1]) if len(corners) == 5 else (min(xs), max(xs))  # type: ignore[type-var]
                found.append(Box(west, min(ys), east, max(ys)))  # type: ignore[type-var]
                break
    return tuple(sorted(found, key=repr))


def _write_boxes(graph: Graph, subject: Node, values: tuple[Box, ...]) -> None:
    for box in values:
        if None in (box.west, box.south, box.east, box.north):
            continue
        w, s, e, n = (plain_number(v) for v in (box.west, box.south, box.east, box.north))  # type: ignore[arg-type]
        place = BNode()
        graph.add((subject, DCTERMS.spatial, place))
        graph.add((place, RDF.type, DCTERMS.Location))
        ring = f"POLYGON(({w} {s}, {e} {s}, {e} {n}, {w} {n}, {w} {s}))"
        graph.add((place, DCAT.bbox, Literal(ring, datatype=GEO.wktLiteral)))


def _read_times(graph: Graph, subject: Node) -> tuple[Period, ...]:
    found = []
    for period in graph.objects(subject, DCTERMS.temporal):
        ends = [_first_uri(graph, period, p) for p in (DCAT.startDate, DCAT.endDate)]
        if any(ends):
            found.append(Period(*ends))
    return tuple(sorted(found, key=repr))


def _write_times(graph: Graph, subject: Node, values: tuple[Period, ...]) -> None:
    for value in values:
        if not (value.begin or value.end):
            continue
        period = BNode()
        graph.add((subject, DCTERMS.temporal, period))
        graph.add((period, RDF.type, DCTERMS.PeriodOfTime))
        for predicate, day in ((DCAT.startDate, value.begin), (DCAT.endDate, value.end)):
            if day:
                graph.add((period, predicate, _day(day)))


def _read_systems(graph: Graph, subject: Node) -> tuple[System, ...]:
    lines = sorted(str(o) for o in graph.objects(subject, DCTERMS.conformsTo))
    return tuple(System(t.removeprefix(EPSG), "EPSG") for t in lines if t.startswith(EPSG))


def _write_systems(graph: Graph, subject: Node, values: tuple[System, ...]) -> None:
    for system in values:
        if system.space == "EPSG" and system.code.isdigit():
            about = URIRef(EPSG + system.code)
            graph.add((subject, DCTERMS.conformsTo, about))
            graph.add((about, RDF.type, DCTERMS.Standard))


def _read_distances(graph: Graph, subject: Node) -> tuple[Measure, ...]:
    lines = sorted(
        n for o in graph.objects(subject, DCAT.spatialResolutionInMeters) if (n := number_in(str(o))) is not None
    )
    return tuple(Measure(float(n), "m") for n in lines)


def _write_distances(graph: Graph, subject: Node, values: tuple[Measure, ...]) -> None:
    for distance in values:
        if distance.unit in ("m", "metre", "metres") and distance.value is not None:
            found = Literal(plain_number(distance.value), datatype=XSD.decimal, normalize=False)
            graph.add((subject, DCAT.spatialResolutionInMeters, found))


def _statement(predicate: URIRef, kind: URIRef, read: Callable, write: Callable, field: str, *parts: str) -> Term:
    """Return a field stated in the label of a node of its own."""

    def stated(graph: Graph, subject: Node) -> Any:
        lines = []
        for o in graph.objects(subject, predicate):
            text = tidy(str(o)) if isinstance(o, Literal) else ""
            text = text or words_of(graph, o, RDFS.label) or words_of(graph, o, SKOS.prefLabel)
            lines.append(text or (str(o) if isinstance(o, URIRef) else ""))
        return read(sorted(t for t in lines if t))

    def add(graph: Graph, subject: Node, value: Any) -> None:
        for text in write(value):
            node = BNode()
            graph.add((subject, predicate, node))
            graph.add((node, RDF.type, kind))
            say(graph, node, RDFS.label, text)

    return Term(field, predicate, stated, add, parts)


def _read_distributions(graph: Graph, subject: Node) -> tuple[Link, ...]:
    found = []
    for node in graph.objects(subject, DCAT.distribution):
        download = _first_uri(graph, node, DCAT.downloadURL)
        url = download or _first_uri(graph, node, DCAT.accessURL)
        name, about = words_of(graph, node, DCTERMS.title), words_of(graph, node, DCTERMS.description)
        if url:
            found.append(Link(url, name, about, "", "download" if download else ""))
    return tuple(sorted(found, key=repr))


def _write_distributions(graph: Graph, subject: Node, values: tuple[Link, ...]) -> None:
    for link in values:
        if link.function == "information" or not link.url or re.search(r'[\s<>"{}|\\^`]', link.url):
            continue
        node = BNode()
        graph.add((subject, DCAT.distribution, node))
        graph.add((node, RDF.type, DCAT.Distribution))
        graph.add((node, DCAT.accessURL, URIRef(link.url)))
        if link.function == "download":
            graph.add((node, DCAT.downloadURL, URIRef(link.url)))
        if link.name:
            say(graph, node, DCTERMS.title, link.name)
        if link.description:
            say(graph, node, DCTERMS.description, link.description)


def _read_pages(graph: Graph, subject: Node) -> tuple[Link, ...]:
    pages = sorted(map(str, graph.objects(subject, DCAT.landingPage)))
    return tuple(Link(page, function="information") for page in pages)


def _write_pages(graph: Graph, subject: Node, values: tuple[Link, ...]) -> None:
    for link in values:
        if link.function == "information":
            _add_link(graph, subject, DCAT.landingPage, link.url)


def _read_languages(graph: Graph, subject: Node) -> tuple[str, ...]:
    return tuple(sorted(str(o).rpartition("/")[2].lower() for o in graph.objects(subject, DCTERMS.language)))


def _write_languages(graph: Graph, subject: Node, values: tuple[str, ...]) -> None:
    for language in values:
        if re.fullmatch(r"\w+", language):
            graph.add((subject, DCTERMS.language, URIRef(f"{AUTHORITY}language/{language.upper()}")))


def _limits(values: tuple[Constraint, ...]) -> list[str]:
    return [text for c in values for text in c.limits]


def _conditions(values: tuple[Constraint, ...]) -> list[str]:
    return [text for c in values if c.kind == "legal" for text in c.other]


TERMS = (
    _text("title", DCTERMS.title),
    _text("abstract", DCTERMS.description),
    _text("identifier", DCTERMS.identifier),
    _texts("alternate_titles", DCTERMS.alternative),
    _texts("topics", DCTERMS.subject),
    Term("keywords", DCAT.keyword, _read_keywords, _write_keywords, ("words",)),
    _text("edition", URIRef(f"{DCAT}version")),
    _text("level", DCTERMS.type),
    Term("languages", DCTERMS.language, _read_languages, _write_languages),
    _agents(DCTERMS.creator, "originator"),
    _agents(DCTERMS.publisher, "publisher"),
    _contact_points(),
    _dates(DCTERMS.created, "creation"),
    _dates(DCTERMS.issued, "publication"),
    _dates(DCTERMS.modified, "revision"),
    _coded("maintenance", DCTERMS.accrualPeriodicity, "frequency", FREQUENCY),
    Term("times", DCTERMS.temporal, _read_times, _write_times, ("begin", "end")),
    Term("boxes", DCTERMS.spatial, _read_boxes, _write_boxes, ("west", "south", "east", "north")),
    Term("systems", DCTERMS.conformsTo, _read_systems, _write_systems, ("code", "space")),
    Term("distances", DCAT.spatialResolutionInMeters, _read_distances, _write_distances, ("value", "unit")),
    _statement(
        DCTERMS.provenance, DCTERMS.ProvenanceStatement, lambda t: "\n\n".join(t), lambda v: [v] if v else [], "lineage"
    ),
    _statement(
        DCTERMS.accessRights,
        DCTERMS.RightsStatement,
        lambda t: tuple(Constraint("legal", other=(x,)) for x in t),
        _conditions,
        "constraints",
        "kind",
        "other",
    ),
    _statement(
        DCTERMS.rights,
        DCTERMS.RightsStatement,
        lambda t: tuple(Constraint("limits", limits=(x,)) for x in t),
        _limits,
        "constraints",
        "limits",
    ),
    _statement(
        DCTERMS.isPartOf,
        DCAT.Dataset,
        lambda t: tuple(Related(x, "", "largerWorkCitation") for x in t),
        lambda v: [r.title for r in v if r.kind == "largerWorkCitation" and r.title],
        "related",
        "title",
        "kind",
    ),
    Term(
        "links",
        DCAT.distribution,
        _read_distributions,
        _write_distributions,
        ("url", "name", "description", "function"),
    ),
    Term("links", DCAT.landingPage, _read_pages, _write_pages, ("url", "function")),
    _statement(
        DCTERMS.format,
        DCTERMS.MediaTypeOrExtent,
        lambda t: tuple(Format(x) for x in t),
        lambda v: [f.name for f in v if f.name],
        "formats",
        "name",
    ),
)


def datasets_in(graph: Graph) -> list[Node]:
    """Return the datasets that a graph describes, in the order of their addresses; those without one, which only
    another speaks of (a larger work), are none of them."""
    found = sorted(graph.subjects(RDF.type, DCAT.Dataset), key=lambda node: (isinstance(node, BNode), str(node)))
    own = [n for n in found if not isinstance(n, BNode) or next(graph.subjects(DCTERMS.isPartOf, n), None) is None]
    return own or found


def record_in(graph: Graph, subject: Node) -> Record:
    """Return what a graph says of a dataset."""
    values: dict[str, Any] = {}
    for term in TERMS:
        value = term.read(graph, subject)
        before = values.get(term.field)
        values[term.field] = before + value if isinstance(before, tuple) else before or value
    return replace(Record(), **values)


def put_record(graph: Graph, subject: Node, old: Record, new: Record) -> None:
    """Make a graph say `new` of a dataset where it stated `old`; what did not change is not touched."""
    graph.add((subject, RDF.type, DCAT.Dataset))
    for term in TERMS:
        if getattr(old, term.field) == getattr(new, term.field):
            continue
        for o in list(graph.objects(subject, term.predicate)):
            graph.remove((subject, term.predicate, o))
            if isinstance(o, BNode):
                _remove_node(graph, o)
        value = getattr(new, term.field)
        if value:
            term.write(graph, subject, value)


def unread(graph: Graph, subject: Node) -> Iterator[tuple[str, str]]:
    """Yield the properties of a dataset that the model has no place for."""
    known = {term.predicate for term in TERMS} | {RDF.type}
    for predicate, o in graph.predicate_objects(subject):
        if predicate not in known:
            yield graph.namespace_manager.normalizeUri(str(predicate)), str(o)


def _remove_node(graph: Graph, node: BNode) -> None:
    for _, _, o in list(graph.triples((node, None, None))):
        graph.remove((node, None, o))
        if isinstance(o, BNode):
            _remove_node(graph, o)


def new_graph() -> Graph:
    """Return an empty graph with the prefixes of the standard."""
    graph = Graph(bind_namespaces="core")  # which is without the thirty that are not needed here
    for prefix, space in PREFIXES:
        graph.bind(prefix, space)
    return graph
