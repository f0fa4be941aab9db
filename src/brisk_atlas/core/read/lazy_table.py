"""A table whose columns are read when they are first asked for, and stored."""

from __future__ import annotations

import threading
from collections.abc import Callable, Mapping, Sequence
from pathlib import Path
from types import MappingProxyType
from typing import Any, NamedTuple

import pyarrow as pa
import pyarrow.parquet as pq

from brisk_atlas.core.model import Capability, FeatureQuery, RowsPart


def rows_when_asked(part: RowsPart) -> pa.Table | LazyTable:
    """Return the attributes of a part; where its columns lie apart, what reads them when they are asked for."""
    if Capability.COLUMNS_ALONE not in part.able:
        return part.rows()
    schema, path = part.rows(FeatureQuery(limit=0)).schema, part.parquet
    stored = StoredRows.of(path, schema) if path is not None else None

    def read(names: list[str], count: int | None = None) -> pa.Table:
        return part.rows(FeatureQuery(columns=tuple(names), limit=count))

    return LazyTable(schema, part.facts.count or 0, read, stored=stored)


NO_FORMULAS: Mapping[str, Formula] = MappingProxyType({})


class StoredRows(NamedTuple):
    """A Parquet file that the table engine may read itself, and the fields for which it reads what we read."""

    path: Path
    fields: frozenset[str]
    state: tuple[int, int]  # size, and time of the last change, ns

    @classmethod
    def of(cls, path: Path, schema: pa.Schema) -> StoredRows | None:
        """Return the file with its fields of numbers and text; None where the engine can't tell its names apart."""
        names = pq.read_schema(path).names  # as they stand in the file; ours may have been made unique
        lower = {name.lower() for name in names}
        if len(lower) < len(names) or "file_row_number" in lower:
            return None
        plain = frozenset(field.name for field in schema if field.name in names and _is_plain(field.type))
        return cls(path, plain, _state_of(path))

    def serves(self, names: Sequence[str]) -> bool:
        """Return whether the file still is what it was, and has these fields."""
        return self.fields.issuperset(names) and _state_of(self.path) == self.state

    def without(self, name: str) -> StoredRows:
        """Return what is left where a field has other values now."""
        return self._replace(fields=self.fields - {name})


def _is_plain(kind: pa.DataType) -> bool:
    return (
        pa.types.is_integer(kind)
        or pa.types.is_float32(kind)
        or pa.types.is_float64(kind)
        or pa.types.is_boolean(kind)
        or pa.types.is_string(kind)
    )


def _state_of(path: Path) -> tuple[int, int]:
    try:
        found = path.stat()
    except OSError:
        return -1, -1
    return found.st_size, found.st_mtime_ns


Read = Callable[..., pa.Table]  # of the names of columns, and how many rows; None for all
FIRST_ROWS = 200  # of a formula, made at once


class Formula(NamedTuple):
    """A column that is made of others: by `sql` over `fields` for some rows, by `make` for all of them. `first` are the
    values of the first rows."""

    sql: str
    fields: tuple[str, ...]
    make: Callable[[], pa.ChunkedArray]
    first: pa.ChunkedArray


