"""Archives of map tiles: MBTiles (1.3), a database of pictures or of features, and PMTiles (3), of features."""

from __future__ import annotations

import sqlite3
from abc import abstractmethod
from collections.abc import Callable
from contextlib import closing
from dataclasses import dataclass
from functools import lru_cache
from typing import Any

from brisk_atlas.core.connect.service import Check, VectorTiles
from brisk_atlas.core.connect.vectortiles import Described, flattened, layer_values, unpacked
from brisk_atlas.core.connect.web_file import WebFile
from brisk_atlas.core.model import CannotRead, DataKind, DataRef, Dataset
from brisk_atlas.core.place.tile_grid import TilePlace

from . import raster, vector
from .geopackage import read_only
from .on_disk import on_disk
from .tiled_features import part_of

PACKED = "Ask for them as an MBTiles file, or by an address with {z}, {x} and {y}."


@dataclass(frozen=True)
class ArchivedFeatures(VectorTiles):
    """Tiles of an archive of any kind."""

    def address(self, place: TilePlace) -> str:
        return str(self.ref)

    def body(self, place: TilePlace, check: Check = lambda: None) -> bytes:
        check()
        level = self.grid.levels[place.level]
        try:
            found = self._stored(int(level.name), place.column, place.row)
        except (sqlite3.Error, OSError, ValueError, IndexError, EOFError) as error:
            raise CannotRead(self.ref, f"its list of tiles is damaged ({error})", raster.BROKEN) from error
        return unpacked(self.ref, found)

    @abstractmethod
    def _stored(self, zoom: int, column: int, row: int) -> bytes:
        """Return a tile as it lies there, b"" for none."""


class DatabaseTiles(ArchivedFeatures):
    """Tiles of a database, whose rows are counted from the south."""

    def _stored(self, zoom: int, column: int, row: int) -> bytes:
        with closing(read_only(self.ref.path)) as database:
            found = database.execute(
                "SELECT tile_data FROM tiles WHERE zoom_level = ? AND tile_column = ? AND tile_row = ?",
                (zoom, column, 2**zoom - 1 - row),
            ).fetchone()
        return bytes(found[0]) if found and found[0] else b""


class PackedTiles(ArchivedFeatures):
    """Tiles of one file with a directory, on the disk or on a web server."""

    def _stored(self, zoom: int, column: int, row: int) -> bytes:
        return _reader(self.ref).get(zoom, column, row) or b""


@lru_cache(32)
def _reader(ref: DataRef) -> Any:
    from pmtiles.reader import Reader  # it is loaded for such archives alone

    return Reader(_pieces(ref))


def _pieces(ref: DataRef) -> Callable[[int, int], bytes]:
    def piece(offset: int, length: int) -> bytes:
        with ref.path.open("rb") if ref.is_local else WebFile(ref.place) as file:
            file.seek(offset)
            found = file.read(length)
        if len(found) < length:
            raise EOFError("it ends in the middle")
        return found

    return lru_cache(64)(piece)  # parts of the directory are asked for again and again


def open_dataset(ref: DataRef) -> Dataset:
    """Return the dataset of an archive of tiles. Raises CannotRead."""
    if ref.suffix == ".pmtiles":
        return _dataset(ref, "PMTiles", Described(_packed_metadata(ref), ""), PackedTiles)
    path = ref.path
    vector.check_whole(ref)
    try:
        with closing(read_only(path)) as database:
            found = dict(database.execute("SELECT name, value FROM metadata"))
    except sqlite3.Error as error:
        raise CannotRead(path, f"its tables can't be read ({error})", raster.BROKEN) from error
    if found.get("format") == "pbf":
        return _dataset(ref, "MBTiles", Described(flattened(found), ""), DatabaseTiles)
    wanted = ("name", "description", "attribution", "minzoom", "maxzoom", "format")
    notes = {key: str(found[key]) for key in wanted if found.get(key)}
    return raster.open_named(ref, str(path), format_="MBTiles", notes=notes)


def _dataset(ref: DataRef, format_: str, about: Described, kind: type[ArchivedFeatures]) -> Dataset:
    whole = ref.whole
    parts = tuple(part_of(kind(**layer_values(whole, about, name)), name) for name in about.layers)
    if not parts:
        raise CannotRead(ref, "its metadata names no layers", "Ask for it with its metadata.")
    return Dataset(format=format_, kind=DataKind.VECTOR, parts=parts, **on_disk(ref))


def _packed_metadata(ref: DataRef) -> dict[str, Any]:
    """Return what a PMTiles archive of features says of itself. Raises CannotRead."""
    try:
        reader = _reader(ref.whole)
        header, metadata = reader.header(), reader.metadata()
    except Exception as error:  # the library raises whatever a damaged header leads to
        why = str(error) or type(error).__name__
        raise CannotRead(ref, f"its header can't be read ({why})", raster.BROKEN) from error
    kind = getattr(header["tile_type"], "name", "unknown")
    if kind != "MVT":
        raise CannotRead(ref, f"its tiles are pictures ({kind.lower()}), which are not read", PACKED)
    degrees = [header[f"{side}_e7"] / 1e7 for side in ("min_lon", "min_lat", "max_lon", "max_lat")]
    found = flattened(metadata if isinstance(metadata, dict) else {})
    return {**found, "bounds": degrees, "minzoom": header["min_zoom"], "maxzoom": header["max_zoom"]}
