"""Conditions as a database's own SQL, as far as both mean the same by them.

What is left out on purpose: arithmetic (a division of whole numbers keeps its rest here and loses it there), functions,
and the order of texts (which follows the database's collation).
"""

from __future__ import annotations

import re
from collections.abc import Mapping
from datetime import UTC, datetime
from typing import Any

from .asking import quoted
from .expression import syntax_tree

COMPARISONS = {
    "COMPARE_EQUAL": "=",
    "COMPARE_NOTEQUAL": "<>",
    "COMPARE_LESSTHAN": "<",
    "COMPARE_GREATERTHAN": ">",
    "COMPARE_LESSTHANOREQUALTO": "<=",
    "COMPARE_GREATERTHANOREQUALTO": ">=",
}
PATTERNS = {"~~": "LIKE", "!~~": "NOT LIKE"}
NUMBERS = ("int", "uint", "float", "double", "halffloat", "decimal")


class NotAlike(ValueError):
    """A condition that a server may take otherwise."""


# What conditions are stated in; CQL2 is OGC 21-065r2, the last two are those of stores of our own.
POSTGRES, CQL2, MYSQL, GEOPACKAGE = "postgresql", "cql2-text", "mysql", "geopackage"
SQLITE, STORED_IN_POSTGRES = "sqlite", "stored in postgresql"
PATTERN_OR_QUOTED = re.compile(r"""(LIKE )('(?:[^']|'')*')|'(?:[^']|'')*'|"(?:[^"]|"")*\"""")
DATES = re.compile(r"DATE '[^']*'")
DATE_OR_QUOTED = re.compile(r"""DATE ('[^']*')|'(?:[^']|'')*'|"(?:[^"]|"")*\"""")


def as_stated(where: str, types: Mapping[str, str], dialect: str) -> str | None:
    """Return a condition in a server's own language, None where it is not certain that it means the same there.

    >>> as_stated("year >= 2029", {"year": "int32"}, CQL2)
    '"year" >= 2029'
    """
    if dialect == GEOPACKAGE:  # which compares numbers of 4 bytes as ones of 8
        types = {name: type_ for name, type_ in types.items() if type_ not in ("float", "halffloat")}
    try:
        stated = _condition(syntax_tree(where.strip()), types, store=dialect in (SQLITE, STORED_IN_POSTGRES))
    except NotAlike:
        return None
    if dialect == GEOPACKAGE and "DATE '" in stated:  # its days are texts that lie in their order
        return None if "'" in DATES.sub("", stated) else stated.replace("DATE '", "'")
    if dialect in (SQLITE, STORED_IN_POSTGRES):  # the same, and their texts are equal where all their letters are
        found = DATE_OR_QUOTED.sub(lambda found: found[1] or found[0], stated)
        return found if dialect == SQLITE else PATTERN_OR_QUOTED.sub(_with_backslashes, found)
    if dialect == CQL2 and "DATE '" in stated:
        return None
    if dialect == MYSQL and "'" in DATES.sub("", stated):  # its texts are equal whatever their case
        return None
    return stated


def _with_backslashes(found: re.Match[str]) -> str:
    """Return a pattern in which a backslash is one, where it would have the next character be itself otherwise."""
    return found[1] + found[2].replace("\\", "\\\\") if found[1] else found[0]


def as_postgres(where: str, types: Mapping[str, str]) -> str | None:
    """Return a condition as PostgreSQL means it, None where it is not certain that it means the same.

    types : of the fields, as Arrow calls them

    >>> as_postgres("year >= 2029 AND name = 'O''Ban'", {"year": "int32", "name": "string"})
    '("year" >= 2029 AND "name" = \\'O\\'\\'Ban\\')'
    >>> as_postgres("area / 2 > 1", {"area": "int32"}) is None
    True
    """
    return as_stated(where, types, POSTGRES)


