"""An RDF graph as Turtle, JSON-LD and RDF/XML, all three from one walk through it.

The graphs of records are small trees: what they describe by itself stands at the top, what has no address within it.
"""

from __future__ import annotations

import json
import re
from collections import Counter, defaultdict
from collections.abc import Iterator
from functools import lru_cache
from typing import Any
from xml.sax.saxutils import escape, quoteattr

from rdflib import RDF, XSD, BNode, Graph, Literal, URIRef
from rdflib.term import Node

LOCAL = re.compile(r"[A-Za-z_][A-Za-z0-9_-]*")
NOT_XML = re.compile("[\x00-\x08\x0b\x0c\x0e-\x1f\ud800-\udfff\ufffe\uffff]")
_ESCAPED = re.compile(r'[\x00-\x1f"\\]')
_SIGNS = {'"': '\\"', "\\": "\\\\", "\n": "\\n", "\r": "\\r", "\t": "\\t"}


class GraphText:
    """A graph on its way into text."""

    def __init__(self, graph: Graph) -> None:
        self.spaces = {str(space): prefix for prefix, space in graph.namespaces() if str(space)[-1:] in ("#", "/")}
        self.spaces.setdefault(str(RDF), "rdf")
        self.stated: dict[Node, dict[URIRef, list[Node]]] = defaultdict(lambda: defaultdict(list))
        uses: Counter[Node] = Counter()
        for subject, predicate, value in graph:
            self.stated[subject][predicate].append(value)  # type: ignore[index]
            uses[value] += isinstance(value, BNode)
        self.inner = {node for node, count in uses.items() if count == 1 and isinstance(node, BNode)}
        self.top = sorted((node for node in self.stated if node not in self.inner), key=str)
        self.used: dict[str, str] = {}
        self.short = lru_cache(None)(self._short)

    def _short(self, address: str) -> str:
        """Return an address by its prefix, "" where no prefix fits; the prefix is noted as used."""
        cut = max(address.rfind("#"), address.rfind("/")) + 1
        prefix = self.spaces.get(address[:cut], "")
        if not prefix or not LOCAL.fullmatch(address[cut:]):
            return ""
        self.used[prefix] = address[:cut]
        return f"{prefix}:{address[cut:]}"

    def pairs(self, node: Node) -> Iterator[tuple[URIRef, list[Node]]]:
        """Yield what is stated of a node, its types first, in an order that does not change from run to run."""
        stated = self.stated[node]
        for predicate in sorted(stated, key=lambda each: (each != RDF.type, str(each))):
            yield predicate, sorted(stated[predicate], key=self._order)

    def _order(self, value: Node) -> tuple[str, ...]:
        """Return what values are sorted by: those without an address by what is stated of them."""
        if isinstance(value, BNode):
            return ("2", *sorted(f"{key}{each}" for key, those in self.stated[value].items() for each in those
                                 if not isinstance(each, BNode)))  # fmt: skip
        return "1", str(value), getattr(value, "language", None) or ""

    # Turtle

    def turtle(self) -> str:
        """Return the graph as Turtle."""
        body = "\n".join(f"{self._name(node)} {self._stated(node, 1)} .\n" for node in self.top)
        heads = "".join(f"@prefix {prefix}: <{space}> .\n" for prefix, space in sorted(self.used.items()))
        return f"{heads}\n{body}"

    def _stated(self, node: Node, depth: int) -> str:
        pad = "    " * depth
        lines = [
            f"{'a' if predicate == RDF.type else self._name(predicate)} "
            + ", ".join(self._value(value, depth) for value in values)
            for predicate, values in self.pairs(node)
        ]
        return f" ;\n{pad}".join(lines)

    def _value(self, value: Node, depth: int) -> str:
        if value in self.inner:
            return f"[ {self._stated(value, depth + 1)} ]"
        return self._literal(value) if isinstance(value, Literal) else self._name(value)

    def _name(self, node: Node) -> str:
        if isinstance(node, BNode):
            return f"_:{node}"
        return self.short(str(node)) or f"<{node}>"

    def _literal(self, value: Literal) -> str:
        text = _ESCAPED.sub(lambda sign: _SIGNS.get(sign[0]) or f"\\u{ord(sign[0]):04X}", str(value))
        if value.language:
            return f'"{text}"@{value.language}'
        plain = value.datatype in (None, XSD.string)
        return f'"{text}"' if plain else f'"{text}"^^{self._name(value.datatype)}'  # type: ignore[arg-type]

    # JSON-LD

    def json_ld(self) -> str:
        """Return the graph as JSON-LD: an object, or a list of them, each with its context, so that the objects of
        several graphs can stand in one list."""
        nodes = [self._object(node) for node in self.top]
        context = {"@context": dict(sorted(self.used.items()))}
        found = [context | node for node in nodes]
        return json.dumps(found[0] if len(found) == 1 else found, ensure_ascii=False, indent=1)

    def _object(self, node: Node) -> dict[str, Any]:
        named = {} if node in self.inner else {"@id": f"_:{node}" if isinstance(node, BNode) else str(node)}
        return named | {
            ("@type" if predicate == RDF.type else self.short(str(predicate)) or str(predicate)): [
                (self.short(str(value)) or str(value)) if predicate == RDF.type else self._json(value)
                for value in values
            ]
            for predicate, values in self.pairs(node)
        }

    def _json(self, value: Node) -> Any:
        if not isinstance(value, Literal):
            return self._object(value) if value in self.inner else {"@id": self._address(value)}
        if value.language:
            return {"@value": str(value), "@language": value.language}
        if value.datatype in (None, XSD.string):
            return str(value)
        return {"@value": str(value), "@type": self.short(str(value.datatype)) or str(value.datatype)}

    @staticmethod
    def _address(value: Node) -> str:
        return f"_:{value}" if isinstance(value, BNode) else str(value)

    # RDF/XML

    def rdf_xml(self) -> str:
        """Return the graph as RDF/XML."""
        own: dict[str, str] = {}
        body = "\n".join(self._element(node, own) for node in self.top)
        spaces = {**self.used, "rdf": str(RDF), **{prefix: space for space, prefix in own.items()}}
        heads = "\n  ".join(f'xmlns:{prefix}="{escape(space)}"' for prefix, space in sorted(spaces.items()))
        return f'<?xml version="1.0" encoding="utf-8"?>\n<rdf:RDF {heads}>\n{body}\n</rdf:RDF>\n'

    def _element(self, node: Node, own: dict[str, str]) -> str:
        about = "" if node in self.inner else (
            f' rdf:nodeID="{node}"' if isinstance(node, BNode) else f" rdf:about={quoteattr(str(node))}"
        )  # fmt: skip
        lines = [self._property(predicate, value, own) for predicate, values in self.pairs(node) for value in values]
        return f"<rdf:Description{about}>\n" + "\n".join(lines) + "\n</rdf:Description>"

    def _property(self, predicate: URIRef, value: Node, own: dict[str, str]) -> str:
        name = self.short(str(predicate)) or self._own_name(str(predicate), own)
        if value in self.inner:
            return f"<{name}>{self._element(value, own)}</{name}>"
        if isinstance(value, Literal):
            kind = f" rdf:datatype={quoteattr(str(value.datatype))}" if value.datatype not in (None, XSD.string) else ""
            kind = f' xml:lang="{value.language}"' if value.language else kind
            return f"<{name}{kind}>{escape(NOT_XML.sub('�', str(value)))}</{name}>"
        if isinstance(value, BNode):
            return f'<{name} rdf:nodeID="{value}"/>'
        return f"<{name} rdf:resource={quoteattr(str(value))}/>"

    @staticmethod
    def _own_name(address: str, own: dict[str, str]) -> str:
        """Return a name for a property whose space has no prefix."""
        cut = max(address.rfind("#"), address.rfind("/")) + 1
        return f"{own.setdefault(address[:cut], f'own{len(own)}')}:{address[cut:]}"
