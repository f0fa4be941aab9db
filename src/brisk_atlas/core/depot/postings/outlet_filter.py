"""Conditions in CQL2 (OGC 21-065r2, in its JSON form) as the SQL of a store, over the fields that an outlet shows.

Each value is bound, none is written into the statement. What may differ from database to database is called by a
function that both have (`shape_functions`, `postgres_functions`).
"""

from __future__ import annotations

import json
import re
from collections.abc import Mapping
from dataclasses import dataclass
from datetime import date, datetime
from enum import Enum, auto
from typing import Any, NamedTuple

import numpy as np
import shapely
from shapely.errors import GEOSException

from brisk_atlas.core.model import BadExpression
from brisk_atlas.core.place import same_crs, transform
from brisk_atlas.core.table.asking import quoted

from .posting import FieldType, time_text
from .store_database import Box, SqlForm

DEEPEST = 12  # levels of a condition in each other, which the parsers of all databases take
LONGEST = 200  # numbers that are added, multiplied and so on one after the other
GEOMETRY = "geometry"  # what the geometry is called in conditions
STEPS = 64  # that a long side of a geometry is cut into before it is moved to another CRS
COMPARED = ("=", "<>", "<", ">", "<=", ">=")
SPATIAL = ("s_contains", "s_crosses", "s_disjoint", "s_equals", "s_intersects", "s_overlaps", "s_touches", "s_within")
CHAINED = {"+": "{0} + {1}", "-": "{0} - {1}", "*": "{0} * {1}", "/": "{0} / NULLIF({1}, 0.0)"}
MOST_BRACKETS = 25  # that begin one after the other
WHOLE = {"%": "({0} % NULLIF({1}, 0))", "div": "({0} / NULLIF({1}, 0))"}
BEFORE_ALL, AFTER_ALL = "", "~"  # as texts of times compare
DAY_BEGIN, DAY_END = "T00:00:00.000000Z", "T23:59:59.999999Z"
# How two intervals relate (Allen 1983): {0} and {1} begin and end the first, {2} and {3} the second.
TEMPORAL = {
    "t_after": "{0} > {3}", "t_before": "{1} < {2}", "t_contains": "{0} < {2} AND {1} > {3}",
    "t_disjoint": "({1} < {2} OR {0} > {3})", "t_during": "{0} > {2} AND {1} < {3}",
    "t_equals": "{0} = {2} AND {1} = {3}",
    "t_finishedby": "{0} < {2} AND {1} = {3}", "t_finishes": "{0} > {2} AND {1} = {3}",
    "t_intersects": "{0} <= {3} AND {1} >= {2}", "t_meets": "{1} = {2}", "t_metby": "{0} = {3}",
    "t_overlappedby": "{0} > {2} AND {0} < {3} AND {1} > {3}", "t_overlaps": "{0} < {2} AND {1} > {2} AND {1} < {3}",
    "t_startedby": "{0} = {2} AND {1} > {3}", "t_starts": "{0} = {2} AND {1} < {3}",
}  # fmt: skip
PLACED = re.compile(r"\{(\d+)\}")


class TermKind(Enum):
    """What an expression gives."""

    TRUTH = auto()
    NUMBER = auto()
    WHOLE = auto()
    TEXT = auto()
    DATE = auto()
    TIME = auto()


KINDS = {FieldType.BOOLEAN: TermKind.TRUTH, FieldType.INTEGER: TermKind.WHOLE, FieldType.NUMBER: TermKind.NUMBER,
         FieldType.TEXT: TermKind.TEXT, FieldType.DATE: TermKind.DATE, FieldType.TIME: TermKind.TIME}  # fmt: skip
NUMBERS = (TermKind.NUMBER, TermKind.WHOLE)


class SqlTerm(NamedTuple):
    """A piece of SQL with the values for its marks."""

    sql: str
    given: tuple[Any, ...]
    kind: TermKind


@dataclass(frozen=True)
class OutletFilter:
    """A condition in CQL2's JSON form. Geometry in it is of `crs`, with northings first where `flip`."""

    condition: Any
    crs: str | None = None
    flip: bool = False


@dataclass(frozen=True)
class FilterSql:
    """A condition for a store, with boxes, in the posting's CRS, that all rows it is true of must meet."""

    sql: str
    given: tuple[Any, ...]
    boxes: tuple[Box, ...]


def filter_sql(
    asked: OutletFilter, fields: Mapping[str, FieldType], shape: str | None, crs: str | None, form: SqlForm
) -> FilterSql:
    """Return a condition over columns called as the fields are, and `shape`, that of geometry in well-known binary,
    None for none. `crs` is of the geometry. Raises BadExpression."""
    work = _Filter(fields, shape, crs, asked, form)
    found = work.truth(asked.condition, 0)
    return FilterSql(found.sql, found.given, tuple(work.boxes_of(asked.condition)))


