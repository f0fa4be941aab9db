"""Web Map Services 1.1.1 and 1.3.0 (OGC 01-068r3, 06-042): pictures of any rectangle, drawn by the server."""

from __future__ import annotations

from dataclasses import dataclass
from typing import Any

from brisk_atlas.core.model import CannotRead, DataRef, Extent
from brisk_atlas.core.model.language import tr
from brisk_atlas.core.place import is_geographic, transform_extent
from brisk_atlas.core.place.tile_grid import TilePlace, grid_over

from .ows import asking, capabilities, capabilities_state, crs_of, legend_address, northing_first, on_own_host
from .service import Contents, DrawnStyle, LayerAbout, Pictures, Service
from .stated_dimensions import StatedDimension, stated_dimension

FINEST_M, FINEST_DEGREES = 0.1, 1e-6  # a pixel, as far as one can come closer
FORMATS = ("image/png", "image/png; mode=8bit", "image/webp", "image/gif", "image/jpeg")
INFO_FORMATS = ("application/json", "application/geo+json", "text/plain", "application/vnd.ogc.gml", "text/xml")
WORLD = "EPSG:3857"
ALL_DEGREES = Extent(-180.0, -90.0, 180.0, 90.0, "EPSG:4326")


@dataclass(frozen=True)
class MapPictures(Pictures):
    """Tiles as GetMap gives them; `flipped` where the server wants northings before eastings."""

    version: str
    map_address: str
    info_address: str
    crs_name: str
    format: str
    flipped: bool
    info_formats: tuple[str, ...]

    def address(self, place: TilePlace) -> str:
        return asking(self.map_address, self._settings(place) | {"request": "GetMap"})

    def _settings(self, place: TilePlace) -> dict[str, str]:
        box = self.grid.extent_of(place)
        corners = (box.ymin, box.xmin, box.ymax, box.xmax) if self.flipped else box.bounds
        return {
            "service": "WMS",
            "version": self.version,
            "layers": self.about.name,
            "styles": self.style,
            "crs" if self.version >= "1.3" else "srs": self.crs_name,
            "bbox": ",".join(f"{value!r}" for value in corners),
            "width": str(self.grid.tile[0]),
            "height": str(self.grid.tile[1]),
            "format": self.format,
            "transparent": "TRUE",
            **self.moments(),
        }

    def question_at(self, place: TilePlace, column: float, row: float) -> tuple[str, ...]:
        names = ("i", "j") if self.version >= "1.3" else ("x", "y")
        spot = {names[0]: str(int(column)), names[1]: str(int(row)), "feature_count": "20"}
        shared = self._settings(place) | {"request": "GetFeatureInfo", "query_layers": self.about.name} | spot
        return tuple(asking(self.info_address, shared | {"info_format": each}) for each in self.info_formats)


def _parse(version: str, body: bytes) -> Any:
    from owslib.wms import WebMapService  # slow to load

    return WebMapService("", version="1.1.1" if version.startswith("1.1") else "1.3.0", xml=body)


class Wms(Service):
    """Every named layer is one; groups that have no name can't be drawn."""

    def contents(self, ref: DataRef) -> list[Contents]:
        layers, state = capabilities(ref, "WMS", _parse).contents, capabilities_state(ref, "WMS")
        return [Contents(name, layer.title or name, state) for name, layer in layers.items()]

    def pictures(self, ref: DataRef) -> Pictures:
        service = capabilities(ref, "WMS", _parse)
        layer = service.contents.get(ref.inner)
        if layer is None:
            raise CannotRead(
                ref, tr("the service has no layer '{inner}'", inner=ref.inner), tr("List the service again.")
            )
        crs_name, extent = _place(ref, layer)
        dimensions = _dimensions(layer)
        finest = FINEST_DEGREES if is_geographic(extent.crs or WORLD) else FINEST_M
        offered = [each.lower() for each in _operation(service, "GetMap").get("formatOptions", [])]
        info = _operation(service, "GetFeatureInfo").get("formatOptions", []) if layer.queryable else []
        return MapPictures(
            ref=DataRef(ref.kind, ref.place, ref.inner),
            about=_about(layer, service, dimensions),
            grid=grid_over(extent, finest),
            extent=extent,
            version=service.version,
            map_address=_address(ref, service, "GetMap"),
            info_address=_address(ref, service, "GetFeatureInfo"),
            crs_name=crs_name,
            format=next((each for each in FORMATS if each in offered), "image/png"),
            flipped=service.version >= "1.3" and crs_name != "CRS:84" and northing_first(crs_name),
            info_formats=tuple(each for each in INFO_FORMATS if each in info),
            styles=_styles(ref, layer),
            dimensions=dimensions,
        )


