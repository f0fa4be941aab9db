"""A record and the file it came from: read whole, written back with nothing touched but what was edited."""

from __future__ import annotations

import copy
import json
from dataclasses import dataclass, field
from functools import cached_property
from pathlib import Path
from typing import Any

from lxml import etree

from brisk_atlas.core.model import CannotRead

from .binding import Anchor, Unplaced
from .detect import NotARecord, standard_of
from .elements import Place
from .model import EMPTY, Record
from .safe_xml import XML_LIMIT, xml_in
from .standards import STANDARDS, Standard
from .xml_writer import XmlRecordWriter

DCAT_SPACE = b"http://www.w3.org/ns/dcat#"


@dataclass(frozen=True)
class Document:
    """A record in one standard and the bytes that say it.

    `notes` are what was odd about the file; `unplaced` is what it says that the model has no place for, which
    stays in the file. Read-only documents have no standard to write in.
    """

    path: Path
    standard: Standard
    record: Record
    data: bytes
    unplaced: tuple[Unplaced, ...] = ()
    notes: tuple[str, ...] = ()
    lines: dict[Place, int] = field(default_factory=dict, repr=False)
    read_only: bool = False

    @cached_property
    def text(self) -> str:
        """The file as text."""
        return self.data.decode("utf-8", "replace")

    def line_of(self, place: Place) -> int | None:
        """Return the line, counted from 1, where a place stands, or the nearest place above it."""
        while place:
            if place in self.lines:
                return self.lines[place]
            place = place[:-1]
        return None

    def place_at(self, line: int) -> Place | None:
        """Return the place that stands last at or before a line, counted from 1."""
        before = [(number, len(place), place) for place, number in self.lines.items() if number <= line]
        return max(before, key=lambda item: item[:2])[2] if before else None

    def edited(self, record: Record) -> Document:
        """Return the document with another record in it; what did not change is as it was."""
        if record == self.record:
            return self
        if self.standard.family == "xml":
            return _edited_xml(self, record)
        return _edited_graph(self, record) if self.standard.family == "rdf" else _edited_json(self, record)


def read_document(path: Path, standard: str | None = None) -> Document:
    """Return the record in a file. Raises CannotRead where it is no record of a standard that is known."""
    try:
        if path.stat().st_size > XML_LIMIT:
            raise CannotRead(path, "it is larger than 64 MB", "Records are smaller; it may be another kind of file.")
        data = path.read_bytes()
    except OSError as error:
        raise CannotRead(path, f"it cannot be read ({error.strerror})", "Look at its permissions.") from error
    return document_in(data, path, standard)


def document_in(data: bytes, path: Path, standard: str | None = None) -> Document:
    """Return the record in the bytes of a file, whose suffix tells XML, JSON and RDF apart. Raises CannotRead."""
    suffix = path.suffix.lower()
    start = data.lstrip()[:1]
    if suffix in (".ttl", ".jsonld") or (start == b"<" and DCAT_SPACE in data):
        return _read_graph(data, path)
    if start in (b"{", b"["):
        return _read_json(data, path)
    return _read_xml(data, path, standard)


def read_quickly(data: bytes, path: Path) -> tuple[Standard, Record]:
    """Return the standard and the record of a file, without places and leftovers. Raises CannotRead."""
    if data.lstrip()[:1] in (b"{", b"[") or path.suffix.lower() in (".ttl", ".jsonld", ".rdf"):
        document = document_in(data, path)
        return document.standard, document.record
    root = xml_in(data, path)[0].getroot()
    standard = _standard_of(root, path)
    return standard, standard.code.RECORD.read(root)


def written(standard: Standard, record: Record, path: Path) -> Document:
    """Return a new document that says a record in a standard."""
    if standard.family == "json":
        found = standard.code.new_collection()
        found = standard.code.with_record(found, EMPTY, record)
        return _read_json(_json_bytes(found), path, standard)
    if standard.family == "rdf":
        from rdflib import URIRef

        graph = standard.code.new_graph()
        about = URIRef(address_of(record))
        standard.code.put_record(graph, about, EMPTY, record)
        return _read_graph(_graph_bytes(graph, path), path)
    return _read_xml(xml_of(standard, record), path, standard.name)


