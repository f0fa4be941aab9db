"""How ISO XML says values: a property element holds a character string, a code of a list, a date, a number.

The same in ISO 19139 and ISO 19115-3 but for the namespaces, which a `Dialect` names.
"""

from __future__ import annotations

import datetime
import re
from collections.abc import Mapping
from dataclasses import dataclass

from lxml import etree

from .binding import Codec, local_name, text_of
from .model import Period
from .words import Words, tidy

XSI_TYPE = "{http://www.w3.org/2001/XMLSchema-instance}type"
XLINK = "{http://www.w3.org/1999/xlink}href"
_DAY = re.compile(r"-?\d{4}(-\d\d(-\d\d)?)?")
MIDNIGHT = "T00:00:00"
NO_UNIT = "unknown"


@dataclass(frozen=True)
class Dialect:
    """The namespaces of one XML of ISO: basic types, GML, free text, where code lists are stored."""

    gco: str
    gml: str
    free_text: str
    free_text_type: str  # prefixed name for xsi:type
    code_lists: str


def is_date(text: str) -> bool:
    """Return whether a text is a year, a month, a day or a moment that the schema takes and the calendar has."""
    day, _, time = text.partition("T")
    if not _DAY.fullmatch(day) or (time and len(day) != len("2031-06-24")):
        return False
    year, month, number = (*map(int, day.split("-")), 1, 1)[:3] if not day.startswith("-") else (1, 1, 1)
    try:
        datetime.date(max(year, 1), month, number)
        if time:
            datetime.time.fromisoformat(time)
    except ValueError:
        return False
    return not time or time.count(":") >= 2


def _child(element: etree._Element, tag: str) -> etree._Element:
    """Return the first child, of a new tag if it has another one, or a new one; nothing says "missing" any more."""
    for name in [name for name in element.attrib if str(name).endswith("nilReason")]:
        del element.attrib[name]
    child = next((c for c in element if isinstance(c.tag, str)), None)
    if child is None:
        return etree.SubElement(element, tag if str(element.tag).startswith("{") else tag.rpartition("}")[2])
    if local_name(child) != tag.rpartition("}")[2]:
        child.tag = tag
    return child


def _first(element: etree._Element) -> etree._Element | None:
    return next((child for child in element if type(child.tag) is str), None)


class IsoText(Codec):
    """gco:CharacterString, or gmx:Anchor, with its translations."""

    def __init__(self, dialect: Dialect) -> None:
        self.dialect = dialect

    def read(self, element: etree._Element) -> str | None:
        stated, also = "", []
        if len(element) == 0:
            return tidy(element.text) or None
        for child in element:
            name = local_name(child)
            if name == "PT_FreeText":
                for group in child.iter("{*}LocalisedCharacterString"):
                    text = tidy(group.text)
                    if text:
                        also.append((group.get("locale", "").lstrip("#"), text))
            elif name and not stated:
                stated = tidy(child.text) or child.get("codeListValue", "")
        if also:
            return Words(stated, tuple(dict(also).items()))
        return stated or None

    def write(self, element: etree._Element, value: str) -> None:
        gco, free = self.dialect.gco, self.dialect.free_text
        old = self.read(element)
        also = getattr(value, "also", ())
        first = _first(element)
        if first is None or local_name(first) == "PT_FreeText" or len(first):
            text = etree.Element(f"{{{gco}}}CharacterString")
            element.insert(0, text)
        else:
            text = first
        for name in [name for name in element.attrib if str(name).endswith("nilReason")]:
            del element.attrib[name]
        if old is None or str(old) != str(value):
            text.text = str(value)
        if getattr(old, "also", ()) == also:
            return
        for child in element.findall("{*}PT_FreeText"):
            element.remove(child)
        if not also:
            element.attrib.pop(XSI_TYPE, None)
            return
        element.set(XSI_TYPE, self.dialect.free_text_type)
        texts = etree.SubElement(element, f"{{{free}}}PT_FreeText")
        for language, words in also:
            group = etree.SubElement(texts, f"{{{free}}}textGroup")
            localised = etree.SubElement(group, f"{{{free}}}LocalisedCharacterString", locale=f"#{language}")
            localised.text = words


class IsoCode(Codec):
    """An entry of a code list; `names` turns the spellings of old records into those of the model."""

    def __init__(self, dialect: Dialect, space: str, name: str, aliases: Mapping[str, str] | None = None) -> None:
        self.dialect, self.tag, self.name = dialect, f"{{{space}}}{name}", name
        self.aliases = aliases or {}

    def read(self, element: etree._Element) -> str | None:
        child = _first(element)
        if child is None:
            return None
        found = child.get("codeListValue") or tidy(child.text)
        return self.aliases.get(found, found) or None

    def write(self, element: etree._Element, value: str) -> None:
        child = _child(element, self.tag)
        child.set("codeList", child.get("codeList") or f"{self.dialect.code_lists}#{self.name}")
        child.set("codeListValue", value)
        child.text = value


