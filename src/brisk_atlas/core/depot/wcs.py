"""Web Coverage Service 2.0.1 (OGC 09-110r4) with the scaling extension (12-039)."""

from __future__ import annotations

import re
from dataclasses import dataclass

from starlette.requests import Request
from starlette.responses import Response
from starlette.routing import Route

from brisk_atlas.core.connect.ows import northing_first
from brisk_atlas.core.model import Extent

from . import answers
from .answers import Refused, document, settings_of
from .coverage_file import NODATA, coverage_file, is_coverage
from .offers import DEGREES, Depot, Offer

TIFF = "image/tiff"
SUBSET = re.compile(r"^(\w+)\(([^,()]+),([^,()]+)\)$")
SIZE = re.compile(r"(\w+)\((\d+)\)")


@dataclass(frozen=True)
class _Axes:
    """What the axes are called, and whether that of y comes first."""

    x: str
    y: str
    flipped: bool


class CoverageAnswers:
    """Answers about the grids among the offers whose cells are square."""

    def __init__(self, depot: Depot) -> None:
        self.depot = depot
        self.offers = {name: offer for name, offer in depot.offers.items() if is_coverage(offer)}

    def routes(self) -> list[Route]:
        return [Route("/wcs", self.answer)]

    def answer(self, request: Request) -> Response:
        settings = settings_of(request)
        try:
            match settings.get("request", "").lower():
                case "getcapabilities":
                    return self._capabilities(request)
                case "describecoverage":
                    names = settings.get("coverageid", "").split(",")
                    about = [self._about(self._offer(name)) for name in names]
                    return answers.xml(document("wcs_description.xml", coverages=about, nodata=NODATA))
                case "getcoverage":
                    return self._coverage(request, settings)
                case other:
                    raise Refused("OperationNotSupported", f"there is no request '{other}'")
        except Refused as error:
            return answers.xml(
                document("ows_exception.xml", version="2.0.1", code=error.code, reason=error.reason), 400
            )

    def _offer(self, name: str) -> Offer:
        offer = self.offers.get(name)
        if offer is None:
            raise Refused("NoSuchCoverage", f"there is no coverage '{name}'", 404)
        return offer

    def _capabilities(self, request: Request) -> Response:
        listed = [
            {"name": name, "title": offer.title, "degrees": offer.extent_in(DEGREES).bounds}
            for name, offer in self.offers.items()
        ]
        address = f"{answers.base_of(request)}/wcs?"
        return answers.xml(document("wcs_200.xml", title=self.depot.title, address=address, coverages=listed))

    def _about(self, offer: Offer) -> dict[str, object]:
        grid, extent, axes = offer.facts.grid, offer.extent_in(offer.crs), _axes(offer)
        assert grid is not None
        step = extent.width / grid.width
        pairs = [
            (axes.x, extent.xmin, extent.xmax, extent.xmin + step / 2),
            (axes.y, extent.ymin, extent.ymax, extent.ymax - step / 2),
        ]
        pairs = pairs[::-1] if axes.flipped else pairs
        along, down = (f"{step!r} 0", f"0 {-step!r}")
        flipped = (f"0 {step!r}", f"{-step!r} 0")
        return {
            "name": offer.id, "title": offer.title, "crs": f"http://www.opengis.net/def/crs/EPSG/0/{offer.crs[5:]}",
            "labels": " ".join(pair[0] for pair in pairs), "low": " ".join(repr(pair[1]) for pair in pairs),
            "high": " ".join(repr(pair[2]) for pair in pairs), "origin": " ".join(repr(pair[3]) for pair in pairs),
            "last": f"{grid.width - 1} {grid.height - 1}", "vectors": flipped if axes.flipped else (along, down),
            "bands": [(band.name, band.unit or "1") for band in grid.bands],
        }  # fmt: skip

    def _coverage(self, request: Request, settings: dict[str, str]) -> Response:
        offer = self._offer(settings.get("coverageid", ""))
        grid, whole, axes = offer.facts.grid, offer.extent_in(offer.crs), _axes(offer)
        assert grid is not None
        sides = {axes.x: (whole.xmin, whole.xmax), axes.y: (whole.ymin, whole.ymax)}
        for name, value in request.query_params.multi_items():
            if name.lower() == "subset":
                found = SUBSET.match(value.replace(" ", ""))
                if found is None or found[1] not in sides:
                    raise Refused("InvalidAxisLabel", f"'{value}' is no subset of this coverage")
                sides[found[1]] = float(found[2]), float(found[3])
        (x0, x1), (y0, y1) = sides[axes.x], sides[axes.y]
        if not (x1 > x0 and y1 > y0):
            raise Refused("InvalidSubsetting", "the subset has no area")
        step = whole.width / grid.width
        sizes = {name: int(count) for name, count in SIZE.findall(settings.get("scalesize", ""))}
        columns, rows = sizes.get(axes.x, round((x1 - x0) / step)), sizes.get(axes.y, round((y1 - y0) / step))
        body = coverage_file(self.depot, offer, Extent(x0, y0, x1, y1, offer.crs), columns, rows)
        return Response(body, media_type=TIFF, headers={"Cache-Control": f"max-age={answers.FRESH_S}"})


def _axes(offer: Offer) -> _Axes:
    degrees = offer.crs == DEGREES
    return _Axes("Long" if degrees else "E", "Lat" if degrees else "N", northing_first(offer.crs))
