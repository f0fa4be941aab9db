"""Asking web servers: a few questions at once to each, again after a while where that may help, never without end.

What a server answers is a `StoredAnswer`; what it does not comes out as CannotRead, in a sentence, without secrets.
"""

from __future__ import annotations

import random
import re
import threading
import time
from collections import defaultdict
from collections.abc import Callable, Iterator, Mapping
from contextlib import ExitStack, contextmanager
from functools import cache
from http import HTTPStatus
from typing import TYPE_CHECKING, NamedTuple, TypeVar
from urllib.parse import SplitResult, unquote, urljoin, urlsplit, urlunsplit

from brisk_atlas.core.model import CannotRead, DataRef
from brisk_atlas.core.model.errors import NeedsPassword, NotReached, NotThere
from brisk_atlas.core.model.language import tr
from brisk_atlas.core.model.passwords import SECRET_WORDS, key_place, password_of, remember
from brisk_atlas.version import VERSION

from .keyring_store import stored_password
from .stored_answers import ANSWERS, StoredAnswer, term_of

if TYPE_CHECKING:  # the client loads with the first question
    import httpx

CONNECT_S, ANSWER_S = 10.0, 20.0  # until a server that does not answer is given up
TOTAL_S = 120.0  # that an answer may take in all
BODY_LIMIT = 200_000_000  # bytes of an answer
AT_ONCE = 4  # questions to one host
TRIES = 3
BACK_OFF_S = 0.5  # before the second try; twice that before the third
MAX_WAIT_S = 10.0  # that a server may ask for before the next try
REDIRECTS = 5
BUSY = (429, 502, 503, 504)
SECRET = re.compile(rf"(?i)({'|'.join(SECRET_WORDS)})=[^&#\s]+")

T = TypeVar("T")

_gates: dict[str, threading.BoundedSemaphore] = defaultdict(lambda: threading.BoundedSemaphore(AT_ONCE))
_offline = threading.Event()


def is_offline() -> bool:
    """Return whether nothing is asked, and only what is stored is used."""
    return _offline.is_set()


def set_offline(offline: bool) -> None:
    """Work with what is stored alone from now on, or ask servers again."""
    _offline.set() if offline else _offline.clear()


@cache
def _client() -> httpx.Client:
    import httpx

    return httpx.Client(
        timeout=httpx.Timeout(ANSWER_S, connect=CONNECT_S),
        limits=httpx.Limits(max_connections=64, max_keepalive_connections=16),
        headers={"User-Agent": f"Brisk Atlas {VERSION}"},
    )


def without_secrets(address: str) -> str:
    """Return an address as it may be shown and logged.

    >>> without_secrets("https://ana:pw@survey.tolvane.example/wms?token=abc&layers=zones")
    'https://survey.tolvane.example/wms?token=...&layers=zones'
    """
    parts = urlsplit(address)
    netloc = parts.netloc.rpartition("@")[2]
    return SECRET.sub(lambda found: f"{found[1]}=...", urlunsplit(parts._replace(netloc=netloc)))


def fetch(
    ref: DataRef,
    address: str,
    *,
    accept: str = "*/*",
    limit: int = BODY_LIMIT,
    check: Callable[[], None] = lambda: None,
    stored: bool = True,
) -> StoredAnswer:
    """Return what a server answers to a GET of an address, or what it answered before where that is still fresh.

    `ref` is what the question is asked for, which errors name; `check` is called often and may raise to stop. With
    `stored` False the answer is neither taken from the disk nor stored there. Raises CannotRead, NeedsPassword.
    """
    question = f"{accept}|{address}"
    known = ANSWERS.get(question) if stored else None
    if known is not None and (known.is_fresh or is_offline()):
        return known
    if is_offline():
        raise CannotRead(ref, tr("you work offline, and this was never fetched"), tr("Switch Work offline off."))
    conditions = known.conditions() if known is not None else {}

    def ask() -> StoredAnswer:
        with _replied(ref, address, {"Accept": accept, **conditions}) as reply:
            return _read(ref, reply, limit, known, check)

    answer = _tried(ref, address, ask, check)
    if stored:
        _store(question, answer)
    return answer


