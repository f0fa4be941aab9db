"""SQL expressions over the rows of a table.

An expression is parsed before it is run, and only what works row by row on this table is let through:
fields, constants, operators, and the functions of a list. So it can read no file, reach no network,
change nothing and make no value of unbounded size; the engine's own access to files is switched off
besides. What takes long can be stopped.
"""

from __future__ import annotations

import json
import re
import threading
from collections.abc import Callable, Iterator, Sequence
from contextlib import closing
from functools import cache, lru_cache
from math import log10
from typing import Any, NamedTuple

import duckdb
import numpy as np
import pyarrow as pa

from brisk_atlas.core.model import BadExpression
from brisk_atlas.core.model.language import tr
from brisk_atlas.core.system.footing import check_footing

from .asking import ROW, ask, connect, quoted, row_numbers, stoppable
from .functions import ALLOWED, MEASURES

MOST_LETTERS = 20_000  # of an expression
MOST_TEXT = 6.0  # powers of ten: characters that one value may come to
COLUMN_TEXT = 3.0  # powers of ten: characters that a value of a field is taken to have
MOST_BYTES = 2_000_000_000  # of all values together
BATCH = 50_000  # rows handed over at once
HOW_TO_QUOTE = "Field names with spaces need double quotes, text needs single quotes."
_HEAD = "SELECT ("
_CLASSES = {
    "CONJUNCTION", "COMPARISON", "OPERATOR", "FUNCTION", "COLUMN_REF", "CONSTANT", "CAST", "BETWEEN", "CASE", "WINDOW",
    "TYPE",
}  # fmt: skip
_BY_PLACE = {"row_number", "lag", "lead", "ntile", "first_value", "last_value", "nth_value"}
_REASONS = {
    "SUBQUERY": (
        tr("an expression speaks of the rows of this table alone"),
        tr("Join the other table to use its fields."),
    ),
    "STAR": (tr("a star stands for all fields"), tr("Name the fields.")),
    "PARAMETER": (tr("there are no parameters here"), tr("Write the value itself.")),
}


def literal(value: Any) -> str:
    """Return a value as SQL writes it."""
    if value is None:
        return "NULL"
    if isinstance(value, bool):
        return "TRUE" if value else "FALSE"
    if isinstance(value, int):
        return str(value)
    if isinstance(value, float):
        return f"CAST('{value!r}' AS DOUBLE)"
    return "'" + str(value).replace("'", "''") + "'"


class Prepared(NamedTuple):
    """An expression that may run: `sql`, the fields it names, the measures of geometry it needs as
    (column, function, CRS or None), and whether it looks at other rows (a window function)."""

    sql: str
    fields: tuple[str, ...]
    measures: tuple[tuple[str, str, str | None], ...] = ()
    windowed: bool = False


@cache
def _parser() -> tuple[duckdb.DuckDBPyConnection, threading.Lock]:
    return connect(pa.table({"none": pa.array([], pa.int8())})), threading.Lock()


def prepare(expression: str, columns: Sequence[str], *, measured: bool = True) -> Prepared:
    """Return an expression made ready to run over a table of `columns`. Raises BadExpression, with its place.

    `measured` says whether the rows have geometry.
    """
    return _prepared(expression.strip(), tuple(columns), measured)


@lru_cache(256)
def _prepared(text: str, columns: tuple[str, ...], measured: bool) -> Prepared:
    body = f"{_HEAD}{text}\n)"
    return _Walk(text, body.encode(), columns, measured).through(syntax_tree(text))


def syntax_tree(text: str) -> dict[str, Any]:
    """Return one expression as its parser serialises it: nested nodes with a `class`. Raises BadExpression."""
    if not text:
        raise BadExpression(tr("the expression"), tr("it is empty"), tr("Write a condition, such as year = 2031."))
    if len(text) > MOST_LETTERS:
        raise BadExpression(
            text[:40] + "…",
            tr("it is longer than {most_letters:,} characters", most_letters=MOST_LETTERS),
            tr("Make it shorter."),
        )
    check_footing()
    body = f"{_HEAD}{text}\n)"
    try:
        statements = duckdb.extract_statements(body)
    except duckdb.Error as error:
        raise explained(error, text) from error
    if len(statements) != 1 or statements[0].type != duckdb.StatementType.SELECT:
        raise BadExpression(
            text, tr("this is more than one expression"), tr("Write one condition, such as year = 2031.")
        )
    parser, lock = _parser()
    try:
        with lock:
            tree = json.loads(parser.execute("SELECT json_serialize_sql(?)", [body]).fetchone()[0])
    except duckdb.Error as error:
        raise explained(error, text) from error
    except (RecursionError, ValueError) as error:
        raise BadExpression(
            text[:40] + "…", tr("it is nested too deeply"), tr("Split it into computed fields.")
        ) from error
    node = tree["statements"][0]["node"] if not tree.get("error") else None
    if not node or node.get("from_table", {}).get("type") != "EMPTY" or node.get("where_clause") or len(
        node.get("select_list", ())
    ) != 1 or node.get("type") != "SELECT_NODE" or node.get("modifiers") or node.get("group_expressions"):  # fmt: skip
        raise BadExpression(text, tr("this is not one expression"), tr("Write one condition, such as year = 2031."))
    tree = node["select_list"][0]
    assert isinstance(tree, dict)
    return tree


