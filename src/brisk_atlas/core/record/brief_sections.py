"""A record as sections to read: the short form that an analyst wants first."""

from __future__ import annotations

from dataclasses import dataclass
from typing import NamedTuple

from brisk_atlas.core.model.digit_groups import grouped
from brisk_atlas.core.model.language import tr
from brisk_atlas.core.place import crs_name

from .elements import Place
from .model import Box, Constraint, Contact, FieldDefinition, Period, QualityResult, Record, System
from .values import meaning_of

NOT_STATED = tr("not stated")
SHORT = 48  # letters that a field's plain name may have


class Line(NamedTuple):
    """A label and its text; `place` is where it stands in the record."""

    label: str
    text: str
    place: Place = ()


@dataclass(frozen=True)
class Section:
    """A heading and its lines."""

    title: str
    lines: tuple[Line, ...]


def contact_text(contact: Contact) -> str:
    """Return a contact on one line."""
    place = " ".join(word for word in (contact.postcode, contact.city) if word)
    who = (contact.person, contact.position, contact.organisation)
    where = (contact.street, place, contact.region, contact.country)
    found = (*who, *where, contact.email, contact.phone, contact.link)
    return ", ".join(word for word in found if word)


def box_text(box: Box) -> str:
    """Return a box with its sides and hemispheres."""
    if None in (box.west, box.south, box.east, box.north):
        return tr("incomplete")
    sides = (
        _degrees(side, *letters)
        for side, letters in ((box.west, "EW"), (box.east, "EW"), (box.south, "NS"), (box.north, "NS"))
    )
    return "{} {to} {}, {} {to} {}".format(*sides, to=tr("to"))


def _degrees(value: float | None, positive: str, negative: str) -> str:
    assert value is not None
    return f"{abs(value):.4f}° {positive if value >= 0 else negative}"


def period_text(period: Period) -> str:
    """Return a period as one line."""
    if period.begin == period.end:
        return period.begin
    return f"{period.begin or tr('unknown')} {tr('to')} {period.end or tr('unknown')}"


def system_text(system: System) -> str:
    """Return a reference system as one line."""
    if system.space.upper() == "EPSG" and system.code.isdigit():
        return crs_name(f"EPSG:{system.code}")
    return ", ".join(word for word in (system.code, system.space) if word)


def quality_text(result: QualityResult) -> str:
    """Return a quality result on one line: figure, report, conformance."""
    figure = " ".join(word for word in (result.value, result.unit) if word)
    verb = "conforms" if result.conforms == "yes" else "does not conform"
    conforms = f"{verb} to {result.specification or 'an unnamed specification'}"
    found = (
        figure,
        result.measure,
        result.report,
        result.method,
        conforms if result.conforms else "",
        result.explanation,
    )
    return "; ".join(dict.fromkeys(word for word in found if word))


def conditions_text(constraint: Constraint) -> str:
    """Return what may be done, on one line: limits, codes in plain words, conditions."""
    codes = [meaning_of("restriction", c) for c in (*constraint.access, *constraint.use) if c != "otherRestrictions"]
    secret = [meaning_of("classification", constraint.classification), constraint.handling]
    lines = [*constraint.limits, *codes, *constraint.other, *secret]
    return "; ".join(dict.fromkeys(word.rstrip(".") for word in lines if word))


def plain_name(field: FieldDefinition) -> str:
    """Return the plain name of a field: its alias, or the short name that a definition begins with."""
    if field.alias:
        return field.alias
    first, dot, _ = field.definition.partition(". ")
    if dot and len(first) <= SHORT:
        return first
    return field.definition.rstrip(".") if len(field.definition) <= SHORT else ""


def unit_of_field(field: FieldDefinition) -> str:
    """Return the unit of a field: its own, or that of its range."""
    return field.unit or next((r.unit for r in field.ranges if r.unit), "")


def field_text(field: FieldDefinition) -> str:
    """Return what a field means on one line: definition, unit, range, values."""
    lines = [field.definition or field.alias]
    unit = unit_of_field(field)
    if unit:
        lines.append(tr("in {unit}", unit=unit))
    lines += [
        tr("from {low} to {high}", low=each.lowest or "?", high=each.highest or "?")
        for each in field.ranges
        if each.lowest or each.highest
    ]
    if field.meanings:
        lines.append(", ".join(f"{m.value} = {m.meaning}" for m in field.meanings))
    if field.codeset:
        lines.append(tr("codes of {name}", name=field.codeset))
    if field.free and field.free not in field.definition:
        lines.append(field.free)
    return "; ".join(word.rstrip(".") for word in lines if word) or NOT_STATED


