"""Which points of clouds lie within an outline on the picture of a relief."""

from __future__ import annotations

from collections.abc import Callable
from typing import NamedTuple

import numpy as np
import shapely

from .eye import Eye
from .points import ReliefPoints

AT_ONCE = 1_000_000  # points that are looked at between two looks at whether to stop


class PickedPoints(NamedTuple):
    """rows : (n,) places in the file of the points of a layer; spots : (n, 3) float32 metres, heights as they are."""

    layer_id: str
    rows: np.ndarray
    spots: np.ndarray


def points_within(
    clouds: tuple[ReliefPoints, ...], outline: np.ndarray, eye: Eye, bend: float, size: tuple[int, int],
    check: Callable[[], None] = lambda: None,
) -> list[PickedPoints]:  # fmt: skip
    """Return the points of each cloud that are seen within an outline, those that lie behind others too; none of
    classes that are off.

    outline : (n, 2) columns and rows of the picture
    """
    area = shapely.Polygon(outline)
    area = area if area.is_valid else shapely.make_valid(area)
    shapely.prepare(area)
    found = []
    for cloud in clouds:
        rows, spots = [], []
        for first in range(0, len(cloud), AT_ONCE):
            check()
            some = slice(first, first + AT_ONCE)
            order = cloud.order
            steps = np.stack([order.x[some], order.y[some], order.height[some]], axis=1).astype(float)
            there = cloud.begin + cloud.per * steps
            at = eye.places_of(there, bend, *size)
            inside = (cloud.inks[some] != 0) & shapely.contains_xy(area, at[:, 0], at[:, 1])
            rows.append(order.order[some][inside])
            spots.append(there[inside].astype(np.float32))
        found.append(PickedPoints(cloud.layer_id, np.concatenate(rows), np.concatenate(spots)))
    return [each for each in found if len(each.rows)]
