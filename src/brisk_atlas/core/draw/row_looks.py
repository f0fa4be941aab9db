"""What a style makes of each row of a layer that is held: its colours and whether it is drawn."""

from __future__ import annotations

from dataclasses import dataclass

import numpy as np

from brisk_atlas.core.cache import DataCache
from brisk_atlas.core.model import Layer, VectorStyle
from brisk_atlas.core.table import rows_of, shown_rows

from . import ramps
from .ink import inks_from
from .rules import masks_of, parts_of
from .vector import inks_of


@dataclass(frozen=True, eq=False)
class RowLooks:
    """bodies, lines : (rows,) uint32 inks of what is filled and of lines; widths, sizes : (rows,) float32 pixels, of
    lines and of points; shown : (rows,) bool."""

    bodies: np.ndarray
    lines: np.ndarray
    widths: np.ndarray
    sizes: np.ndarray
    shown: np.ndarray


def row_looks(cache: DataCache, layer: Layer) -> RowLooks:
    """Return the looks of all rows of a vector layer, by its rules and classes. Raises BadExpression."""
    assert isinstance(layer.style, VectorStyle)
    table, style = rows_of(cache, layer), layer.style
    count = table.num_rows
    found = RowLooks(np.zeros(count, np.uint32), np.zeros(count, np.uint32), np.zeros(count, np.float32),
                     np.zeros(count, np.float32), np.zeros(count, bool))  # fmt: skip
    filtered = shown_rows(cache, layer) if layer.rows.on_map else None
    for part in parts_of(style, masks_of(table, style)):
        look, own = part.style, part.rows if part.rows is not None else np.ones(count, bool)
        inks = inks_of(table, look)
        on = inks.colouring.showing(look.hidden) if inks.colouring is not None else None
        own = own & on if on is not None else own
        by_value = inks_from(inks.colouring.rgb) if inks.colouring is not None else None
        for into, colour in ((found.bodies, look.fill), (found.lines, look.line)):
            into[own] = by_value[own] if by_value is not None else inks_from(ramps.rgb_of(colour)[None])[0]
        found.widths[own] = inks.widths[own] if inks.widths is not None else look.width
        found.sizes[own] = inks.sizes[own] if inks.sizes is not None else look.size
        found.shown[own] = True
    if filtered is not None:
        found.shown[:] &= filtered
    return found
