"""A metadata record as the application knows it, whatever standard it came in.

Every field says its label in plain words and the kind of its content, so that reading, editing, comparing
and tables go by this one list. An empty value means that the record does not say.
"""

from __future__ import annotations

from dataclasses import dataclass, field
from typing import Any

from brisk_atlas.core.model.language import tr

# Kinds of content: what may be typed and how it is shown.
TEXT, LONG, DATE, CODE, INTEGER, NUMBER, LINK, EMAIL = (
    "text",
    "long",
    "date",
    "code",
    "integer",
    "number",
    "link",
    "email",
)

WHAT, WHO, WHEN, WHERE = tr("What it is"), tr("Who"), tr("When"), tr("Where and how fine")
CONDITIONS, MADE, QUALITY = tr("Conditions"), tr("How it was made"), tr("How good it is")
CONTENT = tr("Fields and values")
GETTING, RECORD = tr("Getting it"), tr("About the record")
SECTIONS = (WHAT, WHO, WHEN, WHERE, CONDITIONS, MADE, QUALITY, CONTENT, GETTING, RECORD)


def _one(label: str, kind: str = TEXT, section: str = "", codes: str = "") -> Any:
    empty: Any = None if kind in (INTEGER, NUMBER) else ""
    return field(default=empty, metadata={"label": tr(label), "kind": kind, "section": section, "codes": codes})


def _many(label: str, item: type = str, section: str = "", kind: str = TEXT, codes: str = "") -> Any:
    about = {"label": tr(label), "kind": kind, "section": section, "codes": codes, "item": item}
    return field(default=(), metadata=about)


@dataclass(frozen=True)
class Contact:
    """A person, an organisation or both, and how to reach them."""

    person: str = _one("person")
    organisation: str = _one("organisation")
    position: str = _one("position")
    role: str = _one("role", CODE, codes="role")
    phone: str = _one("phone")
    fax: str = _one("fax")
    street: str = _one("street")
    city: str = _one("city")
    region: str = _one("region")
    postcode: str = _one("postcode")
    country: str = _one("country")
    email: str = _one("e-mail", EMAIL)
    link: str = _one("web page", LINK)
    hours: str = _one("hours of service")
    instructions: str = _one("instructions")


@dataclass(frozen=True)
class DatedEvent:
    """A day (ISO 8601, as exact as it is known) and what happened: creation, publication, revision."""

    day: str = _one("day", DATE)
    kind: str = _one("event", CODE, codes="date")


@dataclass(frozen=True)
class Identifier:
    """A code and the authority that gave it."""

    code: str = _one("code")
    space: str = _one("code space")


@dataclass(frozen=True)
class KeywordSet:
    """Keywords of one kind, from one list where it is named."""

    kind: str = _one("kind", CODE, codes="keyword")
    words: tuple[str, ...] = _many("keyword")
    thesaurus: str = _one("from the list")
    thesaurus_date: str = _one("list dated", DATE)
    thesaurus_event: str = _one("list's event", CODE, codes="date")


@dataclass(frozen=True)
class Picture:
    """A picture of the data, by its file or link."""

    link: str = _one("file or link")
    description: str = _one("shows")
    type: str = _one("type")


@dataclass(frozen=True)
class Series:
    """The series that a dataset belongs to."""

    name: str = _one("name")
    issue: str = _one("issue")


@dataclass(frozen=True)
class Related:
    """Another dataset or publication that this one belongs with."""

    title: str = _one("title")
    identifier: str = _one("identifier")
    kind: str = _one("how related", CODE, codes="association")


@dataclass(frozen=True)
class Period:
    """A time of the content; one day where both ends are the same."""

    begin: str = _one("from", DATE)
    end: str = _one("to", DATE)


@dataclass(frozen=True)
class Box:
    """Degrees of longitude and latitude; west of the antimeridian may be larger than east."""

    west: float | None = _one("west", NUMBER)
    south: float | None = _one("south", NUMBER)
    east: float | None = _one("east", NUMBER)
    north: float | None = _one("north", NUMBER)


@dataclass(frozen=True)
class HeightRange:
    """The lowest and the highest value of a vertical extent."""

    low: float | None = _one("lowest", NUMBER)
    high: float | None = _one("highest", NUMBER)


@dataclass(frozen=True)
class Measure:
    """A number with its unit."""

    value: float | None = _one("value", NUMBER)
    unit: str = _one("unit")


@dataclass(frozen=True)
class Dimension:
    """One axis of a grid."""

    name: str = _one("axis", CODE, codes="dimension")
    size: int | None = _one("cells", INTEGER)
    resolution: float | None = _one("cell size", NUMBER)
    unit: str = _one("unit")


@dataclass(frozen=True)
class ObjectCount:
    """How many objects of a kind there are."""

    type: str = _one("object", CODE, codes="geometry")
    count: int | None = _one("count", INTEGER)


