"""The table engine: rows of an Arrow table in an order, found, summed up and counted."""

from __future__ import annotations

from collections.abc import Callable, Sequence
from dataclasses import dataclass
from typing import Any

import duckdb
import numpy as np
import pyarrow as pa
import pyarrow.compute as pc

from brisk_atlas.core.model import BadExpression
from brisk_atlas.core.model.language import tr
from brisk_atlas.core.model.plain_values import value_of, values_of
from brisk_atlas.core.read.lazy_table import LazyTable

from .asking import ROW, ask, cells, connect, quoted, row_numbers, stoppable
from .expression import explained, mask_of, prepare

BINS = 24  # of the small distribution in a column's header
MOST_DISTINCT = 1000  # values listed with their counts
MOST_CELLS = 100_000  # held of a field that is not read as a whole
Check = Callable[[], None] | None


@dataclass(frozen=True)
class FieldSummary:
    """The summary of one field over the rows that show. What its kind does not have is None."""

    field: str
    count: int
    missing: int
    distinct: int
    minimum: Any = None
    maximum: Any = None
    mean: float | None = None
    total: float | None = None


class Sheet:
    """Rows of one table in an order. Safe for threads.

    `order` holds the numbers of the rows that show, in the order in which they show.
    """

    def __init__(self, table: pa.Table) -> None:
        self.table = table
        self.order = row_numbers(table.num_rows)
        self._ends: dict[str, np.ndarray] = {}  # where the chunks of a field end
        self._cells: dict[str, dict[int, Any]] = {}  # of fields that are not read as a whole, by row

    @property
    def columns(self) -> list[str]:
        """The names of all columns."""
        return list(self.table.column_names)

    def __len__(self) -> int:
        return len(self.order)

    @property
    def _is_whole(self) -> bool:
        """Return whether all rows show in the order of the file."""
        n = self.table.num_rows
        return len(self.order) == n and bool(n == 0 or (self.order[0] == 0 and (np.diff(self.order) == 1).all()))

    def type_of(self, field: str) -> pa.DataType:
        """Return the type of a field's values; of a dictionary that of its entries."""
        kind = self.table.schema.field(field).type
        return kind.value_type if pa.types.is_dictionary(kind) else kind

    def is_number(self, field: str) -> bool:
        """Return whether a field holds numbers."""
        kind = self.type_of(field)
        return pa.types.is_integer(kind) or pa.types.is_floating(kind) or pa.types.is_decimal(kind)

    def matching(self, expression: str, check: Check = None) -> np.ndarray:
        """Return the numbers of the rows for which an SQL expression is true. Raises BadExpression."""
        return self._ordered(expression, (), check)

    def arrange(
        self,
        where: str = "",
        sort: Sequence[tuple[str, bool]] = (),
        among: np.ndarray | None = None,
        check: Check = None,
    ) -> np.ndarray:
        """Return the numbers of the rows for which `where` is true, sorted by (field, descending) pairs.

        `among` : (rows,) bool, the rows to choose from, None for all. Missing values come last. Rows
        that are alike keep the order of the file. Raises BadExpression.
        """
        order = self._ordered(where, sort, check)
        return order if among is None else order[among[order]]

    def _ordered(self, where: str, sort: Sequence[tuple[str, bool]], check: Check) -> np.ndarray:
        where = where.strip()
        if not where and not sort:
            return row_numbers(self.table.num_rows)
        for field, _ in sort:
            if field not in self.table.column_names:
                raise BadExpression(field, tr("there is no such field to sort by"), tr("Sort by another column."))
        prepared = prepare(where, self.columns, measured=False) if where else None
        if prepared and prepared.windowed:  # such a condition looks at all rows, and can't stand behind WHERE
            order = self._ordered("", sort, check)
            return order[mask_of(self.table, where, check)[order]]
        chosen = f"WHERE ({prepared.sql}\n)" if prepared else ""
        by = ", ".join(f"{quoted(f)} {'DESC' if down else 'ASC'} NULLS LAST" for f, down in sort)
        turn = f" ORDER BY {by}, {ROW}" if sort else ""
        fields = [*(prepared.fields if prepared else ()), *(f for f, _ in sort)]
        found = self._ask(f"SELECT {ROW} FROM rows {chosen}{turn}", fields, where, check)
        order = found.column(0).to_numpy()
        return order if sort else np.sort(order)

    def _ask(self, query: str, fields: Sequence[str], text: str, check: Check) -> pa.Table:
        """Ask about the rows, of which only `fields` and the places are handed to the engine."""
        try:
            return ask(self.table, query, fields, check)
        except duckdb.Error as error:
            raise explained(error, text, query.partition("WHERE (")[0] + "WHERE (") from error

    def values(self, start: int, count: int, fields: Sequence[str]) -> dict[str, list[Any]]:
        """Return the values of some fields in the rows `start` to `start + count` as they show. Touches
        nothing but those cells."""
        rows = self.order[start : start + count]
        found: dict[str, list[Any]] = {}
        self.look_up(rows, fields)
        for field in fields:
            if not self.ready([field]):
                cells = self._cells[field]
                found[field] = [cells[row] for row in rows.tolist()]
                continue
            chunks = self.table.column(field).chunks
            if len(chunks) == 1:
                only = chunks[0]
                found[field] = [value_of(only[row]) for row in rows.tolist()]
                continue
            ends = self._ends.setdefault(field, np.cumsum([len(chunk) for chunk in chunks]))
            which = np.searchsorted(ends, rows, side="right")
            first = np.concatenate([[0], ends[:-1]])[which]
            found[field] = [value_of(chunks[c][r]) for c, r in zip(which.tolist(), (rows - first).tolist())]
        return found

    def rows(self) -> pa.Table:
        """Return all rows that show, in their order."""
        table = self.table.select(self.columns)
        return table if self._is_whole else table.take(pa.array(self.order))

    def place_of(self, row: int) -> int | None:
        """Return where a row shows, or None where the filter hides it."""
        at = np.flatnonzero(self.order == row)
        return int(at[0]) if at.size else None

    def shown(self, field: str) -> pa.ChunkedArray:
        """Return one field of the rows that show."""
        column = self.table.column(field)
        return column if len(self.order) == self.table.num_rows else column.take(pa.array(np.sort(self.order)))

    def summary(self, field: str, check: Check = None) -> FieldSummary:
        """Return the summary of a field over the rows that show."""
        column = self.shown(field)
        name = quoted(field)
        asked = ["count(*)", f"count({name})", f"count(DISTINCT {name})"]
        kind, number = self.type_of(field), self.is_number(field)
        if pa.types.is_nested(kind) or pa.types.is_null(kind):
            return FieldSummary(field, len(column) - column.null_count, column.null_count, 0)
        asked += [f"min({name})", f"max({name})"]
        if number:
            known = f"CASE WHEN isfinite(CAST({name} AS DOUBLE)) THEN {name} END"
            asked += [f"avg({known})", f"CAST(sum({known}) AS DOUBLE)"]
        whole = len(self.order) == self.table.num_rows
        if whole:
            answered = self._ask(f"SELECT {', '.join(asked)} FROM rows", [field], field, check)
        else:
            with connect(pa.table({field: column})) as db, stoppable(db, check):
                answered = db.sql(f"SELECT {', '.join(asked)} FROM rows").to_arrow_table()
        rows, count, distinct, minimum, maximum, *more = (value_of(c[0]) for c in answered.columns)
        mean, total = more if number else (None, None)
        return FieldSummary(field, count, rows - count, distinct, minimum, maximum, mean, total)

    def distribution(self, field: str) -> np.ndarray | None:
        """Return the counts of a field's values, of the rows that show, for a small picture: in BINS equal
        classes of numbers and dates, of the most frequent values of text; None for what has none."""
        column, kind = self.shown(field), self.type_of(field)
        if pa.types.is_dictionary(column.type):
            column = column.cast(kind)
        if pa.types.is_temporal(kind) and not pa.types.is_duration(kind):
            wide = pa.int32() if kind.bit_width == 32 else pa.int64()
            column = column.cast(wide)
        elif not self.is_number(field):
            if not (pa.types.is_string(kind) or pa.types.is_large_string(kind) or pa.types.is_boolean(kind)):
                return None
            counts = pc.value_counts(column).field("counts").to_numpy(zero_copy_only=False)
            return np.sort(counts)[::-1][:BINS].copy()
        values = column.drop_null().cast(pa.float64(), safe=False).to_numpy()
        values = values[np.isfinite(values)]
        return np.histogram(values, BINS)[0] if values.size else None

    def distinct(self, field: str, most: int = MOST_DISTINCT, check: Check = None) -> tuple[list[tuple[Any, int]], int]:
        """Return the most frequent values of a field with their counts, over all rows, and how many
        different values there are. Missing is one of them."""
        name = quoted(field)
        found = self._ask(f"SELECT {name} AS v, count(*) AS n FROM rows GROUP BY 1", [field], field, check)
        total = found.num_rows
        by = [("n", "descending"), ("v", "ascending")]
        top = pc.select_k_unstable(found, most, by) if total > most else pc.sort_indices(found, by)
        listed = found.take(top)
        return list(zip(values_of(listed.column("v")), listed.column("n").to_pylist())), total

    def ready(self, fields: Sequence[str], start: int = 0, count: int | None = None) -> bool:
        """Return whether the cells of some fields in the rows `start` to `start + count` as they show, or in all rows,
        can be had without reading a file."""
        if not isinstance(self.table, LazyTable) or self.table.has(fields):
            return True
        if count is None:
            return False
        rows = self.order[start : start + count].tolist()
        return all(self._has(field, rows) for field in fields)

    def _has(self, field: str, rows: list[int]) -> bool:
        """Return whether the cells of a field in some rows are at hand."""
        if not isinstance(self.table, LazyTable) or self.table.has([field]):
            return True
        cells = self._cells.get(field)
        return cells is not None and all(row in cells for row in rows)

    def look_up(self, rows: np.ndarray, fields: Sequence[str]) -> None:
        """Read the cells of some fields in some rows, or the whole fields where that can't be done. `rows` : (n,) their
        places in the file. Raises CannotRead, BadExpression."""
        if not isinstance(self.table, LazyTable):
            return
        self._take_first(fields)
        unread = [field for field in fields if not self._has(field, rows.tolist())]
        if not unread:
            return
        found = cells(self.table, rows, unread)
        if found is None or found.num_rows < len(rows):
            self.table.load(unread)
            return
        places = found.column(ROW).to_pylist()
        for field in unread:
            known = self._cells.setdefault(field, {})
            if len(known) > MOST_CELLS:
                known.clear()
            known.update(zip(places, values_of(found.column(field))))

    def _take_first(self, fields: Sequence[str]) -> None:
        """Take the cells of formulas in the first rows of the file from what is made of them already."""
        assert isinstance(self.table, LazyTable)
        for field in fields:
            formula = self.table.formulas.get(field)
            if formula is not None and field not in self._cells:
                self._cells[field] = dict(enumerate(values_of(formula.first)))

    def load(self, fields: Sequence[str]) -> None:
        """Read fields, together, so that their cells are at hand. Raises CannotRead, BadExpression."""
        if isinstance(self.table, LazyTable):
            self.table.load(fields)
