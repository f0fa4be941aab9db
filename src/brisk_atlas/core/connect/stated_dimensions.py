"""Times, heights and whatever else a service draws its layers at: lists and ranges of values (OGC 06-042, annexes C
and D), with times as ISO 8601 writes them."""

from __future__ import annotations

import calendar
import re
from collections.abc import Iterator, Sequence
from dataclasses import dataclass
from datetime import UTC, datetime, timedelta
from math import isfinite

from brisk_atlas.core.model import GridDimension, number_text

MAX_PLACES = 5_000  # along one dimension; the last ones, where there are more
TIME_UNITS = ("iso8601", "iso 8601", "time")
_PERIOD = re.compile(
    r"P(?:(\d+)Y)?(?:(\d+)M)?(?:(\d+)W)?(?:(\d+)D)?(?:T(?:(\d+)H)?(?:(\d+)M)?(?:(\d+(?:\.\d+)?)S)?)?$", re.IGNORECASE
)
_SHORT = re.compile(r"(\d{4})(?:-(\d{2}))?$")


@dataclass(frozen=True)
class StatedDimension:
    """A dimension of a layer that a service draws.

    setting : what it is called in a question
    names : what each of its places is called there
    usual : the place that the service shows unasked
    is_cut : whether there are places before the first of these
    """

    dimension: GridDimension
    setting: str
    names: tuple[str, ...]
    usual: int = 0
    is_cut: bool = False


def stated_dimension(
    name: str, setting: str, stated: Sequence[str], unit: str, usual: str, now: datetime | None = None
) -> StatedDimension | None:
    """Return a dimension from the values that are stated of it, each a value or `first/last/step`; None without any
    that is understood. `usual` is the value that is shown unasked, "" for one that is not stated."""
    wanted = [text.strip() for text in stated if text.strip()]
    is_time = name.lower() == "time" or unit.lower() in TIME_UNITS
    found: dict[str, float] = {}
    for text in wanted:
        for place, value in _times(text, now or datetime.now(UTC)) if is_time else _numbers(text):
            found.setdefault(place, value)
    if not found and not is_time:  # named places, such as of a scenario
        found = {text: float(place) for place, text in enumerate(wanted)}
    if not found:
        return None
    is_cut = len(found) > MAX_PLACES
    names = tuple(found)[-MAX_PLACES:]
    values = tuple(found.values())[-MAX_PLACES:]
    numbered = all(re.fullmatch(r"[-+\d.eE]+", name) for name in names)
    shown = _time_texts(values) if is_time else tuple(map(number_text, values)) if numbered else names
    dimension = GridDimension(name, values, shown, "" if is_time else unit, values if is_time else ())
    return StatedDimension(dimension, setting, names, _place_of(usual, names, values, is_time=is_time), is_cut)


def _place_of(usual: str, names: Sequence[str], values: Sequence[float], *, is_time: bool) -> int:
    if usual in names:
        return names.index(usual)
    if is_time:
        when = _moment(usual)
        last = max(range(len(values)), key=values.__getitem__)
        return last if when is None else min(range(len(values)), key=lambda i: abs(values[i] - when.timestamp()))
    try:
        return values.index(float(usual))
    except ValueError:
        return 0


def _numbers(text: str) -> Iterator[tuple[str, float]]:
    """Yield the values of a text: itself, or those of a range; none of a text that is no number."""
    ends = text.split("/")
    try:
        numbers = [float(each) for each in ends]
    except ValueError:
        return
    if not all(map(isfinite, numbers)):
        return
    if len(numbers) == 3 and numbers[2] > 0 and numbers[1] >= numbers[0]:
        count = int(min((numbers[1] - numbers[0]) / numbers[2] + 1e-9, 10 * MAX_PLACES)) + 1
        for place in range(count):
            value = round(numbers[0] + place * numbers[2], 9)
            yield f"{value:.9g}", value
    elif len(numbers) == 1:
        yield text, numbers[0]
    else:  # a range without steps: its ends
        yield from zip(ends[:2], numbers[:2])


def _times(text: str, now: datetime) -> Iterator[tuple[str, float]]:
    ends = text.split("/")
    moments = [now if each.lower() in ("current", "present", "now") else _moment(each) for each in ends[:2]]
    if len(ends) == 1:
        if moments[0] is not None:
            yield text, moments[0].timestamp()
        return
    first, last = moments[0], moments[1]
    if first is None or last is None:
        return
    step = _PERIOD.match(ends[2].strip()) if len(ends) == 3 else None
    months, span = _span(step) if step is not None else (0, timedelta())
    if step is None or not (months or span):  # any moment between: its ends
        for each, moment in zip(ends[:2], (first, last)):
            yield each, moment.timestamp()
        return
    by_day = len(ends[0]) <= len("2031-01-01") and not any(step.groups()[4:])
    begin = 0 if months else max(0, int((last - first) / span) - 2 * MAX_PLACES)  # the last ones of very many
    for number in range(begin, begin + 3 * MAX_PLACES):
        try:
            here = _later(first, number * months, number * span)
        except OverflowError:  # beyond all years
            return
        if here > last:
            return
        yield _written(here, by_day=by_day), here.timestamp()


def _span(step: re.Match[str]) -> tuple[int, timedelta]:
    """Return a period as months, and the rest; nothing for one that is longer than all years."""
    years, months, weeks, days, hours, minutes = (int(step[number] or 0) for number in range(1, 7))
    try:
        rest = timedelta(weeks=weeks, days=days, hours=hours, minutes=minutes, seconds=float(step[7] or 0))
    except OverflowError:
        return 0, timedelta()
    return 12 * years + months, rest


def _later(first: datetime, months: int, span: timedelta) -> datetime:
    year, month = divmod(first.month - 1 + months, 12)
    year = min(first.year + year, 9998)
    day = min(first.day, calendar.monthrange(year, month + 1)[1])
    return first.replace(year=year, month=month + 1, day=day) + span


def _written(moment: datetime, *, by_day: bool) -> str:
    """Return a time as a range of it is written: to the day, or to the second."""
    if by_day:
        return moment.strftime("%Y-%m-%d")
    text = moment.strftime("%Y-%m-%dT%H:%M:%S")
    return f"{text}.{moment.microsecond // 1000:03d}Z" if moment.microsecond else f"{text}Z"


def _moment(text: str) -> datetime | None:
    """Return the time that a text states, in UTC where it names no zone; None for another text."""
    text = text.strip()
    short = _SHORT.match(text)
    try:
        found = datetime(int(short[1]), int(short[2] or 1), 1) if short else datetime.fromisoformat(text)
    except ValueError:
        return None
    return found.astimezone(UTC) if found.tzinfo else found.replace(tzinfo=UTC)


def _time_texts(seconds: Sequence[float]) -> tuple[str, ...]:
    moments = [datetime.fromtimestamp(each, UTC) for each in seconds]
    if all((m.hour, m.minute, m.second) == (0, 0, 0) for m in moments):
        return tuple(m.strftime("%Y-%m-%d") for m in moments)
    seconds_too = any(m.second for m in moments)
    return tuple(m.strftime("%Y-%m-%d %H:%M:%S" if seconds_too else "%Y-%m-%d %H:%M") for m in moments)
