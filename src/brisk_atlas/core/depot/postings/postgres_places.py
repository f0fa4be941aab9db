"""Where rows lie, by an index of PostGIS over their geometry."""

from __future__ import annotations

import numpy as np

from .posting import Posting
from .store_database import Box, StoreConnection

SHAPE = "ST_GeomFromWKB(wkb)"


class PostgresPlaces:
    """The index of places, which the database carries on by itself."""

    def create(self, database: StoreConnection, posting: Posting) -> None:
        """Nothing: an index is made faster once the rows are there."""

    def fill(self, database: StoreConnection, posting: Posting, numbers: np.ndarray, bounds: np.ndarray) -> None:
        table = f"rows_{posting.number}"
        database.execute(f"CREATE INDEX places_{posting.number} ON {table} USING gist ({SHAPE})")

    def put(self, database: StoreConnection, posting: Posting, number: int, bounds: Box | None) -> None:
        """Nothing."""

    def drop(self, database: StoreConnection, posting: Posting) -> None:
        """Nothing: it goes with its table."""

    def near(self, posting: Posting, box: Box) -> tuple[str, list[float]]:
        return f"{SHAPE} && ST_MakeEnvelope(?, ?, ?, ?)", list(box)

    def extent(self, database: StoreConnection, posting: Posting) -> Box | None:
        bounds = ", ".join(
            (f"min(ST_XMin({SHAPE}))", f"min(ST_YMin({SHAPE}))", f"max(ST_XMax({SHAPE}))", f"max(ST_YMax({SHAPE}))")
        )
        found = database.execute(f"SELECT {bounds} FROM rows_{posting.number}").fetchone()
        return (found[0], found[1], found[2], found[3]) if found[0] is not None else None
