"""Where rows lie, in an R-tree of SQLite."""

from __future__ import annotations

import numpy as np
import shapely

from .packed_rtree import pack_rtree
from .posting import Posting
from .store_database import Box, StoreConnection


class SqlitePlaces:
    """The index of places in a table beside the rows."""

    def create(self, database: StoreConnection, posting: Posting) -> None:
        database.execute(f"CREATE VIRTUAL TABLE places_{posting.number} USING rtree(id, xmin, xmax, ymin, ymax)")

    def fill(self, database: StoreConnection, posting: Posting, numbers: np.ndarray, bounds: np.ndarray) -> None:
        pack_rtree(database, f"places_{posting.number}", numbers, bounds)

    def put(self, database: StoreConnection, posting: Posting, number: int, bounds: Box | None) -> None:
        table = f"places_{posting.number}"
        database.execute(f"DELETE FROM {table} WHERE id = ?", [number])
        if bounds is not None:
            xmin, ymin, xmax, ymax = bounds
            database.execute(f"INSERT INTO {table} VALUES (?, ?, ?, ?, ?)", [number, xmin, xmax, ymin, ymax])

    def drop(self, database: StoreConnection, posting: Posting) -> None:
        database.execute(f"DROP TABLE places_{posting.number}")

    def near(self, posting: Posting, box: Box) -> tuple[str, list[float]]:
        table = f"places_{posting.number}"
        found = f"SELECT id FROM {table} WHERE xmax >= ? AND xmin <= ? AND ymax >= ? AND ymin <= ?"
        return f"id IN ({found})", [box[0], box[2], box[1], box[3]]

    def extent(self, database: StoreConnection, posting: Posting) -> Box | None:
        """Return the bounds of all rows: those that reach farthest are found by the index, whose numbers are shorter,
        and looked at exactly."""
        table = f"places_{posting.number}"
        farthest = f"SELECT min(xmin), min(ymin), max(xmax), max(ymax) FROM {table}"
        xmin, ymin, xmax, ymax = database.execute(farthest).fetchone()
        if xmin is None:
            return None
        bounds = []
        for condition, at in (("xmin <= ?", xmin), ("ymin <= ?", ymin), ("xmax >= ?", xmax), ("ymax >= ?", ymax)):
            near = f"SELECT wkb FROM rows_{posting.number} WHERE id IN (SELECT id FROM {table} WHERE {condition})"
            bounds += [shapely.bounds(shapely.from_wkb(wkb)) for (wkb,) in database.execute(near, [at])]
        found = np.array(bounds)
        (west, south), (east, north) = found[:, :2].min(axis=0).tolist(), found[:, 2:].max(axis=0).tolist()
        return west, south, east, north
