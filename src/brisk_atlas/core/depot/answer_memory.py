"""Answers that were given, in memory within a limit, each with its state, by which a client asks whether it holds."""

from __future__ import annotations

import hashlib
import threading
from collections import OrderedDict
from collections.abc import Callable
from dataclasses import dataclass

from starlette.datastructures import Headers, MutableHeaders
from starlette.types import ASGIApp, Message, Receive, Scope, Send

from .reader_language import language_of_reader

MEMORY_BYTES = 64_000_000
MOST_BYTES = 4_000_000  # of an answer that is stored
NAMED = ("host", "accept", "x-forwarded-proto")  # headers on which an answer depends

Question = tuple[str, ...]


@dataclass(frozen=True)
class GivenAnswer:
    """An answer of status 200; `state` is a digest of its body."""

    headers: list[tuple[bytes, bytes]]
    body: bytes
    state: str

    async def send(self, scope: Scope, send: Send) -> None:
        """Send it, or that it still holds to a client that has it."""
        asked = Headers(scope=scope).get("if-none-match", "")
        holds = any(each.strip().removeprefix("W/").strip('"') == self.state for each in asked.split(","))
        status, body = (304, b"") if holds else (200, b"" if scope["method"] == "HEAD" else self.body)
        await send({"type": "http.response.start", "status": status, "headers": self.headers})
        await send({"type": "http.response.body", "body": body})


class AnswerMemory:
    """Answers by question. Safe for threads."""

    def __init__(self, limit: int = MEMORY_BYTES) -> None:
        self.limit = limit
        self._answers: OrderedDict[Question, GivenAnswer] = OrderedDict()
        self._bytes = 0
        self._lock = threading.Lock()

    def get(self, question: Question) -> GivenAnswer | None:
        """Return the answer that a question got, None where it is not known."""
        with self._lock:
            found = self._answers.get(question)
            if found is not None:
                self._answers.move_to_end(question)
            return found

    def put(self, question: Question, answer: GivenAnswer) -> None:
        """Store the answer to a question; those not asked for longest make room."""
        with self._lock:
            before = self._answers.pop(question, None)
            self._bytes += len(answer.body) - (len(before.body) if before is not None else 0)
            self._answers[question] = answer
            while self._bytes > self.limit:
                _, gone = self._answers.popitem(last=False)
                self._bytes -= len(gone.body)

    @staticmethod
    def question(state: str, scope: Scope) -> Question:
        """Return what an answer depends on."""
        headers = Headers(scope=scope)
        named = (headers.get(name, "") for name in NAMED)
        language = language_of_reader(headers.get("accept-language", ""))
        return state, scope["path"], scope["query_string"].decode("latin-1"), language, *named

    async def through(self, state: str, app: ASGIApp, scope: Scope, receive: Receive, send: Send) -> None:
        """Answer by an application, or as it answered in the same state before."""
        question = self.question(state, scope)
        known = self.get(question) if scope["method"] in ("GET", "HEAD") else None
        if known is None:
            known = await asked(app, scope, receive, send)
            if known is None:
                return
            if scope["method"] == "GET":
                self.put(question, known)
        await known.send(scope, send)


async def asked(
    app: ASGIApp, scope: Scope, receive: Receive, send: Send, passing: Callable[[], None] = lambda: None
) -> GivenAnswer | None:
    """Return the answer of an application; None for one that has another status than 200 or is too large to be stored,
    which is sent as it comes: `passing` is called when that begins."""
    start: Message | None = None
    pieces: list[bytes] = []

    async def take(message: Message) -> None:
        nonlocal start
        if message["type"] == "http.response.start" and _may_be_stored(message):
            start = message
        elif start is not None:
            pieces.append(message.get("body", b""))
        else:
            passing()
            await send(message)

    await app(scope, receive, take)
    if start is None:
        return None
    body = b"".join(pieces)
    headers = MutableHeaders(raw=list(start["headers"]))
    state = headers.get("etag", "").strip('"') or hashlib.sha256(body).hexdigest()[:32]
    headers["ETag"] = f'"{state}"'
    if "no-store" not in headers.get("cache-control", ""):
        headers["Cache-Control"] = "no-cache"  # to be asked for each time, by its state
    return GivenAnswer(headers.raw, body, state)


def _may_be_stored(start: Message) -> bool:
    length = Headers(raw=start["headers"]).get("content-length", "")
    return start["status"] == 200 and length.isdecimal() and int(length) <= MOST_BYTES
