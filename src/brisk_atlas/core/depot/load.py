"""How much the outlets of a Depot are asked: counted as questions come, and written down from time to time."""

from __future__ import annotations

import asyncio
import logging
import re
import sqlite3
from collections import Counter

from starlette.concurrency import run_in_threadpool
from starlette.types import ASGIApp, Receive, Scope, Send

from .postings.depot_store import DepotStore
from .postings.store_database import StoreFault

log = logging.getLogger(__name__)
WRITTEN_EVERY_S = 5.0
LOOKED_AT = 600  # characters of an address, in which the name of an outlet can stand
MOST_NAMES = 100_000  # that are counted until they are written down
NAMES = re.compile(r"[a-z0-9_]+")


class LoadCounter:
    """An application before another one, which counts the questions about each outlet. All come in one thread."""

    def __init__(self, app: ASGIApp, store: DepotStore) -> None:
        self.app, self.store = app, store
        self._counted: Counter[str] = Counter()
        self._writing: asyncio.TimerHandle | None = None
        self._tasks: set[asyncio.Task[None]] = set()

    async def __call__(self, scope: Scope, receive: Receive, send: Send) -> None:
        if scope["type"] == "http":
            query = scope.get("query_string", b"").decode("latin-1")
            if len(self._counted) < MOST_NAMES:  # of which few are outlets, as whoever asks may write anything
                self._counted.update(set(NAMES.findall(f"{scope['path']}?{query}"[:LOOKED_AT])))
            if self._writing is None:
                self._writing = asyncio.get_running_loop().call_later(WRITTEN_EVERY_S, self._write)
        await self.app(scope, receive, send)

    def _write(self) -> None:
        counted, self._counted, self._writing = self._counted, Counter(), None
        task = asyncio.get_running_loop().create_task(self._written(counted))
        self._tasks.add(task)  # so that it is not forgotten before its end
        task.add_done_callback(self._tasks.discard)

    async def _written(self, counted: Counter[str]) -> None:
        try:
            await run_in_threadpool(self.store.load.note, counted)
        except (sqlite3.Error, StoreFault) as error:
            log.warning("the load is not written down: %s", error)
