"""The rows of a posting as an outlet shows them. All that others learn of a posting goes through here.

A question is put to a query that has the shown fields alone, rounded as they are shown, so that nothing that is left
out can be filtered by, sorted by, counted or stumbled upon. Boxes are compared with the geometry that is shown.
"""

from __future__ import annotations

import hashlib
import json
from collections.abc import Iterator, Sequence
from dataclasses import dataclass
from typing import Any

from brisk_atlas.core.model import BadExpression
from brisk_atlas.core.table.asking import quoted
from brisk_atlas.core.table.server_sql import as_stated

from .outlet import Outlet, OutletField
from .outlet_filter import FilterSql, OutletFilter, filter_sql
from .posted_rows import ROW_BYTES, PostedRow, PostedRows
from .posting import FieldType, Value
from .rights import Identity
from .store_database import ALL, Box

MOST_VALUES = 30_000  # that one question to the store may carry
PAST = "past_rows"
MOST_COUNTED = 10_000  # rows; of more the number is not stated
NAME, WKB, ID = '"__name"', '"__wkb"', '"__id"'  # columns beside the fields, none of which is called so
ARROW_TYPES = {
    FieldType.BOOLEAN: "bool",
    FieldType.INTEGER: "int64",
    FieldType.NUMBER: "double",
    FieldType.TEXT: "string",
    FieldType.DATE: "date32[day]",
    FieldType.TIME: "timestamp[us, tz=UTC]",
}


@dataclass(frozen=True)
class ShownRow:
    """A row as an outlet shows it."""

    name: str
    values: dict[str, Value]
    wkb: bytes | None

    @property
    def state(self) -> str:
        """A text that differs once anything that is shown has changed, and by nothing else."""
        content = json.dumps([self.name, self.values, self.wkb.hex() if self.wkb is not None else None])
        return hashlib.sha256(content.encode()).hexdigest()[:32]


@dataclass(frozen=True)
class RowsAsked:
    """Which rows: those that meet a box in the posting's CRS and a condition over the shown fields, in the order of
    fields (a "-" before a name for descending), and then of names."""

    box: Box | None = None
    order: tuple[str, ...] = ()
    every: int = 1  # one in about so many rows, by their names, which are of no order
    exact: bool = True  # whether rows near a box, which may not meet it, are left out
    filter: OutletFilter | None = None


