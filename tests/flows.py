"""Flows made for tests, and what comes of a step."""

from __future__ import annotations

import tempfile
from dataclasses import replace
from functools import cached_property
from itertools import pairwise
from pathlib import Path

import numpy as np
import pyarrow as pa
import shapely

from brisk_atlas.core.handover.flows import GEOMETRY, GridFlow, RowFlow
from brisk_atlas.core.handover.geometry_column import shapes_of, with_shapes
from brisk_atlas.core.handover.step import StepContext
from brisk_atlas.core.model import Band, Lattice
from brisk_atlas.core.model.grid import Grid

UTM = "EPSG:32727"


def rows_of(shapes, crs=UTM, name="layer", pieces=3, **columns):
    """Return a flow of features in several batches; without `shapes` one of rows."""
    size = len(next(iter(columns.values()))) if columns else len(shapes)
    table = pa.table(columns) if columns else pa.table({"n": np.arange(size)})
    if shapes is not None:
        table = with_shapes(table, np.array(shapes, object))
    edges = np.linspace(0, table.num_rows, pieces + 1).astype(int)
    batches = [table.slice(a, b - a) for a, b in pairwise(edges)]
    return RowFlow(name, table.schema, lambda: iter(batches), crs, table.num_rows)


def grid_of(values, valid=None, lattice=None, name="grid", nodata=None, crs=UTM, size=10.0, **band):
    """Return a flow of one band, or of several, in cells of `size` from (500000, 5700000) down."""
    values = np.asarray(values)
    values = values[None] if values.ndim == 2 else values
    shape = values.shape[1:]
    lattice = lattice or Lattice(size, 0.0, 500_000.0, 0.0, -size, 5_700_000.0, shape[1], shape[0], crs)
    known = np.ones(shape, bool) if valid is None else valid

    def read(window, bands):
        place = np.s_[window.first_row : window.last_row, window.first_column : window.last_column]
        picked = np.stack([values[b - 1][place] for b in bands])
        return Grid(picked.copy(), known[place].copy(), lattice.within(window))

    bands = tuple(Band(i + 1, f"band {i + 1}", **band) for i in range(len(values)))
    return GridFlow(name, lattice, bands, values.dtype, nodata, read, all_valid=bool(known.all()))


class Tried:
    """What came of a step: its flow, its rows, what it rejected and warned of."""

    def __init__(self, step, flow, **others):
        self.rejected: list[tuple[pa.Table, str]] = []
        self._folder = tempfile.TemporaryDirectory()
        self.context = StepContext(
            lambda name: replace(others[name], name=name), Path(self._folder.name), reject=lambda t, r: self.rejected.append((t, r))
        )  # fmt: skip
        self.flow = step.flow(flow, self.context)

    @cached_property
    def table(self):
        return self.flow.whole()

    @property
    def shapes(self):
        return shapes_of(self.table)

    def column(self, name):
        return self.table.column(name).to_pylist()

    @property
    def rejected_count(self):
        return self.table is not None and sum(table.num_rows for table, _ in self.rejected)

    @property
    def warnings(self):
        return self.table is not None and self.context.warnings


def same_area(a, b):
    """Return whether two sets of polygons cover the same."""
    return shapely.symmetric_difference(shapely.union_all(a), shapely.union_all(b)).area < 1e-6


__all__ = ["GEOMETRY", "UTM", "Tried", "grid_of", "rows_of", "same_area"]
