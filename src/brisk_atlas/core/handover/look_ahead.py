"""What would be written, before it is: how much, how large, how long, where, and what the format loses."""

from __future__ import annotations

import time
from dataclasses import dataclass
from pathlib import Path
from tempfile import TemporaryDirectory

from brisk_atlas.core.model import Extent

from .checkpoints import Checkpoint
from .flows import Flow, GridFlow, PointFlow
from .formats import Loss, TableFormat
from .step import StepContext
from .steps.write import WriteStep

TRIED_S = 0.002  # below which the time of a sample says nothing


@dataclass(frozen=True)
class LookAhead:
    """`count` rows, cells or points and `size_bytes` and `seconds` are about so, worked out from a sample; None where
    they can't be. `is_exact` says that all was looked at. `losses` are what the format does not hold."""

    format: str
    count: int | None
    size_bytes: int | None
    seconds: float | None
    losses: tuple[Loss, ...]
    is_exact: bool
    extent: Extent | None = None


def look_ahead(step: WriteStep, checkpoints: list[Checkpoint], total: int | None, context: StepContext) -> LookAhead:
    """Return what would be written of the last of the checkpoints of a branch, the first of which is its source.

    total : how many rows, cells or points the source has in all; None where that is not known

    A sample is written to the scratch folder in the format that is asked for; its size and its time, with that of the
    steps, are scaled by how much there is in all. Raises AtlasError where it can't be written so.
    """
    source, last = checkpoints[0], checkpoints[-1]
    flow = last.flow
    assert flow is not None
    step.check(flow)
    format_ = step.chosen_format(flow)
    losses = tuple(step.losses(flow))
    sample, made = _size(source.flow), _size(flow)
    if not made:
        return LookAhead(format_.name, 0, 0, 0.0, losses, not flow.sampled)
    share = 1.0 if not flow.sampled or not sample or not total else total / sample
    count = round(made * share) if total is not None or not flow.sampled else None
    steps = sum(each.account.seconds for each in checkpoints)
    if isinstance(format_, TableFormat):  # a database is not asked before its table is written
        return LookAhead(format_.name, count, None, None, losses, not flow.sampled)
    with TemporaryDirectory(dir=context.scratch) as folder:
        path = Path(folder, f"sample{format_.endings[0]}")
        start = time.perf_counter()
        format_.write(flow, path, format_.chosen(step.options), context, lambda done, what: context.check())
        spent = time.perf_counter() - start
        size = sum(each.stat().st_size for each in Path(folder).rglob("*") if each.is_file())
    seconds = None if flow.sampled and total is None else max(TRIED_S, spent + steps) * share
    return LookAhead(format_.name, count, round(size * share) if count is not None else None, seconds, losses,
                     not flow.sampled)  # fmt: skip


def _size(flow: Flow | None) -> int:
    """Return how many rows, cells or points a computed flow has."""
    if isinstance(flow, GridFlow):
        return flow.lattice.columns * flow.lattice.rows
    if isinstance(flow, PointFlow):
        return flow.count or 0
    return flow.count or 0 if flow is not None else 0
