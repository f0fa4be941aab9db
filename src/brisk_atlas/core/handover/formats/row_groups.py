"""Writing Parquet group by group, each while the rows of the next one come."""

from __future__ import annotations

from concurrent.futures import Future, ThreadPoolExecutor

import pyarrow as pa
import pyarrow.parquet as pq

GROUP_BYTES = 16_000_000  # of rows that wait, at most about


class RowGroups:
    """Rows that are put into a Parquet file in groups of so many, or of fewer that are large; `put` and `finish` raise
    what the file does."""

    def __init__(self, out: pq.ParquetWriter, rows: int) -> None:
        self._out, self._rows = out, rows
        self._waiting: list[pa.Table] = []
        self._threads: ThreadPoolExecutor | None = None  # for what is more than one group
        self._writing: Future[None] | None = None

    def __enter__(self) -> RowGroups:
        return self

    def __exit__(self, *_: object) -> None:
        if self._threads is not None:
            self._threads.shutdown()  # before the file is closed

    def put(self, table: pa.Table) -> None:
        """Add rows."""
        self._waiting.append(table)
        few = sum(each.num_rows for each in self._waiting) < self._rows
        if few and sum(each.nbytes for each in self._waiting) < GROUP_BYTES:
            return
        self._threads = self._threads or ThreadPoolExecutor(1, thread_name_prefix="parquet")
        self._written()
        self._writing = self._threads.submit(self._write, pa.concat_tables(self._waiting))
        self._waiting = []

    def finish(self) -> None:
        """Write what is left."""
        self._written()
        if self._waiting:
            self._write(pa.concat_tables(self._waiting))

    def _written(self) -> None:
        if self._writing is not None:
            self._writing.result()
            self._writing = None

    def _write(self, table: pa.Table) -> None:
        self._out.write_table(table, row_group_size=self._rows)
