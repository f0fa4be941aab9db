"""What came of each step of a recipe: counts, time, warnings, rejected rows, and the result to look at."""

from __future__ import annotations

import json
import shutil
import time
from collections.abc import Callable, Iterator
from contextlib import contextmanager
from dataclasses import dataclass, field, replace
from pathlib import Path
from threading import Lock
from typing import Any

import laspy
import numpy as np
import pyarrow as pa
import pyarrow.parquet as pq
import rasterio
from affine import Affine

from brisk_atlas.core.model import AtlasError, CellWindow
from brisk_atlas.core.model.grid import Grid
from brisk_atlas.core.model.words import free_name
from brisk_atlas.core.place import proj_crs
from brisk_atlas.core.system.scratch import ScratchFolder

from .flows import BATCH, BATCH_BYTES, GEOMETRY, Flow, GridFlow, LocalBatches, PointFlow, RowFlow, rows_in_batch
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
    """A step that was run: its account, its result, and its rejected rows where they were stored; each with the file
    that it lies in."""

    account: StepAccount
    flow: Flow | None
    rejected: RowFlow | None = None
    path: Path | None = None
    rejected_path: Path | None = None


class RowsFile:
    """Rows that are written to a Parquet file as they come; features as GeoParquet, so that the file can be opened."""

    def __init__(self, path: Path, crs: str | None) -> None:
        self.path, self._crs = path, crs
        self._writer: pq.ParquetWriter | None = None
        self._schema = pa.schema([])

    def write(self, table: pa.Table) -> bool:
        """Add rows; those of another schema than the first ones are left out, which is returned."""
        if self._writer is None:
            self._schema = table.schema
            self._writer = pq.ParquetWriter(
                self.path, table.rename_columns(self._names(table)).schema, compression="lz4"
            )
        if not table.schema.equals(self._schema):
            return False
        self._writer.write_table(table.rename_columns(self._names(table)))
        return True

    @staticmethod
    def _names(table: pa.Table) -> list[str]:
        """Return the names with that of the geometry as readers of the file show it."""
        names = list(table.column_names)
        if GEOMETRY in names:
            names[names.index(GEOMETRY)] = free_name("geometry", names)
        return names

    def close(self, empty: pa.Schema | None = None) -> bool:
        """End the file; one without rows has the schema `empty`. Returns whether there is a file."""
        if self._writer is None and empty is not None:
            self.write(empty.empty_table())
        if self._writer is None:
            return False
        if GEOMETRY in self._schema.names:
            name = self._names(self._schema.empty_table())[self._schema.names.index(GEOMETRY)]
            column: dict[str, Any] = {"encoding": "WKB", "geometry_types": [],
                      "crs": json.loads(proj_crs(self._crs).to_json()) if self._crs else None}  # fmt: skip
            about = {"version": "1.1.0", "primary_column": name, "columns": {name: column}}
            self._writer.add_key_value_metadata({"geo": json.dumps(about)})
        self._writer.close()
        return True

    def flow(self, like: RowFlow) -> RowFlow:
        """Return the rows of the file, that was closed."""
        path, schema = self.path, self._schema

        def batches() -> Iterator[pa.Table]:
            with pq.ParquetFile(path) as file:
                none = True
                for groups in _groups_together(file.metadata):
                    for table in _read_groups(file, groups):
                        none = False
                        yield table.rename_columns(schema.names).cast(schema)
                if none:
                    yield schema.empty_table()

        return replace(like, schema=schema, batches=batches, count=pq.read_metadata(path).num_rows)


def _groups_together(about: pq.FileMetaData) -> Iterator[list[int]]:
    """Yield the groups of rows that are read at once: small ones together, as many as make a batch."""
    groups: list[int] = []
    rows = size = 0
    for number in range(about.num_row_groups):
        group = about.row_group(number)
        if groups and (rows + group.num_rows > BATCH or size + group.total_byte_size > BATCH_BYTES):
            yield groups
            groups, rows, size = [], 0, 0
        groups.append(number)
        rows, size = rows + group.num_rows, size + group.total_byte_size
    if groups:
        yield groups


