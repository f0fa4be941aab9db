"""MBTiles: a grid of map tiles, or features in tiles, in one database."""

from __future__ import annotations

import sqlite3
from contextlib import closing

from brisk_atlas.core.model import CannotRead, DataRef, Dataset

from . import raster, vector
from .geopackage import read_only


def open_dataset(ref: DataRef) -> Dataset:
    """Return the dataset of an MBTiles file. Raises CannotRead."""
    path = ref.path
    vector.check_whole(ref)
    try:
        with closing(read_only(path)) as database:
            found = dict(database.execute("SELECT name, value FROM metadata"))
    except sqlite3.Error as error:
        raise CannotRead(path, f"its tables can't be read ({error})", raster.BROKEN) from error
    if found.get("format") == "pbf":
        return vector.open_dataset(ref)
    wanted = ("name", "description", "attribution", "minzoom", "maxzoom", "format")
    notes = {key: str(found[key]) for key in wanted if found.get(key)}
    return raster.open_named(ref, str(path), format_="MBTiles", notes=notes)
