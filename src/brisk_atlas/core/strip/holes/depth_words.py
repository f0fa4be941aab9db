"""Depths in the names of files and in lines of text."""

from __future__ import annotations

import re
from dataclasses import dataclass

from brisk_atlas.core.place.hole_path import FOOT_M

NUMBER = r"(\d+(?:[.,]\d+)?)"
UNIT = r"(m|ft|feet|metres|meters|')?"
DEPTH = NUMBER + r"\s*" + UNIT
DASH = r"\s*(?:-|–|to|bis)\s*"
RANGE = re.compile(r"(?<![\d.,])(?=" + DEPTH + DASH + DEPTH + r"(?!\d))", re.IGNORECASE)
SINGLE = re.compile(r"(?<![\d.,])" + NUMBER + r"\s*(m|ft|feet|metres|meters)\b", re.IGNORECASE)
LINE = re.compile(r"^\s*(?:@\s*)?" + DEPTH + r"(?:" + DASH + DEPTH + r")?\s*[:;,\t ]\s*(.+)$", re.IGNORECASE)


@dataclass(frozen=True)
class DepthText:
    """A description at a depth or of an interval, metres along the hole."""

    top: float
    base: float
    text: str


def _metres(number: str, unit: str | None) -> float:
    value = float(number.replace(",", "."))
    return value * FOOT_M if unit and unit.lower() in ("ft", "feet", "'") else value


def depths_in_name(name: str) -> tuple[float, float] | None:
    """Return the depths, metres, that a name holds, such as `tg-1_155-160m` or `core_120.5ft`; None where it holds
    none.

    >>> depths_in_name("tg-1_155-160m")
    (155.0, 160.0)
    >>> depths_in_name("box 12 at 30.5 m")
    (30.5, 30.5)
    >>> depths_in_name("overview") is None
    True
    """
    ranges = list(RANGE.finditer(name.replace("_", " ")))
    for match in reversed(ranges):  # the name of the hole may hold numbers too
        a, unit_a, b, unit_b = match.groups()
        unit = unit_b or unit_a
        top, base = _metres(a, unit_a or unit), _metres(b, unit)
        if base != top and (unit or len(ranges) == 1):
            return min(top, base), max(top, base)
    single = list(SINGLE.finditer(name.replace("_", " ")))
    if single:
        depth = _metres(single[-1][1], single[-1][2])
        return depth, depth
    return None


def descriptions_in(text: str) -> tuple[DepthText, ...]:
    """Return the lines of a text that begin with a depth or two, metres, with what is written there; what follows on
    lines without a depth belongs to the one before."""
    found: list[DepthText] = []
    for line in text.splitlines():
        match = LINE.match(line)
        if match is not None:
            a, unit_a, b, unit_b, words = match.groups()
            unit = unit_b or unit_a
            top = _metres(a, unit_a or unit)
            words = re.sub(r"^\s*(m|ft)\s+", "", words)
            found.append(DepthText(top, _metres(b, unit) if b else top, words.strip()))
        elif line.strip() and found:
            found[-1] = DepthText(found[-1].top, found[-1].base, f"{found[-1].text} {line.strip()}")
    return tuple(found)
