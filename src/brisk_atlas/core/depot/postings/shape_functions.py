"""What the SQL of a store in a folder calls: geometry, which it holds as well-known binary, and letters.

A store in a database has functions of the same names (`postgres_functions`).
"""

from __future__ import annotations

import math
import sqlite3
import unicodedata
from collections.abc import Callable
from functools import lru_cache, partial
from typing import Any

import numpy as np
import shapely
from shapely.errors import GEOSException

LARGEST_LN = 700.0  # of a power that is worked out
ACCENTS = range(0x300, 0x370)  # that are combined with letters
# What holds of the second geometry, which is prepared, where the name holds of the first.
RELATIONS: dict[str, Callable[[Any, Any], Any]] = {
    "s_contains": shapely.within, "s_crosses": shapely.crosses, "s_disjoint": shapely.disjoint,
    "s_equals": shapely.equals, "s_intersects": shapely.intersects, "s_overlaps": shapely.overlaps,
    "s_touches": shapely.touches, "s_within": shapely.contains,
}  # fmt: skip


def add_shape_functions(database: sqlite3.Connection) -> None:
    """Have a connection know `lies_in(wkb, xmin, ymin, xmax, ymax)`, `meets(wkb, xmin, ymin, xmax, ymax)`,
    `on_grid(wkb, size)`, how two geometries relate (`s_intersects(wkb, wkb)` and its like), `casei(text)` and
    `accenti(text)`, which leave out case and accents, and `raised(number, number)`."""
    add = partial(database.create_function, deterministic=True)
    add("lies_in", 5, _lies_in)
    add("meets", 5, _meets)
    add("on_grid", 2, on_grid)
    add("casei", 1, lambda text: text.lower() if text is not None else None)
    add("accenti", 1, _without_accents)
    add("raised", 2, _raised)
    for name, relation in RELATIONS.items():
        add(name, 2, partial(_related, relation))


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


def _related(relation: Callable[[Any, Any], Any], wkb: bytes | None, other: bytes | None) -> bool | None:
    if wkb is None or other is None:
        return None
    try:
        return bool(relation(_prepared(other), shapely.from_wkb(wkb)))
    except GEOSException:  # of a geometry that crosses itself
        return None


@lru_cache(64)
def _prepared(wkb: bytes) -> Any:
    shape = shapely.from_wkb(wkb)
    shapely.prepare(shape)
    return shape


def _without_accents(text: str | None) -> str | None:
    if text is None:
        return None
    plain = "".join(each for each in unicodedata.normalize("NFD", text) if ord(each) not in ACCENTS)
    return unicodedata.normalize("NFC", plain)


def _raised(one: float | None, other: float | None) -> float | None:
    """Return a power, None for one that is no number, or has more or less than about 300 digits."""
    if one is None or other is None or (one and abs(other * math.log(abs(one))) > LARGEST_LN):
        return None
    try:
        found = one**other
    except (ArithmeticError, ValueError):
        return None
    return found if isinstance(found, float) and found - found == 0.0 else None
