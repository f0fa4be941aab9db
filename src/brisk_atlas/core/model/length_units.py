"""Lengths and areas that were measured on the ground, in the units that the reader chose.

What data says of itself stays in the data's own units; only what is measured here, in metres, is worded anew.
"""

from __future__ import annotations

from enum import StrEnum
from math import floor, isfinite, log10
from typing import NamedTuple

from .digit_groups import grouped
from .language import tr

FOOT_M, MILE_M, NAUTICAL_MILE_M = 0.3048, 1609.344, 1852.0  # the international foot and mile, the nautical mile
ACRE_M2 = MILE_M**2 / 640


class LengthUnits(StrEnum):
    """What lengths and areas are worded in."""

    METRIC = "metric"
    HECTARES = "hectares"
    FEET = "feet"
    NAUTICAL = "nautical"

    @property
    def words(self) -> str:
        """The units as a person chooses them."""
        return {
            LengthUnits.METRIC: tr("metres, kilometres, km²"),
            LengthUnits.HECTARES: tr("metres, kilometres, hectares"),
            LengthUnits.FEET: tr("feet, miles, acres"),
            LengthUnits.NAUTICAL: tr("metres, nautical miles, km²"),
        }[self]


class _Unit(NamedTuple):
    """A unit of `size` metres or square metres, used from `at_least` metres on; `digits` follow the point."""

    name: str
    size: float
    at_least: float
    digits: int


_METRES = _Unit("m", 1, 0, 2)
_SQUARE_METRES, _SQUARE_KM = _Unit("m²", 1, 0, 1), _Unit("km²", 1e6, 1e6, 4)
_LENGTHS = {
    LengthUnits.METRIC: (_METRES, _Unit("km", 1000, 10_000, 3)),
    LengthUnits.HECTARES: (_METRES, _Unit("km", 1000, 10_000, 3)),
    LengthUnits.FEET: (_Unit("ft", FOOT_M, 0, 2), _Unit("mi", MILE_M, 5 * MILE_M, 3)),
    LengthUnits.NAUTICAL: (_METRES, _Unit("NM", NAUTICAL_MILE_M, 2 * NAUTICAL_MILE_M, 3)),
}
_AREAS = {
    LengthUnits.METRIC: (_SQUARE_METRES, _SQUARE_KM),
    LengthUnits.HECTARES: (_SQUARE_METRES, _Unit("ha", 1e4, 1e4, 4), _Unit("km²", 1e6, 1e8, 4)),
    LengthUnits.FEET: (
        _Unit("ft²", FOOT_M**2, 0, 1),
        _Unit("acres", ACRE_M2, ACRE_M2, 3),
        _Unit("mi²", MILE_M**2, 10 * MILE_M**2, 4),
    ),
    LengthUnits.NAUTICAL: (_SQUARE_METRES, _SQUARE_KM),
}
_BARS = {
    LengthUnits.METRIC: (("cm", 0.01), ("m", 1.0), ("km", 1000.0)),
    LengthUnits.HECTARES: (("cm", 0.01), ("m", 1.0), ("km", 1000.0)),
    LengthUnits.FEET: (("in", FOOT_M / 12), ("ft", FOOT_M), ("mi", MILE_M)),
    LengthUnits.NAUTICAL: (("cm", 0.01), ("m", 1.0), ("NM", NAUTICAL_MILE_M)),
}
_chosen = LengthUnits.METRIC


def use_length_units(units: LengthUnits) -> None:
    """Word lengths and areas so from now on, in the whole application."""
    global _chosen
    _chosen = units


def length_units() -> LengthUnits:
    """Return the units in use."""
    return _chosen


def length_text(value: float, unit: str = "m") -> str:
    """Return a length with its unit. Metres are worded in the units in use, a larger one where they are many;
    another unit, of a plane that is not in metres, stays as it is."""
    if not isfinite(value):
        return "unknown"
    return _worded(value, _LENGTHS[_chosen]) if unit == "m" else f"{grouped(value, ',.2f')} {unit}".strip()


def area_text(value: float, unit: str = "m") -> str:
    """Return an area with its unit, `value` in square `unit`; square metres as `length_text` words metres."""
    if not isfinite(value):
        return "unknown"
    return (
        _worded(value, _AREAS[_chosen])
        if unit == "m"
        else f"{grouped(value, ',.1f')} {unit + '²' if unit else ''}".strip()
    )


def rough_length_text(metres: float) -> str:
    """Return a length to three digits, as of an extent.

    >>> rough_length_text(12_345), rough_length_text(250)
    ('12.3 km', '250 m')
    """
    name, size = _bar_unit(metres)
    amount = metres / size
    return f"{grouped(amount, ',.0f')} {name}" if abs(amount) >= 100 else f"{grouped(amount, ',.3g')} {name}"


def round_length(longest: float) -> tuple[float, str]:
    """Return the longest round length of at most `longest` metres (above 0): in metres, and worded."""
    name, size = _bar_unit(longest)
    step = round_step(longest / size)
    return step * size, f"{step:g} {name}"


def round_step(longest: float) -> float:
    """Return the longest of 1, 2 and 5 times a power of ten."""
    step = 10 ** floor(log10(longest))
    return next(n * step for n in (5, 2, 1) if n * step <= longest)


def _bar_unit(metres: float) -> tuple[str, float]:
    """Return the largest unit of which the length has one or more, and its metres."""
    units = _BARS[_chosen]
    return next((each for each in reversed(units) if abs(metres) >= each[1]), units[0])


def _worded(value: float, units: tuple[_Unit, ...]) -> str:
    unit = next(each for each in reversed(units) if abs(value) >= each.at_least)
    return f"{grouped(value / unit.size, f',.{unit.digits}f')} {unit.name}"