class _Walk:
    """Goes through a parsed expression; finds what is not allowed, and what must be written otherwise."""

    def __init__(self, text: str, body: bytes, columns: tuple[str, ...], measured: bool) -> None:
        self.text, self.body, self.measured = text, body, measured
        self.columns = {name.lower(): name for name in columns}
        self.fields: dict[str, None] = {}
        self.measures: dict[tuple[str, str, str | None], None] = {}
        self.written: list[tuple[int, int, str]] = []

    def through(self, tree: dict[str, Any]) -> Prepared:
        waiting, seen = [tree], [tree]
        while waiting:
            below = self._node(waiting.pop())
            waiting += below
            seen += below
        self._check_growth(seen)
        sql = self.body
        for start, length, new in sorted(self.written, reverse=True):
            sql = sql[:start] + new.encode() + sql[start + length :]
        inner = sql[len(_HEAD) :].decode()
        windows = [node for node in seen if node.get("class") == "WINDOW"]
        by_place = any(node["function_name"].lower() in _BY_PLACE or "ROWS" in node["start"] + node["end"]
                       for node in windows)  # fmt: skip
        made = _ties_by_file(sql.decode()) if by_place else inner[: inner.rindex("\n)")]
        return Prepared(made, tuple(self.fields), tuple(self.measures), bool(windows))

    def _node(self, node: dict[str, Any]) -> list[dict[str, Any]]:
        kind = node.get("class", "")
        if kind not in _CLASSES:
            reason, remedy = _REASONS.get(
                kind, (tr("this can't stand in an expression"), tr("Use fields, values and functions."))
            )
            raise self._bad(node, reason, remedy)
        if kind == "COLUMN_REF":
            self._field(node)
            return []
        if kind == "TYPE":
            return []
        if kind in ("FUNCTION", "WINDOW"):
            name = str(node.get("function_name", "")).lower()
            if name in MEASURES and kind == "FUNCTION":
                self._measure(node, name)
                return []
            if node.get("schema") or node.get("catalog") or name not in ALLOWED:
                raise self._bad(
                    node,
                    tr("there is no function {name}()", name=name),
                    tr("The builder lists the functions that can be used."),
                )
        return [child for key, value in node.items() if key != "qualified_name" for child in _inner(value)]

    def _field(self, node: dict[str, Any]) -> None:
        name = ".".join(node["column_names"])
        own = self.columns.get(name.lower())
        if own is None:
            from difflib import get_close_matches

            near = get_close_matches(name.lower(), list(self.columns), 1, 0.6)
            hint = f"Is it {self.columns[near[0]]}?" if near else HOW_TO_QUOTE
            raise self._bad(node, tr("there is no field {name}", name=name), hint)
        self.fields[own] = None
        start, length = node["query_location"], node["query_location_length"]
        if "." in name or self.body[start : start + length].decode().strip('"').lower() != own.lower():
            self.written.append((start, length, quoted(own)))  # one of a joined table

    def _measure(self, node: dict[str, Any], name: str) -> None:
        lines = [argument["expression"] for argument in node.get("arguments", ())]
        crs = None
        if lines and name.startswith("centroid"):
            crs = lines[0].get("literal", {}).get("text") if lines[0].get("class") == "CONSTANT" else None
        if not self.measured:
            raise self._bad(node, tr("these rows have no geometry"), tr("Use fields alone."))
        if len(lines) > 1 or (lines and crs is None):
            raise self._bad(
                node,
                tr("{name}() does not take this", name=name),
                tr("Give centroid_x a CRS in single quotes, or nothing."),
            )
        column = f"{name}({crs or ''})"
        self.measures[(column, name, crs)] = None
        self.written.append((node["query_location"], node["query_location_length"], quoted(column)))

    def _check_growth(self, nodes: list[dict[str, Any]]) -> None:
        """Refuse what could make texts of a size without sense, by an upper bound of each node's text.

        `nodes` come before those below them, so that the last ones are bounded first.
        """
        bounds: dict[int, float] = {}

        def bound(node: Any) -> float:
            return bounds.get(id(node), COLUMN_TEXT)

        for node in reversed(nodes):
            arguments = [argument["expression"] for argument in node.get("arguments", ())]
            name = str(node.get("function_name", "")).lower()
            below = [child for key, value in node.items() if key != "qualified_name" for child in _inner(value)]
            if node["class"] == "CONSTANT":
                size = log10(1 + len(str(node.get("literal", {}).get("text", ""))))
            elif name in ("concat", "||") and arguments:
                size = log10(sum(10 ** min(bound(a), 50.0) for a in arguments))
            elif name == "replace" and len(arguments) == 3:
                text, old, new = arguments
                size = bound(text) + max(0.0, bound(new) - (bound(old) if old["class"] == "CONSTANT" else 0.0))
            elif name == "regexp_replace" and len(arguments) >= 3:
                size = bound(arguments[0]) + bound(arguments[2])
            else:
                size = max((bound(child) for child in below), default=COLUMN_TEXT)
            bounds[id(node)] = size
            if size > MOST_TEXT:
                raise self._bad(
                    node, tr("this could make texts of over a million characters"), tr("Take shorter texts.")
                )

    def _bad(self, node: dict[str, Any], reason: str, remedy: str) -> BadExpression:
        start, length = node.get("query_location", 0), node.get("query_location_length", 0)
        return BadExpression(self.text, reason, remedy, _place(self.body, start, length))