class IsoEnum(Codec):
    """An entry of a list that the schema itself knows, as topic categories."""

    def __init__(self, space: str, name: str) -> None:
        self.tag = f"{{{space}}}{name}"

    def read(self, element: etree._Element) -> str | None:
        child = _first(element)
        return (tidy(child.text) if child is not None else "") or None

    def write(self, element: etree._Element, value: str) -> None:
        _child(element, self.tag).text = value


class IsoDate(Codec):
    """gco:Date or gco:DateTime."""

    def __init__(self, dialect: Dialect) -> None:
        self.dialect = dialect

    def read(self, element: etree._Element) -> str | None:
        child = _first(element)
        return tidy(child.text if child is not None else element.text) or None

    def write(self, element: etree._Element, value: str) -> None:
        kind = "DateTime" if "T" in value else "Date"
        _child(element, f"{{{self.dialect.gco}}}{kind}").text = value

    def representable(self, value: str) -> str:
        return value if is_date(value) else ""


class IsoMoment(IsoDate):
    """gco:DateTime where the schema takes no plain day: a day is written as its midnight."""

    def read(self, element: etree._Element) -> str | None:
        found = super().read(element)
        return found.removesuffix(MIDNIGHT) if found else None

    def write(self, element: etree._Element, value: str) -> None:
        super().write(element, value if "T" in value else value + MIDNIGHT)

    def representable(self, value: str) -> str:
        whole = is_date(value) and ("T" in value or len(value) == len("2031-06-24"))
        return value.removesuffix(MIDNIGHT) if whole else ""


class IsoNumber(Codec):
    """gco:Integer, gco:Decimal or gco:Real."""

    def __init__(self, dialect: Dialect, name: str) -> None:
        self.tag, self.whole = f"{{{dialect.gco}}}{name}", name == "Integer"

    def read(self, element: etree._Element) -> int | float | None:
        child = _first(element)
        return number_in(child.text if child is not None else element.text, self.whole)

    def write(self, element: etree._Element, value: float) -> None:
        _child(element, self.tag).text = plain_number(value)


class IsoBoolean(Codec):
    """gco:Boolean as the words yes and no."""

    def __init__(self, dialect: Dialect) -> None:
        self.tag = f"{{{dialect.gco}}}Boolean"

    def read(self, element: etree._Element) -> str | None:
        child = _first(element)
        text = (child.text or "").strip().lower() if child is not None else ""
        return {"true": "yes", "1": "yes", "false": "no", "0": "no"}.get(text)

    def write(self, element: etree._Element, value: str) -> None:
        _child(element, self.tag).text = "true" if value == "yes" else "false"

    def representable(self, value: str) -> str:
        return value if value in ("yes", "no") else ""


class IsoChild(Codec):
    """The text of a child of a given name, such as gmd:URL or gco:Record."""

    def __init__(self, space: str, name: str, **attributes: str) -> None:
        self.tag, self.attributes = f"{{{space}}}{name}", attributes

    def read(self, element: etree._Element) -> str | None:
        child = _first(element)
        return (tidy(element.text) if child is None else text_of(child)) or None

    def write(self, element: etree._Element, value: str) -> None:
        child = _child(element, self.tag)
        for inner in list(child):
            child.remove(inner)
        child.text = value


class IsoUnit(Codec):
    """The unit of a value: a GML unit with its identifier, or a link that ends in it."""

    def __init__(self, dialect: Dialect) -> None:
        self.gml = dialect.gml

    def read(self, element: etree._Element) -> str | None:
        child = _first(element)
        if child is None:
            return element.get(XLINK, "").rpartition("#")[2].rpartition("/")[2] or None
        found = child.find("{*}identifier")
        return tidy(found.text if found is not None else child.text) or None

    def write(self, element: etree._Element, value: str) -> None:
        for child in list(element):
            element.remove(child)
        element.attrib.clear()
        unit = etree.SubElement(element, f"{{{self.gml}}}BaseUnit")
        unit.set(f"{{{self.gml}}}id", _id_for(element, "unit", value))
        etree.SubElement(unit, f"{{{self.gml}}}identifier", codeSpace="ucum").text = value
        etree.SubElement(unit, f"{{{self.gml}}}unitsSystem").set(XLINK, "http://unitsofmeasure.org")