def _bad(what: Any, reason: str) -> BadExpression:
    text = what if isinstance(what, str) else json.dumps(what, ensure_ascii=False, default=str)
    return BadExpression(text[:200], reason, "The queryables list the fields.")


@dataclass(frozen=True)
class _Filter:
    fields: Mapping[str, FieldType]
    shape: str | None
    crs: str | None
    asked: OutletFilter
    form: SqlForm

    # Conditions

    def truth(self, node: Any, depth: int) -> SqlTerm:
        """Return what is true or not."""
        if depth > DEEPEST:
            raise _bad("", f"the filter is nested more than {DEEPEST} levels deep")
        if isinstance(node, bool):
            return SqlTerm("1 = 1" if node else "1 = 0", (), TermKind.TRUTH)
        if not isinstance(node, dict) or ("op" not in node and "property" not in node):
            raise _bad(node, "a condition is expected")
        if "property" in node:
            found = self.value(node, depth)
            if found.kind is not TermKind.TRUTH:
                raise _bad(node, "the field is neither true nor false")
            return found._replace(sql=f"{found.sql} = 1")
        op, args = self._call(node)
        match op:
            case "and" | "or" if args:
                terms = [self.truth(each, depth + 1) for each in args]
                return _joined(f" {op.upper()} ", terms)
            case "not" if len(args) == 1:
                found = self.truth(args[0], depth + 1)
                return found._replace(sql=f"NOT ({found.sql})")
            case "isnull" if len(args) == 1:
                if self.shape is not None and args[0] == {"property": GEOMETRY}:
                    return SqlTerm(f"{self.shape} IS NULL", (), TermKind.TRUTH)
                found = self.value(args[0], depth + 1)
                return SqlTerm(f"{found.sql} IS NULL", found.given, TermKind.TRUTH)
            case "like" if len(args) == 2:
                one, pattern = self._alike(args, depth)
                if one.kind is not TermKind.TEXT:
                    raise _bad(node, "a pattern is for texts")
                return _made("{0} LIKE {1} ESCAPE '\\'", one, pattern)
            case "between" if len(args) == 3:
                return _made("{0} BETWEEN {1} AND {2}", *self._alike(args, depth))
            case "in" if len(args) == 2 and isinstance(args[1], list):
                if not args[1]:
                    return SqlTerm("1 = 0", (), TermKind.TRUTH)
                one, *others = self._alike([args[0], *args[1]], depth)
                return _made(f"{{0}} IN ({', '.join(f'{{{n}}}' for n in range(1, len(others) + 1))})", one, *others)
            case _ if op in COMPARED and len(args) == 2:
                return _made(f"{{0}} {op} {{1}}", *self._alike(args, depth))
            case _ if op in SPATIAL and len(args) == 2:
                return self._related(op, args)
            case _ if op in TEMPORAL and len(args) == 2:
                return self._in_time(op, args, depth)
        raise _bad(node, f"'{op}' is not known, or has another number of arguments")

    @staticmethod
    def _call(node: Mapping[str, Any]) -> tuple[str, list[Any]]:
        op, args = node.get("op"), node.get("args")
        if not isinstance(op, str) or not isinstance(args, list):
            raise _bad(node, "an operator has a name and a list of arguments")
        return op.lower(), args

    def _alike(self, args: list[Any], depth: int) -> list[SqlTerm]:
        """Return values that can be compared with each other. A text beside a day or a time stands for one."""
        terms = [self.value(each, depth + 1) for each in args]
        kinds = {term.kind for term in terms}
        if kinds in ({TermKind.DATE, TermKind.TEXT}, {TermKind.TIME, TermKind.TEXT}):
            wanted = next(iter(kinds - {TermKind.TEXT}))
            terms = [
                self._instant(each, wanted) if term.kind is TermKind.TEXT and isinstance(each, str) else term
                for each, term in zip(args, terms)
            ]
            kinds = {term.kind for term in terms}
        if len(kinds) > 1 and not kinds <= set(NUMBERS):
            names = " and ".join(sorted(kind.name.lower() for kind in kinds))
            raise _bad({"args": args}, f"{names} can't be compared")
        return [self._fraction(term) for term in terms] if len(kinds) > 1 else terms

    def _fraction(self, term: SqlTerm) -> SqlTerm:
        """Return a number as one with a fraction, as which whole ones are compared with others in each database."""
        if term.kind is TermKind.NUMBER:
            return term
        return term._replace(sql=f"CAST({term.sql} AS {self.form.number})", kind=TermKind.NUMBER)

    # Values

    def value(self, node: Any, depth: int) -> SqlTerm:
        """Return what an expression gives."""
        if depth > DEEPEST:
            raise _bad("", f"the filter is nested more than {DEEPEST} levels deep")
        match node:
            case bool():
                return SqlTerm("?", (int(node),), TermKind.TRUTH)
            case int() if -(2**63) <= node < 2**63:
                return SqlTerm(f"CAST(? AS {self.form.integer})", (node,), TermKind.WHOLE)
            case int() | float() if abs(node) < float("inf"):
                return SqlTerm(f"CAST(? AS {self.form.number})", (float(node),), TermKind.NUMBER)
            case str():
                return self._text(_held(node), TermKind.TEXT)
            case {"property": str(name)}:
                if name not in self.fields:
                    raise _bad(name, f"there is no field {name} to compare by")
                return SqlTerm(quoted(name), (), KINDS[self.fields[name]])
            case {"date": str(text)}:
                return self._instant(text, TermKind.DATE)
            case {"timestamp": str(text)}:
                return self._instant(text, TermKind.TIME)
            case {"op": _}:
                return self._worked_out(node, depth)
        raise _bad(node, "a value is expected")

    def _worked_out(self, node: Mapping[str, Any], depth: int) -> SqlTerm:
        op, args = self._call(node)
        if op in CHAINED and len(args) == 2:
            return self._chain(node, depth)
        terms = [self.value(each, depth + 1) for each in args]
        if op in ("casei", "accenti") and len(terms) == 1:
            if terms[0].kind is not TermKind.TEXT:
                raise _bad(node, f"{op} is for texts")
            return terms[0]._replace(sql=f"{op}({terms[0].sql})")
        if op in WHOLE and len(terms) == 2 and all(term.kind is TermKind.WHOLE for term in terms):
            return _made(WHOLE[op], *terms)._replace(kind=TermKind.WHOLE)
        if op == "^" and len(terms) == 2 and all(term.kind in NUMBERS for term in terms):
            return _made("raised({0}, {1})", *map(self._fraction, terms))._replace(kind=TermKind.NUMBER)
        raise _bad(node, f"'{op}' is not known, or is not for these values")

    def _chain(self, node: Any, depth: int) -> SqlTerm:
        """Return `a + b - c * d` and its like, which is as long as it likes, but no deeper than its parts."""
        further: list[tuple[str, Any]] = []
        while isinstance(node, dict) and node.get("op") in CHAINED:
            op, args = self._call(node)
            if len(args) != 2 or len(further) >= LONGEST:
                raise _bad("", f"'{op}' has two arguments, and at most {LONGEST} follow each other")
            further.append((op, args[1]))
            node = args[0]
        found, brackets, before = self._number(node, depth + 1), 0, "*"
        for op, other in reversed(further):
            if op in ("*", "/") and before in ("+", "-"):
                found, brackets = found._replace(sql=f"({found.sql})"), brackets + 1
            made = _made(CHAINED[op], found, self._number(other, depth + 1))
            found, before = made._replace(kind=TermKind.NUMBER), op
        if brackets > MOST_BRACKETS:
            raise _bad("", "its sums and products are nested too deep")
        return found._replace(sql=f"({found.sql})")

    def _number(self, node: Any, depth: int) -> SqlTerm:
        found = self.value(node, depth)
        if found.kind not in NUMBERS:
            raise _bad(node, "a number is expected")
        return self._fraction(found)

    # Places

    def _related(self, op: str, args: list[Any]) -> SqlTerm:
        """Return how two places relate, with the one that is stated as the second, which is prepared once."""
        here = {"property": GEOMETRY}
        if args[1] == here and args[0] != here:
            args, op = args[::-1], {"s_contains": "s_within", "s_within": "s_contains"}.get(op, op)
        return _made(f"{op}({{0}}, {{1}})", *(self._place(each) for each in args))

    def _place(self, node: Any) -> SqlTerm:
        if node == {"property": GEOMETRY} and self.shape is not None:
            return SqlTerm(self.shape, (), TermKind.TEXT)
        wkb = bytes(shapely.to_wkb(self._shape(node), byte_order=1, output_dimension=2))
        return SqlTerm(f"CAST(? AS {self.form.binary})", (wkb,), TermKind.TEXT)

    def _shape(self, node: Any) -> Any:
        """Return a geometry that is stated, in the CRS of the posting."""
        if self.crs is None:
            raise _bad(node, "these rows have no places")
        try:
            if isinstance(node, dict) and "bbox" in node:
                numbers = [float(each) for each in node["bbox"]]
                if len(numbers) not in (4, 6):
                    raise ValueError("a box has 4 or 6 numbers")
                half = len(numbers) // 2
                shape = shapely.box(*numbers[:2], *numbers[half : half + 2])
            elif isinstance(node, dict) and "type" in node:
                shape = shapely.from_geojson(json.dumps(node))
            else:
                raise ValueError("a geometry is expected")
        except (GEOSException, TypeError, ValueError) as error:
            raise _bad(node, str(error).splitlines()[0][:200]) from None
        shape = shapely.force_2d(shape)
        if self.asked.flip:
            shape = shapely.transform(shape, lambda xy: xy[:, ::-1])
        stated, crs = self.asked.crs, self.crs
        if stated is not None and not same_crs(stated, crs):
            bounds = np.array(shape.bounds) if not shape.is_empty else np.zeros(4)
            longest = float(max(bounds[2:] - bounds[:2]))
            shape = shapely.segmentize(shape, longest / STEPS) if longest > 0 else shape
            shape = shapely.transform(shape, lambda xy: transform(xy, stated, crs))
        if not np.isfinite(shapely.get_coordinates(shape)).all():
            raise _bad(node, f"the geometry has no place in {self.crs}")
        return shape

    def boxes_of(self, node: Any) -> list[Box]:
        """Return boxes that the geometry of all rows meets for which a condition is true."""
        if not isinstance(node, dict) or "op" not in node or self.shape is None:
            return []
        op, args = self._call(node)
        if op == "and":
            return [box for each in args for box in self.boxes_of(each)]
        if op not in SPATIAL or op == "s_disjoint" or {"property": GEOMETRY} not in args:
            return []
        others = [self._shape(each) for each in args if each != {"property": GEOMETRY}]
        return [tuple(shape.bounds) for shape in others if not shape.is_empty]

    # Times

    def _in_time(self, op: str, args: list[Any], depth: int) -> SqlTerm:
        pairs = [self._interval(each, depth) for each in args]
        ends = [end for one, other in pairs for end in (_lifted(one, DAY_BEGIN), _lifted(other, DAY_END))]
        return _made(f"({TEMPORAL[op]})", *ends)  # a day is an interval from its begin to its end

    def _interval(self, node: Any, depth: int) -> tuple[SqlTerm, SqlTerm]:
        """Return the begin and the end of an interval, or of an instant."""
        if isinstance(node, dict) and "interval" in node:
            ends = node["interval"]
            if not isinstance(ends, list) or len(ends) != 2:
                raise _bad(node, "an interval has a begin and an end")
            begin, end = (self._end(each, open_, depth) for each, open_ in zip(ends, (BEFORE_ALL, AFTER_ALL)))
            return begin, end
        found = self._end(node, None, depth)
        return found, found

    def _end(self, node: Any, open_: str | None, depth: int) -> SqlTerm:
        if open_ is not None and node in ("..", ""):
            return self._text(open_, TermKind.TEXT)
        if isinstance(node, str):
            return self._instant(node, TermKind.TIME if "T" in node.upper() else TermKind.DATE)
        found = self.value(node, depth + 1)
        if found.kind not in (TermKind.DATE, TermKind.TIME):
            raise _bad(node, "it is no time")
        return found

    def _instant(self, text: str, kind: TermKind) -> SqlTerm:
        """Return a day or a time as the store has it."""
        try:
            if kind is TermKind.DATE:
                return self._text(date.fromisoformat(text).isoformat(), kind)
            return self._text(time_text(datetime.fromisoformat(text)), kind)
        except (ValueError, OverflowError):
            raise _bad(text, "it is no day" if kind is TermKind.DATE else "it is no time") from None

    def _text(self, text: str, kind: TermKind) -> SqlTerm:
        return SqlTerm(f"({self.form.typed.format(self.form.text)})", (text,), kind)


def _lifted(term: SqlTerm, of_day: str) -> SqlTerm:
    """Return a day as the time at which it begins or ends."""
    return SqlTerm(f"({term.sql} || '{of_day}')", term.given, TermKind.TIME) if term.kind is TermKind.DATE else term


def _held(text: str) -> str:
    if "\0" in text:
        raise _bad(text, "no text has the character 0")
    try:
        text.encode()
    except UnicodeEncodeError:
        raise _bad(repr(text), "half of a pair of code units is no text") from None
    return text


def _made(pattern: str, *terms: SqlTerm) -> SqlTerm:
    """Return a condition of some terms, whose values come in the order in which the pattern has them."""
    order = map(int, PLACED.findall(pattern))
    given = tuple(value for number in order for value in terms[number].given)
    return SqlTerm(pattern.format(*(term.sql for term in terms)), given, TermKind.TRUTH)


def _joined(word: str, terms: list[SqlTerm]) -> SqlTerm:
    sql = word.join(f"({term.sql})" for term in terms)
    return SqlTerm(sql, tuple(value for term in terms for value in term.given), TermKind.TRUTH)