def fetch_range(ref: DataRef, address: str, first: int, last: int) -> tuple[bytes, int]:
    """Return some bytes of a file, from the first to the last, fewer at its end, and the size of all of it; a server
    that knows no ranges gives all of it. Raises CannotRead, NotThere."""
    if is_offline():
        raise CannotRead(ref, tr("you work offline"), tr("Switch Work offline off."))
    headers = {"Range": f"bytes={first}-{last}", "Accept-Encoding": "identity"}

    def ask() -> tuple[bytes, int]:
        with _replied(ref, address, headers) as reply:
            stated = reply.headers.get("content-range", "").rpartition("/")[2]
            if reply.status_code == HTTPStatus.REQUESTED_RANGE_NOT_SATISFIABLE:
                return b"", int(stated) if stated.isdecimal() else 0
            body = _read(ref, reply, BODY_LIMIT, None, _go_on).body
            if reply.status_code != HTTPStatus.PARTIAL_CONTENT:
                return body[first:], len(body)  # all that came: to ask again would fetch all of it again
            return body, int(stated) if stated.isdecimal() else first + len(body)

    return _tried(ref, address, ask, _go_on)


class Reply(NamedTuple):
    """What a server answered, whatever its status; the names of `headers` are in lower case."""

    status: int
    headers: dict[str, str]
    body: bytes


def exchange(
    ref: DataRef, address: str, method: str = "GET", body: bytes = b"", headers: Mapping[str, str] | None = None,
    check: Callable[[], None] = lambda: None,
) -> Reply:  # fmt: skip
    """Return what a server answers to a question that may change something there, whatever the status, except where it
    is busy or wants a password. It may be sent several times: who asks has to see to that this does no harm. Raises
    CannotRead, NotReached, NeedsPassword."""
    if is_offline():
        raise NotReached(ref, tr("you work offline"), tr("Switch Work offline off."))

    def ask() -> Reply:
        with _replied(ref, address, headers or {}, method, body) as reply:
            if reply.status_code in (*BUSY, HTTPStatus.UNAUTHORIZED):
                _refuse_status(ref, reply)
            pieces, size = [], 0
            for block in reply.iter_bytes():
                check()
                size += len(block)
                if size > BODY_LIMIT:
                    raise _too_large(ref, BODY_LIMIT)
                pieces.append(block)
            return Reply(reply.status_code, {k.lower(): v for k, v in reply.headers.items()}, b"".join(pieces))

    return _tried(ref, address, ask, check)


@contextmanager
def streamed(
    ref: DataRef, address: str, *, method: str = "GET", headers: Mapping[str, str] | None = None
) -> Iterator[httpx.Response]:
    """Give the reply to a question, its content not read yet, for a file that may be too large to be held.

    Raises CannotRead, NeedsPassword, NotThere; so does what reads the content in the block.
    """
    import httpx

    if is_offline():
        raise CannotRead(ref, tr("you work offline"), tr("Switch Work offline off."))
    asked = {"Accept-Encoding": "identity", **(headers or {})}

    def ask() -> tuple[httpx.Response, ExitStack]:
        with ExitStack() as begun:
            reply = begun.enter_context(_replied(ref, address, asked, method))
            _refuse_status(ref, reply)
            return reply, begun.pop_all()

    reply, begun = _tried(ref, address, ask, _go_on)
    with begun:
        try:
            yield reply
        except httpx.TimeoutException as error:
            raise CannotRead(
                ref, tr("the server fell silent for {answer_s:.0f} s", answer_s=ANSWER_S), tr("Try again.")
            ) from error
        except (httpx.HTTPError, httpx.StreamError) as error:
            raise CannotRead(
                ref, tr("the server's answer broke off ({why})", why=_why(error)), tr("Try again.")
            ) from error


def _go_on() -> None:
    """Check nothing: a block of a file is soon read."""


