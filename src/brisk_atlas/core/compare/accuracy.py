"""How exact the heights of a dataset are, as its metadata record states it."""

from __future__ import annotations

import re

from brisk_atlas.core.place.length_units import METRES_A_UNIT
from brisk_atlas.core.record.model import Record

METRES = ("m", "metre", "metres")  # units of heights, as bands state them
NUMBER = re.compile(r"[-+]?\d+(?:\.\d+)?")
SURE = 1.959964  # standard deviations within which 95 % of normal errors lie


def vertical_accuracy(record: Record) -> float | None:
    """Return the standard error of heights, metres, None where the record states none: of the tests that speak of the
    vertical, the first with a length. A figure for 95 % of the heights is turned into a standard error."""
    for test in record.quality:
        words = f"{test.measure} {test.method} {test.report}".lower()
        number, scale = NUMBER.search(test.value), METRES_A_UNIT.get(test.unit.strip().lower())
        if "vertical" in words and number is not None and scale is not None and float(number[0]) > 0:
            return float(number[0]) * scale / (SURE if "95" in words else 1.0)
    return None
