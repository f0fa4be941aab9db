"""What nobody in particular asked a moment ago is answered again from memory, until something in the store changes."""

from __future__ import annotations

import asyncio
import time

from starlette.datastructures import Headers
from starlette.types import ASGIApp, Receive, Scope, Send

from .answer_memory import AnswerMemory
from .postings.depot_store import DepotStore

MOMENT_S = 1.0  # so that what ends by the clock ends then
MEMORY_BYTES = 32_000_000
PERSONAL = ("authorization", "cookie", "range")  # headers of questions that are not everybody's


class MomentMemory:
    """An application before another one. All questions come in one thread."""

    def __init__(self, app: ASGIApp, store: DepotStore) -> None:
        self.app, self.store = app, store
        self.memory = AnswerMemory(MEMORY_BYTES)
        self._state, self._until = "", 0.0
        self._coming: dict[tuple[str, ...], asyncio.Event] = {}

    async def __call__(self, scope: Scope, receive: Receive, send: Send) -> None:
        if scope["type"] != "http" or scope["method"] != "GET":
            await self.app(scope, receive, send)
            return
        headers = Headers(scope=scope)
        if any(name in headers for name in PERSONAL):
            await self.app(scope, receive, send)
            return
        state = self._now()
        question = self.memory.question(state, scope)
        while question in self._coming:  # it is being answered to somebody else
            await self._coming[question].wait()
        if self.memory.get(question) is None:
            self._coming[question] = asyncio.Event()
        try:
            await self.memory.through(state, self.app, scope, receive, send)
        finally:
            waiting = self._coming.pop(question, None)
            if waiting is not None:
                waiting.set()

    def _now(self) -> str:
        """Return a text that differs once something was changed, and after a moment."""
        version = self.store.file.version_seen()
        now = time.monotonic()
        if now >= self._until:
            self._until = now + MOMENT_S
        return f"{version} {self._until}"