class IsoPeriod(Codec):
    """gml:TimePeriod or gml:TimeInstant; a period with both ends the same is an instant."""

    parts = ("begin", "end")

    def __init__(self, dialect: Dialect) -> None:
        self.gml = dialect.gml

    def read(self, element: etree._Element) -> Period | None:
        child = _first(element)
        if child is None:
            return None
        if local_name(child) == "TimeInstant":
            day = next((tidy(e.text) for e in child.iter("{*}timePosition")), "")
            return Period(day, day) if day else None
        ends = []
        for name in ("begin", "end"):
            found = child.find(f"{{*}}{name}Position")
            if found is None:
                found = child.find(f"{{*}}{name}//{{*}}timePosition")
            ends.append((tidy(found.text) or found.get("indeterminatePosition", "")) if found is not None else "")
        return Period(*(end if end != "unknown" else "" for end in ends)) if any(ends) else None

    def write(self, element: etree._Element, value: Period) -> None:
        for child in list(element):
            element.remove(child)
        name = _id_for(element, "time", f"{value.begin}-{value.end}")
        g = f"{{{self.gml}}}"
        if value.begin == value.end:
            instant = etree.SubElement(element, g + "TimeInstant", {g + "id": name})
            self._position(instant, "timePosition", value.begin)
        else:
            period = etree.SubElement(element, g + "TimePeriod", {g + "id": name})
            self._position(period, "beginPosition", value.begin)
            self._position(period, "endPosition", value.end)

    def _position(self, parent: etree._Element, name: str, day: str) -> None:
        position = etree.SubElement(parent, f"{{{self.gml}}}{name}")
        if is_date(day):
            position.text = day
        else:
            position.set("indeterminatePosition", day if day in ("now", "after", "before") else "unknown")

    def representable(self, value: Period) -> Period | None:
        ends = tuple(e if is_date(e) or e in ("now", "after", "before") else "" for e in (value.begin, value.end))
        return Period(*ends) if any(ends) else None


class OwnText(Codec):
    """The text of the element itself, in one language."""

    def read(self, element: etree._Element) -> str | None:
        return tidy(element.text) or None

    def write(self, element: etree._Element, value: str) -> None:
        if tidy(element.text) != value:
            element.text = value

    def representable(self, value: str) -> str:
        return str(value)


class OwnNumber(Codec):
    """A number as the text of the element itself."""

    def __init__(self, whole: bool = False) -> None:
        self.whole = whole

    def read(self, element: etree._Element) -> int | float | None:
        return number_in(element.text, self.whole)

    def write(self, element: etree._Element, value: float | None) -> None:
        element.text = "" if value is None else plain_number(value)


class MeasuredNumber(OwnNumber):
    """A number with a unit in the attribute uom, which the schema demands."""

    def write(self, element: etree._Element, value: float | None) -> None:
        super().write(element, value)
        if "uom" not in element.attrib:
            element.set("uom", NO_UNIT)


class Attribute(Codec):
    """The value of an attribute of the element itself."""

    shares = True

    def __init__(self, name: str) -> None:
        self.name = name

    def read(self, element: etree._Element) -> str | None:
        found = element.get(self.name, "").lstrip("#")
        return None if found == NO_UNIT else found or None

    def write(self, element: etree._Element, value: str) -> None:
        if value:
            element.set(self.name, value)
        elif self.name in element.attrib:
            element.set(self.name, NO_UNIT)

    def representable(self, value: str) -> str:
        found = str(value).lstrip("#")
        return "" if found == NO_UNIT else found


class XmlId(Attribute):
    """An id: a name by the rules of XML, unique in its document."""

    def representable(self, value: str) -> str:
        return str(value) if re.fullmatch(r"[A-Za-z_][\w.-]*", value, re.ASCII) else ""

    def write(self, element: etree._Element, value: str) -> None:
        if value:
            taken = any(e is not element and e.get(self.name) == value for e in element.getroottree().iter("*"))
            element.set(self.name, f"{value}-2" if taken else value)
        else:
            element.attrib.pop(self.name, None)


def number_in(text: str | None, whole: bool = False) -> int | float | None:
    """Return the number that a text is, decimal commas taken too, or None."""
    words = (text or "").strip()
    if not words:
        return None
    try:
        return int(words) if whole else _finite(float(words))
    except ValueError:
        pass
    try:
        value = _finite(float(words.replace(",", ".", 1)))
    except ValueError:
        return None
    if whole:
        return int(value) if value is not None and value.is_integer() else None
    return value


def _finite(value: float) -> float | None:
    return value if value - value == 0 else None


def plain_number(value: float) -> str:
    """Return a number without an exponent, as xs:decimal wants it, exact enough to be read back."""
    text = repr(value)
    if "e" not in text:
        return text.removesuffix(".0")
    from decimal import Decimal

    return format(Decimal(text), "f")


def _id_for(element: etree._Element, kind: str, value: str) -> str:
    """Return an id that no other element of the document has."""
    stem = f"{kind}-" + (re.sub(r"[^A-Za-z0-9]+", "-", value).strip("-") or "none")
    taken = {
        v
        for e in element.getroottree().getroot().iter("*")
        for name, v in e.attrib.items()
        if str(name).endswith("}id")
    }
    number, name = 1, stem
    while name in taken:
        number += 1
        name = f"{stem}-{number}"
    return name
