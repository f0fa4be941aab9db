"""Rows that a PostgreSQL server sends as Arrow. A few connections wait for the next question, as making one takes as
long as reading a window."""

from __future__ import annotations

import atexit
import logging
import threading
import time
from collections.abc import Iterator
from concurrent.futures import ThreadPoolExecutor
from contextlib import contextmanager, suppress
from typing import TYPE_CHECKING, Any

import pyarrow as pa
from adbc_driver_manager import Error

from brisk_atlas.core.model import CannotRead, CannotWrite, DataRef
from brisk_atlas.core.model.language import tr
from brisk_atlas.core.model.passwords import masked
from brisk_atlas.core.system.jobs import stopped_by

from .postgres import LOCK_MS, ask, conninfo, explained_database

if TYPE_CHECKING:
    from adbc_driver_postgresql import dbapi

log = logging.getLogger(__name__)
BATCHES = {"adbc.postgresql.batch_size_hint_bytes": 4_000_000}  # so that some can be worked on while others come
WAITING = 2  # connections to one database that wait
WAIT_S = 60.0  # that one waits before another is made instead: servers end those that are idle for long
REFUSED = {  # by the state of SQL that the server gives
    "42501": (tr("you may not write it ({line})"), tr("Ask the database's owner for the right.")),
    "25006": (tr("the database is only read ({line})"), tr("Write to another one.")),
    "55P03": (tr("another program holds its rows"), tr("Try again when it is done.")),
    "40P01": (tr("another program holds its rows"), tr("Try again when it is done.")),
    "57014": (tr("the server stopped the work"), tr("Try again.")),
    "2BP01": (tr("other things in the database depend on it ({line})"), tr("Add to it, or choose another name.")),
    "53100": (tr("the disk of the server is full"), tr("Make room there.")),
    "3F000": (tr("there is no such schema ({line})"), tr("Make it, or name another one.")),
}
_waiting: dict[str, list[tuple[float, dbapi.Connection]]] = {}
_lock = threading.Lock()


def batches_sent(ref: DataRef, statement: str, halves: tuple[str, str] | None = None) -> Iterator[pa.RecordBatch]:
    """Yield the rows of a statement as Arrow batches, one without rows where there are none. Two statements that give
    its `halves` are asked at the same time over two connections that see the same moment, where the server can do so.
    Raises CannotRead."""
    with explained_database(ref):
        try:
            with arrow_link(ref) as link:
                if halves is None:
                    yield from _sent(link, statement)
                    return
                with arrow_link(ref) as other:
                    shared = _share_moment(link, other)
                    if shared:
                        yield from _sent_together((link, halves[0]), (other, halves[1]))
                        _run(link, "COMMIT")
                        _run(other, "COMMIT")
                if not shared:
                    yield from _sent(link, statement)
        except (Error, pa.ArrowException, OSError) as error:
            lines = [line for line in masked(str(error)).splitlines() if line.strip()]
            raise CannotRead(
                ref, tr("the database refuses ({lines})", lines=lines[0][:300]), tr("Try again.")
            ) from error


def _sent(link: dbapi.Connection, statement: str) -> Iterator[pa.RecordBatch]:
    with link.cursor() as cursor, stopped_by(cursor.adbc_cancel):
        yield from _answer(cursor, statement)


def _answer(cursor: dbapi.Cursor, statement: str) -> Iterator[pa.RecordBatch]:
    cursor.adbc_statement.set_options(**BATCHES)
    cursor.execute(statement)
    reader = cursor.fetch_record_batch()
    some = False
    for batch in reader:
        some = True
        yield batch
    if not some:
        yield pa.RecordBatch.from_pylist([], schema=reader.schema)


def _sent_together(
    first: tuple[dbapi.Connection, str], second: tuple[dbapi.Connection, str]
) -> Iterator[pa.RecordBatch]:
    """Yield what two connections send, that of the second after that of the first though it comes at the same time."""
    with (
        first[0].cursor() as one,
        second[0].cursor() as other,
        stopped_by(one.adbc_cancel),
        stopped_by(other.adbc_cancel),
        ThreadPoolExecutor(1) as beside,
    ):
        rest = beside.submit(lambda: list(_answer(other, second[1])))
        try:
            yield from _answer(one, first[1])
        except BaseException:  # given up, too: nobody waits for the other half
            other.adbc_cancel()
            raise
        yield from rest.result()