def _store(question: str, answer: StoredAnswer) -> None:
    if answer.fresh_until >= 0:
        ANSWERS.put(question, answer)


def _rest(seconds: float, check: Callable[[], None]) -> None:
    until = time.monotonic() + seconds
    while (left := until - time.monotonic()) > 0:
        check()
        time.sleep(min(left, 0.05))


def _tried(ref: DataRef, address: str, ask: Callable[[], T], check: Callable[[], None]) -> T:
    """Return what `ask` returns, which is called again after a while where that may help. Raises CannotRead."""
    import httpx

    host = urlsplit(address).netloc.rpartition("@")[2]
    for number in range(TRIES):
        is_last, wait = number == TRIES - 1, None
        check()
        try:
            with _gates[host]:
                check()
                return ask()
        except _Busy as busy:
            if is_last:
                raise NotReached(
                    ref,
                    tr("the server answers {status} {words}", status=busy.status, words=busy.words),
                    tr("Try again later."),
                ) from None
            wait = busy.wait
        except (httpx.ConnectError, httpx.RemoteProtocolError, httpx.ReadError) as error:
            if is_last or _is_hopeless(error):
                raise NotReached(
                    ref, tr("the server can't be reached ({why})", why=_why(error)), _remedy(error)
                ) from error
        except httpx.TimeoutException as error:
            reason = tr("the server does not answer within {answer_s:.0f} s", answer_s=ANSWER_S)
            raise NotReached(ref, reason, tr("Try again, or ask its owner.")) from error
        except (httpx.HTTPError, httpx.InvalidURL, httpx.StreamError, UnicodeError, ValueError) as error:
            raise CannotRead(
                ref, tr("the address can't be asked ({why})", why=_why(error)), tr("Check the address.")
            ) from error
        _rest(wait if wait is not None else BACK_OFF_S * 2**number * random.uniform(0.8, 1.2), check)
    raise AssertionError("the last try answers or raises")


class _Busy(Exception):
    """A server that asks to come again."""

    def __init__(self, status: int, words: str, wait: float | None) -> None:
        super().__init__(status)
        self.status, self.words, self.wait = status, words, wait


@contextmanager
def _replied(
    ref: DataRef, address: str, headers: Mapping[str, str], method: str = "GET", body: bytes = b""
) -> Iterator[httpx.Response]:
    """Give the reply to a question, which its host may send on to another address of its own, as safe as the first: no
    other host is asked, and none gets the login."""
    login, here = _login(ref, address), _with_key(address)
    for _ in range(REDIRECTS + 1):
        with _client().stream(method, here, headers=dict(headers), auth=login, content=body or None) as reply:
            if not reply.has_redirect_location:
                yield reply
                return
            there = urljoin(here, reply.headers["location"])
        _refuse_other_host(ref, urlsplit(here), urlsplit(there))
        here = there
    raise CannotRead(ref, tr("the server sends on from address to address without end"), tr("Tell its owner."))


def _refuse_other_host(ref: DataRef, here: SplitResult, there: SplitResult) -> None:
    if there.hostname != here.hostname:
        reason = tr("the server sends on to another host, {hostname}", hostname=there.hostname)
        raise CannotRead(ref, reason, tr("Use its address if you trust it."))
    if here.scheme == "https" and there.scheme != "https":
        reason = tr("the server sends on to {scheme}, which anyone on the way can read", scheme=there.scheme)
        raise CannotRead(ref, reason, tr("Tell its owner."))


def _read(
    ref: DataRef, reply: httpx.Response, limit: int, known: StoredAnswer | None, check: Callable[[], None]
) -> StoredAnswer:
    headers, status = reply.headers, reply.status_code
    if status == HTTPStatus.NOT_MODIFIED and known is not None:
        return StoredAnswer(known.media_type, known.body, _term(headers), known.etag, known.changed)
    _refuse_status(ref, reply)
    stated = headers.get("content-length", "")
    if stated.isdecimal() and int(stated) > limit:
        raise _too_large(ref, limit)
    blocks, size, until = [], 0, time.monotonic() + TOTAL_S
    for block in reply.iter_bytes():
        check()
        size += len(block)
        if size > limit:
            raise _too_large(ref, limit)
        if time.monotonic() > until:
            raise CannotRead(
                ref,
                tr("the answer is not complete after {total_s:.0f} s", total_s=TOTAL_S),
                tr("Try again, or ask for less."),
            )
        blocks.append(block)
    return StoredAnswer(
        headers.get("content-type", ""), b"".join(blocks), _term(headers), headers.get("etag", ""),
        headers.get("last-modified", ""),
    )  # fmt: skip


