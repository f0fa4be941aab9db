"""The pages of a Depot for people: what it offers, and each outlet with a map, its rows, its record and its files.
They are whole without scripts; scripts make the map movable and show changes as they come."""

from __future__ import annotations

from collections.abc import Mapping
from dataclasses import replace
from functools import cache
from pathlib import Path
from typing import Any

from markupsafe import Markup
from starlette.requests import Request
from starlette.responses import FileResponse, HTMLResponse, RedirectResponse, Response
from starlette.routing import Route

from brisk_atlas.core.draw.legend_lines import LegendLines, lines_of
from brisk_atlas.core.kinds import kind_of
from brisk_atlas.core.model import AtlasError, Extent, size_text
from brisk_atlas.core.model.language import language_in_use, tr
from brisk_atlas.core.model.page_templates import script_texts
from brisk_atlas.core.model.vocabulary import shown
from brisk_atlas.core.record.translated import translated

from .answers import Refused, base_of, document, number_in, numbers_in, picture
from .coverage_file import is_coverage
from .downloads import download
from .guarding import POLICY, guarded
from .offers import WORLD, Offer
from .outlet_file import file_shown
from .outlet_services import OutletServices
from .page_words import (
    addresses_of,
    cell_text,
    counted_rows,
    facts_in_words,
    fields_of,
    file_addresses,
    file_in_words,
    languages_of,
    moves_of,
    record_in_words,
)
from .pictures import MAX_SIDE, draw, encoded
from .postings.depot_store import DepotStore
from .postings.outlet import Outlet
from .postings.outlet_rows import RowsAsked
from .postings.outlet_ways import OfferedService
from .postings.posting import Posting
from .postings.rights import Identity
from .rows_wish import COMPARISONS, RowsWish

FONTS = Path(__file__).parents[2] / "fonts"
ASSETS = Path(__file__).parent / "assets"
FILES = {
    **dict.fromkeys(("page.css", "page.js", "icon.svg"), ASSETS),
    **dict.fromkeys(("SourceSans3-Regular.ttf", "SourceSans3-Semibold.ttf", "SourceCodePro-Regular.ttf"), FONTS),
}
PAGE_ROWS = 25
MAP_PX = (840, 480)
AROUND = 0.08  # of the longer side of what is shown, beyond its edges
SMALLEST_M = 2_000.0  # across a map of a single place
BELOW = 0.45  # opacity of what is drawn below
ALBUM_POLICY = (
    "sandbox allow-scripts allow-popups allow-top-navigation-to-custom-protocols; "
    "default-src 'none'; img-src data:; font-src data:; "
    "script-src 'unsafe-inline'; style-src 'unsafe-inline'; base-uri 'none'; form-action 'none'; frame-ancestors 'none'"
)  # the page states which script of its own may act
MOST_BELOW = 4  # other outlets that are drawn below one, for orientation


