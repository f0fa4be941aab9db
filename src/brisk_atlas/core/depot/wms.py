"""Web Map Service 1.1.1 and 1.3.0 (OGC 01-068r3, 06-042)."""

from __future__ import annotations

from starlette.requests import Request
from starlette.responses import JSONResponse, PlainTextResponse, Response
from starlette.routing import Route

from brisk_atlas.core.connect.ows import crs_of, northing_first
from brisk_atlas.core.model import Extent, Layer

from . import answers
from .answers import Refused, document, number_in, numbers_in, settings_of
from .asked_layer import dimensions_of, layer_as_asked, styles_of
from .behaviour import Behaviour
from .legend_picture import legend_picture
from .offers import DEGREES, Depot, record_address
from .pictures import MAX_SIDE, draw, encoded

FORMATS = ("image/png", "image/jpeg")
INFO_FORMATS = ("application/json", "text/plain")
REACH_PX = 4.0  # from a pixel to a point or line that is asked for


class MapAnswers:
    """Answers the questions of both versions."""

    def __init__(self, depot: Depot, behaviour: Behaviour) -> None:
        self.depot, self.behaviour = depot, behaviour

    def routes(self) -> list[Route]:
        return [Route("/wms", self.answer)]

    def answer(self, request: Request) -> Response:
        settings = settings_of(request)
        version = "1.1.1" if settings.get("version", settings.get("wmtver", "1.3.0")) < "1.3" else "1.3.0"
        try:
            match settings.get("request", "").lower():
                case "getcapabilities":
                    return self._capabilities(request, version)
                case "getmap":
                    return self._map(settings, version)
                case "getfeatureinfo":
                    return self._info(settings, version)
                case "getlegendgraphic":
                    return self._legend(settings)
                case other:
                    raise Refused("OperationNotSupported", f"there is no request '{other}'")
        except Refused as error:
            return answers.xml(document("wms_exception.xml", version=version, code=error.code, reason=error.reason))

    def _capabilities(self, request: Request, version: str) -> Response:
        layers = [
            {
                "name": offer.id,
                "title": offer.title,
                "degrees": offer.extent_in(DEGREES).bounds,
                "record": record_address(self.depot, offer, answers.base_of(request)),
                "styles": styles_of(offer),
                "dimensions": dimensions_of(offer),
                "boxes": [(crs, self._ordered(offer.extent_in(crs), crs, version)) for crs in offer.systems],
            }
            for offer in self.depot.offers.values()
        ]
        template = "wms_111.xml" if version == "1.1.1" else "wms_130.xml"
        address = f"{answers.base_of(request)}/wms?"
        return answers.xml(
            document(
                template, title=self.depot.title, address=address, layers=layers, formats=FORMATS,
                info_formats=INFO_FORMATS, max_side=MAX_SIDE,
            )
        )  # fmt: skip

    def _ordered(self, extent: Extent, crs: str, version: str) -> tuple[float, float, float, float]:
        """Return the sides of a box in the order that a version wants for a CRS."""
        if not self._flipped(crs, version):
            return extent.bounds
        return extent.ymin, extent.xmin, extent.ymax, extent.xmax

    def _flipped(self, crs: str, version: str) -> bool:
        return version >= "1.3" and northing_first(crs) and not self.behaviour.wrong_axes

    def _asked(self, settings: dict[str, str], version: str) -> tuple[dict[str, Layer], Extent, int, int]:
        """Return the layers by name, as they are asked for, the extent, the width and the height."""
        names = [name for name in settings.get("layers", "").split(",") if name]
        unknown = [name for name in names if name not in self.depot.offers]
        if unknown or not names:
            raise Refused("LayerNotDefined", f"there is no layer '{unknown[0] if unknown else ''}'")
        stated = settings.get("crs" if version >= "1.3" else "srs", "")
        crs = crs_of(stated)
        if crs is None:
            raise Refused("InvalidCRS" if version >= "1.3" else "InvalidSRS", f"'{stated}' is not offered")
        a, b, c, d = numbers_in(settings, "bbox", 4)
        if self._flipped(crs, version) and not stated.startswith("CRS:"):
            a, b, c, d = b, a, d, c
        if not (c > a and d > b):
            raise Refused("InvalidParameterValue", "the box has no area")
        width, height = (number_in(settings, name, 1, MAX_SIDE) for name in ("width", "height"))
        styles = [*settings.get("styles", "").split(","), *([""] * len(names))]
        layers = {name: layer_as_asked(self.depot.offers[name], style, settings) for name, style in zip(names, styles)}
        return layers, Extent(a, b, c, d, crs), width, height

    def _map(self, settings: dict[str, str], version: str) -> Response:
        layers, extent, width, height = self._asked(settings, version)
        form = settings.get("format", "image/png")
        if form not in FORMATS:
            raise Refused("InvalidFormat", f"'{form}' is not offered")
        return answers.picture(encoded(draw(self.depot, [*layers.values()], extent, width, height), form), form)

    def _legend(self, settings: dict[str, str]) -> Response:
        offer = self.depot.offers.get(settings.get("layer", ""))
        if offer is None:
            raise Refused("LayerNotDefined", f"there is no layer '{settings.get('layer', '')}'")
        layer = layer_as_asked(offer, settings.get("style", ""), settings)
        return answers.picture(encoded(legend_picture(self.depot, layer)))

    def _info(self, settings: dict[str, str], version: str) -> Response:
        layers, extent, width, height = self._asked(settings, version)
        names = [name for name in settings.get("query_layers", "").split(",") if name in layers]
        across, down = ("i", "j") if version >= "1.3" else ("x", "y")
        column, row = number_in(settings, across, 0, width - 1), number_in(settings, down, 0, height - 1)
        x = extent.xmin + (column + 0.5) * extent.width / width
        y = extent.ymax - (row + 0.5) * extent.height / height
        reach = REACH_PX * extent.width / width
        found = [(name, self.depot.probe(layers[name], x, y, extent.crs or "", reach)) for name in names]
        found = [(name, values) for name, values in found if values]
        form = settings.get("info_format", "text/plain")
        if form == "application/json":
            features = [
                {"type": "Feature", "id": name, "geometry": None, "properties": dict(values)} for name, values in found
            ]
            return JSONResponse({"type": "FeatureCollection", "features": features})
        if form != "text/plain":
            raise Refused("InvalidFormat", f"'{form}' is not offered")
        lines = [f"{name}\n" + "\n".join(f"  {label} = {value}" for label, value in values) for name, values in found]
        return PlainTextResponse("\n".join(lines))
