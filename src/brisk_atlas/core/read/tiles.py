"""Archives of map tiles, of pictures or of features: MBTiles (1.3), a database, and PMTiles (3)."""

from __future__ import annotations

import sqlite3
from abc import abstractmethod
from collections.abc import Callable, Iterator
from contextlib import closing, contextmanager
from dataclasses import dataclass, replace
from functools import lru_cache
from typing import Any

from brisk_atlas.core.connect.service import Check, LayerAbout, Pictures, VectorTiles
from brisk_atlas.core.connect.stored_answers import StoredAnswer
from brisk_atlas.core.connect.vectortiles import Described, flattened, layer_values, unpacked
from brisk_atlas.core.connect.web_file import WebFile
from brisk_atlas.core.model import CannotRead, DataKind, DataRef, Dataset
from brisk_atlas.core.model.language import tr
from brisk_atlas.core.place.tile_grid import TilePlace, world_grid

from . import raster, vector
from .geopackage import read_only
from .on_disk import on_disk
from .tile_store import picture_in
from .tiled_features import part_of
from .tiled_pictures import part_of as pictures_of

PICTURES = ("PNG", "JPEG", "WEBP", "AVIF")
PACKED = tr("Ask for them as an MBTiles file, or by an address with {z}, {x} and {y}.")


@dataclass(frozen=True)
class ArchivedFeatures(VectorTiles):
    """Tiles of an archive of any kind."""

    def address(self, place: TilePlace) -> str:
        return str(self.ref)

    def body(self, place: TilePlace, check: Check = lambda: None) -> bytes:
        check()
        level = self.grid.levels[place.level]
        with _explained(self.ref):
            found = self._stored(int(level.name), place.column, place.row)
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


class PackedPictures(Pictures):
    """Pictures of one file with a directory, on the disk or on a web server."""

    def address(self, place: TilePlace) -> str:
        return str(self.ref)

    def tile(self, place: TilePlace, check: Check = lambda: None) -> StoredAnswer | None:
        check()
        with _explained(self.ref):
            body = _reader(self.ref.whole).get(int(self.grid.levels[place.level].name), place.column, place.row)
        return StoredAnswer("", body) if body else None


@contextmanager
def _explained(ref: DataRef) -> Iterator[None]:
    try:
        yield
    except (sqlite3.Error, OSError, ValueError, IndexError, EOFError) as error:
        raise CannotRead(ref, tr("its list of tiles is damaged ({error})", error=error), raster.BROKEN) from error


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
        kind, about = _packed(ref)
        return _dataset(ref, "PMTiles", about, PackedTiles) if kind == "MVT" else _pictures(ref, kind, about)
    path = ref.path
    vector.check_whole(ref)
    try:
        with closing(read_only(path)) as database:
            found = dict(database.execute("SELECT name, value FROM metadata"))
    except sqlite3.Error as error:
        raise CannotRead(path, tr("its tables can't be read ({error})", error=error), raster.BROKEN) from error
    if found.get("format") == "pbf":
        return _dataset(ref, "MBTiles", Described(flattened(found), ""), DatabaseTiles)
    wanted = ("name", "description", "attribution", "minzoom", "maxzoom", "format")
    notes = {key: str(found[key]) for key in wanted if found.get(key)}
    return raster.open_named(ref, str(path), format_="MBTiles", notes=notes)


def _dataset(ref: DataRef, format_: str, about: Described, kind: type[ArchivedFeatures]) -> Dataset:
    whole = ref.whole
    parts = tuple(part_of(kind(**layer_values(whole, about, name)), name) for name in about.layers)
    if not parts:
        raise CannotRead(ref, tr("its metadata names no layers"), tr("Ask for it with its metadata."))
    return Dataset(format=format_, kind=DataKind.VECTOR, parts=parts, **on_disk(ref))


def _pictures(ref: DataRef, kind: str, about: Described) -> Dataset:
    """Return the dataset of a PMTiles archive of pictures. Raises CannotRead."""
    title = str(about.found.get("name") or ref.stem)
    words = LayerAbout(
        title, title, str(about.found.get("description") or ""), attribution=str(about.found.get("attribution") or ""),
        notes={"zoom levels": f"{about.grid.levels[-1].name} to {about.grid.levels[0].name}", "tiles": kind},
    )  # fmt: skip
    pictures = PackedPictures(ref.whole, words, about.grid, about.extent)
    middle = TilePlace(len(about.grid.levels) - 1, *about.grid.tile_at(len(about.grid.levels) - 1, about.extent.centre))
    body = pictures.tile(middle)
    if body is not None:  # the header does not state how large tiles are
        side = picture_in(pictures, body.body, "").shape[0]
        zooms = int(about.grid.levels[-1].name), int(about.grid.levels[0].name)
        pictures = replace(pictures, grid=world_grid(*zooms, side))
    return Dataset(format="PMTiles", kind=DataKind.RASTER, parts=(pictures_of(pictures, ref.stem),), **on_disk(ref))


def _packed(ref: DataRef) -> tuple[str, Described]:
    """Return the kind of the tiles of a PMTiles archive, and what it says of itself. Raises CannotRead."""
    try:
        reader = _reader(ref.whole)
        header, metadata = reader.header(), reader.metadata()
    except Exception as error:  # the library raises whatever a damaged header leads to
        why = str(error) or type(error).__name__
        raise CannotRead(ref, tr("its header can't be read ({why})", why=why), raster.BROKEN) from error
    kind = getattr(header["tile_type"], "name", "unknown")
    if kind not in ("MVT", *PICTURES):
        raise CannotRead(ref, tr("its tiles are of a kind that is not read ({kind})", kind=kind.lower()), PACKED)
    degrees = [header[f"{side}_e7"] / 1e7 for side in ("min_lon", "min_lat", "max_lon", "max_lat")]
    found = flattened(metadata if isinstance(metadata, dict) else {})
    stated = {**found, "bounds": degrees, "minzoom": header["min_zoom"], "maxzoom": header["max_zoom"]}
    return kind, Described(stated, "")
