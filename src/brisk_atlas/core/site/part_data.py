"""The features and rows of a part as a page reads them: coordinates as steps on a fine grid, values in columns."""

from __future__ import annotations

import json
from collections.abc import Sequence
from dataclasses import dataclass
from typing import Any

import numpy as np
import pyarrow as pa
import pyarrow.compute as pc

from brisk_atlas.core.model import Extent
from brisk_atlas.core.model.shapes import Shapes

MOST_FEATURES = 5_000  # that a page draws by itself; of more it shows pictures
MOST_VERTICES = 300_000
MOST_ROWS = 1_000  # in the table of a page, where it does not have all
STEPS = 32_768  # of the grid along the longer side of the extent: a 1/32 of a pixel of a wide page
MOST_TEXT = 400  # characters of a value
EXACT = 2**53  # whole numbers up to here are exact in JSON


@dataclass(frozen=True)
class DrawnLook:
    """How some features are drawn: colours as `#rrggbb`, the width of lines in pixels."""

    fill: str
    line: str
    width: float


@dataclass(frozen=True)
class PartRows:
    """What a page has of the rows of a part. `count` is how many there are in all; `columns` have the first of them.

    `units` and `meanings` are those of the fields, "" for none. Of shapes, `looks` are drawn, feature by feature as
    `look` says (-1 for one that is not drawn).
    """

    table: pa.Table
    count: int
    units: tuple[str, ...] = ()
    meanings: tuple[str, ...] = ()
    shapes: Shapes | None = None
    looks: tuple[DrawnLook, ...] = ()
    look: np.ndarray | None = None


def is_light(features: int, vertices: int) -> bool:
    """Return whether a page can draw as many features itself."""
    return features <= MOST_FEATURES and vertices <= MOST_VERTICES


def part_script(name: str, rows: PartRows, extent: Extent | None) -> bytes:
    """Return a script that hands the rows of a part to its page, as a page from the disk can read no other file.

    extent : what the map of the part shows, in its CRS; None where there is no map
    """
    columns = [_values(column) for column in rows.table.columns]
    kinds = [_kind(column.type) for column in rows.table.columns]
    nothing = ("",) * len(columns)
    found: dict[str, Any] = {
        "part": name,
        "count": rows.count,
        "fields": [
            {"name": field, "unit": unit, "meaning": meaning, "kind": kind}
            for field, unit, meaning, kind in zip(
                rows.table.column_names, rows.units or nothing, rows.meanings or nothing, kinds
            )
        ],
        "columns": columns,
    }
    if rows.shapes is not None and extent is not None:
        found["shapes"] = _steps(rows.shapes, extent)
        found["looks"] = [[each.fill, each.line, each.width] for each in rows.looks]
        found["look"] = rows.look.tolist() if rows.look is not None else [0] * len(rows.shapes)
    return script_of("partRows", found)


def script_of(receiver: str, value: Any) -> bytes:
    """Return a script that calls a function of the page with a value."""
    text = json.dumps(value, ensure_ascii=False, allow_nan=False, separators=(",", ":"))
    return (
        f"{receiver}({text.replace(chr(0x2028), chr(92) + 'u2028').replace(chr(0x2029), chr(92) + 'u2029')});\n".encode(
            "utf-8", "replace"
        )
    )


def _steps(shapes: Shapes, extent: Extent) -> dict[str, Any]:
    """Return paths as whole steps on a grid over an extent, y down, each vertex as the way from the one before."""
    unit = max(extent.width, extent.height) / STEPS or 1.0
    on_grid = np.rint((shapes.xy - (extent.xmin, extent.ymax)) / (unit, -unit))
    on_grid[~np.isfinite(on_grid).all(axis=1)] = 0
    on_grid = on_grid.astype(np.int64)
    begins = np.zeros(len(on_grid), bool)
    begins[shapes.path_starts[:-1][np.diff(shapes.path_starts) > 0]] = True
    ways = np.diff(on_grid, axis=0, prepend=0)
    ways[begins] = on_grid[begins]
    moves = begins | (ways != 0).any(axis=1)
    starts = np.r_[0, np.cumsum(moves)][shapes.path_starts]
    flat = ways[moves].ravel().tolist()
    return {
        "left": extent.xmin,
        "top": extent.ymax,
        "unit": unit,
        "paths": [flat[2 * a : 2 * b] for a, b in zip(starts[:-1].tolist(), starts[1:].tolist())],
        "kinds": shapes.path_kinds.tolist(),
        "starts": shapes.feature_starts.tolist(),
    }


def _kind(type_: pa.DataType) -> str:
    type_ = type_.value_type if pa.types.is_dictionary(type_) else type_
    if pa.types.is_boolean(type_):
        return "boolean"
    if pa.types.is_integer(type_) or pa.types.is_floating(type_) or pa.types.is_decimal(type_):
        return "number"
    return "text"


def _values(column: pa.ChunkedArray) -> Sequence[Any]:
    """Return the values of a column as JSON holds them, null for missing ones."""
    kind = column.type
    if pa.types.is_dictionary(kind):
        return _values(column.cast(kind.value_type))
    if pa.types.is_floating(kind):
        return [None if value is None or not np.isfinite(value) else value for value in column.to_pylist()]
    if pa.types.is_integer(kind):
        return [value if value is None or abs(value) <= EXACT else str(value) for value in column.to_pylist()]
    if pa.types.is_boolean(kind) or pa.types.is_null(kind):
        return column.to_pylist()
    if pa.types.is_decimal(kind):
        return [None if value is None else float(value) for value in column.to_pylist()]
    if pa.types.is_string(kind) or pa.types.is_large_string(kind):
        return pc.utf8_slice_codeunits(column, 0, MOST_TEXT).to_pylist()
    if pa.types.is_binary(kind) or pa.types.is_large_binary(kind):
        return [None if value is None else f"{len(value):,} bytes" for value in column.to_pylist()]
    return [None if value is None else _plain(value) for value in column.to_pylist()]


def _plain(value: Any) -> str:
    text = (
        value.isoformat(" ") if hasattr(value, "hour") else value.isoformat() if hasattr(value, "day") else str(value)
    )
    return text[:MOST_TEXT]
