"""What a worker process does to know a dataset, so that a file that brings a library down takes only it along."""

from __future__ import annotations

import os
import resource
from datetime import UTC, datetime
from pathlib import Path

import numpy as np

from brisk_atlas.core.model import AtlasError, DataRef, Dataset, NeedsPermission, RasterPart
from brisk_atlas.core.model.language import tr
from brisk_atlas.core.read import open as open_dataset
from brisk_atlas.core.read import raster, table, vector  # noqa: F401  most files need one of them

from .summary import DatasetSummary, faulty, summarise

TOO_LARGE = tr("It may be damaged, or far larger than it seems; ask its sender what it is.")
ROOM_FOR_A_LOOK = 1_500_000_000  # bytes beside those of the file, a few times
TIMES_ITS_SIZE = 6
LARGE = 200_000_000  # bytes of the cells of a grid; what is smaller can't do harm
MOST_RATIO = 100  # of the cells to their file; real data stays below


def scan(ref: DataRef) -> DatasetSummary:
    """Return the row of what is at a place, whatever it is, within the memory that this may take."""
    _limit_memory(ref)
    return summary_of(ref)


def scan_several(refs: tuple[DataRef, ...]) -> list[DatasetSummary]:
    """Return the rows of several datasets."""
    return [scan(ref) for ref in refs]


def summary_of(ref: DataRef) -> DatasetSummary:
    """Return the row of what is at a place, whatever it is."""
    try:
        dataset = open_dataset(ref)
        summary = summarise(dataset)
        _try_to_read(dataset)
        return summary
    except NeedsPermission as error:
        return _faulty(ref, error.reason, error.remedy)._replace(asks=error.places)
    except AtlasError as error:
        short = isinstance(error.__cause__, MemoryError)
        return _faulty(ref, error.reason, error.remedy, danger=short)
    except MemoryError:
        return _faulty(ref, tr("it needs more memory than its size explains"), TOO_LARGE, danger=True)
    except Exception as error:
        return _faulty(
            ref,
            tr("it can't be read ({name__}: {error})", name__=type(error).__name__, error=error),
            "Ask for the file again.",
        )


def _try_to_read(dataset: Dataset) -> None:
    """Read the last cell of the first grid where its file is far too small for its cells: it is packed, perhaps in
    pieces that only come unpacked whole. Raises MemoryError where that takes more than it may."""
    part = dataset.parts[0] if dataset.parts else None
    if not isinstance(part, RasterPart) or part.facts.grid is None or not dataset.size_bytes:
        return
    grid = part.facts.grid
    cells = grid.width * grid.height * np.dtype(grid.dtype).itemsize
    if cells < max(LARGE, MOST_RATIO * dataset.size_bytes):
        return
    try:
        part.cells(1, part.levels(1)[0], (grid.width - 1, grid.height - 1, grid.width, grid.height))
    except AtlasError as error:
        raise MemoryError from error


def _limit_memory(ref: DataRef) -> None:
    """Let this process use no more memory from now on than a look at a file of that size can need."""
    pages = int(Path("/proc/self/statm").read_text().split()[0])
    try:
        path = ref.path
        size = sum(each.stat().st_size for each in path.iterdir()) if path.is_dir() else path.stat().st_size
    except (OSError, ValueError):
        size = 0
    room = pages * os.sysconf("SC_PAGE_SIZE") + ROOM_FOR_A_LOOK + TIMES_ITS_SIZE * size
    _, most = resource.getrlimit(resource.RLIMIT_AS)
    limit = room if most == resource.RLIM_INFINITY else min(room, most)
    resource.setrlimit(resource.RLIMIT_AS, (limit, most))


def _faulty(ref: DataRef, reason: str, remedy: str, *, danger: bool = False) -> DatasetSummary:
    try:
        stat = ref.path.stat()
        changed = datetime.fromtimestamp(stat.st_mtime, UTC).isoformat(timespec="seconds")
        return faulty(ref, reason, remedy, stat.st_size, changed, danger=danger)
    except (OSError, ValueError):
        return faulty(ref, reason, remedy, 0, "", danger=danger)
