"""MariaDB and MySQL databases: their schemas and tables. Nothing above this file opens a connection to one."""

from __future__ import annotations

import logging
import ssl
from collections.abc import Iterator, Sequence
from contextlib import contextmanager, suppress
from datetime import UTC, datetime
from functools import cache
from typing import Any
from urllib.parse import parse_qsl, unquote, urlsplit

import pymysql
from pymysql.constants import ER
from pymysql.cursors import SSCursor

from brisk_atlas.core.model import CannotRead, CannotWrite, DataRef
from brisk_atlas.core.model.errors import NeedsPassword
from brisk_atlas.core.model.passwords import masked, password_of
from brisk_atlas.core.system.jobs import stopped_by

from .connector import Item
from .keyring_store import stored_password
from .table_names import names_in, table_ref

log = logging.getLogger(__name__)
CONNECT_S = 10
STATEMENT_S = 300  # that a statement may take on the server
LOCK_S = 5  # that another program may hold a row
PORT = 3306
SYSTEM_SCHEMAS = ("information_schema", "mysql", "performance_schema", "sys")
REQUIRED, VERIFIED = "required", ("verify_ca", "verify_identity", "verify-ca", "verify-full")
STOPPED = (ER.QUERY_INTERRUPTED, 1969, 3024)  # by somebody, or by a time limit of MariaDB and of MySQL
LOCKED = (ER.LOCK_WAIT_TIMEOUT, ER.LOCK_DEADLOCK)
DENIED = (ER.TABLEACCESS_DENIED_ERROR, ER.COLUMNACCESS_DENIED_ERROR, ER.DBACCESS_DENIED_ERROR)


def database_of(ref: DataRef) -> str:
    """Return the schema that an address names itself, "" for none."""
    return unquote(urlsplit(ref.place).path.strip("/"))


def _settings(place: str) -> dict[str, Any]:
    """Return what the library is given for an address, its password included."""
    parts = urlsplit(place)
    options = {name.lower().replace("_", "-"): value for name, value in parse_qsl(parts.query)}
    mode = options.get("ssl-mode", "").lower()
    password = password_of(place)
    if password is None:
        password = stored_password(place)
    settings: dict[str, Any] = {
        "host": parts.hostname or "localhost",
        "port": parts.port or PORT,
        "user": unquote(parts.username or ""),
        "password": password or "",
        "database": unquote(parts.path.strip("/")) or None,
        "charset": "utf8mb4",
        "connect_timeout": CONNECT_S,
        "read_timeout": STATEMENT_S + CONNECT_S,
        "autocommit": True,
        "program_name": "Brisk Atlas",
        "local_infile": False,
    }
    if mode in VERIFIED or "ssl-ca" in options or "ssl-cert" in options:
        context = ssl.create_default_context(cafile=options.get("ssl-ca"))
        context.check_hostname = mode in ("verify_identity", "verify-full")
        if "ssl-cert" in options:
            context.load_cert_chain(options["ssl-cert"], options.get("ssl-key"))
        settings["ssl"] = context
    elif mode == REQUIRED:
        settings["ssl"] = {"check_hostname": False, "verify_mode": "none"}
    return settings


@contextmanager
def explained_mariadb(ref: DataRef) -> Iterator[None]:
    """Turn what a server does not give into CannotRead, with no password in it."""
    try:
        yield
    except (pymysql.MySQLError, ssl.SSLError, OSError) as error:
        code = error.args[0] if error.args and isinstance(error.args[0], int) else 0
        line = masked(str(error.args[1] if len(error.args) > 1 else error)).splitlines()[0][:300]
        if code == ER.ACCESS_DENIED_ERROR:
            raise NeedsPassword(ref, line, "State the password.") from error
        if code in STOPPED:
            raise CannotRead(ref, "the server stopped the question, which took too long", "Ask for less.") from error
        if code in DENIED:
            raise CannotRead(ref, f"you may not read it ({line})", "Ask the database's owner for the right.") from error
        if code == ER.NO_SUCH_TABLE:
            raise CannotRead(ref, f"there is no such table ({line})", "List the database again.") from error
        if code in (ER.PARSE_ERROR, ER.BAD_FIELD_ERROR):
            raise CannotRead(ref, f"the database can't follow it ({line})", "Mend the statement.") from error
        if isinstance(error, pymysql.OperationalError | OSError):
            remedy = "Check the address, its certificates, and whether the server runs."
            raise CannotRead(ref, f"the database can't be reached ({line})", remedy) from error
        raise CannotRead(ref, f"the database refuses ({line})", "Look at the address, or ask its owner.") from error


@contextmanager
def connection(ref: DataRef) -> Iterator[pymysql.Connection[Any]]:
    """Give a connection that only reads, with names in double quotes. Raises CannotRead."""
    with explained_mariadb(ref):
        link = pymysql.connect(**_settings(ref.place))
        try:
            with link.cursor() as cursor:
                cursor.execute("SET SESSION sql_mode = 'ANSI_QUOTES', time_zone = '+00:00'")
                limit = (
                    f"max_statement_time = {STATEMENT_S}"
                    if is_mariadb(link)
                    else f"max_execution_time = {STATEMENT_S * 1000}"
                )
                cursor.execute(f"SET SESSION {limit}")
                cursor.execute("SET SESSION TRANSACTION READ ONLY")
            with stopped_by(lambda: _give_up(ref, link.thread_id())):
                yield link
        finally:
            with suppress(pymysql.MySQLError, OSError):
                link.close()


