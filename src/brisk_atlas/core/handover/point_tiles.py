"""A cloud in square tiles, each in a file of its own, without all of it in memory."""

from __future__ import annotations

from collections.abc import Iterator
from dataclasses import replace
from pathlib import Path
from tempfile import mkdtemp

import numpy as np

from .flows import PIECE, PointFlow
from .point_runs import Run, record_of
from .step import StepContext


def tiles_of(flow: PointFlow, context: StepContext) -> Iterator[tuple[str, PointFlow]]:
    """Yield the name of each tile, its column and row from the origin of the CRS, with its points in their order. They
    are sorted into files of the scratch folder first."""
    folder = Path(mkdtemp(dir=context.scratch))
    counts: dict[tuple[int, int], int] = {}
    size = flow.tile_size
    for run in flow.runs():
        context.check()
        column = np.floor(np.asarray(run.x) / size).astype(np.int64)
        row = np.floor(np.asarray(run.y) / size).astype(np.int64)
        order = np.lexsort((column, row))
        ends = np.flatnonzero((np.diff(column[order]) != 0) | (np.diff(row[order]) != 0)) + 1
        for part in np.split(order, ends):
            if part.size:
                key = int(column[part[0]]), int(row[part[0]])
                counts[key] = counts.get(key, 0) + part.size
                with (folder / f"{key[0]}_{key[1]}").open("ab") as file:
                    run.array[np.sort(part)].tofile(file)
    dtype = flow.header.point_format.dtype()
    for key in sorted(counts):
        path = folder / f"{key[0]}_{key[1]}"

        def runs(path: Path = path, count: int = counts[key]) -> Iterator[Run]:
            stored = np.memmap(path, dtype, "r", shape=(count,))
            for start in range(0, count, PIECE):
                yield record_of(np.array(stored[start : start + PIECE]), flow)

        yield f"{key[0]}_{key[1]}", replace(flow, runs=runs, count=counts[key], tile_size=0.0)
        path.unlink(missing_ok=True)