class OutletPages:
    """Answers with pages, to each who asks about those that they may read."""

    def __init__(self, store: DepotStore, services: OutletServices, title: str) -> None:
        self.store, self.services, self.title = store, services, title

    def routes(self) -> list[Route]:
        answers = {
            "/pages": self.home, "/pages/{id}": self.page, "/pages/{id}/map.png": self.map,
            "/pages/{id}/album": self.album,
            "/pages/{id}/download/{form}": self.download, "/assets/{name}": self.asset,
        }  # fmt: skip
        return [Route(path, guarded(self.store, each, self.refuse)) for path, each in answers.items()]

    def refuse(self, code: str, reason: str, status: int) -> Response:
        """Return the page that says why there is none."""
        return HTMLResponse(
            document("refused.html", title=self.title, reason=reason.rstrip("."), status=status), status
        )

    def home(self, request: Request, who: Identity, body: bytes) -> Response:
        """Answer with what there is."""
        if request.url.path == "/":
            return RedirectResponse("pages", 303)
        outlets = [
            {
                "id": each.id,
                "title": each.title,
                "summary": each.summary,
                "facts": self._facts(*self.store.seen(each.id, who)),
            }
            for each in self.store.readable(who)
        ]
        return HTMLResponse(document("depot.html", title=self.title, outlets=outlets, who=who.account))

    def _facts(self, outlet: Outlet, posting: Posting) -> list[str]:
        if not posting.has_data:
            return [shown("record") if posting.is_record else tr("album")]
        if posting.has_rows:
            return facts_in_words(self.store.rows_shown(outlet, posting))
        try:
            return file_in_words(self.services.dataset(outlet, posting))
        except AtlasError:
            return [tr("can't be read now")]

    def page(self, request: Request, who: Identity, body: bytes) -> Response:
        """Answer with the page of an outlet."""
        outlet, posting = self.store.seen(request.path_params["id"], who)
        if posting.is_record:
            return self._record_page(request, who, outlet, posting)
        if posting.is_album:
            return self._album_page(request, who, outlet, posting)
        if posting.file:
            return self._file_page(request, who, outlet, posting)
        seen = self.store.rows_shown(outlet, posting)
        settings = dict(request.query_params)
        wish, fault = RowsWish.of(settings, seen), ""
        rows, count = [], None
        try:
            condition = wish.filter(seen)
            count = seen.count(RowsAsked(filter=condition))
            order = wish.sort or (next(iter(seen.fields), "") if count is not None else "")
            rows = seen.page(
                RowsAsked(filter=condition, order=(order,) if order else ()), PAGE_ROWS + 1, skip=wish.skip
            )
        except Refused as error:
            fault = error.reason
        except AtlasError as error:
            fault = f"{error.reason}. {error.remedy}"
        offer = self.services.view(who).depot.offers.get(seen.outlet.id)
        view = self._view(offer, settings) if offer is not None else None
        listed = rows[:PAGE_ROWS]
        cells = [[cell_text(row.values[name], field.type) for name, field in seen.fields.items()] for row in listed]
        text = document(
            "outlet.html", title=self.title, outlet=seen.outlet, who=who.account, facts=facts_in_words(seen),
            fields=fields_of(seen), rows=cells, more=len(rows) > PAGE_ROWS, counted=counted_rows(count, wish.skip),
            fault=fault, wish=wish, page_rows=PAGE_ROWS, comparisons=COMPARISONS, view=view,
            moves=moves_of(view) if view is not None else [],
            below=self._below(offer, who) if offer is not None else [], size=MAP_PX,
            forms=[(key, form.name, form.ending) for key, form in outlet.forms(posting).items()],
            still=OfferedService.MAPS not in outlet.services,
            legend=self._legend(offer), **self._record(request, outlet, posting),
            addresses=addresses_of(seen, base_of(request)), cursor=self._cursor(outlet, who),
        )  # fmt: skip
        return HTMLResponse(text)

    def _cursor(self, outlet: Outlet, who: Identity) -> str:
        """Return from where on a page asks for changes, "" where it can't."""
        return self.store.changes(outlet.id, who, "").cursor if OfferedService.FEATURES in outlet.services else ""

    def _file_page(self, request: Request, who: Identity, outlet: Outlet, posting: Posting) -> Response:
        """Answer with the page of an outlet that has no rows."""
        offer = self.services.view(who).depot.offers.get(outlet.id)
        view = self._view(offer, dict(request.query_params)) if offer is not None else None
        path = file_shown(self.store, outlet, posting)
        name = f"{outlet.id}{''.join(self.store.file_of(posting).suffixes)}"
        text = document(
            "file.html", title=self.title, outlet=outlet, who=who.account, size=MAP_PX,
            file=name if outlet.forms(posting) else "", still=OfferedService.MAPS not in outlet.services,
            facts=file_in_words(self.services.dataset(outlet, posting)), bytes=size_text(path.stat().st_size),
            view=view, moves=moves_of(view) if view is not None else [],
            below=self._below(offer, who) if offer is not None else [],
            legend=self._legend(offer), **self._record(request, outlet, posting),
            addresses=file_addresses(outlet, base_of(request), has_cells=offer is not None and is_coverage(offer)),
        )  # fmt: skip
        return HTMLResponse(text)

    def _album_page(self, request: Request, who: Identity, outlet: Outlet, posting: Posting) -> Response:
        """Answer with the page of an outlet that is an album, which has a page of its own."""
        size = size_text(self.store.file_of(posting).stat().st_size)
        return HTMLResponse(document(
            "album.html", title=self.title, outlet=outlet, who=who.account, facts=[tr("album"), size], view=None,
            file=tr("page") if outlet.forms(posting) else "", addresses=[], **self._record(request, outlet, posting),
        ))  # fmt: skip

    def album(self, request: Request, who: Identity, body: bytes) -> Response:
        """Answer with the page of an album, which acts on its own: without the Depot's cookies and forms."""
        _, posting = self.store.seen(request.path_params["id"], who)
        if not posting.is_album:
            raise Refused("NotFound", tr("it is no album"), 404)
        return FileResponse(self.store.file_of(posting), media_type="text/html; charset=utf-8",
                            headers={POLICY: ALBUM_POLICY})  # fmt: skip

    def _record_page(self, request: Request, who: Identity, outlet: Outlet, posting: Posting) -> Response:
        """Answer with the page of an outlet that is a record of data elsewhere."""
        base, record = base_of(request), self.services.record(outlet, posting)
        addresses = [("CSW", tr("the records of all that is offered"), f"{base}/services/csw"),
                     ("OGC API Records", tr("the same"), f"{base}/services/collections/records/items")]  # fmt: skip
        text = document(
            "record.html", title=self.title, outlet=outlet, who=who.account, facts=[shown("record")], view=None,
            addresses=addresses if OfferedService.CATALOGUE in outlet.services else [], file="record",
            **self._record(request, outlet, posting),
            links=[each for each in record.links if each.url.startswith(("https://", "http://"))],
        )  # fmt: skip
        return HTMLResponse(text)

    def _record(self, request: Request, outlet: Outlet, posting: Posting) -> dict[str, Any]:
        """Return what a page says of a record, in the language that its address asks for."""
        record = self.services.record(outlet, posting)
        languages = languages_of(record)
        wanted = request.query_params.get("language", "")
        chosen = wanted if any(wanted == each.id for each in languages) else ""
        stated = translated(record, chosen)
        return {"record": record_in_words(stated), "summary": stated.abstract, "languages": languages,
                "record_language": chosen, "texts": _script_texts(language_in_use())}  # fmt: skip

    def _legend(self, offer: Offer | None) -> LegendLines | None:
        if offer is None:
            return None
        return lines_of(kind_of(offer.layer.kind).legend(self.services.cache, offer.layer))

    def _view(self, offer: Offer, settings: Mapping[str, str]) -> Extent | None:
        """Return the extent of the map, in EPSG:3857: that of the address, or all that is shown."""
        width, height = MAP_PX
        if "bbox" in settings:
            xmin, ymin, xmax, ymax = numbers_in(dict(settings), "bbox", 4)
            whole = Extent(xmin, ymin, xmax, ymax, WORLD)
        else:
            whole = offer.extent_in(WORLD)
        (x, y), across = whole.centre, max(whole.width, whole.height * width / height)
        half = (
            max(across * (1 + 2 * AROUND * ("bbox" not in settings)), SMALLEST_M * ("bbox" not in settings), 1e-3) / 2
        )
        return Extent(x - half, y - half * height / width, x + half, y + half * height / width, WORLD)

    def _below(self, offer: Offer, who: Identity) -> list[Offer]:
        """Return other outlets with lines or areas that lie where this one does, to be drawn below it."""
        place = offer.extent_in(WORLD)
        others = []
        for each in self.services.view(who).depot.offers.values():
            kind = (each.facts.geometry_type or "").removeprefix("Multi").partition(" ")[0]
            if each.id == offer.id or OfferedService.MAPS not in each.services:
                continue
            if kind in ("LineString", "Polygon") and each.extent_in(WORLD).intersection(place):
                others.append(each)
        others.sort(key=lambda each: -(each.extent_in(WORLD).width * each.extent_in(WORLD).height))
        return others[:MOST_BELOW]

    def map(self, request: Request, who: Identity, body: bytes) -> Response:
        """Answer with a picture of an outlet, others below it."""
        settings = dict(request.query_params)
        a, b, c, d = numbers_in(settings, "bbox", 4)
        width, height = (
            number_in(settings, name, 1, MAX_SIDE, usual) for name, usual in zip(("width", "height"), MAP_PX)
        )
        depot = self.services.view(who).depot
        offer = depot.offers[request.path_params["id"]]
        if not (c > a and d > b):
            raise Refused("InvalidParameterValue", tr("the box has no area"))
        wanted = settings.get("below", "").split(",")
        below = [replace(each.layer, opacity=BELOW) for each in self._below(offer, who) if each.id in wanted]
        return picture(encoded(draw(depot, [*below, offer.layer], Extent(a, b, c, d, WORLD), width, height)))

    def download(self, request: Request, who: Identity, body: bytes) -> Response:
        """Answer with an outlet as a file."""
        outlet, posting = self.store.seen(request.path_params["id"], who)
        if posting.file:
            if request.path_params["form"] not in outlet.forms(posting):
                raise Refused("NotFound", tr("it is not handed out as a file"), 404)
            ending = "".join(self.store.file_of(posting).suffixes)
            return FileResponse(file_shown(self.store, outlet, posting), filename=f"{outlet.id}{ending}")
        return download(self.store, self.store.through(outlet.id, who), request.path_params["form"])

    def asset(self, request: Request, who: Identity, body: bytes) -> Response:
        """Answer with a style, a script or a font of the pages."""
        name = request.path_params["name"]
        if name not in FILES:
            raise Refused("NotFound", tr("there is no such file"), 404)
        return FileResponse(FILES[name] / name)


@cache
def _script_texts(language: str) -> Markup:
    """Return the texts of the pages' script in the language in use, which is the one named."""
    return script_texts((ASSETS / "page.js").read_text("utf-8"))
