"""PostgreSQL databases: their schemas and tables. Nothing above this file opens a connection to one.

Passwords come from this run (`model.passwords`), from the system's keyring, or from where libpq looks: `PGPASSFILE`,
`~/.pgpass`, a service file.
"""

from __future__ import annotations

import logging
import os
import select
import threading
from collections.abc import Iterator, Sequence
from contextlib import contextmanager
from datetime import UTC, datetime
from functools import partial
from typing import Any, LiteralString

import psycopg
from psycopg import sql
from psycopg.conninfo import conninfo_to_dict, make_conninfo

from brisk_atlas.core.model import CannotRead, CannotWrite, DataRef
from brisk_atlas.core.model.errors import NeedsPassword
from brisk_atlas.core.model.language import tr
from brisk_atlas.core.model.passwords import masked, password_of
from brisk_atlas.core.system.jobs import stopped_by

from .connector import Item
from .keyring_store import stored_password
from .table_names import names_in, table_ref

log = logging.getLogger(__name__)
CONNECT_S = 10  # until a server that does not answer is given up
STATEMENT_MS = 300_000  # that a statement may take on the server
LOCK_MS = 5_000  # to wait for another program that is writing
WRONG_LOGIN = "password authentication failed"  # of a server that refuses; no state comes with it while connecting
IDLE = 4  # connections to one database that wait for the next statement
SYSTEM_SCHEMAS = ("pg_catalog", "information_schema", "pg_toast")
SAME_MACHINE = ("localhost", "127.0.0.1", "::1")
OWN_TABLES = ("spatial_ref_sys", "geometry_columns", "geography_columns", "raster_columns", "raster_overviews")

_idle: dict[str, list[psycopg.Connection[Any]]] = {}
_lock = threading.Lock()


def conninfo(address: str, *, reads_only: bool = True) -> str:
    """Return what libpq is given for an address, its password included: it is for the library alone."""
    settings: dict[str, Any] = conninfo_to_dict(address.replace("postgres://", "postgresql://", 1))
    password = password_of(address) or stored_password(address)
    if password is not None:
        settings["password"] = password
    settings.setdefault("connect_timeout", str(CONNECT_S))
    settings.setdefault("application_name", "Brisk Atlas")
    if settings.get("host") in SAME_MACHINE and "PGSSLMODE" not in os.environ and "service" not in settings:
        settings.setdefault("sslmode", "allow")  # what crosses no wire is encrypted only where the server insists
    options = str(settings.get("options", ""))
    read_only = "on" if reads_only else "off"
    settings["options"] = (
        f"{options} -c statement_timeout={STATEMENT_MS} -c default_transaction_read_only={read_only} -c jit=off"
    ).strip()
    return make_conninfo(**settings)


@contextmanager
def explained_database(ref: DataRef) -> Iterator[None]:
    """Turn what a server does not give into CannotRead, with no password in it."""
    try:
        yield
    except psycopg.errors.QueryCanceled as error:
        raise CannotRead(
            ref, tr("the server stopped the question, which took too long"), tr("Ask for less.")
        ) from error
    except psycopg.errors.InsufficientPrivilege as error:
        raise CannotRead(
            ref, tr("you may not read it ({line})", line=_line(error)), tr("Ask the database's owner for the right.")
        ) from error
    except (psycopg.errors.SyntaxError, psycopg.errors.UndefinedColumn, psycopg.errors.UndefinedFunction) as error:
        raise CannotRead(
            ref, tr("the database can't follow it ({line})", line=_line(error)), tr("Mend the statement.")
        ) from error
    except psycopg.errors.UndefinedTable as error:
        raise CannotRead(
            ref, tr("there is no such table ({line})", line=_line(error)), tr("List the database again.")
        ) from error
    except psycopg.OperationalError as error:
        if _wants_password(error):
            raise NeedsPassword(ref, _line(error), tr("State the password.")) from error
        raise CannotRead(
            ref, tr("the database can't be reached ({line})", line=_line(error)), _remedy(str(error))
        ) from error
    except psycopg.Error as error:
        raise CannotRead(
            ref, tr("the database refuses ({line})", line=_line(error)), tr("Look at the address, or ask its owner.")
        ) from error


def _wants_password(error: psycopg.OperationalError) -> bool:
    """Return whether a server refused as no password, or a wrong one, was given."""
    link = error.pgconn
    return WRONG_LOGIN in str(error) or (link is not None and bool(link.needs_password))


def _line(error: Exception) -> str:
    """Return the telling line of what the library reports, without passwords."""
    stated = error.diag.message_primary if isinstance(error, psycopg.Error) else None
    lines = [stated] if stated else [line.strip() for line in str(error).splitlines() if line.strip()]
    return masked((lines or [type(error).__name__])[-1].rpartition("FATAL:")[2].strip())[:300]


def _remedy(text: str) -> str:
    if "password" in text:
        return tr("Check the user's name and password.")
    if "does not exist" in text:
        return tr("Check the name of the database and of the user.")
    if "certificate" in text or "SSL" in text:
        return tr("Check the certificates that the address names.")
    return tr("Check the address, and whether the server runs.")