@dataclass(frozen=True)
class Constraint:
    """What may be done with the data: legal (access, use, licence), security or plain limits of fitness."""

    kind: str = _one("kind", CODE, codes="constraint")
    limits: tuple[str, ...] = _many("limits of use", kind=LONG)
    access: tuple[str, ...] = _many("access", kind=CODE, codes="restriction")
    use: tuple[str, ...] = _many("use", kind=CODE, codes="restriction")
    other: tuple[str, ...] = _many("conditions", kind=LONG)
    classification: str = _one("classification", CODE, codes="classification")
    handling: str = _one("handling", LONG)


@dataclass(frozen=True)
class ProcessStep:
    """One step of how the data were made."""

    description: str = _one("step", LONG)
    rationale: str = _one("why", LONG)
    day: str = _one("on", DATE)
    processor: tuple[Contact, ...] = _many("by", Contact)


@dataclass(frozen=True)
class Source:
    """What the data were made from."""

    description: str = _one("contributed", LONG)
    title: str = _one("source")
    scale: int | None = _one("scale 1 to", INTEGER)
    day: str = _one("dated", DATE)
    medium: str = _one("medium")


@dataclass(frozen=True)
class QualityResult:
    """One test of the data: a figure, a report in words, or whether it conforms to a specification."""

    kind: str = _one("tested", CODE, codes="quality")
    measure: str = _one("measure")
    method: str = _one("method", LONG)
    report: str = _one("report", LONG)
    day: str = _one("on", DATE)
    value: str = _one("value")
    unit: str = _one("unit")
    specification: str = _one("specification")
    specification_date: str = _one("specification dated", DATE)
    specification_event: str = _one("specification's event", CODE, codes="date")
    explanation: str = _one("explanation", LONG)
    conforms: str = _one("conforms", CODE, codes="conforms")


@dataclass(frozen=True)
class System:
    """A reference system by its code, such as EPSG 32727, or by its name."""

    code: str = _one("code")
    space: str = _one("code space")
    version: str = _one("version")


@dataclass(frozen=True)
class Meaning:
    """What one value of a field stands for."""

    value: str = _one("value")
    meaning: str = _one("stands for", LONG)
    source: str = _one("defined by")


@dataclass(frozen=True)
class ValueRange:
    """From which value to which the values of a field go."""

    lowest: str = _one("lowest")
    highest: str = _one("highest")
    unit: str = _one("unit")
    step: str = _one("measured to")


@dataclass(frozen=True)
class FieldDefinition:
    """An attribute of the data: its name in the file, what it means, and the values it may have."""

    name: str = _one("field")
    alias: str = _one("in plain words")
    definition: str = _one("definition", LONG)
    source: str = _one("defined by")
    type: str = _one("type")
    unit: str = _one("unit")
    meanings: tuple[Meaning, ...] = _many("value", Meaning)
    ranges: tuple[ValueRange, ...] = _many("range", ValueRange)
    codeset: str = _one("codes from")
    codeset_source: str = _one("codes maintained by")
    free: str = _one("values in words", LONG)
    width: str = _one("width")
    precision: str = _one("digits")
    scale: str = _one("decimals")
    begins: str = _one("values from", DATE)
    ends: str = _one("values until", DATE)
    accuracy: str = _one("accuracy")
    accuracy_note: str = _one("accuracy in words", LONG)
    frequency: str = _one("measured every")


@dataclass(frozen=True)
class Entity:
    """A kind of thing in the data, usually a table or layer, and its fields."""

    name: str = _one("table or layer")
    definition: str = _one("definition", LONG)
    source: str = _one("defined by")
    type: str = _one("type")
    count: str = _one("rows")
    fields: tuple[FieldDefinition, ...] = _many("field", FieldDefinition)


@dataclass(frozen=True)
class Overview:
    """What the data holds, in words, and where that is described in full."""

    summary: str = _one("fields in words", LONG)
    citations: tuple[str, ...] = _many("described in")


@dataclass(frozen=True)
class BandDefinition:
    """One band, or dimension, of a grid."""

    name: str = _one("band")
    description: str = _one("shows", LONG)
    least: float | None = _one("from wavelength", NUMBER)
    most: float | None = _one("to wavelength", NUMBER)
    unit: str = _one("unit")


@dataclass(frozen=True)
class Format:
    """A format that the data are handed out in."""

    name: str = _one("format")
    version: str = _one("version")


@dataclass(frozen=True)
class Link:
    """An address under which the data, or more about them, are found."""

    url: str = _one("link", LINK)
    name: str = _one("name")
    description: str = _one("description", LONG)
    protocol: str = _one("protocol")
    function: str = _one("for", CODE, codes="function")


@dataclass(frozen=True)
class Locale:
    """A language that texts of the record are translated into; `id` is what the texts refer to."""

    id: str = _one("id")
    language: str = _one("language", CODE, codes="language")
    charset: str = _one("character set", CODE, codes="charset")


