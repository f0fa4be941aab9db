"""What nobody in particular asked a moment ago is answered again from memory, until something in the store changes."""

from __future__ import annotations

import asyncio
import time

from starlette.datastructures import Headers
from starlette.types import ASGIApp, Receive, Scope, Send

from .answer_memory import AnswerMemory, GivenAnswer, Question, asked
from .postings.depot_store import DepotStore

MOMENT_S = 1.0  # so that what ends by the clock ends then
MEMORY_BYTES = 32_000_000
PERSONAL = ("authorization", "cookie", "range")  # headers of questions that are not everybody's


class MomentMemory:
    """An application before another one. All questions come in one thread."""

    def __init__(self, app: ASGIApp, store: DepotStore) -> None:
        self.app, self.store = app, store
        self.memory = AnswerMemory(MEMORY_BYTES)
        self._until = 0.0
        self._coming: dict[Question, asyncio.Event] = {}

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
        if question in self._coming:  # it is being answered to somebody else
            await self._coming[question].wait()
        known = self.memory.get(question)
        if known is None:
            known = await self._asked(question, scope, receive, send)
        if known is not None:
            await known.send(scope, send)

    async def _asked(self, question: Question, scope: Scope, receive: Receive, send: Send) -> GivenAnswer | None:
        """Return the answer of the application, None where it was sent as it came. Who waits for it goes on once it is
        known, before it is sent, so that a client that reads slowly holds nobody up."""
        coming = self._coming[question] = asyncio.Event()

        def end_waiting() -> None:
            coming.set()
            if self._coming.get(question) is coming:
                del self._coming[question]

        try:
            found = await asked(self.app, scope, receive, send, end_waiting)
            if found is not None:
                self.memory.put(question, found)
            return found
        finally:
            end_waiting()

    def _now(self) -> str:
        """Return a text that differs once something was changed, and after a moment."""
        version = self.store.database.version_seen()
        now = time.monotonic()
        if now >= self._until:
            self._until = now + MOMENT_S
        return f"{version} {self._until}"
