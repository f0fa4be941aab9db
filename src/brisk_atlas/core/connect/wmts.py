"""Web Map Tile Services 1.0.0 (OGC 07-057r7): pictures cut into tiles beforehand."""

from __future__ import annotations

from dataclasses import dataclass
from typing import Any

from brisk_atlas.core.model import CannotRead, DataRef, Extent
from brisk_atlas.core.model.language import tr
from brisk_atlas.core.place import metres_per_unit, transform_extent
from brisk_atlas.core.place.tile_grid import PIXEL_M, TileGrid, TileLevel, TilePlace

from .ows import asking, capabilities, capabilities_state, crs_of, legend_address, northing_first
from .service import Contents, DrawnStyle, LayerAbout, Pictures, Service
from .stated_dimensions import StatedDimension, stated_dimension

FORMATS = ("image/png", "image/webp", "image/vnd.jpeg-png", "image/gif", "image/jpeg")
NEAR = 0.01  # of a pixel: tiles of all levels begin at the same corner within that


@dataclass(frozen=True)
class CutPictures(Pictures):
    """Tiles by a template of addresses, or as GetTile gives them. `names` are those of the levels."""

    template: str
    matrix_set: str
    format: str

    def address(self, place: TilePlace) -> str:
        level = self.grid.levels[place.level].name
        if self.template:
            filled = {
                "TileMatrixSet": self.matrix_set, "TileMatrix": level, "TileRow": str(place.row),
                "TileCol": str(place.column), "Style": self.style, "style": self.style, **self.moments(),
            }  # fmt: skip
            address = self.template
            for name, value in filled.items():
                address = address.replace(f"{{{name}}}", value)
            return address
        settings = {
            "service": "WMTS", "request": "GetTile", "version": "1.0.0", "layer": self.about.name, "style": self.style,
            "format": self.format, "tilematrixset": self.matrix_set, "tilematrix": level,
            "tilerow": str(place.row), "tilecol": str(place.column), **self.moments(),
        }  # fmt: skip
        return asking(self.ref.address, settings)


def _parse(version: str, body: bytes) -> Any:
    from owslib.wmts import WebMapTileService  # slow to load

    return WebMapTileService("", xml=body)


class Wmts(Service):
    """Layers, in the first of their sets of tiles whose CRS is known."""

    def contents(self, ref: DataRef) -> list[Contents]:
        layers, state = capabilities(ref, "WMTS", _parse).contents, capabilities_state(ref, "WMTS")
        return [Contents(name, layer.title or name, state) for name, layer in layers.items()]

    def pictures(self, ref: DataRef) -> Pictures:
        service = capabilities(ref, "WMTS", _parse)
        layer = service.contents.get(ref.inner)
        if layer is None:
            raise CannotRead(
                ref, tr("the service has no layer '{inner}'", inner=ref.inner), tr("List the service again.")
            )
        grids = {
            name: _grid(service.tilematrixsets[name])
            for name in layer.tilematrixsetlinks
            if name in service.tilematrixsets
        }
        usable = {name: grid for name, grid in grids.items() if grid is not None and grid.levels}
        if not usable:
            raise CannotRead(
                ref, tr("none of its sets of tiles is in a CRS that is known"), tr("Ask its owner for another.")
            )
        name, grid = max(usable.items(), key=lambda each: (len(each[1].levels), each[0]))
        templates = [each for each in layer.resourceURLs if each.get("resourceType") == "tile"]
        offered = [each["format"] for each in templates] or list(layer.formats)
        form = next((each for each in FORMATS if each in offered), offered[0] if offered else "image/png")
        template = next((each["template"] for each in templates if each["format"] == form), "")
        styles = tuple(
            DrawnStyle(key, value.get("title") or key, legend_address(ref, value.get("legend") or ""))
            for key, value in layer.styles.items()
        )
        usual = next((key for key, value in layer.styles.items() if value.get("isDefault")), "")
        notes = {
            "drawn": tr("tiles cut beforehand"),
            "service": tr("WMTS 1.0.0"),
            "tiles": tr("{name}, {count} levels", name=name, count=len(grid.levels)),
        }
        about = LayerAbout(ref.inner, layer.title or ref.inner, layer.abstract or "", notes=notes)
        extent = _extent(layer, grid)
        return CutPictures(
            DataRef(ref.kind, ref.place, ref.inner), about, grid, extent, template, name, form, styles=styles,
            style=usual or (styles[0].name if styles else "default"), dimensions=_dimensions(layer),
        )  # fmt: skip


def _dimensions(layer: Any) -> tuple[StatedDimension, ...]:
    found = []
    for name, about in (getattr(layer, "dimensions", None) or {}).items():
        unit = str(about.get("unit_symbol") or about.get("UOM") or "")
        usual = str(about.get("default") or "")
        found.append(stated_dimension(str(name), str(name), about.get("values") or (), unit, usual))
    return tuple(each for each in found if each is not None and len(each.names) > 1)


def _grid(stated: Any) -> TileGrid | None:
    """Return a set of tile matrices; of those that begin at another corner than the finest, none."""
    crs = crs_of(stated.crs)
    if crs is None:
        return None
    # well-known sets state latitude first for EPSG:4326 by its URN
    flipped = northing_first(crs) and "CRS84" not in stated.crs
    levels: list[TileLevel] = []
    corners: list[tuple[float, float]] = []
    size: tuple[int, int] | None = None
    for matrix in sorted(stated.tilematrix.values(), key=lambda each: each.scaledenominator):
        x, y = matrix.topleftcorner
        left, top = (y, x) if flipped else (x, y)
        resolution = matrix.scaledenominator * PIXEL_M / metres_per_unit(crs)
        if size is None:
            size = (matrix.tilewidth, matrix.tileheight)
        first = corners[0] if corners else (left, top)
        same = max(abs(left - first[0]), abs(top - first[1])) <= NEAR * resolution
        if same and (matrix.tilewidth, matrix.tileheight) == size:
            corners.append((left, top))
            levels.append(TileLevel(matrix.identifier, resolution, matrix.matrixwidth, matrix.matrixheight))
    return TileGrid(crs, *corners[0], size, tuple(levels)) if size is not None else None


def _extent(layer: Any, grid: TileGrid) -> Extent:
    last = grid.levels[-1]
    wide, tall = last.columns * grid.tile[0] * last.resolution, last.rows * grid.tile[1] * last.resolution
    whole = Extent(grid.left, grid.top - tall, grid.left + wide, grid.top, grid.crs)
    degrees = layer.boundingBoxWGS84
    placed = transform_extent(Extent.of(degrees, "EPSG:4326"), grid.crs) if degrees else None
    if placed is None or not placed.is_finite:
        return whole
    return placed.intersection(whole) or whole


CONNECTOR = Wmts()
