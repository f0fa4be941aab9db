"""What came of each step of a recipe: counts, time, warnings, rejected rows, and the result to look at."""

from __future__ import annotations

import shutil
import tempfile
import time
from collections.abc import Callable, Iterator
from contextlib import contextmanager
from dataclasses import dataclass, field, replace
from pathlib import Path
from typing import Any

import laspy
import numpy as np
import pyarrow as pa
import pyarrow.ipc as ipc
import rasterio
from affine import Affine

from brisk_atlas.core.model import AtlasError, CellWindow
from brisk_atlas.core.model.grid import Grid
from brisk_atlas.core.place import proj_crs

from .flows import Flow, GridFlow, PointFlow, RowFlow
from .point_runs import record_of

BLOCK = 512
MOST_REJECTED = 1_000_000  # rows of one step that are stored


@dataclass
class StepAccount:
    """How a step did: what came in and out (rows, cells or points; None where nobody counted), its own seconds, its
    warnings, and how many rows it rejected, by reason."""

    label: str
    count_in: int | None = None
    count_out: int | None = None
    seconds: float = 0.0
    seconds_with_before: float = 0.0
    warnings: list[str] = field(default_factory=list)
    rejected: dict[str, int] = field(default_factory=dict)
    error: AtlasError | None = None

    @property
    def rejected_count(self) -> int:
        return sum(self.rejected.values())

    def as_json(self) -> dict[str, object]:
        """Return it as reports hold it."""
        return {
            "step": self.label,
            "in": self.count_in,
            "out": self.count_out,
            "seconds": round(self.seconds, 3),
            "warnings": list(self.warnings),
            "rejected": dict(self.rejected),
            **({"error": str(self.error)} if self.error else {}),
        }


@dataclass(frozen=True, eq=False)
class Checkpoint:
    """A step that was run: its account, its result, and its rejected rows where they were stored."""

    account: StepAccount
    flow: Flow | None
    rejected: RowFlow | None = None


class Rejects:
    """Takes the rows that a step leaves out: counts them, and stores them in a file where one is given."""

    def __init__(self, account: StepAccount, like: RowFlow | None, path: Path | None) -> None:
        self._account, self._like, self._path = account, like, path
        self._writer: ipc.RecordBatchFileWriter | None = None
        self._schema = pa.schema([])
        self._stored = 0

    def __call__(self, table: pa.Table, reason: str) -> None:
        if not table.num_rows:
            return
        self._account.rejected[reason] = self._account.rejected.get(reason, 0) + table.num_rows
        if self._path is None or self._stored >= MOST_REJECTED:
            return
        table = table.add_column(0, "why it was left out", pa.array([reason] * table.num_rows, pa.string()))
        if self._writer is None:
            self._writer, self._schema = ipc.new_file(str(self._path), table.schema), table.schema
        if table.schema.equals(self._schema):
            self._writer.write_table(table)
            self._stored += table.num_rows

    def flow(self) -> RowFlow | None:
        """Return the rows that were stored, None for none."""
        if self._writer is None or self._like is None or self._path is None:
            return None
        self._writer.close()
        return _rows_of_file(self._path, replace(self._like, name=f"{self._like.name}, left out", parted=""))


def metered(flow: Flow, account: StepAccount, before: StepAccount | None) -> Flow:
    """Return a flow that notes in an account how much comes through and how long that takes, what the step before
    takes taken off."""
    account.count_in = before.count_out if before else None
    if isinstance(flow, GridFlow):
        account.count_out = flow.lattice.columns * flow.lattice.rows
        account.count_in = before.count_out if before else account.count_out

        def read(window: CellWindow, bands: tuple[int, ...]) -> Grid:
            with _timed(account, before):
                return flow.read(window, bands)

        return replace(flow, read=read)
    if isinstance(flow, PointFlow):
        return replace(flow, runs=lambda: _counted(flow.runs, len, account, before))
    return replace(flow, batches=lambda: _counted(flow.batches, lambda table: table.num_rows, account, before))


@contextmanager
def _timed(account: StepAccount, before: StepAccount | None) -> Iterator[None]:
    """Add the seconds within to an account, less those that the account before gets meanwhile."""
    start, others = time.perf_counter(), before.seconds_with_before if before else 0.0
    try:
        yield
    finally:
        spent = time.perf_counter() - start
        account.seconds_with_before += spent
        account.seconds += max(0.0, spent - ((before.seconds_with_before if before else 0.0) - others))


def _counted(
    runs: Callable[[], Iterator[Any]], size: Callable[[Any], int], account: StepAccount, before: StepAccount | None
) -> Iterator[Any]:
    count, found = 0, runs()
    while True:
        with _timed(account, before):
            each = next(found, None)
        if each is None:
            break
        count += size(each)
        yield each
    account.count_out = count
    account.count_in = before.count_out if before else count


