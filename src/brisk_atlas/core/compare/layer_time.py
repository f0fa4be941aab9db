"""When the data of a layer was taken: as its scene or file states it, else by a date in its name or its record."""

from __future__ import annotations

import re
from datetime import UTC, date, datetime, timedelta
from typing import NamedTuple

from brisk_atlas.core.model import Facts

STATED = ("acquired", "date acquired", "datetime")  # notes of scenes
YEARS = range(1850, 2200)  # a number of four digits outside is no year
APART = r"[-_. ]?"
PATTERNS = (  # the most exact first
    re.compile(rf"(?<!\d)(\d{{4}}){APART}(\d{{2}}){APART}(\d{{2}})[T_ -]?(\d{{2}}):?(\d{{2}}):?(\d{{2}})?(?!\d)"),
    re.compile(rf"(?<!\d)(\d{{4}}){APART}(\d{{2}}){APART}(\d{{2}})(?!\d)"),
    re.compile(r"(?<!\d)(\d{4})(\d{3})(?!\d)"),  # a year and a day of it
    re.compile(r"(?<!\d)(\d{4})[-_.](\d{2})(?!\d)"),
    re.compile(r"(?<!\d)(\d{4})(?!\d)"),
)
DAY_OF_YEAR = PATTERNS[2]


class LayerTime(NamedTuple):
    """When something was taken: `seconds` since 1970-01-01 00:00 of its beginning, and the text as exact as it is."""

    seconds: float
    text: str


def time_in(words: str) -> LayerTime | None:
    """Return the first time that a name holds, None for none.

    >>> time_in("tide_20310624T1030.tif").text, time_in("elevation_2029").text, time_in("run 12345678")
    ('2031-06-24 10:30', '2029', None)
    """
    for pattern in PATTERNS:
        for found in pattern.finditer(words):
            year, *rest = (int(each) for each in found.groups() if each is not None)
            if year not in YEARS:
                continue
            try:
                if pattern is DAY_OF_YEAR:
                    if not 1 <= rest[0] <= 366:
                        continue
                    day = date(year, 1, 1) + timedelta(days=rest[0] - 1)
                    return _time(datetime(day.year, day.month, day.day, tzinfo=UTC), "%Y-%m-%d")
                whole = [*rest[:2], *[1] * (2 - len(rest))] if len(rest) < 2 else rest
                shown = ("%Y", "%Y-%m", "%Y-%m-%d", "", "%Y-%m-%d %H:%M", "%Y-%m-%d %H:%M:%S")[len(rest)]
                return _time(datetime(year, *whole, tzinfo=UTC), shown)  # type: ignore[misc, arg-type]
            except ValueError:  # no such day
                continue
    return None


def _time(moment: datetime, shown: str) -> LayerTime:
    text = f"{moment.year:04d}{moment.strftime(shown.removeprefix('%Y'))}"
    return LayerTime(moment.timestamp(), text)


def layer_time(name: str, facts: Facts | None, recorded: LayerTime | None = None) -> LayerTime | None:
    """Return when the data of a layer was taken: as its source states it, else by a date in its name, else as its
    record states it; None where none of them does. A record that is more exact than the name, and agrees with it,
    comes before the name."""
    stated = next((facts.notes[key] for key in STATED if facts.notes.get(key)), "") if facts is not None else ""
    named = time_in(name) or (time_in(facts.name) if facts is not None else None)
    if recorded is not None and (named is None or recorded.text.startswith(named.text)):
        named = recorded
    return time_in(stated) or named