@contextmanager
def connection(ref: DataRef) -> Iterator[psycopg.Connection[Any]]:
    """Give a connection for reading to the database of a reference, one that waited if there is one. Raises
    CannotRead."""
    with explained_database(ref):
        held = _waiting(ref.place)
        if held is None:
            held = psycopg.connect(conninfo(ref.place), autocommit=True)
        fine = False
        try:
            with stopped_by(partial(_give_up, held)):
                yield held
            fine = True
        finally:
            with _lock:
                keep = fine and not held.closed and len(_idle[ref.place]) < IDLE
                if keep:
                    _idle[ref.place].append(held)
            if not keep:
                held.close()


def _waiting(place: str) -> psycopg.Connection[Any] | None:
    """Return a connection that waited and still stands, None for none. Where its socket has something to read though
    nothing was asked, the server has ended it."""
    with _lock:
        waiting = _idle.setdefault(place, [])
        while waiting:
            held = waiting.pop()
            if not held.closed and not select.select([held.fileno()], [], [], 0)[0]:
                return held
            held.close()
    return None


def _give_up(link: psycopg.Connection[Any]) -> None:
    """Ask the server to give up what it does for a connection."""
    try:
        link.cancel_safe(timeout=CONNECT_S)
    except psycopg.Error:
        log.info("the server could not be asked to give up", exc_info=True)


@contextmanager
def writing(ref: DataRef) -> Iterator[psycopg.Connection[Any]]:
    """Give a connection of its own on which one transaction writes, whole or not at all. Raises CannotWrite."""
    with explained_database(ref):
        link = psycopg.connect(conninfo(ref.place))
    link.read_only = False
    try:
        with link:
            link.execute(f"SET LOCAL lock_timeout = {LOCK_MS}")
            yield link
    except (psycopg.errors.LockNotAvailable, psycopg.errors.QueryCanceled, psycopg.errors.DeadlockDetected) as error:
        raise CannotWrite(ref, tr("another program holds its rows"), tr("Try again when it is done.")) from error
    except (psycopg.errors.InsufficientPrivilege, psycopg.errors.ReadOnlySqlTransaction) as error:
        raise CannotWrite(
            ref, tr("you may not write it ({line})", line=_line(error)), tr("Ask the database's owner.")
        ) from error
    except psycopg.Error as error:
        raise CannotWrite(
            ref, tr("the database refuses ({line})", line=_line(error)), tr("Nothing was written; mend the value.")
        ) from error


def close_all() -> None:
    """Close the connections that wait."""
    with _lock:
        waiting = [each for some in _idle.values() for each in some]
        _idle.clear()
    for each in waiting:
        each.close()


def ask(ref: DataRef, query: LiteralString | sql.Composed, values: Sequence[Any] = ()) -> list[tuple[Any, ...]]:
    """Return the rows of a question to the database of a reference. Raises CannotRead.

    query : a text of this program's own, with `%s` for each of `values`, or one composed with quoted names
    """
    with connection(ref) as database:
        text = query if isinstance(query, sql.Composed) else sql.SQL(query)
        return database.execute(text, values or None, prepare=True).fetchall()  # by which only one statement can go


class Postgres:
    """A database is a folder of schemas, a schema one of tables, views and materialised views."""

    def list(self, ref: DataRef) -> list[Item]:
        schema, _ = names_in(ref)
        if not schema:
            found = ask(
                ref,
                "SELECT nspname FROM pg_namespace WHERE nspname <> ALL(%s) AND nspname NOT LIKE 'pg\\_temp%%' "
                "AND nspname NOT LIKE 'pg\\_toast%%' AND has_schema_privilege(oid, 'USAGE') ORDER BY nspname",
                [list(SYSTEM_SCHEMAS)],
            )
            return [Item(table_ref(ref, name), name, True, 0, 0.0, "") for (name,) in found]
        rows = ask(
            ref,
            "SELECT c.relname, pg_table_size(c.oid), c.reltuples::bigint FROM pg_class c "
            "JOIN pg_namespace n ON n.oid = c.relnamespace "
            "WHERE n.nspname = %s AND c.relkind IN ('r', 'v', 'm', 'f', 'p') AND c.relname <> ALL(%s) "
            "AND NOT c.relispartition AND has_table_privilege(c.oid, 'SELECT') ORDER BY c.relname",
            [schema, list(OWN_TABLES)],
        )
        return [Item(table_ref(ref, schema, name), name, False, size, 0.0, str(rows_)) for name, size, rows_ in rows]

    def stat(self, ref: DataRef) -> tuple[int, datetime]:
        schema, table = names_in(ref)
        size = ask(
            ref,
            "SELECT pg_table_size(c.oid) FROM pg_class c JOIN pg_namespace n ON n.oid = c.relnamespace "
            "WHERE n.nspname = %s AND c.relname = %s",
            [schema, table],
        )
        return (size[0][0] if size else 0), datetime.fromtimestamp(0, UTC)

    def fingerprint(self, ref: DataRef) -> str:
        """Return the counts of rows that were written: they differ once a table has changed."""
        schema, table = names_in(ref)
        found = ask(
            ref,
            "SELECT n_tup_ins, n_tup_upd, n_tup_del FROM pg_stat_all_tables WHERE schemaname = %s AND relname = %s",
            [schema, table],
        )
        return "|".join(map(str, found[0])) if found else ""

    def head(self, ref: DataRef, count: int) -> bytes:
        return b""

    def localise(self, ref: DataRef) -> DataRef:
        raise CannotRead(ref, tr("a table of a database is no file"), tr("Export it to a file first."))


CONNECTOR = Postgres()
