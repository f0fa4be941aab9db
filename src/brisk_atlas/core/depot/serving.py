"""Running a Depot: its application, and a server on the loopback."""

from __future__ import annotations

import socket
import threading
import time
from collections.abc import Iterator, Sequence
from contextlib import contextmanager
from dataclasses import dataclass
from pathlib import Path

import uvicorn
from anyio.to_thread import current_default_thread_limiter
from starlette.applications import Starlette
from starlette.middleware.cors import CORSMiddleware
from starlette.requests import Request
from starlette.responses import Response
from starlette.routing import BaseRoute, Mount, Route
from starlette.types import ASGIApp, Receive, Scope, Send

from .accounts import AccountPages
from .behaviour import Behaviour, Misbehaving
from .csw import CatalogueAnswers
from .folders import FolderAnswers
from .geoservices import RestAnswers
from .guarding import guarded
from .joining import JoinPages
from .load import LoadCounter
from .moment_memory import MomentMemory
from .offers import Depot
from .ogc_api import ApiAnswers
from .openid import OpenIdLogin, OpenIdProvider
from .openid_pages import OpenIdPages
from .outlet_services import OutletServices
from .pages import OutletPages
from .patient_protocol import PatientProtocol
from .postings.depot_store import DepotStore
from .postings.rights import Identity
from .postings_api import PostingsApi
from .records import RecordAnswers
from .records_api import RecordsApiAnswers
from .stac import SceneAnswers, folder_scenes
from .tiles import TileAnswers
from .vector_tiles import VectorTileAnswers
from .wcs import CoverageAnswers
from .wfs import FeatureAnswers
from .wms import MapAnswers

LOOPBACK = "127.0.0.1"
START_S = 20.0
MOST_CONNECTIONS = 1000
MOST_THREADS = 12  # that answer at once


def application(depot: Depot, behaviour: Behaviour | None = None) -> Misbehaving:
    """Return what answers by every protocol, spoilt as `behaviour` states."""
    behaviour = behaviour or Behaviour()
    answering = (
        *(
            RecordsApiAnswers(depot),
            ApiAnswers(depot, behaviour),
            MapAnswers(depot, behaviour),
            FeatureAnswers(depot, behaviour),
        ),
        *(TileAnswers(depot), RestAnswers(depot, behaviour), FolderAnswers(depot.folder)),
        *(CoverageAnswers(depot), RecordAnswers(depot), VectorTileAnswers(depot), CatalogueAnswers(depot)),
        SceneAnswers(depot.title, folder_scenes(depot.folder)),
    )
    routes = [route for each in answering for route in each.routes()]
    return Misbehaving(Starlette(routes=routes), behaviour)


def postings_application(store: DepotStore, title: str, openid: OpenIdProvider | None = None) -> ASGIApp:
    """Return what answers about the outlets of a store, to each who asks about those that they may read. People may
    sign in by the accounts that they have at a provider."""
    services = OutletServices(store, title)
    api, pages = PostingsApi(store, services, title), OutletPages(store, services, title)
    provider = openid.name if openid is not None else ""
    joining, accounts = JoinPages(store, title, provider), AccountPages(store, title, provider)

    def root(request: Request, who: Identity, body: bytes) -> Response:
        is_browser = "text/html" in request.headers.get("accept", "") and request.query_params.get("f") != "json"
        return (pages.home if is_browser else api.landing)(request, who, body)

    routes: list[BaseRoute] = [Route("/", guarded(store, root)), *api.routes(), *pages.routes()]
    routes += [*joining.routes(), *accounts.routes()]
    if openid is not None:
        routes += OpenIdPages(store, OpenIdLogin(openid), title).routes()
    app = MomentMemory(Starlette(routes=[*routes, Mount("/services", services)]), store)
    return _FewThreads(LoadCounter(app, store))


def postings_server(
    store: DepotStore, title: str, host: str, port: int, *, certificate: Path | None = None, key: Path | None = None,
    allowed: Sequence[str] = (), openid: OpenIdProvider | None = None,
) -> uvicorn.Server:  # fmt: skip
    """Return a server of the outlets of a store; `allowed` are the origins whose pages may read from it."""
    app = postings_application(store, title, openid)
    if allowed:
        app = CORSMiddleware(app, allow_origins=list(allowed), allow_methods=["GET", "HEAD"], expose_headers=["ETag"])
    config = uvicorn.Config(
        app, host, port, log_level="warning", access_log=False, lifespan="off", timeout_keep_alive=10,
        limit_concurrency=MOST_CONNECTIONS, server_header=False, http=PatientProtocol, ssl_certfile=certificate,
        ssl_keyfile=key, timeout_graceful_shutdown=1,
    )  # fmt: skip
    return uvicorn.Server(config)


class _FewThreads:
    """An application before another one, which answers in a few threads alone: each has a connection to the store."""

    def __init__(self, app: ASGIApp) -> None:
        self.app = app

    async def __call__(self, scope: Scope, receive: Receive, send: Send) -> None:
        current_default_thread_limiter().total_tokens = MOST_THREADS
        await self.app(scope, receive, send)


@dataclass(frozen=True)
class Running:
    """A server that runs. `log` has what it was asked, in order."""

    address: str
    behaviour: Behaviour
    log: list[str]


def free_port() -> int:
    """Return a port of the loopback that nobody uses."""
    with socket.socket() as spot:
        spot.bind((LOOPBACK, 0))
        return int(spot.getsockname()[1])


@contextmanager
def running(depot: Depot, behaviour: Behaviour | None = None, port: int = 0) -> Iterator[Running]:
    """Run a Depot on the loopback, in a thread of this process, until the block ends."""
    behaviour = behaviour or Behaviour()
    app = application(depot, behaviour)
    port = port or free_port()
    config = uvicorn.Config(app, LOOPBACK, port, log_level="warning", lifespan="off", timeout_graceful_shutdown=1)
    with served(uvicorn.Server(config)) as address:
        yield Running(address, behaviour, app.log)


@contextmanager
def running_postings(store: DepotStore, title: str, port: int = 0, *, allowed: Sequence[str] = ()) -> Iterator[str]:
    """Serve the outlets of a store on the loopback, in a thread of this process, until the block ends; gives the
    address."""
    with served(postings_server(store, title, LOOPBACK, port or free_port(), allowed=allowed)) as address:
        yield address


@contextmanager
def served(server: uvicorn.Server) -> Iterator[str]:
    """Run a server in a thread of this process until the block ends; gives its address."""
    thread = threading.Thread(target=server.run, name="depot", daemon=True)
    thread.start()
    until = time.monotonic() + START_S
    while not server.started and thread.is_alive() and time.monotonic() < until:
        time.sleep(0.01)
    try:
        yield f"http://{LOOPBACK}:{server.config.port}"
    finally:
        server.should_exit = True
        thread.join(5)
