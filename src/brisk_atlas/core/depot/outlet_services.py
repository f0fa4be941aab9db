"""Maps, tiles, features and records of the outlets that somebody may read, by the protocols that the other answers
speak: for each circle of readers an application over what they see, as it is now."""

from __future__ import annotations

import hashlib
import logging
import threading
from collections import OrderedDict
from dataclasses import dataclass

from starlette.applications import Starlette
from starlette.concurrency import run_in_threadpool
from starlette.datastructures import MutableHeaders
from starlette.requests import Request
from starlette.routing import BaseRoute
from starlette.types import ASGIApp, Message, Receive, Scope, Send

from brisk_atlas.core.cache import DataCache
from brisk_atlas.core.kinds import first_style
from brisk_atlas.core.model import AtlasError, DataRef, Dataset, Layer, Style
from brisk_atlas.core.record.model import Record

from .answer_memory import AnswerMemory
from .answers import Refused
from .behaviour import Behaviour
from .csw import CatalogueAnswers
from .guarding import LOGIN_WANTED, SAFE, refusal
from .offers import Depot
from .ogc_api import TILE_PARTS, ApiAnswers
from .outlet_file import file_shown
from .outlet_scenes import scene_of
from .postings.depot_store import DepotStore
from .postings.outlet import Outlet
from .postings.outlet_part import dataset_of
from .postings.outlet_record import record_of_outlet
from .postings.outlet_ways import OfferedService
from .postings.posted_rows import PostedRows
from .postings.posting import Posting
from .postings.rights import Identity
from .records_api import RecordsApiAnswers
from .stac import SceneAnswers
from .tiles import TileAnswers
from .vector_tiles import VectorTileAnswers
from .wcs import CoverageAnswers
from .wfs import FeatureAnswers
from .who_asks import who_asks
from .wms import MapAnswers

log = logging.getLogger(__name__)
MEMORY_BYTES = 120_000_000  # for what was read of outlets
VIEWS = 32  # of what different circles of readers see, in memory


@dataclass(frozen=True)
class OutletsView:
    """The outlets that some may read, as they are, and the application over them. `state` differs once they do."""

    state: str
    depot: Depot
    app: ASGIApp


class OutletServices:
    """An application that answers each by the outlets that they may read."""

    def __init__(self, store: DepotStore, title: str) -> None:
        self.store, self.title = store, title
        self.cache = DataCache(MEMORY_BYTES)
        self.memory = AnswerMemory()
        self._views: OrderedDict[tuple[tuple[str, str], ...], OutletsView] = OrderedDict()
        self._lock = threading.Lock()

    def view(self, who: Identity) -> OutletsView:
        """Return what somebody sees now."""
        shown = [self.store.seen(outlet.id, who) for outlet in self.store.readable(who)]
        key = tuple((outlet.id, state_of(self.store, outlet, posting)) for outlet, posting in shown)
        with self._lock:
            if key in self._views:
                self._views.move_to_end(key)
                return self._views[key]
        made = self._made(shown, repr(key))
        with self._lock:
            self._views[key] = made
            while len(self._views) > VIEWS:
                self._views.popitem(last=False)
        return made

    def _made(self, shown: list[tuple[Outlet, Posting]], state: str) -> OutletsView:
        layers, ids, records = [], {}, {}
        for number, (outlet, posting) in enumerate(shown):
            layer = self.layer(outlet, posting, number)
            if layer is not None:
                layers.append(layer)
                ids[layer.id] = outlet.id
            try:
                records[outlet.id] = self.record(outlet, posting)
            except AtlasError:  # a file that is gone, which is logged where it is looked for as a layer
                log.info("%s has no record now", outlet.id)
        services = {outlet.id: outlet.services for outlet, _ in shown}
        depot = Depot(self.title, self.cache, layers, ids=ids, records=records, services=services)
        maps, features, catalogue = (
            depot.through(each) for each in (OfferedService.MAPS, OfferedService.FEATURES, OfferedService.CATALOGUE)
        )
        scenes = [scene_of(outlet, posting, catalogue.offers[outlet.id]) for outlet, posting in shown
                  if posting.file and outlet.id in catalogue.offers]  # fmt: skip
        plain = Behaviour()
        answering = (
            RecordsApiAnswers(catalogue), ApiAnswers(depot, plain, TILE_PARTS), MapAnswers(maps, plain),
            FeatureAnswers(features, plain), TileAnswers(maps), VectorTileAnswers(depot.through(OfferedService.TILES)),
            CatalogueAnswers(catalogue), CoverageAnswers(depot.through(OfferedService.COVERAGES)),
            SceneAnswers(self.title, [scene for scene in scenes if scene is not None]),
        )  # fmt: skip
        routes: list[BaseRoute] = [route for each in answering for route in each.routes()]
        return OutletsView(state, depot, Starlette(routes=routes))

    def dataset(self, outlet: Outlet, posting: Posting) -> Dataset:
        """Return what an outlet shows. Raises CannotRead for a file that can't be read any more."""
        if posting.file:
            return self.cache.dataset(DataRef.file(file_shown(self.store, outlet, posting)))
        shown = self.store.rows_shown(outlet, posting)
        found = dataset_of(shown, self.store.figures(shown), state_of(self.store, outlet, posting))
        self.cache.hold(found)
        return found

    def layer(self, outlet: Outlet, posting: Posting, number: int = 0) -> Layer | None:
        """Return what an outlet shows as a layer, None for what has no places."""
        if not posting.has_data:
            return None
        try:
            dataset = self.dataset(outlet, posting)
        except AtlasError as error:
            log.error("%s: %s", outlet.id, error)
            return None
        if not dataset.parts or not dataset.parts[0].facts.kind.has_place:
            return None
        part = dataset.parts[0]
        style: Style | None = outlet.style or outlet.grid_style or first_style(part.facts, number)
        return Layer(outlet.id, outlet.title, dataset.ref.with_part(part.facts.name), part.facts.kind, style)

    def record(self, outlet: Outlet, posting: Posting) -> Record:
        """Return what the record of an outlet says. Raises CannotRead for a file that can't be read any more."""
        return record_of_outlet(outlet, posting, self.dataset(outlet, posting) if posting.has_data else None)

    async def __call__(self, scope: Scope, receive: Receive, send: Send) -> None:
        """Answer a question, with the headers that keep browsers safe."""
        inner = {name: value for name, value in scope.items() if name != "app_root_path"}  # its addresses begin here

        async def safely(message: Message) -> None:
            if message["type"] == "http.response.start":
                headers = MutableHeaders(raw=list(message["headers"]))
                for name, value in SAFE.items():
                    headers.setdefault(name, value)
                message = {**message, "headers": headers.raw}
            await send(message)

        try:
            view = await run_in_threadpool(lambda: self.view(who_asks(self.store.people, Request(scope))))
        except Refused as error:
            refused = refusal(error.code, error.reason, error.status)
            refused.headers["WWW-Authenticate"] = LOGIN_WANTED
            await refused(scope, receive, safely)
            return
        await self.memory.through(view.state, view.app, inner, receive, safely)


def state_of(store: DepotStore, outlet: Outlet, posting: Posting) -> str:
    """Return a text that differs once a posting or how an outlet offers it has changed."""
    number = PostedRows(store.database, posting).last_edit
    return f"{number}.{posting.file}.{hashlib.sha256(repr(outlet).encode()).hexdigest()[:16]}"
