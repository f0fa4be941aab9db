"""Connections over which a PostgreSQL server sends rows as Arrow; a few wait for the next question, as making one takes
as long as reading a window."""

from __future__ import annotations

import threading
import time
from collections.abc import Iterator
from contextlib import contextmanager, suppress

from adbc_driver_manager import Error
from adbc_driver_postgresql import dbapi

from brisk_atlas.core.model import DataRef

from .postgres import conninfo

WAITING = 2  # connections to one database that wait
WAIT_S = 60.0  # that one waits before another is made instead: servers end those that are idle for long
_waiting: dict[str, list[tuple[float, dbapi.Connection]]] = {}
_lock = threading.Lock()


@contextmanager
def arrow_link(ref: DataRef) -> Iterator[dbapi.Connection]:
    """Give a connection to the database of a reference, one that waited if there is one. One on which something failed
    is closed. No transaction stays open on it, which would hold up those who change the table. Raises
    adbc_driver_manager.Error."""
    link = _taken(ref.place) or dbapi.connect(conninfo(ref.place), autocommit=True)
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