def _ties_by_file(query: str) -> str:
    """Return the expression of a query in which window functions that depend on the order of rows take
    rows that are alike, or without an order, in that of the file. (SQL leaves it open.)"""
    parser, lock = _parser()
    with lock:
        tree = json.loads(parser.execute("SELECT json_serialize_sql(?)", [query]).fetchone()[0])
        waiting = list(_inner(tree["statements"][0]["node"]["select_list"]))
        while waiting:
            node = waiting.pop()
            waiting += [child for key, value in node.items() if key != "qualified_name" for child in _inner(value)]
            if node["class"] == "WINDOW" and (
                node["function_name"].lower() in _BY_PLACE or "ROWS" in node["start"] + node["end"]
            ):
                row = {"class": "COLUMN_REF", "type": "COLUMN_REF", "alias": "", "query_location": 0,
                       "query_location_length": 0, "column_names": [ROW]}  # fmt: skip
                node["orders"].append({"type": "ORDER_DEFAULT", "null_order": "ORDER_DEFAULT", "expression": row})
        made = parser.execute("SELECT json_deserialize_sql(?)", [json.dumps(tree)]).fetchone()[0]
    return made.removeprefix("SELECT ")


def _inner(value: Any) -> Iterator[dict[str, Any]]:
    """Return the expressions right below a value of the tree."""
    if isinstance(value, dict):
        if "class" in value:
            yield value
        else:
            for inner in value.values():
                yield from _inner(inner)
    elif isinstance(value, list):
        for inner in value:
            yield from _inner(inner)


def _place(body: bytes, start: int, length: int, head: str = _HEAD) -> tuple[int, int] | None:
    """Return the first and last character (not included) of the expression that stand there."""
    if not len(head) <= start < len(body) - 2:
        return None
    first = len(body[len(head) : start].decode(errors="ignore"))
    last = len(body[len(head) : start + max(length, 1)].decode(errors="ignore"))
    return first, max(last, first + 1)


def explained(error: Exception, text: str, head: str = _HEAD) -> BadExpression:
    """Return what the engine found wrong with an expression that was run after `head`, and where."""
    raw = str(error)
    at, words = None, raw.split("Error: ", 1)[-1]
    if "{" in words:
        try:
            whole = json.loads(words[words.index("{") :])
            words = str(whole.get("exception_message", words))
            if str(whole.get("position", "")).isdigit():
                at = _place(f"{head}{text}\n)".encode(), int(whole["position"]), 1, head)
        except ValueError:
            pass
    else:
        found = re.search(r"^LINE 1: (.*)\n( *)\^", raw, re.MULTILINE)
        if found and found[1].startswith(_HEAD):
            first = len(found[2]) - len("LINE 1: ") - len(_HEAD)
            at = (first, first + 1) if first >= 0 else None
    line = next((piece.strip() for piece in words.splitlines() if piece.strip()), tr("it can't be understood"))
    if "must appear in the GROUP BY" in line or "cannot contain aggregates" in line:
        return BadExpression(
            text, tr("this sums up many rows"), tr("Write sum(x) OVER () for the sum of all rows."), at
        )
    return BadExpression(text, line, HOW_TO_QUOTE, at)


