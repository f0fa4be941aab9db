"""Dublin Core: the fifteen elements and the terms that refine them, as XML."""

from __future__ import annotations

import re

from lxml import etree

from ..binding import Codec, many, one, shape
from ..iso_values import OwnText, number_in, plain_number
from ..model import Box, Constraint, Contact, DatedEvent, Format, KeywordSet, Period, Record, Related
from ..words import tidy
from ..xml_writer import Grammar

DC, DCT = "http://purl.org/dc/elements/1.1/", "http://purl.org/dc/terms/"
SPACES = {"dc": DC, "dct": DCT}
_BOX = re.compile(r"(northlimit|eastlimit|southlimit|westlimit)\s*=\s*([-+\d.]+)")
_PERIOD = re.compile(r"(start|end)\s*=\s*([^;]+)")
TYPES = {"Dataset": "dataset", "Collection": "series", "Service": "service", "Software": "software", "Image": "dataset"}


class BoxText(Codec):
    """A box by the DCMI Box encoding: northlimit=...; eastlimit=...; units=signed decimal degrees."""

    parts = ("west", "south", "east", "north")

    def read(self, element: etree._Element) -> Box | None:
        values = {side.removesuffix("limit"): number_in(n) for side, n in _BOX.findall(tidy(element.text).lower())}
        return Box(**values) if len(values) == 4 else None

    def write(self, element: etree._Element, value: Box) -> None:
        sides = {name: getattr(value, name) for name in ("north", "east", "south", "west")}
        limits = "; ".join(f"{name}limit={plain_number(v)}" for name, v in sides.items() if v is not None)
        element.text = f"{limits}; units=signed decimal degrees"

    def representable(self, value: Box) -> Box | None:
        return value if None not in (value.west, value.south, value.east, value.north) else None


class PeriodText(Codec):
    """A time by the DCMI Period encoding: start=...; end=...;"""

    parts = ("begin", "end")

    def read(self, element: etree._Element) -> Period | None:
        found = tidy(element.text)
        values = {name: day.strip() for name, day in _PERIOD.findall(found)}
        if values:
            return Period(values.get("start", ""), values.get("end", ""))
        return Period(found, found) if found else None

    def write(self, element: etree._Element, value: Period) -> None:
        ends = [f"{n}={v}" for n, v in (("start", value.begin), ("end", value.end)) if v]
        element.text = "; ".join([*ends, "scheme=W3C-DTF"])

    def representable(self, value: Period) -> Period | None:
        found = Period(value.begin.replace(";", ","), value.end.replace(";", ","))
        return found if found != Period() else None


class Kind(OwnText):
    """What the record describes, in the DCMI type vocabulary."""

    def read(self, element: etree._Element) -> str | None:
        return self.representable(tidy(element.text)) or None

    def write(self, element: etree._Element, value: str) -> None:
        if self.read(element) != value:
            element.text = {code: word for word, code in reversed(TYPES.items())}.get(value, value)

    def representable(self, value: str) -> str:
        return TYPES.get(value, value)


TEXT = OwnText()
NAME = shape(Contact, one("organisation", ".", TEXT))
DAY = shape(DatedEvent, one("day", ".", TEXT))


RECORD = shape(
    Record,
    one("identifier", "dc:identifier", TEXT),
    one("title", "dc:title", TEXT),
    many("alternate_titles", "dct:alternative", TEXT),
    many("contacts", "dc:creator", NAME, role="originator"),
    many("contacts", "dc:publisher", NAME, role="publisher"),
    many("contacts", "dc:contributor", NAME, role="contributor"),
    many("keywords", ".", shape(KeywordSet, many("words", "dc:subject", TEXT)), most=1),
    one("abstract", "dct:abstract", TEXT),
    one("abstract", "dc:description", TEXT),
    many("dates", "dct:created", DAY, kind="creation"),
    many("dates", "dct:issued", DAY, kind="publication"),
    many("dates", "dct:modified", DAY, kind="revision"),
    many("dates", "dc:date", DAY),
    one("level", "dc:type", Kind()),
    many("formats", "dc:format", shape(Format, one("name", ".", TEXT))),
    many("languages", "dc:language", TEXT),
    many("related", "dct:isPartOf", shape(Related, one("title", ".", TEXT)), kind="largerWorkCitation"),
    many("related", "dct:references", shape(Related, one("title", ".", TEXT)), kind="crossReference"),
    many("related", "dc:relation", shape(Related, one("title", ".", TEXT))),
    many("boxes", "dct:spatial", BoxText(), lambda box: None not in (box.west, box.south, box.east, box.north)),
    many("times", "dct:temporal", PeriodText()),
    many("places", "dc:coverage", TEXT),
    one("lineage", "dct:provenance", TEXT),
    many("constraints", "dct:accessRights", shape(Constraint, many("other", ".", TEXT, most=1)), kind="legal"),
    many("constraints", "dc:rights", shape(Constraint, many("limits", ".", TEXT, most=1)), kind="limits"),
)


def _never(element: etree._Element) -> bool:
    return False


_ORDER = tuple(dict.fromkeys(slot.steps[-1].rpartition(":")[2] for slot in RECORD.slots if slot.steps))
GRAMMAR = Grammar(SPACES, lambda name: _ORDER, lambda name: (), _never, _never)


def new_root() -> etree._Element:
    return etree.Element("metadata", nsmap=SPACES)
