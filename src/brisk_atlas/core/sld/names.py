"""The namespaces and words of the standards, and elements built from them."""

from __future__ import annotations

from typing import Any

from lxml import etree

SLD, SE, OGC = "http://www.opengis.net/sld", "http://www.opengis.net/se", "http://www.opengis.net/ogc"
XLINK, XSI = "http://www.w3.org/1999/xlink", "http://www.w3.org/2001/XMLSchema-instance"
SCHEMA = "http://schemas.opengis.net/sld/1.1.0/StyledLayerDescriptor.xsd"
PREFIXES = {None: SLD, "se": SE, "ogc": OGC, "xlink": XLINK, "xsi": XSI}
SYMBOLS = {"circle": "circle", "square": "square", "triangle": "triangle", "cross": "cross"}  # as both call them
JOINS = {"round": "round", "mitre": "mitre", "bevel": "bevel"}
CAPS = {"round": "round", "flat": "butt", "square": "square"}


def local(element: Any) -> str:
    """Return the name of an element without its namespace, "" for a comment."""
    return etree.QName(element).localname if isinstance(element.tag, str) else ""


def below(element: Any, *path: str) -> Any | None:
    """Return the first element along local names; None where one is missing. Both versions differ by namespace."""
    for name in path:
        element = next((child for child in element if local(child) == name), None) if element is not None else None
    return element


def all_below(element: Any, name: str) -> list[Any]:
    """Return the children of a local name."""
    return [child for child in element if local(child) == name]


def text_of(element: Any | None, *path: str) -> str:
    """Return the trimmed text of an element along local names, "" where there is none."""
    found = below(element, *path) if element is not None else None
    return (found.text or "").strip() if found is not None else ""


def add(parent: Any, space: str, name: str, text: str | None = None, /, **attributes: str) -> Any:
    """Add an element to another and return it."""
    made = etree.SubElement(parent, f"{{{space}}}{name}", attributes)
    made.text = text
    return made