def stored_flow(flow: Flow, path: Path, check: Callable[[], None] = lambda: None) -> Flow:
    """Return a flow whose data was computed and lies in a file at `path`, with the ending that it needs."""
    if isinstance(flow, GridFlow):
        return _stored_cells(flow, path.with_suffix(".tif"), check)
    if isinstance(flow, PointFlow):
        return _stored_points(flow, path.with_suffix(".las"), check)
    path = path.with_suffix(".arrow")
    with ipc.new_file(str(path), flow.schema) as out:
        for batch in flow.batches():
            check()
            out.write_table(batch.cast(flow.schema) if not batch.schema.equals(flow.schema) else batch)
    return _rows_of_file(path, flow)


def _rows_of_file(path: Path, like: RowFlow) -> RowFlow:
    with pa.memory_map(str(path)) as source:
        file = ipc.open_file(source)
        schema, count = file.schema, sum(file.get_batch(i).num_rows for i in range(file.num_record_batches))

    def batches() -> Iterator[pa.Table]:
        with pa.memory_map(str(path)) as source:
            file = ipc.open_file(source)
            if not file.num_record_batches:
                yield schema.empty_table()
            for number in range(file.num_record_batches):
                yield pa.Table.from_batches([file.get_batch(number)])

    return replace(like, schema=schema, batches=batches, count=count)


def _stored_cells(flow: GridFlow, path: Path, check: Callable[[], None]) -> GridFlow:
    bands = tuple(range(1, len(flow.bands) + 1))
    with (
        rasterio.Env(GDAL_TIFF_INTERNAL_MASK=True),
        rasterio.open(
            path, "w", driver="GTiff", width=flow.lattice.columns, height=flow.lattice.rows, count=len(bands),
            dtype=flow.dtype, transform=Affine(*flow.lattice.transform), tiled=True, blockxsize=BLOCK, blockysize=BLOCK,
            crs=proj_crs(flow.crs).to_wkt() if flow.crs else None, bigtiff="if_safer",
        ) as out,
    ):  # fmt: skip
        for window in flow.windows(BLOCK):
            check()
            found = flow.read(window, bands)
            place = ((window.first_row, window.last_row), (window.first_column, window.last_column))
            out.write(found.values, window=place)
            out.write_mask(found.valid, window=place)

    def read(window: CellWindow, wanted: tuple[int, ...]) -> Grid:
        place = ((window.first_row, window.last_row), (window.first_column, window.last_column))
        with rasterio.open(path) as source:
            values = source.read(list(wanted), window=place)
            valid = source.dataset_mask(window=place) > 0
        return Grid(values, valid, flow.lattice.within(window))

    return replace(flow, read=read)


def _stored_points(flow: PointFlow, path: Path, check: Callable[[], None]) -> PointFlow:
    count = 0
    header = laspy.LasHeader(point_format=flow.header.point_format, version=flow.header.version)
    header.scales, header.offsets = flow.header.scales, flow.header.offsets
    with laspy.open(path, mode="w", header=header) as out:
        for run in flow.runs():
            check()
            out.write_points(record_of(np.ascontiguousarray(run.array), flow))
            count += len(run)

    def runs() -> Iterator[laspy.ScaleAwarePointRecord]:
        with laspy.open(path) as source:
            yield from source.chunk_iterator(500_000)

    return replace(flow, runs=runs, count=count)


class CheckpointStore:
    """Checkpoints by what they came of, the last used ones; their files lie in a folder that goes with it."""

    def __init__(self, most: int = 60) -> None:
        self._most = most
        self._found: dict[str, Checkpoint] = {}
        self._folder: Path | None = None

    def get(self, digest: str) -> Checkpoint | None:
        """Return a checkpoint, None where it is not stored."""
        found = self._found.pop(digest, None)
        if found is not None:
            self._found[digest] = found
        return found

    def put(self, digest: str, checkpoint: Checkpoint) -> None:
        """Store a checkpoint; one that was not used for long goes."""
        self._found[digest] = checkpoint
        while len(self._found) > self._most:
            gone = next(iter(self._found))
            del self._found[gone]
            shutil.rmtree(self._room(gone), ignore_errors=True)

    def path(self, digest: str, name: str) -> Path:
        """Return where a file of a checkpoint is written to."""
        room = self._room(digest)
        room.mkdir(parents=True, exist_ok=True)
        return room / name

    def clear(self) -> None:
        """Forget all, and remove the files."""
        self._found.clear()
        if self._folder is not None:
            shutil.rmtree(self._folder, ignore_errors=True)
            self._folder = None

    def _room(self, digest: str) -> Path:
        if self._folder is None:
            self._folder = Path(tempfile.mkdtemp(prefix="brisk-atlas-checkpoints-"))
        return self._folder / digest
