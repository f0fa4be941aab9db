"""A dimension of a grid beside its rows and columns: time, depth, members of an ensemble."""

from __future__ import annotations

from collections.abc import Sequence
from dataclasses import dataclass
from math import prod


@dataclass(frozen=True)
class GridDimension:
    """Where the bands of a grid lie along one more axis.

    values : coordinates as stored; texts : as shown, without the unit; unit : of the values, empty for times
    seconds : for times, seconds since 1970-01-01 00:00 of the date as it reads, whatever its calendar; else empty
    """

    name: str
    values: tuple[float, ...]
    texts: tuple[str, ...]
    unit: str = ""
    seconds: tuple[float, ...] = ()

    def __len__(self) -> int:
        return len(self.values)

    @property
    def is_time(self) -> bool:
        """Whether its coordinates are times."""
        return bool(self.seconds)

    def shown(self, place: int) -> str:
        """Return a coordinate as text with its unit."""
        return f"{self.texts[place]} {self.unit}".strip()

    def nearest_time(self, seconds: float) -> int:
        """Return the place of the time nearest to one."""
        return min(range(len(self)), key=lambda place: abs(self.seconds[place] - seconds))


def places_of(dimensions: Sequence[GridDimension], band: int) -> tuple[int, ...]:
    """Return where a band (from 1) lies along each dimension; the last dimension runs fastest.

    >>> places_of((GridDimension("time", (0.0, 1.0), ("0", "1")), GridDimension("depth", (5.0, 9.0), ("5", "9"))), 3)
    (1, 0)
    """
    rest, places = band - 1, []
    for dimension in reversed(dimensions):
        rest, place = divmod(rest, len(dimension))
        places.append(place)
    return tuple(reversed(places))


def band_at(dimensions: Sequence[GridDimension], places: Sequence[int]) -> int:
    """Return the band (from 1) that lies at a place along each dimension; the inverse of `places_of`."""
    band = 0
    for dimension, place in zip(dimensions, places):
        band = band * len(dimension) + place
    return band + 1


def bands_along(dimensions: Sequence[GridDimension], band: int, which: int) -> list[int]:
    """Return the bands along one dimension through a band."""
    places = list(places_of(dimensions, band))
    return [band_at(dimensions, [*places[:which], at, *places[which + 1 :]]) for at in range(len(dimensions[which]))]


def count_of(dimensions: Sequence[GridDimension]) -> int:
    """Return how many bands dimensions make."""
    return prod(len(dimension) for dimension in dimensions)
