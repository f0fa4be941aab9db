"""Checking a catalogue by SHACL shapes for DCAT-AP: what must be stated, once, as what."""

from __future__ import annotations

from dataclasses import dataclass
from functools import cache
from pathlib import Path

from rdflib import RDF, SH, Graph
from rdflib.term import Node

SHAPES = Path(__file__).parent / "shapes.ttl"


@dataclass(frozen=True)
class ShapeFinding:
    """What a shape found wrong: with what, and why."""

    about: str
    reason: str


@cache
def _shapes() -> Graph:
    return Graph().parse(SHAPES, format="turtle")


def findings_in(data: Graph) -> list[ShapeFinding]:
    """Return where a graph does not conform to the shapes, in the order of what they are about."""
    import pyshacl

    conforms, report, _ = pyshacl.validate(data, shacl_graph=_shapes(), inference="none", advanced=False)
    if conforms or not isinstance(report, Graph):
        return []
    found = [
        ShapeFinding(_text(report.value(result, SH.focusNode)), _text(report.value(result, SH.resultMessage)))
        for result in report.subjects(RDF.type, SH.ValidationResult)
    ]
    return sorted(found, key=lambda each: (each.about, each.reason))


def _text(node: Node | None) -> str:
    return "" if node is None else str(node)