def xml_of(standard: Standard, record: Record) -> bytes:
    """Return the bytes of a new document that says a record in a standard of XML."""
    root = standard.code.new_root()
    writer = XmlRecordWriter(standard.code.GRAMMAR, root)
    writer.put(standard.code.RECORD, root, EMPTY, record, None)
    writer.made.append(root)
    writer.finish()
    etree.indent(root)
    return etree.tostring(root, xml_declaration=True, encoding="UTF-8") + b"\n"


# XML


def _standard_of(root: etree._Element, path: Path, named: str | None = None) -> Standard:
    """Return the standard of a document by its root. Raises CannotRead."""
    if named:
        return STANDARDS[named]
    found = standard_of(root)
    if found is None:
        remedy = "It can be flattened into tables all the same." if len(root) else "Look at it as text."
        raise NotARecord(
            path,
            f"its XML ({etree.QName(root).localname}) is not a metadata record of a standard that is known",
            remedy,
        )
    return STANDARDS[found]


def _read_xml(data: bytes, path: Path, named: str | None = None) -> Document:
    tree, note = xml_in(data, path)
    root = tree.getroot()
    standard = _standard_of(root, path, named)
    below = _record_root(root, standard)
    unplaced: list[Unplaced] = []
    anchor = Anchor(below)
    record = standard.code.RECORD.read(below, unplaced, anchor)
    blank = ("Unknown", "None") if standard.module == "fgdc" else ()
    lines: dict[Place, int] = {}
    _lines(anchor, (), lines)
    return Document(
        path,
        standard,
        record,
        data if not note else etree.tostring(tree, xml_declaration=True, encoding="UTF-8"),
        tuple(u for u in unplaced if u.text not in blank),
        (note,) if note else (),
        lines,
    )


def _record_root(root: etree._Element, standard: Standard) -> etree._Element:
    """Return the element that the record begins at: RDF wraps Dublin Core in a description."""
    if standard.name == "Dublin Core":
        inner = root.find("{*}Description")
        return inner if inner is not None else root
    return root


def _lines(anchor: Anchor, before: Place, lines: dict[Place, int]) -> None:
    for name, places in anchor.found.items():
        for i, (slot, element, inner) in enumerate(places):
            place = (*before, name, i) if slot.several else (*before, name)
            if slot.several and i == 0:
                lines.setdefault((*before, name), element.sourceline or 0)
            lines[place] = element.sourceline or 0
            if inner is not None:
                _lines(inner, place, lines)


def _edited_xml(document: Document, record: Record) -> Document:
    tree, _ = xml_in(document.data, document.path)
    code = document.standard.code
    root = tree.getroot()
    below = _record_root(root, document.standard)
    anchor = Anchor(below)
    old = code.RECORD.read(below, None, anchor)
    writer = XmlRecordWriter(code.GRAMMAR, below)
    writer.put(code.RECORD, below, old, record, anchor)
    writer.finish()
    data = etree.tostring(tree, xml_declaration=True, encoding=tree.docinfo.encoding or "UTF-8")
    return _read_xml(data.rstrip() + b"\n", document.path, document.standard.name)


# RDF


def _graph_format(path: Path, data: bytes) -> str:
    if data.lstrip()[:1] in (b"{", b"["):
        return "json-ld"
    return "turtle" if path.suffix.lower() == ".ttl" else "xml"


def _graph_in(data: bytes, path: Path) -> Any:
    code = STANDARDS["DCAT-AP"].code
    kind = _graph_format(path, data)
    if kind == "xml":
        xml_in(data, path)  # refuses entities
    if kind == "json-ld" and _fetches_context(data):
        why = "its context is an address that would have to be fetched"
        raise CannotRead(path, why, "Ask for it with its context inside, or as Turtle.")
    graph = code.new_graph()
    try:
        graph.parse(data=data, format=kind)
    except Exception as error:  # the parsers raise whatever their grammar does
        reason = " ".join(str(error).split())[:160] or type(error).__name__
        raise CannotRead(path, f"its RDF is broken ({reason})", "Ask for the file again.") from error
    return graph