def brief(record: Record) -> list[Section]:
    """Return a record as short sections; what is most asked for and not stated, it says so."""
    return [
        Section(tr("What it is"), _what(record)),
        Section(tr("Who and when"), _who_and_when(record)),
        Section(tr("Where and how fine"), _where(record)),
        Section(tr("How good it is"), _quality(record)),
        Section(tr("Conditions"), _conditions(record)),
        Section(tr("How it was made"), _made(record)),
        *_fields_of(record),
        *([Section(tr("Getting it"), lines)] if (lines := _getting(record)) else []),
    ]


def _line(label: str, text: str, *place: str | int) -> Line:
    return Line(label, text or NOT_STATED, place)


def _said(lines: list[Line]) -> list[Line]:
    return [line for line in lines if line.text != NOT_STATED]


def _each(label: str, texts: list[str], name: str) -> list[Line]:
    return [_line(label, text, name, i) for i, text in enumerate(texts)] or [_line(label, "", name)]


def _what(record: Record) -> tuple[Line, ...]:
    topics = ", ".join(meaning_of("topic", topic) for topic in record.topics)
    words = ", ".join(dict.fromkeys(word for k in record.keywords for word in k.words))
    more = [
        _line(tr("topic"), topics, "topics"),
        _line(tr("keywords"), words, "keywords"),
        _line(tr("status"), meaning_of("progress", record.status), "status"),
        _line(tr("more"), record.supplement, "supplement"),
    ]
    return (
        _line(tr("summary"), record.abstract, "abstract"),
        _line(tr("purpose"), record.purpose, "purpose"),
        *_said(more),
    )


def _who_and_when(record: Record) -> tuple[Line, ...]:
    contacts = [
        _line(meaning_of("role", c.role) or tr("contact"), contact_text(c), "contacts", i)
        for i, c in enumerate(record.contacts)
    ]
    dates = [_line(meaning_of("date", d.kind) or tr("date"), d.day, "dates", i) for i, d in enumerate(record.dates)]
    more = [
        _line(tr("time of content"), "; ".join(map(period_text, record.times)), "times"),
        _line(tr("updated"), meaning_of("frequency", record.maintenance), "maintenance"),
    ]
    return (
        *(contacts or [_line(tr("contact"), "", "contacts")]),
        *(dates or [_line(tr("date"), "", "dates")]),
        *_said(more),
    )


def _where(record: Record) -> tuple[Line, ...]:
    scales = [f"1 : {grouped(scale)}" for scale in record.scales]
    fine = [f"{m.value:g} {m.unit}".strip() for m in record.distances if m.value is not None]
    place = "; ".join(map(box_text, record.boxes)) or "; ".join(record.places)
    return (
        _line(tr("extent"), place, "boxes" if record.boxes else "places" if record.places else "boxes"),
        _line(tr("reference system"), "; ".join(map(system_text, record.systems)), "systems"),
        *(_each(tr("scale"), scales, "scales") if scales or not fine else []),
        *(_each(tr("resolution"), fine, "distances") if fine or not scales else []),
    )


def _quality(record: Record) -> tuple[Line, ...]:
    results = [
        _line(meaning_of("quality", q.kind) or tr("quality"), quality_text(q), "quality", i)
        for i, q in enumerate(record.quality)
    ]
    return tuple(results or [_line(tr("accuracy"), "", "quality")])


def _conditions(record: Record) -> tuple[Line, ...]:
    found = [
        _line(
            tr("access") if c.access and not c.limits and not c.use else tr("use"), conditions_text(c), "constraints", i
        )
        for i, c in enumerate(record.constraints)
    ]
    return tuple(found or [_line(tr("use"), "", "constraints")])


def _made(record: Record) -> tuple[Line, ...]:
    steps = [
        _line(tr("step {number}", number=i + 1), f"{s.description} ({s.day})" if s.day else s.description, "steps", i)
        for i, s in enumerate(record.steps)
    ]
    sources = [_line(tr("made from"), s.title or s.description, "sources", i) for i, s in enumerate(record.sources)]
    lineage = [_line(tr("lineage"), record.lineage, "lineage")]
    return (*(_said(lineage) if steps else lineage), *steps, *sources)


def _fields_of(record: Record) -> list[Section]:
    sections = []
    for i, entity in enumerate(record.entities):
        lines = tuple(Line(f.name, _field_line(f), ("entities", i, "fields", j)) for j, f in enumerate(entity.fields))
        if lines:
            sections.append(Section(tr("Fields of {name}", name=entity.name) if entity.name else tr("Fields"), lines))
    return sections


def _getting(record: Record) -> tuple[Line, ...]:
    formats = ", ".join(" ".join(word for word in (f.name, f.version) if word) for f in record.formats)
    links = [_line(link.name or tr("link"), link.url, "links", i) for i, link in enumerate(record.links)]
    return tuple(_said([_line(tr("format"), formats, "formats"), *links]))


def _field_line(field: FieldDefinition) -> str:
    name, text = plain_name(field), field_text(field)
    if not name or text.casefold().startswith(name.casefold()):
        return text
    return f"{name}: {text}"
