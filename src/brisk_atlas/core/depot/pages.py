"""The pages of a Depot for people: what it offers, and each outlet with a map, its rows, its record and its files.
They are whole without scripts; scripts make the map movable and show changes as they come."""

from __future__ import annotations

from collections.abc import Mapping
from dataclasses import dataclass, replace
from pathlib import Path
from urllib.parse import urlencode

from starlette.requests import Request
from starlette.responses import FileResponse, HTMLResponse, RedirectResponse, Response
from starlette.routing import Route

from brisk_atlas.core.model import AtlasError, Dataset, Extent, size_text
from brisk_atlas.core.record.model import Record

from .answers import Refused, base_of, document, number_in, numbers_in, picture
from .coverage_file import is_coverage
from .downloads import download, forms_of
from .guarding import guarded
from .offers import WORLD, Offer
from .outlet_services import OutletServices
from .pictures import MAX_SIDE, draw, encoded
from .postings.depot_store import DepotStore
from .postings.outlet import Outlet
from .postings.outlet_rows import OutletRows, RowsAsked
from .postings.posting import FieldType, Posting
from .postings.rights import Identity

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
MOST_BELOW = 4  # other outlets that are drawn below one, for orientation
COMPARISONS = {
    "=": "is", "<>": "is not", "<": "is less than", ">": "is more than", "~": "contains", "null": "is missing",
    "known": "is not missing",
}  # fmt: skip
NUMERIC = (FieldType.INTEGER, FieldType.NUMBER)


@dataclass(frozen=True)
class RowsWish:
    """Which rows a page is to list, as its address states it."""

    field: str = ""
    comparison: str = "="
    value: str = ""
    sort: str = ""
    skip: int = 0

    @classmethod
    def of(cls, settings: Mapping[str, str], shown: OutletRows) -> RowsWish:
        """Return what an address asks for. What is not there is not asked for."""
        field, sort = settings.get("field", ""), settings.get("sort", "")
        return cls(
            field if field in shown.fields else "",
            settings["is"] if settings.get("is") in COMPARISONS else "=",
            settings.get("value", "")[:200],
            sort if sort.removeprefix("-") in shown.fields else "",
            number_in(dict(settings), "from", 0, 100_000, 0),
        )

    def where(self, shown: OutletRows) -> str:
        """Return the condition, "" for none. Raises Refused for a value that the field can't have."""
        if not self.field or (not self.value and self.comparison not in ("null", "known")):
            return ""
        name, type_ = '"' + self.field.replace('"', '""') + '"', shown.fields[self.field].type
        match self.comparison:
            case "null":
                return f"{name} IS NULL"
            case "known":
                return f"{name} IS NOT NULL"
            case "~" if type_ is FieldType.TEXT:
                return f"{name} LIKE {_text(f'%{self.value}%')}"
            case "~":
                return f"{name} = {self._value(type_)}"
        return f"{name} {self.comparison} {self._value(type_)}"

    def _value(self, type_: FieldType) -> str:
        if type_ is FieldType.BOOLEAN:
            return "true" if self.value.lower() in ("yes", "true", "1") else "false"
        if type_ not in NUMERIC:
            return _text(self.value)
        try:
            return repr(float(self.value.replace(",", "")))
        except ValueError:
            raise Refused("InvalidParameterValue", f"{self.field} has numbers; “{self.value}” is none") from None

    def address(self, **changed: str | int) -> str:
        """Return the address of the page with something changed, by the names that settings have."""
        stated: dict[str, str | int] = {
            "field": self.field, "is": self.comparison, "value": self.value, "sort": self.sort, "from": self.skip,
        }  # fmt: skip
        stated.update(changed)
        plain = {"is": "="}
        return "?" + urlencode({name: each for name, each in stated.items() if each and plain.get(name) != each})


def _text(value: str) -> str:
    return "'" + value.replace("'", "''") + "'"