def _operation(service: Any, name: str) -> dict[str, Any]:
    found = next((each for each in service.operations if each.name == name), None)
    return vars(found) if found is not None else {}


def _address(ref: DataRef, service: Any, operation: str) -> str:
    """Return where an operation is asked for: where the service states it, if that is on its own host; servers behind
    others often state a name that only they know."""
    methods = _operation(service, operation).get("methods", [])
    stated = next((each["url"] for each in methods if each.get("type", "").lower() == "get" and each.get("url")), "")
    return on_own_host(ref, stated)


def _styles(ref: DataRef, layer: Any) -> tuple[DrawnStyle, ...]:
    return tuple(
        DrawnStyle(name, about.get("title") or name, legend_address(ref, about.get("legend") or ""))
        for name, about in layer.styles.items()
    )


def _dimensions(layer: Any) -> tuple[StatedDimension, ...]:
    """Return the dimensions of a layer, and those that it has from the layers above it."""
    stated: dict[str, dict[str, Any]] = {}
    above = layer
    while above is not None:
        own = {str(name).lower(): about for name, about in (getattr(above, "dimensions", None) or {}).items()}
        if getattr(above, "timepositions", None):
            own.setdefault("time", {"values": above.timepositions, "default": above.defaulttimeposition})
        if getattr(above, "elevations", None):
            own.setdefault("elevation", {"values": above.elevations})
        stated = own | stated
        above = above.parent
    found = []
    for name, about in stated.items():
        setting = name if name in ("time", "elevation") else f"dim_{name}"
        unit = str(about.get("unitSymbol") or about.get("units") or "")
        found.append(stated_dimension(name, setting, about.get("values") or (), unit, str(about.get("default") or "")))
    return tuple(each for each in found if each is not None and len(each.names) > 1)


def _about(layer: Any, service: Any, dimensions: tuple[StatedDimension, ...]) -> LayerAbout:
    credit = (getattr(layer, "attribution", None) or {}).get("title") or ""
    notes = {"drawn": tr("by the server, for each scale"), "service": tr("WMS {version}", version=service.version)}
    for each in dimensions:
        words = tr(
            "{shown} to {shown2}, {count:,} places",
            shown=each.dimension.shown(0),
            shown2=each.dimension.shown(-1),
            count=len(each.names),
        )
        notes[each.dimension.name] = words + (tr(", the last ones of more") if each.is_cut else "")
    if layer.styles:
        notes["styles"] = ", ".join(each["title"] or name for name, each in layer.styles.items())
    record = next((each["url"] for each in layer.metadataUrls if each.get("url")), "")
    keywords = tuple(word.strip() for word in layer.keywords if word and word.strip())
    return LayerAbout(layer.name, layer.title or layer.name, layer.abstract or "", keywords, credit, record, notes)


def _place(ref: DataRef, layer: Any) -> tuple[str, Extent]:
    """Return the CRS to ask in, by the server's name, and the extent in it: a projected one with an extent of its own
    first, else the one of tiles over the world, else any."""
    boxes: dict[str, tuple[float, float, float, float]] = {}
    above = layer
    while above is not None:
        for *box, name in above.crs_list:
            boxes.setdefault(name, tuple(box))
        above = above.parent
    offered = {name: crs for name in sorted({*layer.crsOptions, *boxes}) if (crs := crs_of(name)) is not None}
    stated = {name: Extent(*boxes[name], offered[name]) for name in boxes if name in offered}
    fitting = {name: box for name, box in stated.items() if box.width > 0 and box.height > 0 and box.is_finite}
    projected = [name for name in fitting if not is_geographic(offered[name])]
    if projected:
        return projected[0], fitting[projected[0]]
    degrees = layer.boundingBoxWGS84
    around = Extent.of(degrees, "EPSG:4326") if degrees else next(iter(fitting.values()), ALL_DEGREES)
    for name, crs in sorted(offered.items(), key=lambda each: (each[1] != WORLD, each[1] != "EPSG:4326", each[0])):
        placed = transform_extent(around, crs)
        if placed is not None and placed.is_finite and placed.width > 0:
            return name, placed
    raise CannotRead(
        ref, tr("the service offers it in no CRS that is known"), tr("Ask its owner for one by its EPSG code.")
    )


CONNECTOR = Wms()
