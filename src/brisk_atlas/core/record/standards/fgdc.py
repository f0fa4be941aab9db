"""FGDC CSDGM: the Content Standard for Digital Geospatial Metadata, FGDC-STD-001-1998, all seven sections."""

from __future__ import annotations

import re
from collections.abc import Mapping
from dataclasses import replace

from lxml import etree

from ..binding import Codec, Shape, many, one, shape
from ..iso_values import OwnNumber, OwnText, plain_number
from ..model import (
    Box,
    Constraint,
    Contact,
    DatedEvent,
    Dimension,
    Entity,
    FieldDefinition,
    Format,
    KeywordSet,
    Link,
    Meaning,
    ObjectCount,
    Overview,
    Period,
    Picture,
    ProcessStep,
    QualityResult,
    Record,
    Related,
    Series,
    Source,
    System,
    ValueRange,
)
from ..schemas import needs_of_fgdc, order_of_fgdc
from ..words import tidy
from ..xml_writer import Grammar

NOT_KNOWN = "Unknown"  # the standard's own word where it demands something that is not known
NO_THESAURUS = "None"

PROGRESS = {"Complete": "completed", "In work": "onGoing", "Planned": "planned"}
UPDATE = {
    "Continually": "continual",
    "Daily": "daily",
    "Weekly": "weekly",
    "Fortnightly": "fortnightly",
    "Monthly": "monthly",
    "Quarterly": "quarterly",
    "Biannually": "biannually",
    "Annually": "annually",
    "As needed": "asNeeded",
    "Irregular": "irregular",
    "None planned": "notPlanned",
}
FORM = {
    "vector digital data": "mapDigital",
    "raster digital data": "imageDigital",
    "tabular digital data": "tableDigital",
    "remote-sensing image": "imageDigital",
    "map": "mapDigital",
    "document": "documentDigital",
    "model": "modelDigital",
    "profile": "profileDigital",
    "video": "videoDigital",
}
CLASSES = {
    "Unclassified": "unclassified",
    "Restricted": "restricted",
    "Confidential": "confidential",
    "Secret": "secret",
    "Top secret": "topSecret",
    "Sensitive": "sensitive",
}
DIRECT = {"Vector": "vector", "Raster": "grid", "Point": "vector"}
CELLS = {"Pixel": "area", "Grid Cell": "area", "Point": "point", "Voxel": "area"}
OBJECTS = {
    "Entity point": "point",
    "Point": "point",
    "String": "curve",
    "Link": "curve",
    "Complete chain": "curve",
    "GT-polygon composed of chains": "surface",
    "G-polygon": "surface",
    "GT-polygon composed of rings": "surface",
    "Composite object": "composite",
    "Universe polygon composed of rings": "complex",
}


class Text(OwnText):
    """The text of an element; the standard's word for not known says nothing."""

    def read(self, element: etree._Element) -> str | None:
        found = tidy(element.text)
        return None if found == NOT_KNOWN else found or None

    def representable(self, value: str) -> str:
        return "" if value == NOT_KNOWN else str(value)


class Coded(Codec):
    """A word of the standard for a code of the model; a code without a word of its own is kept as it is."""

    def __init__(self, words: Mapping[str, str]) -> None:
        self.words = {word.casefold(): code for word, code in words.items()}
        self.codes: dict[str, str] = {}
        for word, code in words.items():
            self.codes.setdefault(code, word)

    def read(self, element: etree._Element) -> str | None:
        return self.representable(tidy(element.text)) or None

    def write(self, element: etree._Element, value: str) -> None:
        if self.read(element) != value:
            element.text = self.codes.get(value, value)

    def representable(self, value: str) -> str:
        return "" if value.casefold() == NOT_KNOWN.casefold() else self.words.get(value.casefold(), value)