def _refuse_status(ref: DataRef, reply: httpx.Response) -> None:
    """Raise what the status of a reply means, if it is not the one that was hoped for."""
    status = reply.status_code
    if status in BUSY:
        raise _Busy(status, reply.reason_phrase, _wait_of(reply.headers))
    if status == HTTPStatus.UNAUTHORIZED:
        raise NeedsPassword(ref, tr("the server wants a user's name and password"), tr("State them."))
    if status == HTTPStatus.NOT_FOUND:
        raise NotThere(
            ref, tr("the server has nothing there (404)"), tr("Check the address; it may have been removed.")
        )
    if status >= HTTPStatus.BAD_REQUEST:
        reason = tr("the server answers {status} {reason_phrase}", status=status, reason_phrase=reply.reason_phrase)
        raise CannotRead(ref, reason, _REMEDIES.get(status, tr("Check the address, or ask the server's owner.")))


def _term(headers: Mapping[str, str]) -> float:
    """Return until when an answer is fresh; -1 for one that is not to be stored."""
    term = term_of(headers)
    return -1.0 if term is None else term


_REMEDIES = {403: tr("Ask the server's owner for the right."), 500: tr("The server is at fault; tell its owner.")}


def _too_large(ref: DataRef, limit: int) -> CannotRead:
    return CannotRead(
        ref, tr("the server's answer is larger than {limit:,.0f} MB", limit=limit / 1000000.0), tr("Ask for less.")
    )


def _wait_of(headers: Mapping[str, str]) -> float | None:
    stated = headers.get("retry-after", "")
    return min(float(stated), MAX_WAIT_S) if stated.isdecimal() else None


def _login(ref: DataRef, address: str) -> httpx.BasicAuth | None:
    """Return the login for a server, whose user stands in its address, or in that of what the question is for. Raises
    NeedsPassword without a password."""
    import httpx

    parts = urlsplit(address)
    user, at, host = parts.netloc.rpartition("@")
    if not at:  # as in the links of a server, which does not name who asked
        own = urlsplit(ref.address) if not ref.is_local and not ref.is_inline else parts
        user, at, own_host = own.netloc.rpartition("@")
        if not at or (own.scheme, own_host) != (parts.scheme, host):
            return None
        parts = own
    place = f"{parts.scheme}://{parts.netloc}"
    password = password_of(place)
    if password is None:
        password = stored_password(place)
        if password is not None:
            remember(place, password)  # the keyring is slow to ask
    if password is None:
        raise NeedsPassword(
            ref,
            tr("{hostname} wants the password of {unquote}", hostname=parts.hostname, unquote=unquote(user)),
            tr("State the password."),
        )
    return httpx.BasicAuth(unquote(user), password)


def _with_key(address: str) -> str:
    """Return an address with the key that was stated for its host, which no reference carries."""
    parts = urlsplit(address)
    key = password_of(key_place(address))
    return address if key is None else urlunsplit(parts._replace(query="&".join(filter(None, (parts.query, key)))))


def _is_hopeless(error: Exception) -> bool:
    return any(word in str(error).lower() for word in ("certificate", "ssl", "name or service", "refused"))


def _why(error: Exception) -> str:
    return without_secrets(str(error)) or type(error).__name__


def _remedy(error: Exception) -> str:
    if "certificate" in str(error).lower():
        return tr("Its certificate does not fit its name or is not trusted; ask its owner.")
    return tr("Check the address, the net, and whether the server runs.")
