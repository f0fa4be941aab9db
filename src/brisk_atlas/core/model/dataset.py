"""A dataset and its parts."""

from __future__ import annotations

from abc import ABC, abstractmethod
from collections.abc import Callable, Iterator
from dataclasses import dataclass, replace
from datetime import datetime
from functools import wraps
from pathlib import Path
from typing import TYPE_CHECKING, Any, ClassVar, NamedTuple, Self

from brisk_atlas.core.model.language import tr

from .data_ref import DataRef
from .errors import refusing
from .extent import Extent
from .facts import Facts
from .kinds import DataKind, Quantity
from .lattice import CellWindow, Lattice
from .query import ALL_POINTS, EVERYTHING, Capability, FeatureQuery, PointQuery, Relation

if TYPE_CHECKING:
    import numpy as np
    import pyarrow as pa

    from .cloud import Points
    from .grid import Grid
    from .shapes import Features


def _refusing(method: Callable[..., Any]) -> Callable[..., Any]:
    @wraps(method)
    def guarded(self: Part, *arguments: Any, **options: Any) -> Any:
        with refusing(self.ref):
            return method(self, *arguments, **options)

    return guarded


READING = ("read", "rows", "block", "onto", "cells", "levels")


@dataclass(frozen=True)
class Part:
    """One thing inside a dataset that can be opened: it says its facts without reading its data. `ref` is where its
    data is read from: the file of the dataset, a copy of it, or its address.

    Whatever the methods of a reader raise that they did not foresee comes out as CannotRead.
    """

    ref: DataRef
    facts: Facts

    def taken_in(self, crs: str) -> Self:
        """Return the part with its coordinates taken to be in a CRS, whatever it states."""
        extent = replace(self.facts.extent, crs=crs) if self.facts.extent else None
        notes = {
            **self.facts.notes,
            "reference system": tr("set by you; the file states {crs}", crs=self.facts.crs or "none"),
        }
        return replace(self, facts=replace(self.facts, crs=crs, extent=extent, notes=notes))

    def __init_subclass__(cls, **options: Any) -> None:
        super().__init_subclass__(**options)
        for name in READING:
            method = cls.__dict__.get(name)
            if method is not None and not getattr(method, "__isabstractmethod__", False):
                setattr(cls, name, _refusing(method))


class RowsPart(Part, ABC):
    """What has rows: `able` says what of a query it does itself, by an index or a database of its own."""

    able: ClassVar[Capability] = Capability.NONE
    dialect: ClassVar[str] = ""  # that conditions are given in, where the part can be asked for them
    is_database: ClassVar[bool] = False  # whether a server or a file of its own kind answers, quickest for a few rows
    paged: ClassVar[bool] = False  # whether rows come page by page from a server, so that few are held

    @property
    def relations(self) -> tuple[Relation, ...]:
        """What its rows belong to, and what belongs to them, as its place states; none for most formats."""
        return ()

    @property
    def comments(self) -> dict[str, str]:
        """What its place says of its fields; none for most formats."""
        return {}

    def count_rows(self) -> int:
        """Return how many rows there are, counted now where the facts only have an estimate. Raises CannotRead."""
        return self.facts.count if self.facts.count is not None else len(self.rows(FeatureQuery(columns=())))

    @property
    def row_key(self) -> str:
        """A field of whole numbers by which rows are found again in another question; "" for none."""
        return ""

    @property
    def parquet(self) -> Path | None:
        """The Parquet file whose rows, in their order, are those of the part; None for another format."""
        return None

    @abstractmethod
    def rows(self, query: FeatureQuery = EVERYTHING) -> pa.Table:
        """Return the attributes that are asked for, without geometry. Raises CannotRead."""


class VectorPart(RowsPart):
    """Features with geometry."""

    @abstractmethod
    def read(self, query: FeatureQuery = EVERYTHING) -> Features:
        """Return the features that are asked for. Raises CannotRead."""

    def read_growing(
        self, query: FeatureQuery = EVERYTHING, check: Callable[[], None] = lambda: None
    ) -> Iterator[tuple[Features, bool]]:
        """Yield the features that are asked for as they come: each time those that are there, and whether they are all,
        which the last ones are. `check` may raise to stop. Raises CannotRead."""
        yield self.read(query), True

    def read_arriving(self, query: FeatureQuery, arriving: Callable[[Features], None]) -> Features:
        """Return what `read` does. Where features come in pieces, `arriving` is given each piece before the next one is
        there, in the order of all of them; none is given any more once that order can't be held. Raises CannotRead."""
        return self.read(query)

    def expected_in(self, extent: Extent | None, where: str = "") -> int | None:
        """Return about how many features meet an extent and a condition in the part's own SQL, where its place can tell
        without reading them."""
        return None


class TablePart(RowsPart):
    """Rows without geometry."""


class Level(NamedTuple):
    """One of the grids on which a band is stored, `factor` times coarser than the file's own cells;
    `number` is that of the overview in the file, None for the cells themselves."""

    factor_x: float
    factor_y: float
    width: int
    height: int
    number: int | None = None


