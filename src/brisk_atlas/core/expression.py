"""SQL expressions over the rows of a table.

External access is switched off and the configuration locked, so that an expression can read no file
and reach no network; it runs in a statement that only selects.
"""

from __future__ import annotations

import re
from contextlib import closing

import duckdb
import pyarrow as pa

from brisk_atlas.core.model import BadExpression

MEMORY_LIMIT = "4GB"
_SAFE = {"enable_external_access": "false", "memory_limit": MEMORY_LIMIT, "threads": "2"}


def quoted(name: str) -> str:
    """Return a field's name as SQL writes it."""
    return '"' + name.replace('"', '""') + '"'


def connect(table: pa.Table) -> duckdb.DuckDBPyConnection:
    """Return a locked connection that knows `table` as `rows`."""
    db = duckdb.connect(":memory:", config=_SAFE)
    db.register("rows", table)
    db.execute("SET lock_configuration = true")
    return db


def column_of(table: pa.Table, expression: str) -> pa.Array:
    """Return one value a row: a field by its name, or what an SQL expression makes. Raises BadExpression."""
    if expression in table.column_names:
        column = table.column(expression)
    else:
        check_single(expression)
        try:
            with closing(connect(table)) as db:
                column = db.sql(f"SELECT ({expression}\n) AS made FROM rows").to_arrow_table().column(0)
        except duckdb.Error as error:
            raise BadExpression(
                expression, reason(error), "Use field names and SQL, such as area_m2 / 1000."
            ) from error
        if len(column) != table.num_rows:
            raise BadExpression(
                expression, "it does not give one value a row", "Leave out sums and counts of many rows."
            )
    return column.combine_chunks() if isinstance(column, pa.ChunkedArray) else column


def check_single(expression: str) -> None:
    """Refuse what is more than one expression, before the engine sees it."""
    try:
        statements = duckdb.extract_statements(f"SELECT ({expression}\n)")
    except duckdb.Error as error:
        raise BadExpression(expression, reason(error), "Write one condition, such as year = 2031.") from error
    if len(statements) != 1 or statements[0].type != duckdb.StatementType.SELECT:
        raise BadExpression(expression, "this is more than one expression", "Write one condition, such as year = 2031.")


def reason(error: Exception) -> str:
    """Return what the engine found wrong, in one line."""
    lines = [
        line.strip()
        for line in str(error).splitlines()
        if line.strip() and not re.match(r"^(LINE \d|\^)", line.strip())
    ]
    return lines[0].split("Error: ", 1)[-1] if lines else "it can't be understood"
