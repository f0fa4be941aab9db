"""How a stand-in misbehaves on purpose, so that clients can be tried against servers that are slow, broken or wrong."""

from __future__ import annotations

import asyncio
from dataclasses import dataclass
from typing import Any

from starlette.types import ASGIApp, Message, Receive, Scope, Send

HTML = b"<!DOCTYPE html><html><body><h1>Sign in</h1></body></html>"
NEVER_S = 86_400.0
ENDLESS_BYTES, BLANKS = 2_000_000_000, b" " * 1_000_000


@dataclass
class Behaviour:
    """What is wrong, all of which may change while the server runs.

    Attributes
    ----------
    delay_s : seconds until an answer begins
    status : the status of every answer instead of the right one; 0 for the right one
    fail_every : every so manieth answer has status 503; 0 for none
    half : answers end half way
    endless : answers go on with blanks, up to 2 GB in all
    html : a page for people instead of the answer
    forward_to : an address that every question is sent on to; "" for none
    wrong_axes : coordinates in the other order than the standard has it
    wrong_counts : numbers of features that are not those of the data
    password : the login as `user:password` that is wanted; "" for none
    """

    delay_s: float = 0.0
    status: int = 0
    fail_every: int = 0
    half: bool = False
    endless: bool = False
    html: bool = False
    forward_to: str = ""
    wrong_axes: bool = False
    wrong_counts: bool = False
    password: str = ""

    def counted(self, count: int) -> int:
        """Return a number of features as it is stated."""
        return count * 2 + 7 if self.wrong_counts else count


class Misbehaving:
    """Passes questions on to an application, or spoils the answers. `log` has what was asked."""

    def __init__(self, app: ASGIApp, behaviour: Behaviour) -> None:
        self.app, self.behaviour = app, behaviour
        self.log: list[str] = []

    async def __call__(self, scope: Scope, receive: Receive, send: Send) -> None:
        if scope["type"] != "http":
            await self.app(scope, receive, send)
            return
        wrong = self.behaviour
        query = scope["query_string"].decode("latin-1")
        self.log.append(f"{scope['path']}?{query}" if query else scope["path"])
        if wrong.delay_s:
            await asyncio.sleep(min(wrong.delay_s, NEVER_S))
        if wrong.password and not _knows(scope, wrong.password):
            await _plain(send, 401, b"sign in", [(b"www-authenticate", b'Basic realm="stand-in"')])
        elif wrong.forward_to:
            await _plain(send, 302, b"", [(b"location", wrong.forward_to.encode())])
        elif wrong.status:
            await _plain(send, wrong.status, b"out of order")
        elif wrong.fail_every and len(self.log) % wrong.fail_every == 0:
            await _plain(send, 503, b"busy")
        elif wrong.html:
            await _plain(send, 200, HTML, [(b"content-type", b"text/html")])
        else:
            await self.app(scope, receive, _halved(send) if wrong.half else _endless(send) if wrong.endless else send)


def _knows(scope: Scope, password: str) -> bool:
    import base64

    stated = dict(scope["headers"]).get(b"authorization", b"")
    return stated == b"Basic " + base64.b64encode(password.encode())


async def _plain(send: Send, status: int, body: bytes, headers: list[tuple[bytes, bytes]] | None = None) -> None:
    stated = [(b"content-length", str(len(body)).encode()), *(headers or [])]
    await send({"type": "http.response.start", "status": status, "headers": stated})
    await send({"type": "http.response.body", "body": body})


def _endless(send: Send) -> Send:
    async def longer(message: Message) -> None:
        if message["type"] == "http.response.start":
            others = [(name, value) for name, value in message["headers"] if name != b"content-length"]
            await send({**message, "headers": others})
            return
        await send({**message, "more_body": True})
        if not message.get("more_body"):
            for _ in range(ENDLESS_BYTES // len(BLANKS)):
                await send({"type": "http.response.body", "body": BLANKS, "more_body": True})
            await send({"type": "http.response.body", "body": b"", "more_body": False})

    return longer


def _halved(send: Send) -> Send:
    async def half(message: Message) -> None:
        if message["type"] == "http.response.start":
            others = [(name, value) for name, value in message["headers"] if name != b"content-length"]
            message = {**message, "headers": others}
        body: Any = message.get("body")
        if body:
            message = {**message, "body": body[: len(body) // 2], "more_body": False}
        await send(message)

    return half