class Day(Codec):
    """A day as YYYYMMDD, YYYYMM or YYYY; the model has ISO 8601. Words such as Present stay words."""

    def read(self, element: etree._Element) -> str | None:
        return self.representable(tidy(element.text)) or None

    def write(self, element: etree._Element, value: str) -> None:
        day = self.representable(value)
        element.text = day.replace("-", "") if re.fullmatch(r"\d{4}(-\d\d){0,2}", day) else day

    def representable(self, value: str) -> str:
        found = value[:10] if re.match(r"\d{4}-\d\d-\d\dT", value) else value
        if re.fullmatch(r"\d{8}", found):
            return f"{found[:4]}-{found[4:6]}-{found[6:]}"
        if re.fullmatch(r"\d{6}", found):
            return f"{found[:4]}-{found[4:]}"
        return "" if found == NOT_KNOWN else found


class When(Codec):
    """A single date, several dates or a range of dates."""

    parts = ("begin", "end")

    def read(self, element: etree._Element) -> Period | None:
        ends = [DAY.read(e) or "" for name in ("begdate", "enddate") for e in element.findall(f".//{name}")]
        if len(ends) == 2 and any(ends):
            return Period(*ends)
        days = [day for e in element.iter("caldate") if (day := DAY.read(e))]
        return Period(min(days), max(days)) if days else None

    def write(self, element: etree._Element, value: Period) -> None:
        for child in list(element):
            element.remove(child)
        if value.begin == value.end:
            days = {"caldate": value.begin}
            parent = etree.SubElement(element, "sngdate")
        else:
            parent = etree.SubElement(element, "rngdates")
            days = {"begdate": value.begin, "enddate": value.end}
        for name, day in days.items():
            child = etree.SubElement(parent, name)
            DAY.write(child, day)
            child.text = child.text or NOT_KNOWN

    def representable(self, value: Period) -> Period | None:
        found = Period(DAY.representable(value.begin), DAY.representable(value.end))
        return found if found != Period() else None


class Figure(OwnNumber):
    """A number; not known says nothing."""

    def write(self, element: etree._Element, value: float | None) -> None:
        element.text = NOT_KNOWN if value is None else plain_number(value)


class Thesaurus(Text):
    """The list that keywords come from; None is the standard's word for no list."""

    def read(self, element: etree._Element) -> str | None:
        found = super().read(element)
        return None if found == NO_THESAURUS else found

    def representable(self, value: str) -> str:
        return "" if value == NO_THESAURUS else super().representable(value)


class Others(Text):
    """A text that profiles of the standard have a place for and the standard has not: read, and changed where it
    stands, but not written anew."""

    def representable(self, value: str) -> str:
        return ""

    def representable_where_it_stands(self, value: str) -> str:
        return str(value)


TEXT, DAY, WHEN, LIST, OTHERS = Text(), Day(), When(), Thesaurus(), Others()
WHOLE, NUMBER = Figure(whole=True), Figure()

CONTACT = shape(
    Contact,
    one("organisation", "cntorgp/cntorg", TEXT),
    one("organisation", "cntperp/cntorg", TEXT),
    one("person", "cntorgp/cntper", TEXT),
    one("person", "cntperp/cntper", TEXT),
    one("position", "cntpos", TEXT),
    one("street", "cntaddr/address", TEXT),
    one("city", "cntaddr/city", TEXT),
    one("region", "cntaddr/state", TEXT),
    one("postcode", "cntaddr/postal", TEXT),
    one("country", "cntaddr/country", TEXT),
    one("phone", "cntvoice", TEXT),
    one("fax", "cntfax", TEXT),
    one("email", "cntemail", TEXT),
    one("hours", "hours", TEXT),
    one("instructions", "cntinst", TEXT),
    aside=("cntaddr/addrtype",),
)
ORGANISATION = shape(Contact, one("organisation", ".", TEXT))
DATED = shape(DatedEvent, one("day", ".", DAY))


def _keywords(kind: str, list_name: str, word: str) -> Shape:
    return shape(KeywordSet, one("thesaurus", list_name, LIST), many("words", word, TEXT))


def _accuracy(report: str, figure: str, value: str, explanation: str) -> Shape:
    return shape(
        QualityResult,
        one("report", report, TEXT),
        one("value", f"{figure}/{value}", TEXT),
        one("explanation", f"{figure}/{explanation}", TEXT),
    )


