"""The geometry of rows, between well-known binary and shapely objects."""

from __future__ import annotations

from collections.abc import Callable

import numpy as np
import pyarrow as pa
import shapely
from shapely.errors import GEOSException

from brisk_atlas.core.model import AtlasError
from brisk_atlas.core.model.language import tr

from .flows import GEOMETRY, RowFlow, gathered_flow, rows_flow
from .step import Step, StepContext

MULTI = {0: 4, 1: 5, 2: 5, 3: 6}  # the type of several of a kind, by shapely's numbers
COLLECTION = 7
FIELD = pa.field(GEOMETRY, pa.binary())


def shapes_of(table: pa.Table) -> np.ndarray:
    """Return (rows,) shapely objects, None where there is no geometry. A damaged one is mended where it can be."""
    raw = table.column(GEOMETRY).to_numpy(zero_copy_only=False)
    try:
        return shapely.from_wkb(raw, on_invalid="fix")
    except GEOSException as error:
        raise AtlasError(
            "geometry", tr("one is damaged ({error})", error=error), tr("Filter that row out first.")
        ) from error


def with_shapes(table: pa.Table, shapes: np.ndarray) -> pa.Table:
    """Return rows with other geometries; an empty one is stored as empty, none as missing."""
    column = pa.array(shapely.to_wkb(shapes, flavor="iso", output_dimension=4), pa.binary())
    bare = table.drop_columns([GEOMETRY]) if GEOMETRY in table.column_names else table
    return bare.append_column(FIELD, column)


def shapes_flow(
    flow: RowFlow, made: Callable[[np.ndarray], np.ndarray], context: StepContext, *, drop: str = "", **changed: object
) -> RowFlow:
    """Return a flow whose geometries are made of those of each batch alone, (rows,) to (rows,).

    drop : why rows go whose geometry becomes missing or empty, which it was not; "" to let them stay
    """

    def batch(table: pa.Table) -> pa.Table:
        context.check()
        before = shapes_of(table)
        after = made(before)
        table = with_shapes(table, after)
        if not drop:
            return table
        gone = is_nothing(after) & ~is_nothing(before)
        if gone.any() and context.reject is not None:
            context.reject(with_shapes(table, before).filter(pa.array(gone)), drop)
        return table.filter(pa.array(~gone)) if gone.any() else table

    changed = {"count": None, **changed} if drop else changed
    return rows_flow(flow, flow.schema, batch, **changed)


def is_nothing(shapes: np.ndarray) -> np.ndarray:
    """Return (n,) bool: which geometries are missing or empty."""
    return shapely.is_missing(shapes) | shapely.is_empty(shapes)


def all_shapes_flow(
    flow: RowFlow, made: Callable[[pa.Table], pa.Table], context: StepContext, schema: pa.Schema | None = None
) -> RowFlow:
    """Return a flow that is made of all rows together."""
    return gathered_flow(flow, schema or flow.schema, lambda: made(flow.whole(context.check)), count=None)


def of_dimension(shapes: np.ndarray, dimension: np.ndarray) -> np.ndarray:
    """Return what of geometries has the dimension that it should have, so that a polygon which is cut at its edge does
    not leave a line: None for nothing."""
    out = shapes.copy()
    types = shapely.get_type_id(shapes)
    mixed = types == COLLECTION
    out[~mixed & (shapely.get_dimensions(shapes) != dimension)] = None
    out[is_nothing(shapes)] = None
    if mixed.any():
        at = np.flatnonzero(mixed)
        parts, owner = shapely.get_parts(shapes[at], return_index=True)
        fits = shapely.get_dimensions(parts) == dimension[at][owner]
        out[at] = together(parts[fits], owner[fits], len(at))
    return out


def together(parts: np.ndarray, owner: np.ndarray, count: int) -> np.ndarray:
    """Return (count,) geometries made of simple parts of one dimension each, `owner` (sorted) says of which; None for
    those without."""
    out = np.full(count, None, object)
    if not len(parts):
        return out
    for single, makes in ((0, shapely.multipoints), (1, shapely.multilinestrings), (3, shapely.multipolygons)):
        of_kind = shapely.get_type_id(parts) == single
        if of_kind.any():
            owners, numbers = np.unique(owner[of_kind], return_inverse=True)
            out[owners] = makes(parts[of_kind], indices=numbers)
    alone = shapely.get_num_geometries(out) == 1
    out[alone] = shapely.get_geometry(out[alone], 0)
    return out


def of_one_type(shapes: np.ndarray) -> np.ndarray:
    """Return geometries of which some are multiple, all as multiple, so that a layer has one type."""
    types = shapely.get_type_id(shapes)
    known = set(types.tolist()) - {-1}
    if len(known) < 2 or len({MULTI.get(t, t) for t in known}) > 1:
        return shapes
    out = shapes.copy()
    for single, makes in ((0, shapely.multipoints), (1, shapely.multilinestrings), (3, shapely.multipolygons)):
        of_kind = np.flatnonzero(types == single)
        if of_kind.size:
            out[of_kind] = makes(shapes[of_kind], indices=np.arange(of_kind.size))
    return out


def refuse_without_crs(step: Step, flow: RowFlow) -> str:
    """Return the CRS of a flow. Raises BadStep where it has none."""
    if flow.crs is None:
        raise step.refused(
            tr("the data has no CRS"), tr("Give it one when it is opened, or by the step “state the CRS”.")
        )
    return flow.crs
