"""Layers of features in vector tiles: by an address with `{z}`, `{x}` and `{y}`, or by the TileJSON (2.2 and 3.0) that
describes them."""

from __future__ import annotations

import gzip
import io
import json
from dataclasses import dataclass
from typing import Any
from urllib.parse import urljoin

from brisk_atlas.core.model import CannotRead, DataRef, Extent, Field
from brisk_atlas.core.model.errors import NotThere
from brisk_atlas.core.model.language import tr
from brisk_atlas.core.place import transform_extent
from brisk_atlas.core.place.tile_grid import WORLD_CRS, TileGrid, TilePlace, world_grid

from .fetching import fetch
from .service import Check, Contents, LayerAbout, Service, VectorTiles

TILE_BYTES = 32_000_000  # of one tile, unpacked
LAST_LEVEL = 14  # that such tiles usually have; finer ones are drawn from these
ENDINGS = (".pbf", ".mvt")
TYPES = {"number": "double", "boolean": "bool", "string": "string"}
SHAPES = {"point": "Point", "line": "LineString", "linestring": "LineString", "polygon": "Polygon"}
WORLD_DEGREES = Extent(-180.0, -85.0511, 180.0, 85.0511, "EPSG:4326")


@dataclass(frozen=True)
class TemplateFeatures(VectorTiles):
    """Tiles by a template of addresses, rows counted from the north but for `{-y}`."""

    template: str

    def address(self, place: TilePlace) -> str:
        level = self.grid.levels[place.level]
        filled = self.template.replace("{z}", level.name).replace("{x}", str(place.column))
        return filled.replace("{y}", str(place.row)).replace("{-y}", str(level.rows - 1 - place.row))

    def body(self, place: TilePlace, check: Check = lambda: None) -> bytes:
        try:
            found = fetch(self.ref, self.address(place), limit=TILE_BYTES, check=check)
        except NotThere:
            return b""
        return unpacked(self.ref, found.body)


def unpacked(ref: DataRef, body: bytes) -> bytes:
    """Return a tile without its compression. Raises CannotRead for one that grows without end."""
    if body[:2] != b"\x1f\x8b":
        return body
    try:
        with gzip.open(io.BytesIO(body)) as stream:
            found = stream.read(TILE_BYTES + 1)
    except (OSError, EOFError) as error:
        raise CannotRead(ref, tr("a tile is damaged"), tr("Ask its owner.")) from error
    if len(found) > TILE_BYTES:
        raise CannotRead(
            ref,
            tr("a tile is larger than {tile_bytes:.0f} MB", tile_bytes=TILE_BYTES / 1000000.0),
            tr("Ask its owner what it is."),
        )
    return found


def is_vector_template(address: str) -> bool:
    """Return whether an address is one of vector tiles.

    >>> is_vector_template("https://survey.tolvane.example/tiles/{z}/{x}/{y}.mvt?key=1")
    True
    """
    path = address.partition("?")[0]
    return "{z}" in path and "{x}" in path and path.endswith(ENDINGS)


class Described:
    """What a set of tiles says of itself: by a TileJSON, or by the metadata of an archive."""

    def __init__(self, found: dict[str, Any], template: str) -> None:
        self.found, self.template = found, template

    @property
    def layers(self) -> dict[str, dict[str, Any]]:
        """The layers by name."""
        stated = self.found.get("vector_layers")
        layers = (
            [each for each in stated if isinstance(each, dict) and each.get("id")] if isinstance(stated, list) else []
        )
        return {str(each["id"]): each for each in layers}

    @property
    def grid(self) -> TileGrid:
        first, last = (_whole(self.found.get(name), usual) for name, usual in (("minzoom", 0), ("maxzoom", LAST_LEVEL)))
        return world_grid(min(first, last), last)

    @property
    def extent(self) -> Extent:
        """Where its tiles lie, in the CRS of the world's tiles."""
        bounds = self.found.get("bounds")
        bounds = bounds.split(",") if isinstance(bounds, str) else bounds
        try:
            west, south, east, north = (float(value) for value in bounds)  # type: ignore[union-attr]
            stated = Extent(max(-180.0, west), max(-85.05, south), min(180.0, east), min(85.05, north), "EPSG:4326")
        except (TypeError, ValueError):
            stated = WORLD_DEGREES
        placed = transform_extent(stated if stated.width > 0 and stated.height > 0 else WORLD_DEGREES, WORLD_CRS)
        assert placed is not None
        return placed


def _whole(value: Any, usual: int) -> int:
    try:
        return min(max(int(value), 0), 24)
    except (TypeError, ValueError):
        return usual


