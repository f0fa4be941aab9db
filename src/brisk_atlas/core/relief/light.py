"""Lights over a relief, and where the sun stands."""

from __future__ import annotations

from dataclasses import dataclass
from datetime import UTC, datetime
from math import asin, atan2, cos, degrees, radians, sin

import numpy as np


@dataclass(frozen=True)
class Light:
    """A light from afar: where it stands, `azimuth` degrees clockwise from north and `height` degrees over the horizon,
    how strong it is, 1 for that which lights a slope towards it fully, and whether it casts shadows."""

    azimuth: float = 315.0
    height: float = 40.0
    strength: float = 0.85
    shadows: bool = False

    @property
    def towards(self) -> tuple[float, float, float]:
        """The unit vector towards it: east, north, up."""
        turn, rise = radians(self.azimuth), radians(self.height)
        return sin(turn) * cos(rise), cos(turn) * cos(rise), sin(rise)


@dataclass(frozen=True)
class Lighting:
    """All lights, and how bright everything is where none reaches."""

    lights: tuple[Light, ...] = (Light(315.0, 42.0, 0.8), Light(135.0, 55.0, 0.2))
    ambience: float = 0.34

    @property
    def as_rows(self) -> np.ndarray:
        """(n, 4) float64: the vector towards each light and its strength."""
        return np.array([(*light.towards, light.strength) for light in self.lights], float).reshape(-1, 4)


def sun_at(when: datetime, longitude: float, latitude: float) -> tuple[float, float]:
    """Return the azimuth, degrees clockwise from north, and the height over the horizon, degrees, of the sun's middle
    at a time and a place, without refraction. A time without a zone is in UTC.

    Source: The Astronomical Almanac, low precision formulas for the sun's coordinates (page C5), good to 0.01 degrees
    between 1950 and 2050; sidereal time after Meeus, J. (1998), "Astronomical Algorithms", equation 12.4.
    """
    when = when.replace(tzinfo=UTC) if when.tzinfo is None else when.astimezone(UTC)
    days = (when - datetime(2000, 1, 1, 12, tzinfo=UTC)).total_seconds() / 86_400
    mean_longitude = 280.460 + 0.9856474 * days
    anomaly = radians(357.528 + 0.9856003 * days)
    ecliptic = radians(mean_longitude + 1.915 * sin(anomaly) + 0.020 * sin(2 * anomaly))
    tilt = radians(23.439 - 0.0000004 * days)
    ascension = atan2(cos(tilt) * sin(ecliptic), cos(ecliptic))
    declination = asin(sin(tilt) * sin(ecliptic))
    sidereal = radians(280.46061837 + 360.98564736629 * days + longitude)
    hour, north = sidereal - ascension, radians(latitude)
    height = asin(sin(north) * sin(declination) + cos(north) * cos(declination) * cos(hour))
    azimuth = atan2(-sin(hour), cos(north) * np.tan(declination) - sin(north) * cos(hour))
    return degrees(azimuth) % 360.0, degrees(height)
