"""Runs of points: some of them, or all with other numbers."""

from __future__ import annotations

from collections.abc import Callable, Iterator
from dataclasses import replace
from typing import Any, TypeAlias

import laspy
import numpy as np

from .flows import PointFlow
from .step import StepContext

Run: TypeAlias = laspy.ScaleAwarePointRecord


def record_of(array: np.ndarray, like: PointFlow | laspy.LasHeader) -> Run:
    """Return points as a record of a flow, or of what a header describes."""
    header = like.header if isinstance(like, PointFlow) else like
    return Run(array, header.point_format, scales=header.scales, offsets=header.offsets)


def chosen_points(
    flow: PointFlow, chosen: Callable[[Run], np.ndarray], context: StepContext, **changed: Any
) -> PointFlow:
    """Return the points of a cloud that are chosen, (points,) bool for each run."""

    def runs() -> Iterator[Run]:
        for run in flow.runs():
            context.check()
            found = chosen(run)
            if found.all():
                yield run
            elif found.any():
                yield record_of(run.array[found], flow)

    return replace(flow, runs=runs, count=None, **changed)
