"""Conditions and expressions as OGC Filter Encoding 1.1, from SQL and to it."""

from __future__ import annotations

import re
from collections.abc import Collection
from typing import Any

from brisk_atlas.core.model.language import tr
from brisk_atlas.core.table.asking import quoted
from brisk_atlas.core.table.expression import literal, syntax_tree

from .names import OGC, add, local

COMPARISONS = {
    "COMPARE_EQUAL": "PropertyIsEqualTo",
    "COMPARE_NOTEQUAL": "PropertyIsNotEqualTo",
    "COMPARE_LESSTHAN": "PropertyIsLessThan",
    "COMPARE_GREATERTHAN": "PropertyIsGreaterThan",
    "COMPARE_LESSTHANOREQUALTO": "PropertyIsLessThanOrEqualTo",
    "COMPARE_GREATERTHANOREQUALTO": "PropertyIsGreaterThanOrEqualTo",
}
SIGNS = {
    "PropertyIsEqualTo": "=",
    "PropertyIsNotEqualTo": "<>",
    "PropertyIsLessThan": "<",
    "PropertyIsGreaterThan": ">",
    "PropertyIsLessThanOrEqualTo": "<=",
    "PropertyIsGreaterThanOrEqualTo": ">=",
}
ARITHMETIC = {"+": "Add", "-": "Sub", "*": "Mul", "/": "Div"}
SIGN_OF = {name: sign for sign, name in ARITHMETIC.items()}
LIKE = {"~~": (True, False), "~~*": (False, False), "!~~": (True, True), "!~~*": (False, True)}  # (case, not)
WILD, SINGLE, ESCAPE = "%", "_", "\\"
DEEPEST = 60  # operators within each other


class NotInFilter(ValueError):
    """What SQL says can't be said in a filter, or the other way round; its text says what."""


# From SQL


def add_filter(parent: Any, where: str) -> None:
    """Add the filter that an SQL condition means. Raises NotInFilter, BadExpression."""
    _condition(add(parent, OGC, "Filter"), syntax_tree(where.strip()))


def _condition(parent: Any, node: dict[str, Any]) -> None:
    kind, type_ = node["class"], node["type"]
    children = node.get("children", [])
    if kind == "CONJUNCTION":
        inner = add(parent, OGC, "And" if type_ == "CONJUNCTION_AND" else "Or")
        for child in children:
            _condition(inner, child)
    elif type_ == "OPERATOR_NOT":
        _condition(add(parent, OGC, "Not"), children[0])
    elif type_ in COMPARISONS:
        made = add(parent, OGC, COMPARISONS[type_])
        add_expression(made, node["left"])
        add_expression(made, node["right"])
    elif type_ in ("OPERATOR_IS_NULL", "OPERATOR_IS_NOT_NULL"):
        outer = parent if type_ == "OPERATOR_IS_NULL" else add(parent, OGC, "Not")
        add_expression(add(outer, OGC, "PropertyIsNull"), children[0])
    elif type_ == "COMPARE_BETWEEN":
        made = add(parent, OGC, "PropertyIsBetween")
        add_expression(made, node["input"])
        add_expression(add(made, OGC, "LowerBoundary"), node["lower"])
        add_expression(add(made, OGC, "UpperBoundary"), node["upper"])
    elif type_ in ("COMPARE_IN", "COMPARE_NOT_IN"):
        _one_of(parent if type_ == "COMPARE_IN" else add(parent, OGC, "Not"), children)
    elif kind == "FUNCTION" and node["function_name"] in LIKE:
        _like(parent, node)
    else:
        raise NotInFilter(_words(node))


def _one_of(parent: Any, children: list[dict[str, Any]]) -> None:
    outer = add(parent, OGC, "Or") if len(children) > 2 else parent
    for value in children[1:]:
        made = add(outer, OGC, "PropertyIsEqualTo")
        add_expression(made, children[0])
        add_expression(made, value)


def _like(parent: Any, node: dict[str, Any]) -> None:
    case, negated = LIKE[node["function_name"]]
    what, pattern = (argument["expression"] for argument in node["arguments"])
    if what["class"] != "COLUMN_REF" or pattern["class"] != "CONSTANT":
        raise NotInFilter(tr("LIKE of something other than a field and a text"))
    outer = add(parent, OGC, "Not") if negated else parent
    made = add(outer, OGC, "PropertyIsLike", wildCard=WILD, singleChar=SINGLE, escapeChar=ESCAPE,
               matchCase="true" if case else "false")  # fmt: skip
    add_expression(made, what)
    add_expression(made, pattern)


def add_expression(parent: Any, node: dict[str, Any]) -> None:
    """Add what a node of an SQL expression means. Raises NotInFilter."""
    kind = node["class"]
    if kind == "COLUMN_REF":
        add(parent, OGC, "PropertyName", ".".join(node["column_names"]))
    elif kind == "CONSTANT" and node["literal"].get("text") is not None:
        add(parent, OGC, "Literal", node["literal"]["text"])
    elif kind == "FUNCTION" and node["function_name"] in ARITHMETIC and len(node["arguments"]) == 2:
        made = add(parent, OGC, ARITHMETIC[node["function_name"]])
        for argument in node["arguments"]:
            add_expression(made, argument["expression"])
    else:
        raise NotInFilter(_words(node))


def add_label(parent: Any, text: str) -> None:
    """Add a label's text: fields and texts after each other. Raises NotInFilter, BadExpression."""
    for node in _joined(syntax_tree(text)):
        if node["class"] == "CONSTANT":
            if len(parent):
                parent[-1].tail = (parent[-1].tail or "") + node["literal"]["text"]
            else:
                parent.text = (parent.text or "") + node["literal"]["text"]
        else:
            add_expression(parent, node)