class RasterPart(Part, ABC):
    """A georeferenced grid of one or more bands."""

    @property
    def quantities(self) -> tuple[Quantity, ...]:
        """Return what the numbers of all bands can be turned into."""
        bands = self.facts.grid.bands if self.facts.grid else ()
        if not bands:
            return ()
        every = [[r.quantity for r in band.rescale if r.quantity] for band in bands]
        return tuple(q for q in every[0] if all(q in others for others in every))

    @property
    def value_dtype(self) -> str:
        """Return the type of the values that are read; that of storage unless they are turned into something."""
        assert self.facts.grid is not None
        return self.facts.grid.dtype

    @abstractmethod
    def measured_as(self, quantity: Quantity) -> RasterPart:
        """Return this part with its numbers turned into `quantity`. Raises KeyError for another one."""

    def read(
        self, extent: Extent, shape: tuple[int, int], *, bands: tuple[int, ...] = (1,), smooth: bool = False
    ) -> Grid:
        """Return bands over `extent`, resampled to `shape` (rows, cols) in the CRS of `extent`; see `onto`."""
        return self.onto(Lattice.north_up(extent, shape), bands=bands, smooth=smooth)

    @abstractmethod
    def onto(self, lattice: Lattice, *, bands: tuple[int, ...] = (1,), smooth: bool = False) -> Grid:
        """Return bands resampled to the cells of `lattice`, in its CRS.

        Reads from overviews where they suffice. Each cell of the result has the value at its middle, of the
        nearest cell, or interpolated where `smooth` (for continuous values); a smooth one that is larger
        than those of the file has the mean over its area. Cells without data do not count.
        """

    def native(self, extent: Extent | None = None, *, bands: tuple[int, ...] = (1,)) -> Grid:
        """Return the file's own cells (those that meet `extent`, in the file's CRS) unresampled."""
        lattice = self.facts.lattice
        return self.block(lattice.whole if extent is None else lattice.window_of(extent), bands=bands)

    @abstractmethod
    def block(self, window: CellWindow, *, bands: tuple[int, ...] = (1,)) -> Grid:
        """Return the file's own cells in a window, as they lie in the file. Raises CannotRead."""

    @property
    def stored_in_rows(self) -> bool:
        """Return whether a file holds whole rows rather than tiles, so that it is best read in wide pieces."""
        return False

    @property
    @abstractmethod
    def all_valid(self) -> bool:
        """Return whether the file can have no cell without data: it has no nodata value and no mask."""

    @abstractmethod
    def levels(self, band: int) -> tuple[Level, ...]:
        """Return the grids on which a band is stored: the file's own cells first, then its overviews."""

    @abstractmethod
    def cells(self, band: int, level: Level, window: tuple[int, int, int, int]) -> np.ndarray:
        """Return (rows, cols) float32 cells of a level, NaN without data.

        `window` is first column, first row, last column and last row (not included). Raises CannotRead.
        """


class CloudPart(Part, ABC):
    """Points measured in three dimensions."""

    @abstractmethod
    def read(self, query: PointQuery = ALL_POINTS, report: Callable[[float], None] = lambda share: None) -> Points:
        """Return the points that are asked for. `report` takes the share read and may raise to stop. Raises
        CannotRead."""


@dataclass(frozen=True)
class Dataset:
    """Files that belong together, seen as one thing. `members` are those on the disk, the main one first."""

    ref: DataRef
    format: str
    kind: DataKind
    size_bytes: int
    modified: datetime
    members: tuple[Path, ...]
    parts: tuple[Part, ...] = ()
    warnings: tuple[str, ...] = ()

    @property
    def changed(self) -> datetime | None:
        """When it was changed last; None where its place does not say, as of a table of a database."""
        return self.modified if self.modified.timestamp() > 0 else None

    @property
    def name(self) -> str:
        """The name of the file, as lists show it."""
        return self.ref.name

    def part(self, name: str) -> Part:
        """Return the part called `name`. Raises KeyError."""
        for part in self.parts:
            if part.facts.name == name:
                return part
        raise KeyError(name)

    def part_of(self, ref: DataRef) -> Part:
        """Return the part that a reference means, with its numbers in the quantity that it names. Raises KeyError."""
        part = self.part(ref.part or "")
        if ref.quantity is not None:
            if not isinstance(part, RasterPart):
                raise KeyError(ref.quantity)
            part = part.measured_as(ref.quantity)
        return part if ref.crs is None else part.taken_in(ref.crs)

    def as_json(self) -> dict[str, Any]:
        """Return the dataset as `facts --json` prints it."""
        return {
            "path": str(self.ref),
            "format": self.format,
            "kind": self.kind,
            "size_bytes": self.size_bytes,
            "modified": self.changed.isoformat(timespec="seconds") if self.changed else None,
            "members": [member.name for member in self.members] or [self.ref.name],
            "parts": [part.facts.as_json() for part in self.parts],
            "warnings": list(self.warnings),
        }