class OutletRows:
    """The rows of one outlet."""

    def __init__(self, rows: PostedRows, outlet: Outlet) -> None:
        self.rows, self.outlet = rows, outlet
        self.fields = {field.name: rows.posting.field(field.source) for field in outlet.fields}

    # Reading

    def page(self, asked: RowsAsked, limit: int, *, after: str = "", skip: int = 0) -> list[ShownRow]:
        """Return some rows: from behind the row called `after` on where they are in no order of fields, else without
        the first `skip`. Raises BadExpression."""
        query, given = self._query(asked)
        order = ", ".join([*(self._ordered(name) for name in asked.order), NAME])
        behind = "" if asked.order or not after else f" WHERE {NAME} > ?"
        names = ", ".join([NAME, WKB, *map(quoted, self.fields)])
        found = self.rows.store.reading.execute(
            f"SELECT {names} FROM ({query}) AS found{behind} ORDER BY {order} LIMIT ? OFFSET ?",
            [*given, *([after] if behind else []), limit, skip],
        )
        return [self._shown(each) for each in found]

    def stored_rows(
        self, asked: RowsAsked, size: int, *, skip: int = 0, limit: int = ALL
    ) -> Iterator[list[tuple[Any, ...]]]:
        """Yield rows as the store gives them, `size` at a time: the name, the geometry, and the shown fields in their
        order. Without an order they come as they were added."""
        query, given = self._query(asked)
        names = ", ".join([NAME, WKB, *map(quoted, self.fields)])
        order = ", ".join([*(self._ordered(name) for name in asked.order), NAME if asked.order else ID])
        text = f"SELECT {names} FROM ({query}) AS found ORDER BY {order} LIMIT ? OFFSET ?"
        return self.rows.store.batches(text, [*given, limit, skip], size)

    def count(self, asked: RowsAsked = RowsAsked()) -> int | None:
        """Return how many rows there are, None for more than are counted. Raises BadExpression."""
        query, given = self._query(asked)
        text = f"SELECT count(*) FROM (SELECT 1 FROM ({query}) AS found LIMIT {MOST_COUNTED + 1}) AS counted"
        (found,) = self.rows.store.reading.execute(text, given).fetchone()
        return found if found <= MOST_COUNTED else None

    def number_of_rows(self) -> int:
        """Return how many rows there are, however many."""
        query, given = self._query(RowsAsked())
        (found,) = self.rows.store.reading.execute(f"SELECT count(*) FROM ({query}) AS found", given).fetchone()
        return int(found)

    def row(self, name: str) -> ShownRow | None:
        """Return a row by its name, None for one that is not there or not shown."""
        query, given = self._query(RowsAsked())
        names = ", ".join([NAME, WKB, *map(quoted, self.fields)])
        found = self.rows.store.reading.execute(
            f"SELECT {names} FROM ({query}) AS found WHERE {NAME} = ?", [*given, name]
        ).fetchone()  # fmt: skip
        return self._shown(found) if found is not None else None

    def as_shown(self, rows: Sequence[PostedRow]) -> dict[str, ShownRow]:
        """Return those of some rows, as they were once, that would be shown, by name. No two are of one name."""
        found: dict[str, ShownRow] = {}
        names = ", ".join([NAME, WKB, *map(quoted, self.fields)])
        at_once = max(1, MOST_VALUES // (3 + len(self.rows.posting.fields)))
        for begin in range(0, len(rows), at_once):
            query, given = self._query(RowsAsked(), rows[begin : begin + at_once])
            for each in self.rows.store.reading.execute(f"SELECT {names} FROM ({query}) AS found", given):
                shown = self._shown(each)
                found[shown.name] = shown
        return found

    def shapes(self, asked: RowsAsked, size: int) -> Iterator[list[bytes | None]]:
        """Yield the geometry of rows as the store gives it, in no order, `size` at a time."""
        query, given = self._query(asked)
        for some in self.rows.store.batches(f"SELECT {WKB} FROM ({query}) AS found", given, size):
            yield [wkb for (wkb,) in some]

    def may_touch(self, row: PostedRow, who: Identity) -> bool:
        """Return whether somebody who may change rows may change this one."""
        return not self.outlet.own_rows or who.is_owner or (bool(who.account) and row.added_by == who.account)

    def sources_of(self, values: dict[str, Any]) -> dict[str, Any]:
        """Return values by the posting's own fields. Raises KeyError for a name that is not shown, and PermissionError
        for a field that is shown rounded, whose exact value would be lost."""
        own = {each.name: each for each in self.outlet.fields}
        made = {}
        for name, value in values.items():
            each = own[name]
            if each.decimals is not None:
                raise PermissionError(f"{name} is rounded here, and can't be changed")
            made[each.source] = value
        return made

    # Asking

    def _query(self, asked: RowsAsked, past: Sequence[PostedRow] = ()) -> tuple[str, list[Any]]:
        """Return a query that has NAME, WKB and the shown fields, and the values for it: of the rows that are stored,
        or of some as they were once."""
        outlet, posting = self.outlet, self.rows.posting
        table = PAST if past else self.rows.table
        at = {field.name: number for number, field in enumerate(posting.fields)}
        columns = [f"{self._expression(f'f{at[each.source]}', each)} AS {quoted(each.name)}" for each in outlet.fields]
        given: list[Any] = []
        conditions = []
        before = ""
        if past:
            width = 3 + len(at)
            form = self.rows.store.form
            types_of = [form.integer, form.text, form.binary, *(form.types[field.type] for field in posting.fields)]
            marks = ", ".join([f"({', '.join('?' * width)})"] * (len(past) - 1))
            first = ", ".join(form.typed.format(each) for each in types_of)  # by which the types of all are known
            marks = f"({first}){', ' if marks else ''}{marks}"
            own = ", ".join(["id", "name", "wkb", *(f"f{number}" for number in at.values())])
            before = f"WITH {PAST}({own}) AS (VALUES {marks}) "
            for number, row in enumerate(past):
                given += [number, row.name, row.wkb, *(row.values[name] for name in at)]
        if outlet.where:
            types = {field.name: ARROW_TYPES[field.type] for field in posting.fields}
            own = ", ".join(f"f{number} AS {quoted(name)}" for name, number in at.items())
            inner = f"SELECT id AS {ID}, {own} FROM {table}"
            conditions.append(f"id IN (SELECT {ID} FROM ({inner}) AS own WHERE {self._stated(outlet.where, types)})")
        if asked.every > 1:
            conditions.append("name < ?")
            given.append(f"{(1 << 8 * ROW_BYTES) // asked.every:0{2 * ROW_BYTES}x}")
        further = self._filter(asked.filter) if asked.filter is not None else None
        boxes = [outlet.area] if outlet.area is not None else []
        boxes += [_grown(asked.box, outlet.blur)] if asked.box is not None else []
        boxes += [_grown(box, outlet.blur) for box in further.boxes] if further is not None else []
        for box in boxes:
            if not past:
                near, values = self.rows.store.places.near(posting, box)
                conditions.append(near)
                given += values
        if outlet.area is not None:
            conditions.append("lies_in(wkb, ?, ?, ?, ?)")
            given += outlet.area
        shape = f"on_grid(wkb, {float(outlet.blur)!r})" if outlet.blur else "wkb"
        if asked.box is not None and asked.exact:
            conditions.append(f"meets({shape}, ?, ?, ?, ?)")
            given += asked.box
        where = f" WHERE {' AND '.join(conditions)}" if conditions else ""
        named = ", ".join([f"id AS {ID}", f"name AS {NAME}", f"{shape} AS {WKB}", *columns])
        query = f"{before}SELECT {named} FROM {table}{where}"
        if further is not None:
            query = f"SELECT * FROM ({query}) AS filtered WHERE {further.sql}"
            given += further.given
        return query, given

    def _filter(self, asked: OutletFilter) -> FilterSql:
        posting = self.rows.posting
        fields = {name: field.type for name, field in self.fields.items()}
        return filter_sql(asked, fields, WKB if posting.has_shapes else None, posting.crs, self.rows.store.form)

    def _ordered(self, name: str) -> str:
        plain = name.removeprefix("-")
        if plain not in self.fields:
            raise BadExpression(name, f"there is no field {plain}", "The schema lists the fields.")
        return f"{quoted(plain)} {'DESC NULLS LAST' if name.startswith('-') else 'ASC NULLS FIRST'}"

    def _expression(self, column: str, field: OutletField) -> str:
        """Return a field as it is shown."""
        return column if field.decimals is None else self.rows.store.form.rounded.format(column, max(0, field.decimals))

    def _stated(self, where: str, types: dict[str, str]) -> str:
        """Return a condition as the store's SQL. Raises BadExpression for one that it can't be asked by."""
        stated = as_stated(where, types, self.rows.store.form.conditions)
        if stated is None:
            raise BadExpression(
                where[:200], "it names something else than fields and values, or compares what can't be compared",
                "Compare fields of the schema with values, joined by AND, OR and NOT.",
            )  # fmt: skip
        return stated

    def _shown(self, found: Sequence[Any]) -> ShownRow:
        name, wkb, *stored = found
        values = {
            field: bool(value) if self.fields[field].type is FieldType.BOOLEAN and value is not None else value
            for field, value in zip(self.fields, stored)
        }
        return ShownRow(name, values, wkb)


def _grown(box: Box, by: float) -> Box:
    return box[0] - by, box[1] - by, box[2] + by, box[3] + by
