"""Asking the table engine about rows: those of an Arrow table, or of a Parquet file that the engine reads itself.

The engine's own access to files is switched off, but for the one file that is asked about.
"""

from __future__ import annotations

import threading
from collections import OrderedDict
from collections.abc import Callable, Iterator, Sequence
from contextlib import contextmanager
from functools import cache

import duckdb
import numpy as np
import pyarrow as pa

from brisk_atlas.core.read.lazy_table import LazyTable, StoredRows
from brisk_atlas.core.system.footing import check_footing

MEMORY_LIMIT = "4GB"
LOOK_S = 0.04  # between two looks at whether to stop
MOST_FILES = 4  # that stay open to the engine
ROW = "__file_row"  # the row's place in the file, 0 first; every answer of the engine is tied to it
_SAFE = {"memory_limit": MEMORY_LIMIT, "threads": "2"}
_SETTINGS = (
    "SET GLOBAL enable_external_access = false",
    "SET GLOBAL python_enable_replacements = false",
    "SET GLOBAL errors_as_json = true",
    "SET GLOBAL enable_external_file_cache = false",
    "SET GLOBAL parquet_metadata_cache = true",
    "SET GLOBAL lock_configuration = true",
)


def quoted(name: str) -> str:
    """Return a field's name as SQL writes it."""
    return '"' + name.replace('"', '""') + '"'


def connect(table: pa.Table, name: str = "rows") -> duckdb.DuckDBPyConnection:
    """Return a locked connection that knows `table` by its name. Raises AtlasError where no more files can be
    opened."""
    check_footing()  # without it the engine would end the process
    db = _engine().cursor()
    db.register(name, table)
    return db


@cache
def _engine() -> duckdb.DuckDBPyConnection:
    """Return the engine that all tables share; what one connection knows, others do not."""
    db = duckdb.connect(":memory:", config=_SAFE)
    for setting in _SETTINGS:
        db.execute(setting)
    return db


def row_numbers(count: int) -> np.ndarray:
    """Return (count,) int64: 0 to `count`, not to be written to. All that ask share one array."""
    global _numbers
    if len(_numbers) < count:
        numbers = np.arange(count, dtype=np.int64)
        numbers.flags.writeable = False
        _numbers = numbers
    return _numbers[:count]


_numbers = np.empty(0, np.int64)


class _Files:
    """Engines that read one file each, the last used ones. Safe for threads."""

    def __init__(self) -> None:
        self._engines: OrderedDict[StoredRows, duckdb.DuckDBPyConnection] = OrderedDict()
        self._lock = threading.Lock()

    def cursor(self, stored: StoredRows) -> duckdb.DuckDBPyConnection:
        """Return a locked connection that knows the rows of a Parquet file as `rows`. A file that was replaced gets an
        engine anew, which remembers nothing of the one before. Raises duckdb.Error."""
        check_footing()
        with self._lock:
            db = self._engines.pop(stored, None)
            if db is None:
                db = duckdb.connect(":memory:", config=_SAFE)
                text = str(stored.path).replace("'", "''")
                db.execute(f"SET GLOBAL allowed_paths = ['{text}']")
                for setting in _SETTINGS:
                    db.execute(setting)
                db.execute(
                    f"CREATE VIEW rows AS SELECT *, file_row_number AS {ROW} "
                    f"FROM read_parquet('{text}', file_row_number = true, can_have_nan = true)"
                )
            self._engines[stored] = db
            while len(self._engines) > MOST_FILES:
                self._engines.popitem(last=False)
            return db.cursor()


_FILES = _Files()


def ask(table: pa.Table, query: str, fields: Sequence[str], check: Callable[[], None] | None = None) -> pa.Table:
    """Return what a query over `rows` gives, where that has `fields` and ROW.

    A Parquet file that was not read yet is read by the engine, only as far as the query needs. Raises duckdb.Error, and
    what `check` raises.
    """
    fields = list(dict.fromkeys(fields))
    if isinstance(table, LazyTable) and fields and table.stored is not None and table.stored.serves(fields):
        try:
            with _FILES.cursor(table.stored) as db, stoppable(db, check):
                return db.sql(query).to_arrow_table()
        except (duckdb.InterruptException, duckdb.ConversionException, duckdb.OutOfRangeException):
            raise
        except duckdb.Error:
            pass  # text that is no text, a file that was replaced: reading it says what is wrong
    places = pa.array(row_numbers(table.num_rows))
    named = table.select(fields).append_column(ROW, places) if fields else pa.table({ROW: places})
    with connect(named) as db, stoppable(db, check):
        return db.sql(query).to_arrow_table()


def cells(table: LazyTable, rows: np.ndarray, names: Sequence[str]) -> pa.Table | None:
    """Return columns of `table` for some rows, and their places as ROW, in no order, straight from its file; None where
    the engine can't read it. `rows` : (n,) int64."""
    made = {name: table.sql_of(name) for name in names}
    needed = [field for _, fields in made.values() for field in fields]
    if table.stored is None or not rows.size or not table.stored.serves(needed):
        return None
    asked = ", ".join(f"({sql}\n) AS {quoted(name)}" for name, (sql, _) in made.items())
    first, last = int(rows.min()), int(rows.max())
    together = last - first < 2 * len(rows)
    which = f"{ROW} BETWEEN {first} AND {last}"  # so groups of rows are passed over
    which += "" if together else f" AND {ROW} IN ({', '.join(map(str, rows.tolist()))})"
    try:
        with _FILES.cursor(table.stored) as db:
            return db.sql(f"SELECT {asked}, {ROW} FROM rows WHERE {which}").to_arrow_table()
    except duckdb.Error:
        return None


@contextmanager
def stoppable(db: duckdb.DuckDBPyConnection, check: Callable[[], None] | None) -> Iterator[None]:
    """Interrupt the query inside as soon as `check` raises; what it raised comes out."""
    if check is None:
        yield
        return
    check()
    over = threading.Event()

    def watch() -> None:
        while not over.wait(LOOK_S):
            try:
                check()
            except BaseException:
                db.interrupt()
                return

    watcher = threading.Thread(target=watch, daemon=True, name="stop a query")
    watcher.start()
    try:
        yield
    except duckdb.InterruptException:
        check()
        raise
    finally:
        over.set()
        watcher.join()
