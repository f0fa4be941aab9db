"""Boreholes and what belongs to each: as values, before anything of it is read."""

from __future__ import annotations

from dataclasses import dataclass
from functools import cached_property

import numpy as np

from brisk_atlas.core.inspect.hole_tables import plain
from brisk_atlas.core.model import DataRef
from brisk_atlas.core.model.hole_choices import HoleTable
from brisk_atlas.core.place.hole_path import HolePath, straight

NEARLY_ALL = (0.5, 99.5)  # percent of the values that lie between the ends of a scale


@dataclass(frozen=True)
class CorePicture:
    """A photograph of core, from one depth to another, metres along the hole."""

    ref: DataRef
    top: float
    base: float


@dataclass(frozen=True, eq=False)
class Hole:
    """A borehole. xy : its collar in `crs`, None where none is stated; elevation : metres, None where none is stated;
    length : metres along it, None; path : where it runs; facts : of its collar, by field; row : that of the layer of
    collars, None for a hole that only a log names; pictures, texts, and logs : what lies beside, texts as whole
    files."""

    name: str
    layer_id: str
    row: int | None
    xy: tuple[float, float] | None
    crs: str | None
    elevation: float | None
    length: float | None
    path: HolePath | None
    facts: tuple[tuple[str, str], ...] = ()
    tables: tuple[HoleTable, ...] = ()
    pictures: tuple[CorePicture, ...] = ()
    texts: tuple[DataRef, ...] = ()
    logged: tuple[str, ...] = ()

    @property
    def way(self) -> HolePath:
        """Where it runs: straight down where nothing else is stated."""
        return self.path if self.path is not None else straight(self.length or 1.0)

    @property
    def deviates(self) -> bool:
        """Whether it runs other than straight down."""
        return self.path is not None and bool((self.path.inclination > 0.01).any())

    def has(self) -> tuple[str, ...]:
        """Return in words what there is of it besides its collar."""
        roles = dict.fromkeys(str(table.role) for table in self.tables)
        found = [*roles, *(["descriptions"] if self.texts else []), *(["photographs"] if self.pictures else [])]
        return tuple(found)


@dataclass(frozen=True, eq=False)
class HoleSet:
    """The holes of a layer of collars, or of logs that are open; `tables` are all that were looked at, with why each
    was recognised as what it is, `remarks` what could not be read."""

    holes: tuple[Hole, ...]
    tables: tuple[HoleTable, ...] = ()
    remarks: tuple[str, ...] = ()

    def __len__(self) -> int:
        return len(self.holes)

    def named(self, name: str) -> int | None:
        """Return the number of a hole, whatever the case and the signs between."""
        wanted = plain(name)
        return next((n for n, hole in enumerate(self.holes) if plain(hole.name) == wanted), None)


@dataclass(frozen=True, eq=False)
class HoleCurve:
    """A quantity over depth. values : (n,) float64, NaN for none; texts : (n,) in their place where it has words;
    sampled : whether its values are of single places, with nothing known in between."""

    name: str
    unit: str
    about: str
    depth: np.ndarray
    values: np.ndarray
    category: str
    source: str
    texts: tuple[str | None, ...] | None = None
    sampled: bool = False

    @cached_property
    def linear_ends(self) -> tuple[float, float]:
        """Round numbers around nearly all of its values."""
        known = self.values[np.isfinite(self.values)]
        if not known.size:
            return 0.0, 1.0
        low, high = (float(v) for v in np.percentile(known, NEARLY_ALL))
        step = 10.0 ** np.floor(np.log10(max(high - low, abs(high) * 1e-3, 1e-9))) / 2
        low, high = float(np.floor(low / step) * step), float(np.ceil(high / step) * step)
        return low, high if high > low else low + step

    @cached_property
    def logarithmic_ends(self) -> tuple[float, float]:
        """Powers of ten around nearly all of its values above 0."""
        known = self.values[self.values > 0]
        if not known.size:
            return 1.0, 10.0
        low, high = np.log10(np.percentile(known, NEARLY_ALL))
        low, high = float(10.0 ** np.floor(low)), float(10.0 ** np.ceil(high))
        return low, high if high > low else low * 10.0


@dataclass(frozen=True, eq=False)
class HoleIntervals:
    """A field over intervals of depth, metres along the hole. values : (n,) texts or numbers, None for none."""

    name: str
    unit: str
    top: np.ndarray
    base: np.ndarray
    values: tuple[str | float | None, ...]
    source: str

    @property
    def is_text(self) -> bool:
        """Whether its values are words."""
        return any(isinstance(value, str) for value in self.values)
