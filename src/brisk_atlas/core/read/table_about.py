"""What a PostgreSQL database's catalogue says of a table, and what it plans for a SELECT of one's own."""

from __future__ import annotations

from typing import NamedTuple

from psycopg import sql

from brisk_atlas.core.connect.postgres import ask, connection
from brisk_atlas.core.connect.table_names import names_in, statement_in, table_ref
from brisk_atlas.core.model import CannotRead, DataRef, Relation
from brisk_atlas.core.model.language import tr

QUERY = "q"  # the kind of what a SELECT gives


class Column(NamedTuple):
    """A column of a table: its name, the name of its type, and its comment."""

    name: str
    type: str
    about: str


class TableAbout(NamedTuple):
    """What the catalogue says of a table. `relations` are its foreign keys, and those of other tables to it."""

    kind: str  # r: table, v: view, m: materialised view, f: of another server, p: in partitions
    rows: int  # an estimate, below 0 for none
    size: int
    about: str
    columns: tuple[Column, ...]
    key: tuple[str, ...]
    relations: tuple[Relation, ...] = ()
    widths: tuple[tuple[str, int], ...] = ()  # mean bytes of columns, as far as the database knows them


def about_table(ref: DataRef) -> TableAbout:
    """Return what the catalogue says of a table. Raises CannotRead."""
    if statement_in(ref):
        return _about_query(ref)
    schema, table = names_in(ref)
    head = ask(
        ref,
        "SELECT c.oid, c.relkind, c.reltuples::bigint, pg_table_size(c.oid), obj_description(c.oid, 'pg_class') "
        "FROM pg_class c JOIN pg_namespace n ON n.oid = c.relnamespace WHERE n.nspname = %s AND c.relname = %s",
        [schema, table],
    )
    if not head:
        raise CannotRead(
            ref, tr("it has no table {schema}.{table}", schema=schema, table=table), tr("List the database again.")
        )
    oid, kind, rows, size, about = head[0]
    columns = ask(
        ref,
        "SELECT a.attname, coalesce(b.typname, t.typname), col_description(a.attrelid, a.attnum) FROM pg_attribute a "
        "JOIN pg_type t ON t.oid = a.atttypid LEFT JOIN pg_type b ON b.oid = nullif(t.typbasetype, 0) "
        "WHERE a.attrelid = %s AND a.attnum > 0 AND NOT a.attisdropped "
        "AND has_column_privilege(a.attrelid, a.attnum, 'SELECT') ORDER BY a.attnum",
        [oid],
    )
    key = ask(
        ref,
        "SELECT a.attname FROM pg_index i JOIN pg_attribute a ON a.attrelid = i.indrelid AND a.attnum = ANY(i.indkey) "
        "WHERE i.indrelid = %s AND i.indisprimary ORDER BY array_position(i.indkey::int2[], a.attnum)",
        [oid],
    )
    found = tuple(Column(name, type_, words or "") for name, type_, words in columns)
    relations = _relations(ref, oid)
    widths = tuple(
        ask(ref, "SELECT attname, avg_width FROM pg_stats WHERE schemaname = %s AND tablename = %s", [schema, table])
    )
    return TableAbout(str(kind), rows, size, about or "", found, tuple(name for (name,) in key), relations, widths)


def _relations(ref: DataRef, oid: int) -> tuple[Relation, ...]:
    """Return what a table refers to by a foreign key of one column, and what refers to it."""
    rows = ask(
        ref,
        "SELECT k.conrelid = %s, n.nspname, c.relname, a.attname, b.attname FROM pg_constraint k "
        "JOIN pg_class c ON c.oid = CASE WHEN k.conrelid = %s THEN k.confrelid ELSE k.conrelid END "
        "JOIN pg_namespace n ON n.oid = c.relnamespace "
        "JOIN pg_attribute a ON a.attrelid = k.conrelid AND a.attnum = k.conkey[1] "
        "JOIN pg_attribute b ON b.attrelid = k.confrelid AND b.attnum = k.confkey[1] "
        "WHERE k.contype = 'f' AND cardinality(k.conkey) = 1 AND %s IN (k.conrelid, k.confrelid) "
        "AND has_table_privilege(c.oid, 'SELECT') ORDER BY 1 DESC, 2, 3, 4",
        [oid, oid, oid],
    )
    return tuple(
        Relation(table_ref(ref, schema, table), *((near, far) if own else (far, near)), many=not own)
        for own, schema, table, near, far in rows
    )


def _about_query(ref: DataRef) -> TableAbout:
    """Return what a SELECT of one's own gives, after a dry run: it is planned, not run. Raises CannotRead."""
    (plan,) = ask(ref, sql.SQL("EXPLAIN (FORMAT JSON) SELECT * FROM {}").format(name_of(ref)))[0]
    with connection(ref) as database:
        described = (
            database.execute(sql.SQL("SELECT * FROM {} LIMIT 0").format(name_of(ref)), prepare=True).description or []
        )
    names = [column.name for column in described]
    twice = [name for name in names if names.count(name) > 1]
    if twice:
        raise CannotRead(
            ref, tr("two of its columns are called {twice}", twice=twice[0]), tr("Give one another name with AS.")
        )
    types = dict(
        ask(ref, "SELECT oid::bigint, typname FROM pg_type WHERE oid = ANY(%s)", [[c.type_code for c in described]])
    )
    columns = tuple(Column(column.name, types.get(column.type_code, "text"), "") for column in described)
    return TableAbout(QUERY, int(plan[0]["Plan"]["Plan Rows"]), 0, "", columns, ())


def pages_of(ref: DataRef) -> int:
    """Return how many pages of its file a table fills, about. Raises CannotRead."""
    found = ask(
        ref,
        "SELECT relpages FROM pg_class c JOIN pg_namespace n ON n.oid = c.relnamespace "
        "WHERE n.nspname = %s AND c.relname = %s",
        names_in(ref),
    )
    return int(found[0][0]) if found else 0


def name_of(ref: DataRef) -> sql.Composable:
    """Return what stands behind FROM: a table by its names, or a SELECT of one's own."""
    own = statement_in(ref)
    return sql.SQL("({}\n) AS asked").format(sql.SQL(own)) if own else sql.Identifier(*names_in(ref))
