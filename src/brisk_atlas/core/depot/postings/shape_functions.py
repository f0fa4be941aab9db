"""What the store's SQL calls to look at geometry, which it holds as well-known binary."""

from __future__ import annotations

import sqlite3
from functools import lru_cache
from typing import Any

import numpy as np
import shapely


def add_shape_functions(database: sqlite3.Connection) -> None:
    """Have a connection know `lies_in(wkb, xmin, ymin, xmax, ymax)`, `meets(wkb, xmin, ymin, xmax, ymax)` and
    `on_grid(wkb, size)`."""
    database.create_function("lies_in", 5, _lies_in, deterministic=True)
    database.create_function("meets", 5, _meets, deterministic=True)
    database.create_function("on_grid", 2, on_grid, deterministic=True)


def on_grid(wkb: bytes | None, size: float) -> bytes | None:
    """Return a geometry with its positions on a grid, without heights. A zero has no sign."""
    if wkb is None:
        return None
    shape = shapely.transform(shapely.force_2d(shapely.from_wkb(wkb)), lambda xy: np.round(xy / size) * size + 0.0)
    return bytes(shapely.to_wkb(shape, byte_order=1, flavor="iso"))


def _lies_in(wkb: bytes | None, *box: float) -> bool:
    return wkb is not None and bool(shapely.covers(_box(*box), shapely.from_wkb(wkb)))


def _meets(wkb: bytes | None, *box: float) -> bool:
    return wkb is not None and bool(shapely.intersects(_box(*box), shapely.from_wkb(wkb)))


@lru_cache(64)
def _box(xmin: float, ymin: float, xmax: float, ymax: float) -> Any:
    return shapely.box(xmin, ymin, xmax, ymax)