def narrowed(table: pa.Table, fields: Sequence[str]) -> pa.Table:
    """Return the columns of a table that an expression names, and the rows' places in the file."""
    places = pa.array(row_numbers(table.num_rows))
    return table.select(list(fields)).append_column(ROW, places) if fields else pa.table({ROW: places})


def evaluate(
    table: pa.Table, sql: str, text: str, check: Callable[[], None] | None = None, type_: str = ""
) -> pa.ChunkedArray:
    """Return one value a row of prepared SQL, in the order of the file, over a table that has the fields it
    names and ROW (see `narrowed`). Raises BadExpression."""
    head, tail = ("SELECT TRY_CAST((", f"\n) AS {type_})") if type_ else (_HEAD, "\n)")
    try:
        with closing(connect(table)) as db, stoppable(db, check):
            reader = db.sql(f"{head}{sql}{tail} AS made, {ROW} FROM rows").to_arrow_reader(BATCH)
            column, rows = _gathered(reader, text)
    except duckdb.InterruptException as error:
        raise BadExpression(text, tr("it was stopped")) from error
    except duckdb.Error as error:
        wrong = explained(error, text, head)
        wrong.at = wrong.at if sql == text else None
        raise wrong from error
    if len(column) != table.num_rows:
        raise BadExpression(
            text, tr("it does not give one value a row"), tr("Write sum(x) OVER () for the sum of all rows.")
        )
    if (np.diff(rows) != 1).any():  # the engine gives rows in the order that suits it
        back = np.empty(len(rows), np.int64)
        back[rows] = np.arange(len(rows))
        column = column.take(pa.array(back))
    return column


def _gathered(reader: Any, text: str) -> tuple[pa.ChunkedArray, np.ndarray]:
    """Return the values that come out of a reader and the rows they belong to, unless that is too much."""
    chunks: list[pa.Array] = []
    rows: list[np.ndarray] = []
    size = 0
    while True:
        try:
            batch = reader.read_next_batch()
        except StopIteration:
            break
        except OSError as error:  # so comes through a reader what the engine raises
            raise (duckdb.InterruptException if "INTERRUPT" in str(error) else duckdb.Error)(str(error)) from error
        chunks.append(batch.column(0))
        rows.append(batch.column(1).to_numpy(zero_copy_only=False))
        size += batch.nbytes
        if size > MOST_BYTES:
            raise BadExpression(text, tr("it makes more than two gigabytes of values"), tr("Make the values shorter."))
    places = np.concatenate(rows) if rows else np.empty(0, np.int64)
    return pa.chunked_array(chunks, reader.schema.field(0).type), places


def column_of(table: pa.Table, expression: str, check: Callable[[], None] | None = None) -> pa.Array:
    """Return one value a row: a field by its name, or what an SQL expression makes. Raises BadExpression."""
    if expression in table.column_names:
        column = table.column(expression)
    else:
        prepared = prepare(expression, table.column_names, measured=False)
        column = evaluate(narrowed(table, prepared.fields), prepared.sql, expression, check)
    return column.combine_chunks() if isinstance(column, pa.ChunkedArray) else column


def mask_of(table: pa.Table, expression: str, check: Callable[[], None] | None = None) -> np.ndarray:
    """Return (rows,) bool: where an SQL condition is true; missing counts as not. Raises BadExpression."""
    prepared = prepare(expression, table.column_names, measured=False)
    if prepared.windowed:  # such a condition looks at all rows, and can't stand behind WHERE
        sql = f"coalesce(CAST(({prepared.sql}\n) AS BOOLEAN), FALSE)"
        made = evaluate(narrowed(table, prepared.fields), sql, expression, check)
        return made.combine_chunks().to_numpy(zero_copy_only=False).astype(bool)
    mask = np.zeros(table.num_rows, bool)
    mask[rows_where(table, prepared, expression, check)] = True
    return mask


def rows_where(table: pa.Table, prepared: Prepared, text: str, check: Callable[[], None] | None = None) -> np.ndarray:
    """Return the numbers of the rows, in no order, for which a prepared condition is true. Raises BadExpression."""
    head = f"SELECT {ROW} FROM rows WHERE ("
    try:
        found = ask(table, f"{head}{prepared.sql}\n)", prepared.fields, check)
    except duckdb.InterruptException as error:
        raise BadExpression(text, tr("it was stopped")) from error
    except duckdb.Error as error:
        raise explained(error, text, head) from error
    return found.column(0).to_numpy()
