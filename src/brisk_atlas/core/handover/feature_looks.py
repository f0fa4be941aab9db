"""How features look by the style of their layer, for formats that say so of each."""

from __future__ import annotations

from typing import NamedTuple

import numpy as np
import pyarrow as pa
import shapely

from brisk_atlas.core.draw.classes import colouring_of
from brisk_atlas.core.draw.rules import masks_of, parts_of
from brisk_atlas.core.model import VectorStyle

from .flows import GEOMETRY
from .geometry_column import shapes_of

MOST_LOOKS = 1000  # beyond that colours are rounded
ROUNDED = 0xF0  # the bits of a colour that are left then
LINE = 1  # the dimension of lines


class FeatureLook(NamedTuple):
    """Colours as `#rrggbb`, the width of lines in pixels."""

    fill: str
    line: str
    width: float


def looks_of(table: pa.Table, style: VectorStyle) -> tuple[list[FeatureLook], np.ndarray]:
    """Return the looks that a style gives to features, and which one each has, (rows,) int64, -1 where it is not drawn.
    Of several rules the one on top counts. Raises BadExpression."""
    bare = table.drop_columns([GEOMETRY])
    is_line = shapely.get_dimensions(shapes_of(table)) == LINE
    rows = np.zeros(table.num_rows, np.dtype([("part", np.int64), ("rgb", np.uint8, 3), ("is_line", bool)]))
    rows["part"], rows["is_line"] = -1, is_line
    parts = parts_of(style, masks_of(bare, style) if style.rules else ())
    for place, part in enumerate(parts):
        those = np.ones(table.num_rows, bool) if part.rows is None else part.rows
        colouring = colouring_of(bare, part.style)
        shown = colouring.showing(part.style.hidden) if colouring is not None else None
        those = those if shown is None else those & shown
        rows["part"][those] = place
        rows["rgb"][those] = _rgb(part.style.fill) if colouring is None else colouring.rgb[those]
    drawn = rows["part"] >= 0
    different, codes = np.unique(rows[drawn], return_inverse=True)
    if len(different) > MOST_LOOKS:
        rows["rgb"] &= ROUNDED
        different, codes = np.unique(rows[drawn], return_inverse=True)
    found = np.full(table.num_rows, -1, np.int64)
    found[drawn] = codes
    return [_look(each, parts[each["part"]].style) for each in different], found


def _look(row: np.void, style: VectorStyle) -> FeatureLook:
    colour = "#{:02x}{:02x}{:02x}".format(*row["rgb"].tolist())
    by_value = style.colour_by is not None
    return FeatureLook(colour, colour if by_value and row["is_line"] else style.line.lower(), style.width)


def _rgb(colour: str) -> tuple[int, ...]:
    return tuple(bytes.fromhex(colour[1:7]))
