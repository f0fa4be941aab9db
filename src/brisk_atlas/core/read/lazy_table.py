"""A table whose columns are read when they are first asked for, and kept."""

from __future__ import annotations

import threading
from collections.abc import Callable, Sequence
from typing import Any

import pyarrow as pa

from brisk_atlas.core.model import Capability, FeatureQuery, RowsPart


def rows_when_asked(part: RowsPart) -> pa.Table | LazyTable:
    """Return the attributes of a part; where its columns lie apart, what reads them when they are asked for."""
    if Capability.COLUMNS_ALONE not in part.able:
        return part.rows()
    schema = part.rows(FeatureQuery(limit=0)).schema
    return LazyTable(schema, part.facts.count or 0, lambda names: part.rows(FeatureQuery(columns=tuple(names))))


class LazyTable:
    """Looks like an Arrow table to those that ask for columns by name. Whatever else is asked of it is
    asked of the whole table, which is then read. Safe for threads."""

    def __init__(
        self, schema: pa.Schema, rows: int, read: Callable[[list[str]], pa.Table], held: dict[str, Any] | None = None
    ) -> None:
        self.schema, self.num_rows, self._read = schema, rows, read
        self._held: dict[str, pa.ChunkedArray] = held if held is not None else {}
        self._lock = threading.Lock()

    def __len__(self) -> int:
        return self.num_rows

    @property
    def column_names(self) -> list[str]:
        return list(self.schema.names)

    @property
    def num_columns(self) -> int:
        return len(self.schema.names)

    def has(self, names: Sequence[str]) -> bool:
        """Return whether columns have been read already."""
        return all(name in self._held for name in names)

    def load(self, names: Sequence[str]) -> None:
        """Read columns that have not been read yet, together. Raises what the reader raises."""
        with self._lock:
            missing = [name for name in dict.fromkeys(names) if name not in self._held]
            if missing:
                found = self._read(missing)
                self._held.update((name, found.column(name)) for name in missing)

    def column(self, which: str | int) -> pa.ChunkedArray:
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
        return LazyTable(schema, self.num_rows, self._read_first, {**self._held, name: column})

    def set_column(self, at: int, field: pa.Field | str, column: pa.ChunkedArray | pa.Array) -> LazyTable:
        """Return this table with another column in the place of one."""
        column = column if isinstance(column, pa.ChunkedArray) else pa.chunked_array([column])
        field = field if isinstance(field, pa.Field) else pa.field(field, column.type)
        return LazyTable(
            self.schema.set(at, field), self.num_rows, self._read_first, {**self._held, field.name: column}
        )

    def _read_first(self, names: list[str]) -> pa.Table:
        """Read columns for a table made from this one; this one keeps them too."""
        return self.select(names)

    def whole(self) -> pa.Table:
        """Return all columns as an Arrow table."""
        return self.select(self.column_names)

    def __getattr__(self, name: str) -> Any:
        if name.startswith("_"):
            raise AttributeError(name)
        return getattr(self.whole(), name)