ACCURACY = "absoluteExternalPositionalAccuracy"
VERTICAL = "vertical accuracy"
REPORT = shape(QualityResult, one("report", ".", TEXT))
STEP = shape(
    ProcessStep,
    one("description", "procdesc", TEXT),
    one("day", "procdate", DAY),
    many("processor", "proccont+/cntinfo", CONTACT, most=1),
)
SOURCE = shape(
    Source,
    one("title", "srccite/citeinfo/title", TEXT),
    one("scale", "srcscale", WHOLE),
    one("medium", "typesrc", TEXT),
    one("day", "srccite/citeinfo/pubdate", DAY),
    one("description", "srccontr", TEXT),
)
MEANING = shape(Meaning, one("value", "edomv", TEXT), one("meaning", "edomvd", TEXT), one("source", "edomvds", TEXT))
RANGE = shape(
    ValueRange,
    one("lowest", "rdommin", TEXT),
    one("highest", "rdommax", TEXT),
    one("unit", "attrunit", TEXT),
    one("step", "attrmres", TEXT),
)
FIELD = shape(
    FieldDefinition,
    one("name", "attrlabl", TEXT),
    one("definition", "attrdef", TEXT),
    one("source", "attrdefs", TEXT),
    many("meanings", "attrdomv+/edom", MEANING),
    many("ranges", "attrdomv+/rdom", RANGE),
    one("codeset", "attrdomv+/codesetd/codesetn", TEXT),
    one("codeset_source", "attrdomv+/codesetd/codesets", TEXT),
    one("free", "attrdomv+/udom", TEXT),
    one("begins", "begdatea", DAY),
    one("ends", "enddatea", DAY),
    one("accuracy", "attrvai/attrva", TEXT),
    one("accuracy_note", "attrvai/attrvae", TEXT),
    one("frequency", "attrmfrq", TEXT),
    one("alias", "attalias", OTHERS),
    one("type", "attrtype", OTHERS),
    one("width", "attwidth", OTHERS),
    one("precision", "atprecis", OTHERS),
    one("scale", "attscale", OTHERS),
    trim=lambda field: field if field.begins or not field.ends else replace(field, ends=""),  # the end follows it
)


class Horizontal(Codec):
    """The horizontal coordinate system, spelt out; the model has its EPSG code.

    Geographic systems and UTM zones are recognised by their numbers; for other grids the code is written as
    the name of an "other grid system", which the standard provides for.
    """

    parts = ("code", "space")

    def read(self, element: etree._Element) -> System | None:
        from ..spelt_systems import spelt_system

        return spelt_system(element)

    def write(self, element: etree._Element, value: System) -> None:
        from ..spelt_systems import spell_system

        spell_system(element, value)

    def representable(self, value: System) -> System | None:
        from ..spelt_systems import can_spell

        return System(value.code, value.space) if can_spell(value) else None


HEIGHTS, DEPTHS = "height datum", "depth datum"


def _is_horizontal(system: System) -> bool:
    from ..spelt_systems import can_spell

    return system.space not in (HEIGHTS, DEPTHS) and can_spell(system)


_ID, _CITE = "idinfo", "idinfo/citation/citeinfo"
_FORM = "distinfo/stdorder/digform+/digtinfo"


def _vector_or_raster(record: Record) -> Record:
    """Return a record that is one of the two, as the standard has it: a raster counts no objects."""
    counted = any(d.size is not None and d.name in ("row", "column", "vertical") for d in record.dimensions)
    return replace(record, objects=()) if counted or record.cell_geometry else record


