"""The table engine: rows of an Arrow table, sorted and filtered by DuckDB with SQL expressions."""

from __future__ import annotations

import threading

import duckdb
import numpy as np
import pyarrow as pa

from brisk_atlas.core import expression as sql
from brisk_atlas.core.model import BadExpression

ROW = "__row"  # the row's place in the file, 0 first


class Sheet:
    """Rows of one table in an order and under a filter. Safe for threads.

    `order` holds the numbers of the rows that show, in the order in which they show.
    """

    def __init__(self, table: pa.Table) -> None:
        self.table = table
        self.order = np.arange(table.num_rows, dtype=np.int64)
        self.filter = ""
        self._lock = threading.Lock()
        self._db = sql.connect(table.append_column(ROW, pa.array(self.order)))

    @property
    def columns(self) -> list[str]:
        return list(self.table.column_names)

    def __len__(self) -> int:
        return len(self.order)

    def matching(self, expression: str) -> np.ndarray:
        """Return the numbers of the rows for which an SQL expression is true. Raises BadExpression."""
        return self._select(expression, None, False)

    def arrange(self, expression: str = "", by: str | None = None, descending: bool = False) -> np.ndarray:
        """Filter by an SQL expression (empty for all), sort by a column (None for file order).

        Missing values come last. Returns the new order. Raises BadExpression; the old order stays.
        """
        order = self._select(expression, by, descending)
        self.order, self.filter = order, expression
        return order

    def _select(self, expression: str, by: str | None, descending: bool) -> np.ndarray:
        expression = expression.strip()
        if not expression and by is None:
            return np.arange(self.table.num_rows, dtype=np.int64)
        sort = f"{sql.quoted(by)} {'DESC' if descending else 'ASC'} NULLS LAST, {ROW}" if by else ROW
        where = ""
        if expression:
            sql.check_single(expression)
            where = f"WHERE ({expression}\n)"
        query = f"SELECT {ROW} FROM rows {where} ORDER BY {sort}"
        try:
            with self._lock:
                return self._db.execute(query).fetchnumpy()[ROW].astype(np.int64)
        except duckdb.Error as error:
            raise BadExpression(
                expression or by or "",
                sql.reason(error),
                "Field names with spaces need double quotes, text needs single quotes.",
            ) from error

    def rows(self, start: int, count: int) -> pa.Table:
        """Return rows `start` to `start + count` as they show."""
        return self.table.take(pa.array(self.order[start : start + count]))

    def place_of(self, row: int) -> int | None:
        """Return where a row shows, or None where the filter hides it."""
        at = np.flatnonzero(self.order == row)
        return int(at[0]) if at.size else None

    def stop(self) -> None:
        """Interrupt a query that another thread is waiting for."""
        self._db.interrupt()