class OutletPages:
    """Answers with pages, to each who asks about those that they may read."""

    def __init__(self, store: DepotStore, services: OutletServices, title: str) -> None:
        self.store, self.services, self.title = store, services, title

    def routes(self) -> list[Route]:
        answers = {
            "/pages": self.home, "/pages/{id}": self.page, "/pages/{id}/map.png": self.map,
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
        if not posting.file:
            return facts_in_words(self.store.rows_shown(outlet, posting))
        try:
            return file_in_words(self.services.dataset(outlet, posting))
        except AtlasError:
            return ["can't be read now"]

    def page(self, request: Request, who: Identity, body: bytes) -> Response:
        """Answer with the page of an outlet."""
        outlet, posting = self.store.seen(request.path_params["id"], who)
        if posting.file:
            return self._file_page(request, who, outlet, posting)
        shown = self.store.rows_shown(outlet, posting)
        settings = dict(request.query_params)
        wish, fault = RowsWish.of(settings, shown), ""
        rows, count = [], None
        try:
            where = wish.where(shown)
            count = shown.count(RowsAsked(None, where))
            order = wish.sort or (next(iter(shown.fields), "") if count is not None else "")
            rows = shown.page(RowsAsked(where=where, order=(order,) if order else ()), PAGE_ROWS + 1, skip=wish.skip)
        except Refused as error:
            fault = error.reason
        except AtlasError as error:
            fault = f"{error.reason}. {error.remedy}"
        offer = self.services.view(who).depot.offers.get(shown.outlet.id)
        view = self._view(offer, settings) if offer is not None else None
        listed = rows[:PAGE_ROWS]
        cells = [[cell_text(row.values[name], field.type) for name, field in shown.fields.items()] for row in listed]
        text = document(
            "outlet.html", title=self.title, outlet=shown.outlet, who=who.account, facts=facts_in_words(shown),
            fields=fields_of(shown), rows=cells, more=len(rows) > PAGE_ROWS, count=count, fault=fault, wish=wish,
            page_rows=PAGE_ROWS, comparisons=COMPARISONS, view=view, moves=moves_of(view) if view is not None else [],
            below=self._below(offer, who) if offer is not None else [], size=MAP_PX,
            forms=[(key, name, ending) for key, (name, ending, _) in forms_of(shown).items()],
            record=record_in_words(self.services.record(outlet, posting)),
            addresses=addresses_of(shown, base_of(request)), cursor=self.store.changes(shown.outlet.id, who, "").cursor,
        )  # fmt: skip
        return HTMLResponse(text)

    def _file_page(self, request: Request, who: Identity, outlet: Outlet, posting: Posting) -> Response:
        """Answer with the page of an outlet that has no rows."""
        offer = self.services.view(who).depot.offers.get(outlet.id)
        view = self._view(offer, dict(request.query_params)) if offer is not None else None
        path = self.store.file_of(posting)
        name = f"{outlet.id}{''.join(path.suffixes)}"
        text = document(
            "file.html", title=self.title, outlet=outlet, who=who.account, size=MAP_PX, file=name,
            facts=file_in_words(self.services.dataset(outlet, posting)), bytes=size_text(path.stat().st_size),
            view=view, moves=moves_of(view) if view is not None else [],
            below=self._below(offer, who) if offer is not None else [],
            record=record_in_words(self.services.record(outlet, posting)),
            addresses=file_addresses(outlet, base_of(request), has_cells=offer is not None and is_coverage(offer)),
        )  # fmt: skip
        return HTMLResponse(text)

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
            if each.id != offer.id and kind in ("LineString", "Polygon") and each.extent_in(WORLD).intersection(place):
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
            raise Refused("InvalidParameterValue", "the box has no area")
        wanted = settings.get("below", "").split(",")
        below = [replace(each.layer, opacity=BELOW) for each in self._below(offer, who) if each.id in wanted]
        return picture(encoded(draw(depot, [*below, offer.layer], Extent(a, b, c, d, WORLD), width, height)))

    def download(self, request: Request, who: Identity, body: bytes) -> Response:
        """Answer with an outlet as a file."""
        outlet, posting = self.store.seen(request.path_params["id"], who)
        if posting.file and request.path_params["form"] == "file":
            path = self.store.file_of(posting)
            return FileResponse(path, filename=f"{outlet.id}{''.join(path.suffixes)}")
        shown = self.store.through(outlet.id, who)
        return download(self.store, shown, request.path_params["form"])

    def asset(self, request: Request, who: Identity, body: bytes) -> Response:
        """Answer with a style, a script or a font of the pages."""
        name = request.path_params["name"]
        if name not in FILES:
            raise Refused("NotFound", "there is no such file", 404)
        return FileResponse(FILES[name] / name)


def facts_in_words(shown: OutletRows) -> list[str]:
    """Return what an outlet is, in a few short texts."""
    posting, count = shown.rows.posting, shown.count()
    kind = posting.geometry_type.removesuffix(" Z").lower() if posting.has_shapes else "table"
    number = f"{count:,} rows" if count is not None else "more than 10,000 rows"
    return [kind, number, f"{len(shown.fields)} fields", *([posting.crs] if posting.crs else [])]


def file_in_words(dataset: Dataset) -> list[str]:
    """Return what an outlet without rows is, in a few short texts."""
    facts = dataset.parts[0].facts if dataset.parts else None
    grid, cloud = (facts.grid, facts.cloud) if facts is not None else (None, None)
    found = [str(dataset.kind), dataset.format]
    if grid is not None:
        found += [
            f"{grid.width:,} x {grid.height:,} cells",
            f"{len(grid.bands)} band{'s' if len(grid.bands) != 1 else ''}",
        ]
    if cloud is not None and facts is not None and facts.count is not None:
        found.append(f"{facts.count:,} points")
    return [*found, *([facts.crs] if facts is not None and facts.crs else [])]


def file_addresses(outlet: Outlet, base: str, *, has_cells: bool) -> list[tuple[str, str, str]]:
    """Return where services offer an outlet without rows."""
    found = [
        ("WMS", "pictures of any extent", f"{base}/services/wms"),
        ("WMTS", "tiles of pictures", f"{base}/services/wmts"),
        ("XYZ tiles", "tiles of pictures by their numbers", f"{base}/services/xyz/{outlet.id}/{{z}}/{{x}}/{{y}}.png"),
    ]
    return [*found, *([("WCS", "the numbers", f"{base}/services/wcs")] if has_cells else [])]


def record_in_words(record: Record) -> list[tuple[str, str]]:
    """Return what a record says beside title, summary and fields, as terms and texts."""
    contacts = "; ".join(
        ", ".join(filter(None, (each.organisation, each.person, each.role, each.email, each.link)))
        for each in record.contacts
    )
    conditions = "; ".join(text for each in record.constraints for text in (*each.limits, *each.other))
    dates = "; ".join(f"{each.kind} {each.day}" for each in record.dates)
    words = ", ".join(word for each in record.keywords for word in each.words)
    steps = " ".join(filter(None, (record.lineage, *(each.description for each in record.steps))))
    stated = (("Keywords", words), ("Contact", contacts), ("Conditions of use", conditions), ("Dates", dates),
              ("Updated", record.maintenance), ("How it was made", steps), ("Credit", "; ".join(record.credits)),
              )  # fmt: skip
    return [(term, " ".join(text.split())) for term, text in stated if text.strip()]


def fields_of(shown: OutletRows) -> list[dict[str, str]]:
    """Return what is stated of the fields of an outlet."""
    rounded = {each.name: each.decimals for each in shown.outlet.fields}

    def note(name: str) -> str:
        digits = rounded[name]
        return "" if digits is None else f"rounded to {digits} decimal{'s' if digits != 1 else ''}"

    return [
        {"name": name, "type": field.type.value, "unit": field.unit, "note": note(name)}
        for name, field in shown.fields.items()
    ]


def cell_text(value: object, type_: FieldType) -> str:
    """Return a value as the table shows it, "" for a missing one."""
    if value is None:
        return ""
    if isinstance(value, bool):
        return "yes" if value else "no"
    if type_ is FieldType.TIME:
        return str(value).replace("T", " ").replace(".000000Z", " UTC").replace("Z", " UTC")
    return str(value)


def moves_of(view: Extent) -> list[tuple[str, str]]:
    """Return the names of other views near one, and their boxes."""
    w, h, (x, y) = view.width, view.height, view.centre

    def box(dx: float, dy: float, scale: float) -> str:
        """Return the box of a view moved by shares of this one, and so many times as large."""
        left, low = x + dx * w - w * scale / 2, y + dy * h - h * scale / 2
        return ",".join(f"{value:.2f}" for value in (left, low, left + w * scale, low + h * scale))

    return [
        ("Closer", box(0, 0, 0.5)), ("Farther", box(0, 0, 2)), ("North", box(0, 0.5, 1)), ("South", box(0, -0.5, 1)),
        ("West", box(-0.5, 0, 1)), ("East", box(0.5, 0, 1)),
    ]  # fmt: skip


def addresses_of(shown: OutletRows, base: str) -> list[tuple[str, str, str]]:
    """Return where services offer an outlet: what it is, for what, and its address."""
    name = shown.outlet.id
    found = [("OGC API Features", "rows, by filters and pages", f"{base}/collections/{name}/items")]
    if shown.rows.posting.has_shapes and shown.rows.posting.crs is not None:
        found += [
            ("WFS", "rows, for older programs", f"{base}/services/wfs"),
            ("WMS", "pictures of any extent", f"{base}/services/wms"),
            ("WMTS", "tiles of pictures", f"{base}/services/wmts"),
            ("XYZ tiles", "tiles of pictures by their numbers", f"{base}/services/xyz/{name}/{{z}}/{{x}}/{{y}}.png"),
            ("Vector tiles", "of all that is offered", f"{base}/services/vectortiles.json"),
        ]
    return found
