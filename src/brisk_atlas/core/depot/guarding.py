"""Answering questions about postings with care: who asks is found out, reasons for which there is no answer become
statuses, work is done in threads, and every answer has the headers that keep browsers safe."""

from __future__ import annotations

import asyncio
import json
import logging
import sqlite3
from collections.abc import Awaitable, Callable

from starlette.concurrency import run_in_threadpool
from starlette.requests import Request
from starlette.responses import Response

from brisk_atlas.core.model import AtlasError
from brisk_atlas.core.model.language import language_in_use, speaking, tr

from .answers import Refused
from .postings.depot_store import DepotStore, EditConflict, NotAllowed, UndoConflict
from .postings.outlet_changes import BadCursor
from .postings.posted_rows import BadRow, RowGone
from .postings.rights import Identity
from .postings.store_database import StoreFault, UnfitValue
from .reader_language import language_of_reader
from .who_asks import who_asks

log = logging.getLogger(__name__)
POLICY = "Content-Security-Policy"
LOGIN_WANTED = 'Basic realm="Depot", charset="UTF-8"'
MOST_BYTES, BODY_S = 10_000_000, 60.0  # of a body, and until it has come
SAFE = {
    "X-Content-Type-Options": "nosniff",
    "Referrer-Policy": "no-referrer",
    "Cache-Control": "no-store",
    POLICY: (
        "default-src 'none'; style-src 'self' 'unsafe-inline'; script-src 'self'; img-src 'self' data:; "
        "font-src 'self'; connect-src 'self'; form-action 'self'; frame-ancestors 'none'; base-uri 'none'"
    ),
}
Answer = Callable[[Request, Identity, bytes], Response]
Refusal = Callable[[str, str, int], Response]  # by the word of the standard, the reason and the status


def refusal(code: str, reason: str, status: int) -> Response:
    """Return the answer that says why there is none."""
    return Response(json.dumps({"code": code, "description": reason}), status, media_type="application/json")


def guarded(store: DepotStore, answer: Answer, refuse: Refusal = refusal) -> Callable[[Request], Awaitable[Response]]:
    """Return what answers, with each reason for which it can't as the standard has it."""

    async def ask(request: Request) -> Response:
        if "\0" in request.url.path or any("\0" in value for value in request.query_params.values()):
            raise Refused("InvalidParameterValue", tr("the address has a character that no text has"))
        body = b""
        if request.method not in ("GET", "HEAD"):
            try:
                async with asyncio.timeout(BODY_S):
                    body = await _body(request)
            except TimeoutError:
                raise Refused(
                    "Timeout", tr("the body did not come within {seconds:.0f} s", seconds=BODY_S), 408
                ) from None
        who = await run_in_threadpool(who_asks, store.people, request)
        return await run_in_threadpool(answer, request, who, body)

    async def guard(request: Request) -> Response:
        with speaking(language_of_reader(request.headers.get("accept-language", ""))):
            return await answered(request)

    async def answered(request: Request) -> Response:
        headers = {**SAFE, "Vary": "Accept-Language"}
        try:
            response = await ask(request)
        except Refused as error:
            response = refuse(error.code, error.reason, error.status)
            if error.status == 401:
                headers["WWW-Authenticate"] = LOGIN_WANTED
            if error.status in (408, 413):
                headers["Connection"] = "close"  # the rest of a body that is refused is not waited for
        except KeyError:
            response = refuse("NotFound", tr("there is no such collection"), 404)
        except RowGone:
            response = refuse("NotFound", tr("there is no such feature"), 404)
        except NotAllowed as error:
            response = refuse("NotAllowed", str(error), 403)
        except (EditConflict, UndoConflict) as error:
            response = refuse("Conflict", str(error), 409)
        except BadCursor as error:
            response = refuse("NotAvailable", tr("{reason}. Read all of it anew", reason=error), 410)
        except (BadRow, UnfitValue) as error:
            response = refuse("InvalidParameterValue", str(error), 422)
        except (sqlite3.Error, StoreFault) as error:
            log.error("%s %s: the store: %s", request.method, request.url.path, error)
            response = refuse("NotAvailable", tr("the store can't be used now; nothing was changed"), 503)
        except AtlasError as error:
            response = refuse("InvalidParameterValue", f"{error.reason}. {error.remedy}".strip(), 400)
        if response.media_type == "text/html":
            headers["Content-Language"] = language_in_use()
        headers[POLICY] = response.headers.get(POLICY, headers[POLICY])  # of an album, which acts on its own
        response.headers.update(headers)
        return response

    return guard


async def _body(request: Request) -> bytes:
    """Return the body of a question. Raises Refused for one that is too large, before all of it came."""
    parts, size = [], 0
    async for part in request.stream():
        size += len(part)
        if size > MOST_BYTES:
            raise Refused("InvalidParameterValue", tr("the body has more than {count:,} bytes", count=MOST_BYTES), 413)
        parts.append(part)
    return b"".join(parts)
