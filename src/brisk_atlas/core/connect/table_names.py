"""Names of tables in databases, as references carry them."""

from __future__ import annotations

import re

from brisk_atlas.core.model import DataRef
from brisk_atlas.core.model.data_ref import PlaceKind

QUERY_MARK = "="  # before a SELECT in the place of a table
NAME = re.compile(r'"((?:[^"]|"")+)"|([^."]+)')  # quoted, or plain


def table_ref(database: DataRef, schema: str, table: str = "") -> DataRef:
    """Return the reference to a schema of a database, or to a table in it."""
    inner = ".".join(_written(name) for name in (schema, table) if name)
    return DataRef(PlaceKind.TABLE, database.place, inner)


def query_ref(database: DataRef, statement: str) -> DataRef:
    """Return the reference to what a SELECT of the analyst's own gives."""
    return DataRef(PlaceKind.TABLE, database.place, f"{QUERY_MARK}{statement.strip().rstrip(';').rstrip()}")


def statement_in(ref: DataRef) -> str:
    """Return the SELECT that a reference carries, "" for one that means a table, a schema or all of a database."""
    return ref.inner.removeprefix(QUERY_MARK) if ref.inner.startswith(QUERY_MARK) else ""


def names_in(ref: DataRef) -> tuple[str, str]:
    """Return the schema and the table that a reference means, "" for what it does not name. A name with a point in it
    stands in double quotes.

    >>> names_in(DataRef.parse('postgresql://localhost/survey#public."zones.closed"'))
    ('public', 'zones.closed')
    """
    if statement_in(ref):
        return "", "query"
    found = [quoted.replace('""', '"') if quoted else plain for quoted, plain in NAME.findall(ref.inner)]
    return (found[0] if found else ""), ".".join(found[1:])


def _written(name: str) -> str:
    return '"' + name.replace('"', '""') + '"' if "." in name or '"' in name else name
