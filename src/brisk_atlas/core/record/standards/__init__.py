"""The standards by name: what each can hold, its own words, how records are read and written in it."""

from __future__ import annotations

from collections.abc import Callable
from dataclasses import dataclass, replace
from functools import cache, cached_property
from importlib import import_module
from typing import Any

from ..adapting import for_dcat, for_fgdc, for_iso, for_words
from ..binding import Shape, assigned
from ..elements import Place, element_id, elements
from ..model import Record


@dataclass(frozen=True)
class Standard:
    """`module` is loaded when it is needed; `suffix` is that of a record beside its data."""

    name: str
    module: str
    family: str  # xml, rdf or json: how its files are written
    suffix: str
    rules: str
    adapting: Callable[[Record], Record]
    title: str
    edition: str

    @cached_property
    def code(self) -> Any:
        """The module that describes the standard."""
        return import_module(f"{__name__}.{self.module}")

    def adapted(self, record: Record) -> Record:
        """Return a record with what this standard says in other elements put there."""
        return replace(self.adapting(record), standard_name=self.title, standard_version=self.edition)

    def places(self, element: str) -> tuple[str, ...]:
        """Return where an element such as "contacts.email" stands, as paths; none where there is no place for it."""
        return _places(self, element)

    def word(self, element: str) -> str:
        """Return what the standard calls an element, "" where it has none."""
        return _word(self, element)

    def word_at(self, record: Record, place: Place) -> str:
        """Return what the standard calls what stands at a place of a record, "" where it has no word for it.

        A contact is a point of contact or an originator, by its role; so is what stands in it.
        """
        if self.family != "xml":
            return self.word(element_id(place))
        shape: Any = self.code.RECORD
        thing: Any = record
        slot = None
        for i, step in enumerate(place):
            if isinstance(step, int):
                continue
            slots = shape.by_field.get(step, ()) if isinstance(shape, Shape) else ()
            if not slots:
                return ""
            value = getattr(thing, step)
            slot = slots[0]
            number = place[i + 1] if i + 1 < len(place) else None
            if isinstance(number, int):
                found = assigned(slots, value)
                slot = (found[number] if number < len(found) else None) or slot
                thing = value[number] if number < len(value) else None
            shape = slot.value
            if thing is None and i + 2 < len(place):
                return self.word(element_id(place))
        return _named(self, "/".join(slot.steps)) if slot is not None else ""


def _places(standard: Standard, element: str) -> tuple[str, ...]:
    code = standard.code
    if standard.family == "xml":
        return tuple(code.RECORD.paths(element))
    name, _, rest = element.partition(".")
    if standard.family == "rdf":
        graph = code.new_graph()
        terms = [t for t in code.TERMS if t.field == name and (not rest or rest in t.parts)]
        return tuple(dict.fromkeys(graph.namespace_manager.normalizeUri(str(t.predicate)) for t in terms))
    return tuple(m.name for m in code.MEMBERS if m.field == name and (not rest or rest in m.parts))


@cache
def _word(standard: Standard, element: str) -> str:
    places = standard.places(element)
    return _named(standard, places[0]) if places else ""


def _named(standard: Standard, path: str) -> str:
    """Return what the last property of a path is called: in full where the standard has a name, or its own in words."""
    steps = [step.rpartition(":")[2] for step in path.split("/")]
    words: dict[str, str] = getattr(standard.code, "WORDS", {})
    known = next((words[step] for step in reversed(steps) if step in words), "")
    plain = next((step for step in reversed(steps) if step[:1].islower()), steps[-1])
    return known or "".join(f" {c.lower()}" if c.isupper() else c for c in plain).strip()


FGDC_TITLE = "FGDC Content Standard for Digital Geospatial Metadata"
STANDARDS = {
    s.name: s
    for s in (
        Standard("ISO 19139", "iso19139", "xml", ".iso.xml", "iso", for_iso, "ISO 19115:2003/19139", "1.0"),
        Standard("INSPIRE", "iso19139", "xml", ".iso.xml", "inspire", for_iso, "ISO 19115:2003/19139", "1.0"),
        Standard("ISO 19115-3", "iso19115_3", "xml", ".iso19115-3.xml", "iso", for_iso, "ISO 19115-1", "2014"),
        Standard("FGDC CSDGM", "fgdc", "xml", ".fgdc.xml", "fgdc", for_fgdc, FGDC_TITLE, "FGDC-STD-001-1998"),
        Standard("Dublin Core", "dublin_core", "xml", ".dc.xml", "dublin_core", for_words, "", ""),
        Standard("DCAT-AP", "dcat", "rdf", ".dcat.jsonld", "dcat", for_dcat, "", ""),
        Standard("STAC", "stac", "json", ".stac.json", "stac", for_words, "", ""),
    )
}


def standard_named(name: str) -> Standard:
    """Return a standard by its name, upper or lower case, without spaces too. Raises KeyError."""

    def plain(text: str) -> str:
        return "".join(c for c in text.casefold() if c.isalnum())

    for known, standard in STANDARDS.items():
        if plain(name) in (plain(known), plain(known.split(" ")[0])) or plain(name) == standard.module.replace("_", ""):
            return standard
    raise KeyError(name)


@cache
def crosswalk() -> list[tuple[str, str, dict[str, tuple[str, ...]]]]:
    """Return every element with its label and where it stands in each standard."""
    return [
        (element.id, element.label, {name: s.places(element.id) for name, s in STANDARDS.items() if name != "INSPIRE"})
        for element in elements().values()
        if element.item is None
    ]