def _share_moment(link: dbapi.Connection, other: dbapi.Connection) -> bool:
    """Begin a transaction on each of two connections that see the same; return whether the server could do so. If not,
    none is open."""
    try:
        for each in (link, other):
            _run(each, "BEGIN ISOLATION LEVEL REPEATABLE READ READ ONLY")
        ((moment,),) = _run(link, "SELECT pg_export_snapshot()")
        _run(other, f"SET TRANSACTION SNAPSHOT '{moment}'")
        return True
    except Error:
        log.info("two connections can't see the same moment", exc_info=True)
        for each in (link, other):
            _run(each, "ROLLBACK")
        return False


def _run(link: dbapi.Connection, statement: str) -> list[tuple[Any, ...]]:
    with link.cursor() as cursor:
        cursor.execute(statement)
        return cursor.fetchall()


@contextmanager
def arrow_link(ref: DataRef) -> Iterator[dbapi.Connection]:
    """Give a connection to the database of a reference, one that waited if there is one. One on which something failed
    is closed. No transaction stays open on it, which would hold up those who change the table. Raises
    adbc_driver_manager.Error."""
    link = _taken(ref.place) or _connected(ref, autocommit=True)
    fine = False
    try:
        yield link
        fine = True
    finally:
        with _lock:
            waiting = _waiting.setdefault(ref.place, [])
            fine = fine and len(waiting) < WAITING
            if fine:
                waiting.append((time.monotonic(), link))
        if not fine:
            with suppress(Error):
                link.close()


@atexit.register
def close_waiting() -> None:
    """Close the connections that wait."""
    with _lock:
        links = [link for some in _waiting.values() for _, link in some]
        _waiting.clear()
    for link in links:
        with suppress(Error):
            link.close()


def _connected(ref: DataRef, *, autocommit: bool = False) -> dbapi.Connection:
    from adbc_driver_postgresql import dbapi  # brings libraries along that most commands never need

    return dbapi.connect(conninfo(ref.place), autocommit=autocommit)


def _taken(place: str) -> dbapi.Connection | None:
    while True:
        with _lock:
            waiting = _waiting.get(place)
            if not waiting:
                return None
            since, link = waiting.pop()
        if time.monotonic() - since < WAIT_S and _stands(link):
            return link
        with suppress(Error):
            link.close()


def _stands(link: dbapi.Connection) -> bool:
    """Return whether a server still answers on a connection."""
    try:
        with link.cursor() as cursor:
            cursor.execute("SELECT 1")
            cursor.fetchone()
        return True
    except Error:
        return False


@contextmanager
def arrow_writing(ref: DataRef) -> Iterator[dbapi.Cursor]:
    """Give a cursor of a connection of its own on which one transaction writes, whole or not at all. Raises
    CannotRead where the database can't be reached, else CannotWrite."""
    with explained_database(ref):
        ask(ref, "SELECT 1")  # which explains what is wrong with the address better
    link = _connected(ref)
    try:
        with link.cursor() as cursor:
            cursor.execute("SET TRANSACTION READ WRITE")
            cursor.execute(f"SET LOCAL lock_timeout = {LOCK_MS}")
            cursor.execute("SET LOCAL statement_timeout = 0")
            with stopped_by(cursor.adbc_cancel):
                yield cursor
        link.commit()
    except (Error, pa.ArrowException) as error:
        state = str(getattr(error, "sqlstate", "") or "")
        text = next((line for line in masked(str(error)).splitlines() if line.strip()), type(error).__name__)
        line = text.rpartition("ERROR:")[2].strip()[:300]
        reason, remedy = REFUSED.get(
            state, (tr("the database refuses ({line})", line=line), tr("Nothing was written; mend what it names."))
        )
        raise CannotWrite(ref, reason.format(line=line), remedy) from error
    finally:
        with suppress(Error):
            link.close()  # what was not committed is undone