def _fetches_context(data: bytes) -> bool:
    """Tell whether JSON-LD names a context elsewhere: nothing is fetched on behalf of a file."""
    try:
        content = json.loads(data)
    except (ValueError, RecursionError):
        return False  # reported as broken JSON later

    def names(thing: Any) -> bool:
        if isinstance(thing, dict):
            for key, value in thing.items():
                contexts = value if isinstance(value, list) else [value]
                if key == "@context" and any(isinstance(c, str) for c in contexts):
                    return True
                if key == "@import" or names(value):
                    return True
        return isinstance(thing, list) and any(map(names, thing))

    try:
        return names(content)
    except RecursionError:
        return True


def _read_graph(data: bytes, path: Path) -> Document:
    standard = STANDARDS["DCAT-AP"]
    graph = _graph_in(data, path)
    found = standard.code.datasets_in(graph)
    if not found:
        raise CannotRead(path, "its RDF describes no dataset of DCAT", "Look at it as text.")
    record = standard.code.record_in(graph, found[0])
    notes = (f"It describes {len(found)} datasets; this is the first.",) if len(found) > 1 else ()
    unplaced = tuple(
        Unplaced(0, name, text[:200], "the model has no place for it")
        for name, text in standard.code.unread(graph, found[0])
    )
    return Document(path, standard, record, data, unplaced, notes)


def _graph_bytes(graph: Any, path: Path) -> bytes:
    kind = {".ttl": "turtle", ".rdf": "pretty-xml", ".xml": "pretty-xml"}.get(path.suffix.lower(), "json-ld")
    more = {"auto_compact": True, "indent": 2, "sort_keys": True} if kind == "json-ld" else {}
    return graph.serialize(format=kind, **more).encode("utf-8")


def _edited_graph(document: Document, record: Record) -> Document:
    graph = _graph_in(document.data, document.path)
    code = document.standard.code
    about = code.datasets_in(graph)[0]
    code.put_record(graph, about, document.record, record)
    return _read_graph(_graph_bytes(graph, document.path), document.path)


def representable(standard: Standard, record: Record) -> Record:
    """Return as much of a record as a standard has places for."""
    if standard.family == "xml":
        found: Record = standard.code.RECORD.representable(record)
        return found
    return written(standard, record, Path("record" + standard.suffix)).record


def address_of(record: Record) -> str:
    """Return an address for a dataset: its identifier where that is one."""
    from urllib.parse import quote

    given = record.identifier or record.title or "dataset"
    if given.startswith(("http://", "https://", "urn:")) and not set(given) & set(' <>"{}|\\^`'):
        return given
    return f"urn:dataset:{quote(given, safe='')}"


# JSON


def _json_bytes(content: Any) -> bytes:
    return (json.dumps(content, indent=2, ensure_ascii=False) + "\n").encode("utf-8")


def _read_json(data: bytes, path: Path, standard: Standard | None = None) -> Document:
    try:
        content = json.loads(data)
    except (ValueError, RecursionError) as error:
        raise CannotRead(path, f"its JSON is broken ({error})", "Ask for the file again.") from error
    first = content[0] if isinstance(content, list) and content else content
    if isinstance(first, dict) and ("@context" in first or "@graph" in first or "@type" in first):
        return _read_graph(data, path)
    if not isinstance(content, dict) or "stac_version" not in content:
        raise CannotRead(path, "its JSON is no STAC item or collection and no DCAT", "Look at it as text.")
    standard = standard or STANDARDS["STAC"]
    unplaced = tuple(
        Unplaced(0, name, text[:200], "the model has no place for it") for name, text in standard.code.unread(content)
    )
    return Document(path, standard, standard.code.record_in(content), data, unplaced)


def _edited_json(document: Document, record: Record) -> Document:
    content = document.standard.code.with_record(copy.deepcopy(json.loads(document.data)), document.record, record)
    return _read_json(_json_bytes(content), document.path)