def _joined(node: dict[str, Any]) -> list[dict[str, Any]]:
    if node["class"] == "FUNCTION" and node["function_name"] in ("||", "concat"):
        return [each for argument in node["arguments"] for each in _joined(argument["expression"])]
    if node["class"] == "FUNCTION" and node["function_name"] == "chr":
        argument = node["arguments"][0]["expression"]
        if argument["class"] == "CONSTANT" and argument["literal"].get("text", "").isdigit():
            return [{"class": "CONSTANT", "literal": {"text": chr(int(argument["literal"]["text"]))}}]
    return [node]


def _words(node: dict[str, Any]) -> str:
    name = node.get("function_name")
    return f"the function {name}()" if name else f"{node.get('type', node['class']).lower().replace('_', ' ')}"


# To SQL


class FilterReader:
    """Turns filters into SQL for rows whose `text_fields` hold text: what is compared with these is text too."""

    def __init__(self, text_fields: Collection[str] = ()) -> None:
        self._texts = {quoted(name) for name in text_fields}

    def sql_of(self, element: Any, depth: int = 0) -> str:
        """Return the SQL condition that an operator of a filter means. Raises NotInFilter."""
        name = local(element)
        inner = [child for child in element if local(child)]
        if depth > DEEPEST:
            raise NotInFilter(tr("operators nested too deeply"))
        if name == "Filter" and len(inner) == 1:
            return self.sql_of(inner[0], depth + 1)
        if name in ("And", "Or") and inner:
            return "(" + f" {name.upper()} ".join(self.sql_of(child, depth + 1) for child in inner) + ")"
        if name == "Not" and len(inner) == 1:
            return f"NOT ({self.sql_of(inner[0], depth + 1)})"
        if name in SIGNS and len(inner) == 2:
            left, right = self._alike(*inner)
            if element.get("matchCase", "true").lower() == "false" and "'" in left[:1] + right[:1]:
                left, right = f"lower({left})", f"lower({right})"
            return f"{left} {SIGNS[name]} {right}"
        if name == "PropertyIsNull" and len(inner) == 1:
            return f"{self.value_of(inner[0])} IS NULL"
        if name == "PropertyIsBetween" and len(inner) == 3 and all(len(each) for each in inner[1:]):
            low, high = (self._alike(inner[0], each[0])[1] for each in inner[1:])
            return f"{self.value_of(inner[0])} BETWEEN {low} AND {high}"
        if name == "PropertyIsLike" and len(inner) == 2:
            return self._like(element, inner)
        raise NotInFilter(tr("the operator {name}", name=name))

    def _alike(self, left: Any, right: Any) -> tuple[str, str]:
        """Return two values that are compared; beside a field of text, numbers are text."""
        one, two = self.value_of(left), self.value_of(right)
        if one in self._texts and local(right) == "Literal":
            two = literal(right.text or "")
        if two in self._texts and local(left) == "Literal":
            one = literal(left.text or "")
        return one, two

    def value_of(self, element: Any, depth: int = 0) -> str:
        """Return the SQL of an expression of a filter. Raises NotInFilter."""
        name = local(element)
        if depth > DEEPEST:
            raise NotInFilter(tr("expressions nested too deeply"))
        if name in ("PropertyName", "ValueReference"):
            return quoted((element.text or "").strip().rpartition(":")[2])
        if name == "Literal" and len(element) == 0:
            text = element.text or ""
            return text.strip() if _is_number(text) else literal(text)
        inner = [child for child in element if local(child)]
        if name in SIGN_OF and len(inner) == 2:
            left, right = (self.value_of(child, depth + 1) for child in inner)
            return f"({left} {SIGN_OF[name]} {right})"
        called = element.get("name")
        raise NotInFilter(tr("the expression {name}", name=name) + (f" {called}" if called else ""))

    def _like(self, element: Any, inner: list[Any]) -> str:
        wild, single = element.get("wildCard", "*"), element.get("singleChar", "?")
        escape = element.get("escapeChar") or element.get("escape") or "\\"
        made, letters = "", iter(inner[1].text or "")
        for letter in letters:
            if letter == escape:
                made += _plain(next(letters, ""))
            else:
                made += "%" if letter == wild else "_" if letter == single else _plain(letter)
        what = self.value_of(inner[0])
        if element.get("matchCase", "true").lower() == "false":
            what, made = f"lower({what})", made.lower()
        return f"regexp_matches({what}, {literal(_regex(made))})" if "\\" in made else f"{what} LIKE {literal(made)}"

    def label_of(self, element: Any) -> str:
        """Return the SQL of a label: its fields and texts after each other. Raises NotInFilter."""
        parts = [literal(element.text)] if (element.text or "").strip() else []
        for child in element:
            if local(child):
                parts.append(self.value_of(child))
            if (child.tail or "").strip():
                parts.append(literal(child.tail))
        if not parts:
            raise NotInFilter(tr("a label without text"))
        if len(parts) == 1 and parts[0].startswith('"'):
            return parts[0][1:-1].replace('""', '"')  # a field by its name
        return " || ".join(parts)


def _is_number(text: str) -> bool:
    """Return whether a text is a plain number, which SQL writes alike."""
    return re.fullmatch(r"\s*[+-]?(\d+\.?\d*|\.\d+)([eE][+-]?\d+)?\s*", text) is not None


def _plain(letter: str) -> str:
    return f"\\{letter}" if letter in "%_\\" else letter


def _regex(pattern: str) -> str:
    """Return a pattern with escaped letters as a regular expression for the whole text."""
    made, letters = "", iter(pattern)
    for letter in letters:
        if letter == "\\":
            made += re.escape(next(letters, ""))
        else:
            made += ".*" if letter == "%" else "." if letter == "_" else re.escape(letter)
    return f"^(?s:{made})$"