def _read_groups(file: pq.ParquetFile, groups: list[int]) -> Iterator[pa.Table]:
    """Yield the rows of groups: at once, or in batches where one alone is larger. The library reads groups as wholes in
    a third of the memory that its batches take."""
    about = file.metadata.row_group(groups[0])
    step = rows_in_batch(about.num_rows, about.total_byte_size)
    if len(groups) > 1 or about.num_rows <= step:
        yield file.read_row_groups(groups)
        return
    for batch in file.iter_batches(step, row_groups=groups):
        yield pa.Table.from_batches([batch])


class Rejects:
    """Takes the rows that a step leaves out: counts them, and stores them in a file where one is given."""

    def __init__(self, account: StepAccount, like: RowFlow | None, path: Path | None) -> None:
        self._account, self._like = account, like
        self._file = RowsFile(path, like.crs if like else None) if path is not None else None
        self._stored = 0
        self._lock = Lock()

    def __call__(self, table: pa.Table, reason: str) -> None:
        if table.num_rows:
            with self._lock:
                self._take(table, reason)

    def _take(self, table: pa.Table, reason: str) -> None:
        self._account.rejected[reason] = self._account.rejected.get(reason, 0) + table.num_rows
        if self._file is None or self._stored >= MOST_REJECTED:
            return
        table = table.add_column(0, "why it was left out", pa.array([reason] * table.num_rows, pa.string()))
        self._stored += table.num_rows if self._file.write(table) else 0

    def flow(self) -> RowFlow | None:
        """Return the rows that were stored, None for none."""
        if self._file is None or self._like is None or not self._file.close():
            return None
        return self._file.flow(replace(self._like, name=f"{self._like.name}, left out", parted=""))


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
    if isinstance(flow.batches, LocalBatches):
        return replace(flow, batches=_metered_last(flow.batches, account))
    return replace(flow, batches=lambda: _counted(flow.batches, lambda table: table.num_rows, account, before))


def _metered_last(batches: LocalBatches, account: StepAccount) -> LocalBatches:
    """Return batches whose last function notes in an account what comes in and out of it, and its time in all threads
    together."""
    *others, last = batches.made
    lock = Lock()

    def begin() -> None:
        account.count_in = account.count_out = 0
        account.seconds = account.seconds_with_before = 0.0

    def counted(table: pa.Table) -> pa.Table:
        start = time.perf_counter()
        made = last(table)
        spent = time.perf_counter() - start
        with lock:
            account.count_in = (account.count_in or 0) + table.num_rows
            account.count_out = (account.count_out or 0) + made.num_rows
            account.seconds += spent
            account.seconds_with_before += spent
        return made

    return replace(batches, made=(*others, counted), begin=(*batches.begin, begin))


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


def stored_path(flow: Flow, path: Path) -> Path:
    """Return where `stored_flow` stores a flow."""
    return path.with_suffix(
        ".tif" if isinstance(flow, GridFlow) else ".las" if isinstance(flow, PointFlow) else ".parquet"
    )


def stored_flow(flow: Flow, path: Path, check: Callable[[], None] = lambda: None) -> Flow:
    """Return a flow whose data was computed and lies in a file at `path`, with the ending that it needs."""
    if isinstance(flow, GridFlow):
        return _stored_cells(flow, path.with_suffix(".tif"), check)
    if isinstance(flow, PointFlow):
        return _stored_points(flow, path.with_suffix(".las"), check)
    file = RowsFile(path.with_suffix(".parquet"), flow.crs)
    for batch in flow.batches():
        check()
        file.write(batch.cast(flow.schema) if not batch.schema.equals(flow.schema) else batch)
    file.close(flow.schema)
    return file.flow(flow)


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
    """Checkpoints by what they came of, the last used ones; their files lie in a folder that goes with it or,
    at the latest, when the program ends."""

    def __init__(self, most: int = 60) -> None:
        self._most = most
        self._found: dict[str, Checkpoint] = {}
        self._folder: ScratchFolder | None = None

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
            self._folder.delete()
            self._folder = None

    def _room(self, digest: str) -> Path:
        if self._folder is None:
            self._folder = ScratchFolder()
        return self._folder.path / digest
