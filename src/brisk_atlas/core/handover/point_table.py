"""Tables of places as points of a GeoPackage."""

from __future__ import annotations

from pathlib import Path

import numpy as np
import pyarrow as pa

from brisk_atlas.core.model.shapes import Features
from brisk_atlas.core.read.positions import wkb_points
from brisk_atlas.core.read.wkb import exact_shapes

from .vector import VectorOrder, hand_over_vector


def write_points(table: pa.Table, path: Path, name: str, crs: str | None) -> int:
    """Write a table with columns x and y in a CRS as a layer of points; returns how many. Raises CannotWrite."""
    x, y = (np.asarray(table.column(each).to_numpy(), float) for each in ("x", "y"))
    features = Features(table.drop_columns(["x", "y"]), *exact_shapes(wkb_points(x, y)), crs)
    return hand_over_vector(features, VectorOrder(path, "GeoPackage", name))
