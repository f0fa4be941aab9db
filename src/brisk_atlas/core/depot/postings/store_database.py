"""What a Depot stores its rows in, whichever database that is: a file, or a server that several processes share.

Statements are written once, with `?` for each value, in the SQL that both understand; what they state differently is
in a `SqlForm`, and where rows lie is asked by `Places`.
"""

from __future__ import annotations

from collections.abc import Iterable, Iterator, Mapping, Sequence
from contextlib import AbstractContextManager
from dataclasses import dataclass
from pathlib import Path
from typing import Any, Protocol

import numpy as np

from .posting import FieldType, Posting

ALL = 2**62  # as the limit of rows where there is none

Box = tuple[float, float, float, float]


class StoreFault(RuntimeError):
    """The database can't be asked now; nothing was changed."""


class UnfitValue(ValueError):
    """A value that the database can't hold or work with, with the reason."""


@dataclass(frozen=True)
class SqlForm:
    """How a database states what others state differently: types of columns, a `serial` key that counts up, `typed` for
    a value of a type `{0}`, a number `{0}` rounded to `{1}` decimals, and the dialect of conditions. Days and times are
    texts, booleans numbers."""

    text: str
    integer: str
    number: str
    binary: str
    serial: str
    typed: str
    rounded: str
    conditions: str

    @property
    def types(self) -> Mapping[FieldType, str]:
        """The types of columns by what fields are."""
        kinds = {FieldType.BOOLEAN: self.integer, FieldType.INTEGER: self.integer, FieldType.NUMBER: self.number}
        return {each: kinds.get(each, self.text) for each in FieldType}


class StoreCursor(Protocol):
    """What a statement found."""

    def fetchone(self) -> Any: ...

    def __iter__(self) -> Iterator[Any]: ...


class StoreConnection(Protocol):
    """A connection of one thread."""

    def execute(self, statement: str, given: Sequence[Any] = ..., /) -> StoreCursor: ...

    def executemany(self, statement: str, given: Iterable[Sequence[Any]], /) -> StoreCursor: ...


class Places(Protocol):
    """An index of where the rows of postings lie, by their numbers in the store."""

    def create(self, database: StoreConnection, posting: Posting) -> None:
        """Make the index of a posting, which has no rows yet."""

    def fill(self, database: StoreConnection, posting: Posting, numbers: np.ndarray, bounds: np.ndarray) -> None:
        """Note all the rows that a posting begins with: (n,) numbers and (n, 4) bounds, xmin, ymin, xmax, ymax."""

    def put(self, database: StoreConnection, posting: Posting, number: int, bounds: Box | None) -> None:
        """Note where a row lies from now on, None for nowhere."""

    def drop(self, database: StoreConnection, posting: Posting) -> None:
        """Remove the index of a posting."""

    def near(self, posting: Posting, box: Box) -> tuple[str, list[float]]:
        """Return a condition over `id` for rows whose bounds may meet a box, and its values."""

    def extent(self, database: StoreConnection, posting: Posting) -> Box | None:
        """Return the exact bounds of all rows, None where none has a place."""


class StoreDatabase(Protocol):
    """A database of a Depot. Safe for threads, each of which has a connection of its own."""

    @property
    def files(self) -> Path | None:
        """The folder of the postings that are files, None where there can be none."""

    @property
    def form(self) -> SqlForm:
        """How it states things."""

    @property
    def places(self) -> Places:
        """Where rows lie."""

    @property
    def reading(self) -> StoreConnection:
        """The connection of this thread, to read by; within `changing` it is that of the transaction."""

    @property
    def key(self) -> bytes:
        """A secret of this store, made once."""

    def batches(self, statement: str, given: Sequence[Any], size: int) -> Iterator[list[tuple[Any, ...]]]:
        """Yield what a statement finds, some rows at a time, however many there are."""

    def changing(self) -> AbstractContextManager[StoreConnection]:
        """Give the connection in a transaction that no other can come between: it is written when the block ends, and
        taken back where it raises."""

    def one_moment(self) -> AbstractContextManager[StoreConnection]:
        """Give the connection to read by, and have all that is read in the block be of one moment."""

    def fill(self, database: StoreConnection, table: str, columns: str, rows: Iterable[Sequence[Any]]) -> None:
        """Add many rows to a table, whose key called `id` is among the columns."""

    def version_seen(self) -> object:
        """Return what differs once something was changed, by whomever."""

    def close(self) -> None:
        """Close all connections."""