@dataclass(frozen=True)
class Record:
    """What a record says of a dataset. Boxes are in degrees, days in ISO 8601."""

    title: str = _one("title", TEXT, WHAT)
    alternate_titles: tuple[str, ...] = _many("other title", section=WHAT)
    abstract: str = _one("summary", LONG, WHAT)
    purpose: str = _one("purpose", LONG, WHAT)
    supplement: str = _one("more about it", LONG, WHAT)
    status: str = _one("status", CODE, WHAT, "progress")
    topics: tuple[str, ...] = _many("topic", section=WHAT, kind=CODE, codes="topic")
    keywords: tuple[KeywordSet, ...] = _many("keywords", KeywordSet, WHAT)
    uses: tuple[str, ...] = _many("used for", section=WHAT, kind=LONG)
    pictures: tuple[Picture, ...] = _many("picture", Picture, WHAT)
    edition: str = _one("edition", TEXT, WHAT)
    form: str = _one("form", CODE, WHAT, "form")
    series: tuple[Series, ...] = _many("series", Series, WHAT)
    identifiers: tuple[Identifier, ...] = _many("identifier", Identifier, WHAT)
    related: tuple[Related, ...] = _many("belongs with", Related, WHAT)
    other_citation: str = _one("cited as well", LONG, WHAT)
    languages: tuple[str, ...] = _many("language", section=WHAT, kind=CODE, codes="language")
    charset: str = _one("character set", CODE, WHAT, "charset")
    contacts: tuple[Contact, ...] = _many("contact", Contact, WHO)
    credits: tuple[str, ...] = _many("credit", section=WHO, kind=LONG)
    dates: tuple[DatedEvent, ...] = _many("date", DatedEvent, WHEN)
    times: tuple[Period, ...] = _many("time of content", Period, WHEN)
    currentness: str = _one("time says", TEXT, WHEN)
    maintenance: str = _one("updated", CODE, WHEN, "frequency")
    next_update: str = _one("next update", DATE, WHEN)
    maintenance_note: str = _one("about updates", LONG, WHEN)
    boxes: tuple[Box, ...] = _many("extent", Box, WHERE)
    places: tuple[str, ...] = _many("place", section=WHERE)
    extent_note: str = _one("extent in words", TEXT, WHERE)
    heights: tuple[HeightRange, ...] = _many("heights", HeightRange, WHERE)
    systems: tuple[System, ...] = _many("reference system", System, WHERE)
    scales: tuple[int, ...] = _many("scale 1 to", int, WHERE, kind=INTEGER)
    distances: tuple[Measure, ...] = _many("resolution", Measure, WHERE)
    representation: tuple[str, ...] = _many("representation", section=WHERE, kind=CODE, codes="representation")
    cell_geometry: str = _one("cells are", CODE, WHERE, "cell")
    dimensions: tuple[Dimension, ...] = _many("grid axis", Dimension, WHERE)
    topology: str = _one("topology", CODE, WHERE, "topology")
    objects: tuple[ObjectCount, ...] = _many("objects", ObjectCount, WHERE)
    constraints: tuple[Constraint, ...] = _many("conditions", Constraint, CONDITIONS)
    lineage: str = _one("lineage", LONG, MADE)
    steps: tuple[ProcessStep, ...] = _many("process step", ProcessStep, MADE)
    sources: tuple[Source, ...] = _many("made from", Source, MADE)
    environment: str = _one("made with", TEXT, MADE)
    quality: tuple[QualityResult, ...] = _many("quality", QualityResult, QUALITY)
    entities: tuple[Entity, ...] = _many("fields of", Entity, CONTENT)
    overviews: tuple[Overview, ...] = _many("overview", Overview, CONTENT)
    bands: tuple[BandDefinition, ...] = _many("band", BandDefinition, CONTENT)
    formats: tuple[Format, ...] = _many("format", Format, GETTING)
    links: tuple[Link, ...] = _many("link", Link, GETTING)
    distributors: tuple[Contact, ...] = _many("distributor", Contact, GETTING)
    fees: str = _one("fees", TEXT, GETTING)
    ordering: str = _one("how to order", LONG, GETTING)
    size_mb: float | None = _one("size in MB", NUMBER, GETTING)
    liability: str = _one("liability", LONG, GETTING)
    identifier: str = _one("identifier of the record", TEXT, RECORD)
    parent: str = _one("part of the record", TEXT, RECORD)
    language: str = _one("language of the record", CODE, RECORD, "language")
    record_charset: str = _one("character set of the record", CODE, RECORD, "charset")
    locales: tuple[Locale, ...] = _many("also in", Locale, RECORD)
    level: str = _one("describes a", CODE, RECORD, "scope")
    level_name: str = _one("level in words", TEXT, RECORD)
    stamped: str = _one("record dated", DATE, RECORD)
    record_contacts: tuple[Contact, ...] = _many("record maintained by", Contact, RECORD)
    standard_name: str = _one("standard", TEXT, RECORD)
    standard_version: str = _one("version of the standard", TEXT, RECORD)


EMPTY = Record()