def _condition(node: dict[str, Any], types: Mapping[str, str], *, store: bool) -> str:
    """Return a condition; `store` where it is for a store of our own, which also knows booleans, patterns of texts,
    times (as texts of UTC) and the order of texts."""
    kind, type_, children = node["class"], node["type"], node.get("children", [])
    if kind == "CONJUNCTION":
        word = " AND " if type_ == "CONJUNCTION_AND" else " OR "
        return f"({word.join(_condition(child, types, store=store) for child in children)})"
    if type_ == "OPERATOR_NOT":
        return f"NOT ({_condition(children[0], types, store=store)})"
    if type_ in ("OPERATOR_IS_NULL", "OPERATOR_IS_NOT_NULL"):
        return f"{quoted(_field(children[0], types))} IS {'' if type_ == 'OPERATOR_IS_NULL' else 'NOT '}NULL"
    if type_ in COMPARISONS:
        name, value = _pair(
            node["left"], node["right"], types, ordered=type_ not in ("COMPARE_EQUAL", "COMPARE_NOTEQUAL"), store=store
        )
        sign = COMPARISONS[type_]
        if node["left"]["class"] != "COLUMN_REF":
            sign = {"<": ">", ">": "<", "<=": ">=", ">=": "<="}.get(sign, sign)
        return f"{name} {sign} {value}"
    if type_ == "COMPARE_BETWEEN":
        name, low = _pair(node["input"], node["lower"], types, ordered=True, store=store)
        _, high = _pair(node["input"], node["upper"], types, ordered=True, store=store)
        return f"{name} BETWEEN {low} AND {high}"
    if type_ in ("COMPARE_IN", "COMPARE_NOT_IN"):
        pairs = [_pair(children[0], value, types, store=store) for value in children[1:]]
        word = "IN" if type_ == "COMPARE_IN" else "NOT IN"
        return f"{pairs[0][0]} {word} ({', '.join(value for _, value in pairs)})"
    if store and kind == "FUNCTION" and node["function_name"] in PATTERNS:
        one, two = (each["expression"] for each in node["arguments"])
        name, pattern = _pair(one, two, types, store=True)
        if types[name[1:-1]] != "string":
            raise NotAlike("a pattern beside no text")
        return f"{name} {PATTERNS[node['function_name']]} {pattern}"
    if store and kind == "COLUMN_REF" and types[_field(node, types)] == "bool":
        return f"{quoted(_field(node, types))} = 1"
    raise NotAlike(type_)


def _field(node: dict[str, Any], types: Mapping[str, str]) -> str:
    if node["class"] != "COLUMN_REF":
        raise NotAlike(node["class"])
    name = ".".join(node["column_names"])
    own = next((each for each in types if each.lower() == name.lower()), None)
    if own is None:
        raise NotAlike(name)
    return own


def _pair(
    one: dict[str, Any], two: dict[str, Any], types: Mapping[str, str], *, ordered: bool = False, store: bool = False
) -> tuple[str, str]:
    """Return a field and the value that it is compared with, whichever comes first."""
    field, constant = (one, two) if one["class"] == "COLUMN_REF" else (two, one)
    name = _field(field, types)
    if store and types[name].startswith("timestamp"):
        return quoted(name), f"'{_time(constant)}'"
    if types[name].startswith("date"):
        constant = _uncast(constant)
    if constant["class"] != "CONSTANT" or constant["literal"].get("text") is None:
        raise NotAlike("not a value")
    kind, text = constant["literal"]["kind"], constant["literal"]["text"]
    is_number = types[name].startswith(NUMBERS)
    if kind in ("INTEGER", "NUMERIC") and is_number:
        return quoted(name), text
    if store and kind == "BOOLEAN" and types[name] == "bool" and not ordered:
        return quoted(name), "1" if text == "true" else "0"
    if kind == "STRING" and types[name] == "string" and (store or not ordered):
        return quoted(name), "'" + text.replace("'", "''") + "'"
    if kind == "STRING" and types[name].startswith("date"):
        return quoted(name), "DATE '" + text.replace("'", "''") + "'"
    raise NotAlike(f"{kind} beside {types[name]}")


def _uncast(node: dict[str, Any]) -> dict[str, Any]:
    """Return what stands in `DATE '...'` and its like."""
    while node["class"] == "CAST" and "child" in node:
        node = node["child"]
    return node


def _time(node: dict[str, Any]) -> str:
    """Return a time as a store of our own has it: in UTC, with microseconds; one without a zone is of UTC."""
    node = _uncast(node)
    text = node.get("literal", {}).get("text") if node["class"] == "CONSTANT" else None
    try:
        when = datetime.fromisoformat(text or "")
    except ValueError:
        raise NotAlike("not a time") from None
    known = when.replace(tzinfo=UTC) if when.tzinfo is None else when.astimezone(UTC)
    return known.isoformat(timespec="microseconds").replace("+00:00", "Z")
