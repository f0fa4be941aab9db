"""The schemas that ship with the product: what they demand, in which order, and checking against them."""

from __future__ import annotations

from collections.abc import Iterator
from functools import cache
from pathlib import Path
from typing import Any

from lxml import etree

HERE = Path(__file__).parent
_XS = "{http://www.w3.org/2001/XMLSchema}"


@cache
def _types() -> dict[str, tuple[str, list[tuple[str, bool]]]]:
    """Return, by class of ISO 19139, the class it extends and its own children with whether they must be there."""
    found = {}
    for path in sorted((HERE / "iso19139").glob("g[mc][dox]/*.xsd")):
        for kind in etree.parse(path).iter(f"{_XS}complexType"):
            name = kind.get("name", "")
            if not name.endswith("_Type"):
                continue
            extension = kind.find(f".//{_XS}extension")
            above = extension.get("base", "") if extension is not None else ""
            children = []
            for element in kind.iter(f"{_XS}element"):
                child = (element.get("name") or element.get("ref", "")).rpartition(":")[2]
                group = element.getparent()
                optional = element.get("minOccurs") == "0" or group is None or group.tag == f"{_XS}choice"
                optional = optional or (group is not None and group.get("minOccurs") == "0")
                children.append((child, not optional))
            found[name.removesuffix("_Type")] = (above.rpartition(":")[2].removesuffix("_Type"), children)
    return found


@cache
def _children(name: str) -> tuple[tuple[str, bool], ...]:
    above, own = _types().get(name, ("", []))
    inherited = _children(above) if above and above != name else ()
    return (*inherited, *own)


def order_of_schema(name: str) -> tuple[str, ...]:
    """Return the children that a class of ISO 19139 has, in the order of its schema."""
    return tuple(child for child, _ in _children(name))


def needs_of_schema(name: str) -> tuple[tuple[str, ...], ...]:
    """Return the children that a class of ISO 19139 must have."""
    return tuple((child,) for child, needed in _children(name) if needed)


@cache
def iso19139_schema() -> etree.XMLSchema:
    """Return the schema of ISO 19139 (2007), which takes about a second to load the first time."""
    return etree.XMLSchema(etree.parse(HERE / "iso19139" / "gmx" / "gmx.xsd"))


@cache
def fgdc_schema() -> etree.DTD:
    """Return the production rules of FGDC CSDGM as a document type."""
    with (HERE / "fgdc" / "csdgm.dtd").open("rb") as file:
        return etree.DTD(file)


_LIKELY = ("udom", "sngdate", "cntorgp")  # of several, the one to write where nothing is known
_ALSO = {"spdoinfo": (("direct",),), "rastinfo": (("rowcount",), ("colcount",))}  # once one of a group is there


@cache
def _fgdc_content() -> dict[str, Any]:
    return {element.name: element.content for element in fgdc_schema().iterelements()}


def order_of_fgdc(name: str) -> tuple[str, ...]:
    """Return the children that an element of FGDC CSDGM has, in their order."""
    return tuple(dict.fromkeys(_names(_fgdc_content().get(name))))


def needs_of_fgdc(name: str) -> tuple[tuple[str, ...], ...]:
    """Return the children that an element of FGDC CSDGM must have; of each group one."""
    needed = list(_needed(_fgdc_content().get(name)))
    return tuple(tuple(sorted(names, key=lambda n: n not in _LIKELY)) for names in needed) + _ALSO.get(name, ())


def _names(content: Any) -> Iterator[str]:
    if content is None:
        return
    if content.type == "element":
        yield content.name
    yield from _names(content.left)
    yield from _names(content.right)


def _needed(content: Any) -> Iterator[tuple[str, ...]]:
    if content is None or content.occur in ("opt", "mult"):
        return
    if content.type == "element":
        yield (content.name,)
    elif content.type == "or":
        yield tuple(_names(content))
    elif content.type == "seq":
        yield from _needed(content.left)
        yield from _needed(content.right)