RECORD = shape(
    Record,
    many("contacts", f"{_CITE}/origin", ORGANISATION, role="originator"),
    many("dates", f"{_CITE}/pubdate", DATED, most=1, kind="publication"),
    one("title", f"{_CITE}/title", TEXT),
    one("edition", f"{_CITE}/edition", TEXT),
    one("form", f"{_CITE}/geoform", Coded(FORM)),
    many(
        "series", f"{_CITE}/serinfo", shape(Series, one("name", "sername", TEXT), one("issue", "issue", TEXT)), most=1
    ),
    many("contacts", f"{_CITE}/pubinfo+/publish", ORGANISATION, most=1, role="publisher"),
    one("other_citation", f"{_CITE}/othercit", TEXT),
    many("links", f"{_CITE}/onlink", shape(Link, one("url", ".", TEXT)), lambda link: link.function != "download"),
    many(
        "related",
        f"{_CITE}/lworkcit+/citeinfo",
        shape(Related, one("title", "title", TEXT)),
        most=1,
        kind="largerWorkCitation",
    ),
    one("abstract", f"{_ID}/descript/abstract", TEXT),
    one("purpose", f"{_ID}/descript/purpose", TEXT),
    one("supplement", f"{_ID}/descript/supplinf", TEXT),
    many("times", f"{_ID}/timeperd+/timeinfo", WHEN, most=1),
    one("currentness", f"{_ID}/timeperd/current", TEXT),
    one("status", f"{_ID}/status/progress", Coded(PROGRESS)),
    one("maintenance", f"{_ID}/status/update", Coded(UPDATE)),
    many(
        "boxes",
        f"{_ID}/spdom+/bounding",
        shape(
            Box,
            one("west", "westbc", NUMBER),
            one("east", "eastbc", NUMBER),
            one("north", "northbc", NUMBER),
            one("south", "southbc", NUMBER),
        ),
        most=1,
    ),
    many("keywords", f"{_ID}/keywords/theme", _keywords("theme", "themekt", "themekey"), kind="theme"),
    many("keywords", f"{_ID}/keywords/place", _keywords("place", "placekt", "placekey"), kind="place"),
    many("keywords", f"{_ID}/keywords/stratum", _keywords("stratum", "stratkt", "stratkey"), kind="stratum"),
    many("keywords", f"{_ID}/keywords/temporal", _keywords("temporal", "tempkt", "tempkey"), kind="temporal"),
    many(
        "constraints",
        f"{_ID}/accconst",
        shape(Constraint, many("other", ".", TEXT, most=1)),
        lambda c: c.kind == "legal" and c.access == ("otherRestrictions",),
        most=1,
        kind="legal",
        access=("otherRestrictions",),
    ),
    many("constraints", f"{_ID}/useconst", shape(Constraint, many("limits", ".", TEXT, most=1)), most=1, kind="limits"),
    many("contacts", f"{_ID}/ptcontac+/cntinfo", CONTACT, most=1, role="pointOfContact"),
    many(
        "pictures",
        f"{_ID}/browse",
        shape(Picture, one("link", "browsen", TEXT), one("description", "browsed", TEXT), one("type", "browset", TEXT)),
    ),
    many("credits", f"{_ID}/datacred", TEXT, most=1),
    many(
        "constraints",
        f"{_ID}/secinfo",
        shape(Constraint, one("classification", "secclass", Coded(CLASSES)), one("handling", "sechandl", TEXT)),
        most=1,
        kind="security",
    ),
    one("environment", f"{_ID}/native", TEXT),
    many("related", f"{_ID}/crossref+/citeinfo", shape(Related, one("title", "title", TEXT)), kind="crossReference"),
    many(
        "quality",
        "dataqual/attracc",
        _accuracy("attraccr", "qattracc", "attraccv", "attracce"),
        most=1,
        kind="quantitativeAttributeAccuracy",
    ),
    many("quality", "dataqual/logic", REPORT, most=1, kind="conceptualConsistency"),
    many("quality", "dataqual/complete", REPORT, most=1, kind="completenessOmission"),
    many(
        "quality",
        "dataqual/posacc/horizpa",
        _accuracy("horizpar", "qhorizpa", "horizpav", "horizpae"),
        lambda q: q.kind == ACCURACY and "vertical" not in q.measure.lower(),
        most=1,
        kind=ACCURACY,
    ),
    many(
        "quality",
        "dataqual/posacc/vertacc",
        _accuracy("vertaccr", "qvertpa", "vertaccv", "vertacce"),
        lambda q: q.kind == ACCURACY and "vertical" in q.measure.lower(),
        most=1,
        kind=ACCURACY,
        measure=VERTICAL,
    ),
    many("sources", "dataqual/lineage/srcinfo", SOURCE),
    many("steps", "dataqual/lineage/procstep", STEP),
    many("representation", "spdoinfo/direct", Coded(DIRECT), most=1),
    many(
        "objects",
        "spdoinfo/ptvctinf/sdtsterm",
        shape(ObjectCount, one("type", "sdtstype", Coded(OBJECTS)), one("count", "ptvctcnt", WHOLE)),
    ),
    one("cell_geometry", "spdoinfo/rastinfo/rasttype", Coded(CELLS)),
    *(
        many("dimensions", f"spdoinfo/rastinfo/{name}", shape(Dimension, one("size", ".", WHOLE)), most=1, name=axis)
        for axis, name in (("row", "rowcount"), ("column", "colcount"), ("vertical", "vrtcount"))
    ),
    many("systems", "spref/horizsys", Horizontal(), _is_horizontal, most=1),
    many("systems", "spref/vertdef/altsys", shape(System, one("code", "altdatum", TEXT)), most=1, space=HEIGHTS),
    many("systems", "spref/vertdef/depthsys", shape(System, one("code", "depthdn", TEXT)), most=1, space=DEPTHS),
    many(
        "entities",
        "eainfo/detailed",
        shape(
            Entity,
            one("name", "enttyp/enttypl", TEXT),
            one("definition", "enttyp/enttypd", TEXT),
            one("source", "enttyp/enttypds", TEXT),
            one("type", "enttyp/enttypt", OTHERS),
            one("count", "enttyp/enttypc", OTHERS),
            many("fields", "attr", FIELD),
        ),
    ),
    many(
        "overviews",
        "eainfo/overview",
        shape(Overview, one("summary", "eaover", TEXT), many("citations", "eadetcit", TEXT)),
    ),
    many("distributors", "distinfo/distrib+/cntinfo", CONTACT, most=1, role="distributor"),
    one("liability", "distinfo/distliab", TEXT),
    many("formats", _FORM, shape(Format, one("name", "formname", TEXT), one("version", "formvern", TEXT))),
    many(
        "links",
        "distinfo/stdorder/digform/digtopt/onlinopt+/computer/networka/networkr",
        shape(Link, one("url", ".", TEXT)),
        function="download",
    ),
    one("fees", "distinfo/stdorder/fees", TEXT),
    one("ordering", "distinfo/stdorder/ordering", TEXT),
    one("size_mb", "distinfo/stdorder/digform/digtinfo/transize", NUMBER),
    one("stamped", "metainfo/metd", DAY),
    many("record_contacts", "metainfo/metc+/cntinfo", CONTACT, most=1, role="pointOfContact"),
    one("standard_name", "metainfo/metstdn", TEXT),
    one("standard_version", "metainfo/metstdv", TEXT),
    trim=_vector_or_raster,
)