@contextmanager
def writing(ref: DataRef) -> Iterator[pymysql.Connection[Any]]:
    """Give a connection of its own on which one transaction writes, whole or not at all. Raises CannotWrite."""
    with explained_mariadb(ref):
        link = pymysql.connect(**_settings(ref.place) | {"autocommit": False})
    try:
        with link.cursor() as cursor:
            cursor.execute("SET SESSION sql_mode = 'ANSI_QUOTES,STRICT_ALL_TABLES', time_zone = '+00:00'")
            cursor.execute(f"SET SESSION innodb_lock_wait_timeout = {LOCK_S}")
        link.begin()
        yield link
        link.commit()
    except pymysql.MySQLError as error:
        code = error.args[0] if error.args else 0
        line = masked(str(error.args[1] if len(error.args) > 1 else error)).splitlines()[0][:300]
        if code in LOCKED:
            raise CannotWrite(ref, "another program holds its rows", "Try again when it is done.") from error
        if code in (*DENIED, ER.OPTION_PREVENTS_STATEMENT):
            raise CannotWrite(ref, f"you may not write it ({line})", "Ask the database's owner.") from error
        raise CannotWrite(ref, f"the database refuses ({line})", "Nothing was written; mend the value.") from error
    finally:
        with suppress(pymysql.MySQLError, OSError):
            link.close()  # what was not committed is undone


def is_mariadb(link: pymysql.Connection[Any]) -> bool:
    """Return whether a server is MariaDB, and not MySQL."""
    return "mariadb" in str(link.get_server_info()).lower()


@cache
def speaks_mariadb(place: str) -> bool:
    """Return whether the server at an address is MariaDB, and not MySQL; it is asked once. Raises CannotRead."""
    with connection(DataRef.parse(place)) as link:
        return is_mariadb(link)


def _give_up(ref: DataRef, number: int) -> None:
    """Ask the server to give up what it does for a connection."""
    try:
        link = pymysql.connect(**_settings(ref.place))
        with link, link.cursor() as cursor:
            cursor.execute(f"KILL QUERY {int(number)}")
    except (pymysql.MySQLError, OSError):
        log.info("the server could not be asked to give up", exc_info=True)


def quoted(name: str) -> str:
    """Return a name as it stands in a statement."""
    return '"' + name.replace('"', '""') + '"'


def literal(value: object) -> str:
    """Return a text as it stands in a statement."""
    text = str(value).replace("\\", "\\\\").replace("'", "''").replace("\0", "")
    return f"'{text}'"


def ask(ref: DataRef, statement: str, values: Sequence[Any] = ()) -> list[tuple[Any, ...]]:
    """Return the rows of a question, with `%s` for each of `values`. Raises CannotRead."""
    with connection(ref) as link, link.cursor() as cursor:
        cursor.execute(statement, tuple(values) or None)
        return list(cursor.fetchall())


@contextmanager
def streamed(ref: DataRef, statement: str) -> Iterator[SSCursor[Any]]:
    """Give the rows of a statement as they come. Raises CannotRead."""
    with connection(ref) as link:
        cursor = link.cursor(SSCursor)
        cursor.execute(statement)
        try:
            yield cursor
        finally:
            with suppress(pymysql.MySQLError, OSError):
                cursor.close()


class MariaDb:
    """A server is a folder of schemas, a schema one of tables and views; an address may name its schema itself."""

    def list(self, ref: DataRef) -> list[Item]:
        schema = names_in(ref)[0] or database_of(ref)
        if not schema:
            rows = ask(
                ref, "SELECT schema_name FROM information_schema.schemata WHERE schema_name NOT IN %s ORDER BY 1",
                [SYSTEM_SCHEMAS],
            )  # fmt: skip
            return [Item(table_ref(ref, name), name, True, 0, 0.0, "") for (name,) in rows]
        rows = ask(
            ref,
            "SELECT table_name, coalesce(data_length, 0), coalesce(table_rows, 0), coalesce(update_time, create_time) "
            "FROM information_schema.tables WHERE table_schema = %s ORDER BY table_name",
            [schema],
        )
        return [
            Item(table_ref(ref, schema, name), name, False, int(size), 0.0, f"{count}.{changed}")
            for name, size, count, changed in rows
        ]

    def stat(self, ref: DataRef) -> tuple[int, datetime]:
        size = ask(
            ref,
            "SELECT coalesce(data_length, 0) FROM information_schema.tables "
            "WHERE table_schema = %s AND table_name = %s",
            list(names_in(ref)),
        )
        return (int(size[0][0]) if size else 0), datetime.fromtimestamp(0, UTC)

    def fingerprint(self, ref: DataRef) -> str:
        """Return when the table was written last, as far as the server notes that."""
        found = ask(
            ref,
            "SELECT update_time, table_rows FROM information_schema.tables WHERE table_schema = %s AND table_name = %s",
            list(names_in(ref)),
        )
        return "|".join(map(str, found[0])) if found else ""

    def head(self, ref: DataRef, count: int) -> bytes:
        return b""

    def localise(self, ref: DataRef) -> DataRef:
        raise CannotRead(ref, "a table of a database is no file", "Export it to a file first.")


CONNECTOR = MariaDb()
