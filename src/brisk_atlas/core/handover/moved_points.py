"""Points of a cloud in another CRS."""

from __future__ import annotations

from collections.abc import Callable, Iterator
from copy import deepcopy
from dataclasses import replace

import laspy
import numpy as np

from brisk_atlas.core.model.language import tr
from brisk_atlas.core.place import is_geographic, transform_extent

from .flows import PointFlow
from .step import StepContext

DEGREE_SCALE = 1e-8  # of stored degrees: about a millimetre


def reprojected_points(
    flow: PointFlow, crs: str, move: Callable[[np.ndarray], np.ndarray], context: StepContext
) -> PointFlow:
    """Return a cloud in another CRS; heights stay. Points without a place there are left out, which is noted."""
    header = deepcopy(flow.header)
    own = np.asarray(flow.header.scales, float)
    scale = DEGREE_SCALE if is_geographic(crs) else max(own[0], 1e-3) if own[0] > 1e-6 else 1e-3
    header.scales = np.array([scale, scale, own[2]])
    middle = (np.asarray(flow.header.mins) + np.asarray(flow.header.maxs))[:2] / 2
    placed = move(middle[None, :])[0][:2]
    offset = np.floor(placed) if np.isfinite(placed).all() else np.zeros(2)
    header.offsets = np.array([*offset, flow.header.offsets[2]])
    extent = transform_extent(flow.extent, crs) if flow.extent is not None else None
    if extent is not None:
        header.mins = np.array([extent.xmin, extent.ymin, flow.header.mins[2]])
        header.maxs = np.array([extent.xmax, extent.ymax, flow.header.maxs[2]])

    def runs() -> Iterator[laspy.ScaleAwarePointRecord]:
        for run in flow.runs():
            context.check()
            xy = move(np.column_stack([np.asarray(run.x), np.asarray(run.y)]))
            fits = np.isfinite(xy).all(axis=1)
            if not fits.all():
                context.warn(tr("points without a place in the CRS are left out"))
            array = run.array[fits].copy()
            array["X"], array["Y"] = (
                np.rint((xy[fits, axis] - header.offsets[axis]) / scale).astype(np.int32) for axis in (0, 1)
            )
            yield laspy.ScaleAwarePointRecord(array, header.point_format, scales=header.scales, offsets=header.offsets)

    return replace(flow, header=header, runs=runs, crs=crs, extent=extent)