_DEFAULTS = {
    "themekt": NO_THESAURUS,
    "placekt": NO_THESAURUS,
    "stratkt": NO_THESAURUS,
    "tempkt": NO_THESAURUS,
    "addrtype": "mailing",
    "metstdn": "FGDC Content Standard for Digital Geospatial Metadata",
    "metstdv": "FGDC-STD-001-1998",
}
_NUMBERS = ("spdom", "bounding", "westbc", "eastbc", "northbc", "southbc")  # no word stands for a coordinate


def _not_known(element: etree._Element) -> bool:
    """Say that something that must be there is not known; coordinates can only be left out."""
    if element.tag in _NUMBERS:
        return False
    if not order_of_fgdc(str(element.tag)):
        element.text = _DEFAULTS.get(str(element.tag), NOT_KNOWN)
    return True


def _says_not_known(element: etree._Element) -> bool:
    found = {word for word in element.itertext() if word.strip()}
    return {word.strip() for word in found} <= {NOT_KNOWN, *_DEFAULTS.values()} and (bool(found) or len(element) > 0)


GRAMMAR = Grammar({}, order_of_fgdc, needs_of_fgdc, _not_known, _says_not_known)


def new_root() -> etree._Element:
    return etree.Element("metadata")


# What the standard calls its elements in full.
WORDS = {
    "origin": "originator", "pubdate": "publication date", "title": "title", "edition": "edition",
    "geoform": "geospatial data presentation form", "sername": "series name", "issue": "issue identification",
    "publish": "publisher", "othercit": "other citation details", "onlink": "online linkage",
    "abstract": "abstract", "purpose": "purpose", "supplinf": "supplemental information",
    "timeinfo": "time period information", "current": "currentness reference", "progress": "progress",
    "update": "maintenance and update frequency", "bounding": "bounding coordinates",
    "westbc": "west bounding coordinate", "eastbc": "east bounding coordinate",
    "northbc": "north bounding coordinate", "southbc": "south bounding coordinate", "theme": "theme",
    "place": "place", "stratum": "stratum", "temporal": "temporal", "themekt": "theme keyword thesaurus",
    "themekey": "theme keyword", "placekt": "place keyword thesaurus", "placekey": "place keyword",
    "accconst": "access constraints", "useconst": "use constraints", "cntinfo": "contact information",
    "browse": "browse graphic", "browsen": "browse graphic file name",
    "browsed": "browse graphic file description", "browset": "browse graphic file type",
    "datacred": "data set credit", "secclass": "security classification",
    "sechandl": "security handling description", "native": "native data set environment",
    "attracc": "attribute accuracy", "attraccr": "attribute accuracy report",
    "attraccv": "attribute accuracy value", "attracce": "attribute accuracy explanation",
    "logic": "logical consistency report", "complete": "completeness report",
    "horizpa": "horizontal positional accuracy", "horizpar": "horizontal positional accuracy report",
    "vertacc": "vertical positional accuracy", "vertaccr": "vertical positional accuracy report",
    "srcinfo": "source information", "srcscale": "source scale denominator", "typesrc": "type of source media",
    "srccontr": "source contribution", "procstep": "process step", "procdesc": "process description",
    "procdate": "process date", "direct": "direct spatial reference method",
    "sdtsterm": "SDTS terms description", "sdtstype": "SDTS point and vector object type",
    "ptvctcnt": "point and vector object count", "rasttype": "raster object type", "rowcount": "row count",
    "colcount": "column count", "vrtcount": "vertical count",
    "horizsys": "horizontal coordinate system definition", "altsys": "altitude system definition",
    "altdatum": "altitude datum name", "depthdn": "depth datum name", "detailed": "detailed description",
    "enttypl": "entity type label", "enttypd": "entity type definition",
    "enttypds": "entity type definition source", "attr": "attribute", "attrlabl": "attribute label",
    "attrdef": "attribute definition", "attrdefs": "attribute definition source",
    "edom": "enumerated domain", "edomv": "enumerated domain value",
    "edomvd": "enumerated domain value definition", "edomvds": "enumerated domain value definition source",
    "rdommin": "range domain minimum", "rdommax": "range domain maximum", "attrunit": "attribute units of measure",
    "codesetn": "codeset name", "codesets": "codeset source", "udom": "unrepresentable domain",
    "eaover": "entity and attribute overview", "eadetcit": "entity and attribute detail citation",
    "attrmres": "attribute measurement resolution", "begdatea": "beginning date of attribute values",
    "enddatea": "ending date of attribute values", "attrva": "attribute value accuracy",
    "attrvae": "attribute value accuracy explanation", "attrmfrq": "attribute measurement frequency",
    "overview": "overview description", "rdom": "range domain", "distliab": "distribution liability",
    "digtinfo": "digital transfer information", "formname": "format name", "formvern": "format version number",
    "networkr": "network resource name", "fees": "fees", "ordering": "ordering instructions",
    "transize": "transfer size", "metd": "metadata date", "metstdn": "metadata standard name",
    "metstdv": "metadata standard version", "cntorg": "contact organization", "cntper": "contact person",
    "cntpos": "contact position", "address": "address", "city": "city", "state": "state or province",
    "postal": "postal code", "country": "country", "cntvoice": "contact voice telephone",
    "cntfax": "contact facsimile telephone", "cntemail": "contact electronic mail address",
    "hours": "hours of service", "cntinst": "contact instructions", "citeinfo": "citation information",
}  # fmt: skip