class LazyTable:
    """Looks like an Arrow table to those that ask for columns by name. Whatever else is asked of it is
    asked of the whole table, which is then read. Safe for threads."""

    def __init__(
        self,
        schema: pa.Schema,
        rows: int,
        read: Read,
        held: dict[str, Any] | None = None,
        stored: StoredRows | None = None,
        formulas: Mapping[str, Formula] = NO_FORMULAS,
    ) -> None:
        self.schema, self.num_rows, self._read, self.stored, self.formulas = schema, rows, read, stored, formulas
        self._held: dict[str, pa.ChunkedArray] = held if held is not None else {}
        self._lock = threading.Lock()

    def __len__(self) -> int:
        return self.num_rows

    @property
    def column_names(self) -> list[str]:
        """The names of all columns."""
        return list(self.schema.names)

    @property
    def num_columns(self) -> int:
        """How many columns there are."""
        return len(self.schema.names)

    def has(self, names: Sequence[str]) -> bool:
        """Return whether columns have been read already."""
        return all(name in self._held for name in names)

    def load(self, names: Sequence[str]) -> None:
        """Read columns that have not been read yet, together. Raises what the reader raises."""
        with self._lock:
            missing = [name for name in dict.fromkeys(names) if name not in self._held]
            if missing:
                made = [name for name in missing if name in self.formulas]
                stored = [name for name in missing if name not in self.formulas]
                if stored:
                    found = self._read(stored)
                    self._held.update((name, found.column(name)) for name in stored)
                self._held.update((name, self.formulas[name].make()) for name in made)

    def column(self, which: str | int) -> pa.ChunkedArray:
        """Return a column by its name or number; reads or makes it if it is not there yet."""
        name = self.schema.names[which] if isinstance(which, int) else which
        if name not in self.schema.names:
            raise KeyError(name)
        self.load([name])
        return self._held[name]

    def select(self, names: Sequence[str]) -> pa.Table:
        """Return some columns as an Arrow table."""
        self.load(names)
        fields = [self.schema.field(name) for name in names]
        return pa.Table.from_arrays([self._held[name] for name in names], schema=pa.schema(fields))

    def append_column(self, name: str, column: pa.ChunkedArray | pa.Array) -> LazyTable:
        """Return this table with one more column."""
        column = column if isinstance(column, pa.ChunkedArray) else pa.chunked_array([column])
        schema = self.schema.append(pa.field(name, column.type))
        return self._with(schema, name, column)

    def set_column(self, at: int, field: pa.Field | str, column: pa.ChunkedArray | pa.Array) -> LazyTable:
        """Return this table with another column in the place of one."""
        column = column if isinstance(column, pa.ChunkedArray) else pa.chunked_array([column])
        field = field if isinstance(field, pa.Field) else pa.field(field, column.type)
        return self._with(self.schema.set(at, field), field.name, column)

    def _with(self, schema: pa.Schema, name: str, column: pa.ChunkedArray) -> LazyTable:
        stored = self.stored.without(name) if self.stored is not None else None
        formulas = {key: formula for key, formula in self.formulas.items() if key != name}
        return LazyTable(schema, self.num_rows, self._read_through, {**self._held, name: column}, stored, formulas)

    def with_formula(self, field: pa.Field, formula: Formula) -> LazyTable:
        """Return this table with one more column, which is made when it is first asked for."""
        formulas = {**self.formulas, field.name: formula}
        stored = self.stored.without(field.name) if self.stored is not None else None
        return LazyTable(
            self.schema.append(field), self.num_rows, self._read_through, dict(self._held), stored, formulas
        )

    def sql_of(self, name: str) -> tuple[str, tuple[str, ...]]:
        """Return the SQL that makes the cells of a column, and the fields that it needs."""
        formula = self.formulas.get(name)
        plain = '"' + name.replace('"', '""') + '"'
        return (plain, (name,)) if formula is None else (formula.sql, formula.fields)

    def _read_through(self, names: list[str], count: int | None = None) -> pa.Table:
        """Read columns, or their beginning, for a table made from this one; this one stores whole ones too."""
        return self.select(names) if count is None else self.head(names, count)

    def head(self, names: Sequence[str], count: int) -> pa.Table:
        """Return the first rows of some columns that are no formulas; nothing is stored. Raises what the reader
        raises."""
        missing = [name for name in dict.fromkeys(names) if name not in self._held]
        found = self._read(missing, count) if missing else None
        columns = [self._held[name].slice(0, count) if found is None or name not in missing else found.column(name)
                   for name in names]  # fmt: skip
        return pa.Table.from_arrays(columns, schema=pa.schema([self.schema.field(name) for name in names]))

    def whole(self) -> pa.Table:
        """Return all columns as an Arrow table."""
        return self.select(self.column_names)

    def __getattr__(self, name: str) -> Any:
        if name.startswith("_"):
            raise AttributeError(name)
        return getattr(self.whole(), name)
