"""Handing records on: a page of one that stands by itself, a DCAT-AP catalogue of many."""

from __future__ import annotations

from base64 import b64encode
from collections.abc import Callable, Iterable
from dataclasses import dataclass
from pathlib import Path
from typing import Any

from brisk_atlas.core.model import AtlasError
from brisk_atlas.core.model.page_templates import page_templates
from brisk_atlas.core.record.brief_sections import NOT_STATED, brief
from brisk_atlas.core.record.checks import completeness
from brisk_atlas.core.record.document import Document
from brisk_atlas.core.record.elements import element_id, stated_places
from brisk_atlas.core.record.model import Box
from brisk_atlas.core.record.values import shown

HERE = Path(__file__).parent
MAP_WIDE, MAP_TALL = 360, 220  # pixels of the locator map
MARGIN = 0.9  # of a box's size shown on each side of it


@dataclass(frozen=True)
class Locator:
    """What a locator map draws, in pixels: lines of longitude and latitude with their labels, and boxes."""

    meridians: tuple[tuple[float, str], ...]
    parallels: tuple[tuple[float, str], ...]
    boxes: tuple[tuple[float, float, float, float], ...]


def locator(boxes: Iterable[Box]) -> Locator | None:
    """Return the locator map of boxes in degrees, None where there are none that are whole."""
    whole = [b for b in boxes if None not in (b.west, b.south, b.east, b.north)]
    if not whole:
        return None
    sides: list[tuple[float, float, float, float]] = [
        (b.west, b.south, b.east if b.east >= b.west else b.east + 360, b.north)  # type: ignore[misc, operator]
        for b in whole
    ]
    west, south = min(s[0] for s in sides), min(s[1] for s in sides)
    east, north = max(s[2] for s in sides), max(s[3] for s in sides)
    around = MARGIN * max(east - west, north - south, 0.01)
    west, south, east, north = west - around, south - around, east + around, north + around
    scale = min(MAP_WIDE / (east - west), MAP_TALL / (north - south))
    left, top = (west + east - MAP_WIDE / scale) / 2, (south + north + MAP_TALL / scale) / 2

    def x(lon: float) -> float:
        return round((lon - left) * scale, 1)

    def y(lat: float) -> float:
        return round((top - lat) * scale, 1)

    step = _step(70 / scale)
    lons = _multiples(left, left + MAP_WIDE / scale, step)
    lats = _multiples(top - MAP_TALL / scale, top, step)
    return Locator(
        tuple((x(v), _label((v + 180) % 360 - 180, "E", "W", step)) for v in lons),
        tuple((y(v), _label(v, "N", "S", step)) for v in lats if -90 <= v <= 90),
        tuple((x(w), y(n), max(2.0, round(x(e) - x(w), 1)), max(2.0, round(y(s) - y(n), 1))) for w, s, e, n in sides),
    )


def _step(minimum: float) -> float:
    from math import floor, log10

    power = 10.0 ** floor(log10(minimum))
    return next((power * m for m in (1, 2, 5, 10) if power * m >= minimum), power * 10)


def _multiples(low: float, high: float, step: float) -> list[float]:
    from math import ceil

    first = ceil(low / step)
    return [round((first + i) * step, 9) for i in range(64) if (first + i) * step <= high]


def _label(value: float, positive: str, negative: str, step: float) -> str:
    digits = 0 if step >= 1 else 1 if step >= 0.1 else 2 if step >= 0.01 else 4
    return f"{abs(value):.{digits}f}° {positive if value >= 0 else negative}"


def html_page(document: Document, picture: bytes | None = None, *, derived: Iterable[Any] = ()) -> str:
    """Return a page of a record that needs nothing else: short reading, all elements, map and picture inside.

    `picture` is a PNG; `derived` are sections of what the data tells.
    """
    record, standard = document.record, document.standard
    whole = []
    for place, value in stated_places(record):
        element = element_id(place)
        if standard.places(element):
            from brisk_atlas.core.record.elements import element_of, label_of

            section = element_of(place[:1]).section
            whole.append((section, label_of(place), standard.word(element), shown(element_of(place), value)))
    full = completeness(record, standard)
    return (
        page_templates(HERE)
        .get_template("page.html.jinja")
        .render(
            not_stated=NOT_STATED,
            title=record.title or document.path.name,
            record=record,
            standard=standard.name,
            name=document.path.name,
            sections=brief(record),
            derived=list(derived),
            whole=whole,
            complete=f"{full.stated} of {full.asked}",
            picture=b64encode(picture).decode() if picture else "",
            map=locator(record.boxes),
            wide=MAP_WIDE,
            tall=MAP_TALL,
        )
    )


def catalogue(
    folder: Path,
    title: str = "",
    check: Callable[[], None] = lambda: None,
    dataset_of: Callable[[Path], Any] | None = None,
) -> tuple[Any, list[str]]:
    """Return the RDF graph of a DCAT-AP catalogue of a folder, and what could not be taken in.

    Records of any standard are taken over; a dataset without one is described by what its data tells.
    """
    from dataclasses import replace

    from rdflib import DCAT, DCTERMS, RDF, Literal, URIRef

    from brisk_atlas.core import read
    from brisk_atlas.core.record.document import address_of, read_document
    from brisk_atlas.core.record.model import EMPTY, Link, Record
    from brisk_atlas.core.record.standards import STANDARDS

    from .derived import derived_record, filled
    from .many import sources_in

    standard = STANDARDS["DCAT-AP"]
    code = standard.code
    graph = code.new_graph()
    about = URIRef(f"urn:catalogue:{folder.resolve().name.replace(' ', '-') or 'folder'}")
    graph.add((about, RDF.type, DCAT.Catalog))
    graph.add((about, DCTERMS.title, Literal(title or folder.resolve().name)))
    graph.add((about, DCTERMS.description, Literal(f"Datasets of {folder.resolve().name}")))
    failed = []
    done: set[Path] = set()
    for source in sources_in(folder):
        check()
        if source.data in done:
            continue
        record = Record()
        try:
            if source.record is not None:
                record = read_document(source.record).record
            if source.data is not None:
                done.add(source.data)
                record = filled(record, derived_record((dataset_of or read.open)(source.data)))
        except AtlasError as error:
            failed.append(" ".join(str(error).split()))
            if record == Record():
                continue
        if source.data is None and not record.title:
            continue  # a template, which describes nothing
        path = source.data or source.path
        if not record.title:
            record = replace(record, title=path.stem)
        if not any(link.function == "download" for link in record.links) and source.data is not None:
            record = replace(
                record, links=(*record.links, Link(path.resolve().as_uri(), path.name, "", "", "download"))
            )
        subject = URIRef(address_of(record))
        if (subject, RDF.type, DCAT.Dataset) in graph:
            subject = URIRef(f"{subject}-{len(done)}")
        code.put_record(graph, subject, EMPTY, standard.adapted(record))
        graph.add((about, DCAT.dataset, subject))
    return graph, failed


def write_graph(graph: Any, path: Path) -> None:
    """Write an RDF graph as JSON-LD, RDF/XML or, by any other ending, Turtle. Raises CannotWrite."""
    from .saving import replace_file

    kinds = {".jsonld": "json-ld", ".json": "json-ld", ".rdf": "pretty-xml", ".xml": "pretty-xml"}
    kind = kinds.get(path.suffix.lower(), "turtle")
    more = {"auto_compact": True, "indent": 2} if kind == "json-ld" else {}
    replace_file(path, graph.serialize(format=kind, **more).encode("utf-8"))
