"""Whether XML is as the OGC's schemas of its namespaces have it: names, order, how often, attributes, values.

The types lie in `stored/xml_forms.json`. What belongs to a namespace that is not among them (GML, ISO records) is not
looked at.
"""

from __future__ import annotations

import json
import re
from collections.abc import Iterator
from functools import cache
from pathlib import Path
from typing import Any, NamedTuple

from lxml import etree

MODULES: dict[str, dict[str, Any]] = json.loads((Path(__file__).parent / "stored" / "xml_forms.json").read_text())
NAMESPACES = {module["dens"] for module in MODULES.values()}
CHOICES = (  # one of which is needed
    {"AllowedValues", "AnyValue", "NoValues", "ValuesReference"},
    {"DefaultCRS", "NoCRS"},
    {"DefaultSRS", "NoSRS"},
)
NOT_NEEDED = {"UOM", "ReferenceSystem"}  # a choice that may be left out
INSTANCE = "{http://www.w3.org/2001/XMLSchema-instance}"
XML = "{http://www.w3.org/XML/1998/namespace}"
VALUES = {
    **dict.fromkeys(("Double", "Decimal", "Float"), r"[+-]?(\d+\.?\d*|\.\d+)([eE][+-]?\d+)?|INF|-INF|NaN"),
    **dict.fromkeys(("Int", "Integer", "Short", "Byte"), r"[+-]?\d+"),
    "NonNegativeInteger": r"\+?\d+",
    "PositiveInteger": r"\+?0*[1-9]\d*",
    "Boolean": r"true|false|0|1",
    "DateTime": r"-?\d{4,}-\d\d-\d\dT\d\d:\d\d:\d\d(\.\d+)?(Z|[+-]\d\d:\d\d)?",
    "AnyURI": r"\S*",
}


class Form(NamedTuple):
    """What a schema has for one property of a type: the elements that may stand in a place, or an attribute."""

    names: dict[str, str]  # of elements or an attribute, and the type of each
    minimum: int
    many: bool
    is_any: bool


def faults_of(text: bytes) -> list[str]:
    """Return what is not as the schemas have it, a line each."""
    root = etree.fromstring(text)
    known = _elements().get(root.tag)
    return list(_element(root, known, root.tag)) if known else [f"{root.tag} is no element of a schema"]


@cache
def _elements() -> dict[str, str]:
    """Return the type of each element that can stand by itself."""
    return {_name(module, each["en"]): _type(module, each) for module, each in _declared()}


@cache
def _heads() -> dict[str, str]:
    """Return what each element can stand for."""
    return {_name(module, each["en"]): _name(module, each["sh"]) for module, each in _declared() if "sh" in each}


def _declared() -> Iterator[tuple[str, dict[str, Any]]]:
    return ((name, each) for name, module in MODULES.items() for each in module.get("eis", ()))


def _name(module: str, stated: Any, *, attribute: bool = False) -> str:
    """Return a name with its namespace: the stated one, else that of the module's elements or attributes."""
    if isinstance(stated, dict):
        local, space = stated["lp"], stated.get("ns", "" if attribute else MODULES[module]["dens"])
    else:
        local, space = stated, MODULES[module].get("dans" if attribute else "dens", "")
    return f"{{{space}}}{local}" if space else local


def _type(module: str, stated: dict[str, Any]) -> str:
    kind = stated.get("ti", "String")
    if not isinstance(kind, str):  # a list of values
        return "String"
    return f"{module}{kind}" if kind.startswith(".") else kind


@cache
def _described(kind: str) -> dict[str, Any] | None:
    """Return the description of a type, None for one of a module that is not there, or a plain value."""
    module, _, name = kind.partition(".")
    return next((t for t in MODULES.get(module, {}).get("tis", ()) if t["ln"] == name), None)


