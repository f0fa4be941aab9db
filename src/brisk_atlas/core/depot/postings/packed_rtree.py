"""An R-tree of SQLite made at once, rather than box by box, which takes twenty times as long.

The tables are those that the documentation of the R*Tree module gives in "Implementation Details": nodes as binary,
big-endian, with the depth of the tree in the root's first two bytes, the number of cells in the next two, and each
cell as a number and four coordinates of 4 bytes. Boxes are put together by Sort-Tile-Recursive (Leutenegger, Lopez,
Edgington 1997).
"""

from __future__ import annotations

import numpy as np

from .store_database import StoreConnection

CELL = np.dtype([("number", ">i8"), ("box", ">f4", (4,))])  # the box as xmin, xmax, ymin, ymax
HEAD = 4  # bytes before the cells
FILLED = 0.9  # of each node, so that some rows can be added before one has to be divided
ROOT = 1


def pack_rtree(database: StoreConnection, table: str, numbers: np.ndarray, bounds: np.ndarray) -> None:
    """Fill an empty R-tree with (n,) numbers and (n, 4) bounds, xmin, ymin, xmax, ymax, none of them NaN."""
    (size,) = database.execute(f"SELECT length(data) FROM {table}_node WHERE nodeno = {ROOT}").fetchone()
    most = (size - HEAD) // CELL.itemsize
    boxes = _outward(bounds)[:, [0, 2, 1, 3]]
    order = _in_tiles(boxes, int(most * FILLED))
    cells = np.empty(len(numbers), CELL)
    cells["number"], cells["box"] = numbers[order], boxes[order]
    next_node, depth = ROOT + 1, 0
    parents: list[tuple[int, int]] = []
    nodes: list[tuple[int, bytes]] = []
    leaf_of = np.empty(len(cells), np.int64)
    while len(cells) > most:
        begins = np.arange(0, len(cells), int(most * FILLED))
        own = np.arange(next_node, next_node + len(begins))
        sizes = np.diff(np.append(begins, len(cells)))
        in_node = np.repeat(own, sizes)
        if depth == 0:
            leaf_of = in_node
        else:
            parents += zip(cells["number"].tolist(), in_node.tolist())
        nodes += ((node, _node(cells[at : at + count], size)) for node, at, count in zip(own.tolist(), begins, sizes))
        above = np.empty(len(begins), CELL)
        above["number"] = own
        for column, widest in enumerate((np.minimum, np.maximum, np.minimum, np.maximum)):
            above["box"][:, column] = widest.reduceat(cells["box"][:, column].astype(np.float32), begins)
        cells, next_node, depth = above, next_node + len(begins), depth + 1
    if depth == 0:
        leaf_of[:] = ROOT
    else:
        parents += ((int(node), ROOT) for node in cells["number"])
    _write(database, f"{table}_node", nodes)
    database.execute(f"UPDATE {table}_node SET data = ? WHERE nodeno = {ROOT}", [_node(cells, size, depth)])
    _write(database, f"{table}_parent", parents)
    found = numbers[order]
    by_number = np.argsort(found)
    _write(database, f"{table}_rowid", list(zip(found[by_number].tolist(), leaf_of[by_number].tolist())))


def _write(database: StoreConnection, table: str, rows: list[tuple[int, bytes]] | list[tuple[int, int]]) -> None:
    database.executemany(f"INSERT INTO {table} VALUES (?, ?)", rows)


def _node(cells: np.ndarray, size: int, depth: int = 0) -> bytes:
    head = depth.to_bytes(2, "big") + len(cells).to_bytes(2, "big")
    return (head + cells.tobytes()).ljust(size, b"\0")


def _outward(bounds: np.ndarray) -> np.ndarray:
    """Return bounds in 4 bytes each, none of them inside what it was."""
    found = bounds.astype(np.float32)
    low, high = found[:, :2], found[:, 2:]
    np.copyto(low, np.nextafter(low, np.float32(-np.inf)), where=low > bounds[:, :2])
    np.copyto(high, np.nextafter(high, np.float32(np.inf)), where=high < bounds[:, 2:])
    return found


def _in_tiles(boxes: np.ndarray, in_a_node: int) -> np.ndarray:
    """Return an order in which boxes that follow each other lie together: in strips by x, and along them by y."""
    x, y = boxes[:, 0].astype(np.float64), boxes[:, 2]
    strips = max(1, int(np.ceil(np.sqrt(len(boxes) / in_a_node))))
    by_x = np.argsort(x, kind="stable")
    strip = np.empty(len(boxes), np.int32)
    strip[by_x] = np.arange(len(boxes)) * strips // max(1, len(boxes))
    return np.lexsort((y, strip))