def described(ref: DataRef) -> Described:
    """Return what the tiles at a reference say of themselves. Raises CannotRead."""
    if not is_vector_template(ref.address):
        found = _json(ref, fetch(ref, ref.address, accept="application/json").body)
        if found is None or not isinstance(found.get("tiles"), list) or not found["tiles"]:
            raise CannotRead(ref, tr("it describes no tiles"), tr("Ask for the address of its TileJSON."))
        return Described(flattened(found), urljoin(ref.address, str(found["tiles"][0])))
    before = ref.address.partition("/{z}")[0]
    for address in (f"{before}/metadata.json", f"{before}.json", f"{before}/tiles.json"):
        try:
            found = _json(ref, fetch(ref, address, accept="application/json").body)
        except CannotRead:
            continue
        if found is not None and "vector_layers" in (found := flattened(found)):
            return Described(found, ref.address)
    return Described({"vector_layers": _layers_of(ref)}, ref.address)


def _json(ref: DataRef, body: bytes) -> dict[str, Any] | None:
    try:
        found = json.loads(body)
    except (ValueError, RecursionError):
        return None
    return found if isinstance(found, dict) else None


def flattened(found: dict[str, Any]) -> dict[str, Any]:
    """Return a description with what some writers nest in a text of its own."""
    inner = found.get("json")
    try:
        more = json.loads(inner) if isinstance(inner, str) else {}
    except (ValueError, RecursionError):
        more = {}
    return {**(more if isinstance(more, dict) else {}), **found}


def _layers_of(ref: DataRef) -> list[dict[str, Any]]:
    """Return the layers of the one tile over all of the world, where nothing else names them."""
    import pyogrio
    from pyogrio.errors import DataSourceError

    whole = TemplateFeatures(ref, LayerAbout("", ""), world_grid(0, 0), WORLD_DEGREES, (), "Unknown", ref.address)
    body = whole.body(TilePlace(0, 0, 0))
    if not body:
        raise CannotRead(
            ref, tr("nothing names its layers, and it has no tile of the world"), tr("Ask for its TileJSON.")
        )
    try:
        return [{"id": name, **_about(pyogrio.read_info(body, layer=name))} for name, _ in pyogrio.list_layers(body)]
    except DataSourceError as error:
        raise CannotRead(ref, tr("its tiles are no vector tiles"), tr("Check the address.")) from error


def _about(info: dict[str, Any]) -> dict[str, Any]:
    """Return what a description would say of a layer, from what the vector library says of it in a tile."""
    kinds = dict(zip(info["fields"], info["dtypes"]))
    words = {name: "Number" if kind.startswith(("int", "float")) else "String" for name, kind in kinds.items()}
    return {"fields": {name: word for name, word in words.items() if name != "mvt_id"}}


class VectorTileService(Service):
    """A set of tiles, with the layers that it names."""

    def contents(self, ref: DataRef) -> list[Contents]:
        whole = DataRef(ref.kind, ref.place)
        return [Contents(name, str(each.get("description") or name)) for name, each in described(whole).layers.items()]

    def vector_tiles(self, ref: DataRef) -> VectorTiles:
        about = described(DataRef(ref.kind, ref.place))
        own = DataRef(ref.kind, ref.place, ref.inner)
        return TemplateFeatures(**layer_values(own, about, ref.inner), template=about.template)


def layer_values(ref: DataRef, about: Described, name: str) -> dict[str, Any]:
    """Return what any layer of vector tiles has, for the layer of that name. Raises CannotRead."""
    stated = about.layers.get(name)
    if stated is None:
        raise CannotRead(ref, tr("its tiles have no layer '{name}'", name=name), tr("List it again."))
    typed, grid = stated.get("fields"), about.grid
    fields = typed.items() if isinstance(typed, dict) else ()
    title = str(stated.get("description") or name)
    levels = f"{grid.levels[-1].name} to {grid.levels[0].name}"
    words = LayerAbout(
        name, title, str(about.found.get("description") or ""), attribution=str(about.found.get("attribution") or ""),
        notes={"zoom levels": levels, "features": tr("simplified for each level")},
    )  # fmt: skip
    return {
        "ref": ref,
        "about": words,
        "grid": grid,
        "extent": about.extent,
        "fields": tuple(Field(str(field), TYPES.get(str(type_).lower(), "string")) for field, type_ in fields),
        "geometry_type": SHAPES.get(str(stated.get("geometry_type") or "").lower(), "Unknown"),
    }


CONNECTOR = VectorTileService()