@cache
def _forms(kind: str) -> tuple[tuple[Form, ...], dict[str, Form], bool, str]:
    """Return the elements of a type in their order, its attributes, whether it may have any others, and the type of its
    text ("" for none)."""
    elements: list[Form] = []
    attributes: dict[str, Form] = {}
    open_, text = False, ""
    described, module = _described(kind), kind.partition(".")[0]
    assert described is not None
    if "bti" in described:
        base = _type(module, {"ti": described["bti"]})
        if _described(base) is not None:
            inherited, attributes, open_, text = _forms(base)
            elements, attributes = list(inherited), dict(attributes)
        elif "." not in base:
            text = base
        else:  # of a namespace that is not looked at, whose own elements come first
            elements, open_ = [Form({"{elsewhere}any": ""}, 0, True, False)], True
    for each in described.get("ps", ()):
        how = each.get("t", "e")
        minimum = each.get("mno", 1 if each.get("rq") else 0)
        if how == "v":
            text = _type(module, each)
        elif how == "aa":
            open_ = True
        elif how == "a":
            name = _name(module, each.get("an", each["n"]), attribute=True)
            attributes[name] = Form({name: _type(module, each)}, minimum, False, False)
        else:
            names = each.get("etis", [{"en": each.get("en", each["n"]), **each}])
            forms = {} if how == "ae" else {_name(module, one["en"]): _type(module, one) for one in names}
            is_any = how == "ae" or (how in ("er", "ers") and each.get("dom", True))
            elements.append(Form(forms, minimum, each.get("col", False), is_any))
    return tuple(elements), attributes, open_, text


def _element(element: Any, kind: str, place: str) -> Iterator[str]:
    described = _described(kind)
    if described is None:
        if "." not in kind:
            yield from _value(element.text or "", kind, place)
        return
    if described.get("t") == "enum":
        yield from _value(element.text or "", kind, place)
        return
    forms, attributes, open_, text = _forms(kind)
    for name, value in element.attrib.items():
        if name in attributes:
            yield from _value(value, attributes[name].names[name], f"{place}/@{name}")
        elif not open_ and not name.startswith((INSTANCE, XML)):
            yield f"{place} has no attribute {name}"
    for name, form in attributes.items():
        if form.minimum and name not in element.attrib:
            yield f"{place} lacks the attribute {name}"
    if text and not forms:
        yield from _value(element.text or "", text, place)
    counts, at = [0] * len(forms), 0
    for child in element.iterchildren(etree.Element):
        where = f"{place}/{etree.QName(child).localname}"
        fitting = [i for i in range(at, len(forms)) if _kind_in(forms[i], child.tag) is not None]
        found = next((i for i in fitting if child.tag in forms[i].names), next(iter(fitting), None))
        if found is None:
            known = any(_kind_in(form, child.tag) is not None for form in forms)
            yield f"{where} stands {'too late' if known else 'where it may not'}"
            continue
        at = found
        counts[at] += 1
        if counts[at] > 1 and not forms[at].many:
            yield f"{where} stands there more than once"
        below = _kind_in(forms[at], child.tag) or _elements().get(child.tag, "")
        if below:
            yield from _element(child, below, where)
    there = {etree.QName(child.tag).localname for child in element.iterchildren(etree.Element)}
    for form, count in zip(forms, counts):
        names = {etree.QName(name).localname for name in form.names}
        instead = set().union(*(some for some in CHOICES if some & names))
        if count < form.minimum and not there & instead and not names & NOT_NEEDED:
            yield f"{place} lacks {' or '.join(sorted(names | instead)) or 'an element'}"


def _kind_in(form: Form, tag: str) -> str | None:
    """Return the type that an element has in a place, "" where it is not looked at, None where it may not stand there."""
    if tag in form.names:
        return form.names[tag]
    head = _heads().get(tag)
    while head is not None:
        if head in form.names:
            return _elements()[tag]
        head = _heads().get(head)
    foreign = etree.QName(tag).namespace not in NAMESPACES
    if form.is_any or (foreign and any(etree.QName(name).namespace not in NAMESPACES for name in form.names)):
        return ""
    return None


def _value(text: str, kind: str, place: str) -> Iterator[str]:
    described = _described(kind)
    if described is not None and described.get("t") == "enum":
        if text.strip() not in described["vs"]:
            yield f"{place} is {text.strip()!r}, none of {', '.join(described['vs'])}"
        return
    pattern = VALUES.get(kind)
    if pattern is not None and not re.fullmatch(pattern, text.strip()):
        yield f"{place} is {text.strip()!r}, no {kind}"
