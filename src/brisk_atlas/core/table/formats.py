"""Values as a column shows them."""

from __future__ import annotations

import datetime
from collections.abc import Iterable, Sequence
from typing import Any

from brisk_atlas.core.model import ColumnView, number_text
from brisk_atlas.core.model.date_words import DateForm, day_text, moment_text, month_text
from brisk_atlas.core.model.digit_groups import grouped
from brisk_atlas.core.model.language import tr
from brisk_atlas.core.model.words import LARGEST_PLAIN, SMALLEST_PLAIN

NUMBER_FORMS = {
    "auto": tr("as it is"), "fixed": tr("decimals"), "percent": tr("percent"), "scientific": tr("scientific"),
}  # fmt: skip
_SAMPLE = datetime.date(2031, 6, 24)
DATE_FORMS = {
    "auto": tr("as in the settings"), "iso": day_text(_SAMPLE, DateForm.ISO),
    "day": day_text(_SAMPLE, DateForm.DAY_FIRST), "month": month_text(2031, 6), "year": "2031",
}  # fmt: skip
MISSING = "—"


def decimals_of(values: Iterable[Any]) -> int:
    """Return how many decimals the numbers of a column need to stand with the same, each as exact as it is alone.

    >>> decimals_of([3.46, 44.0, None]), decimals_of([7.0, 12]), decimals_of([1e-9, "text"])
    (2, 0, 0)
    """
    plain = (number_text(value, in_groups=False) for value in values if _is_plain(value))
    return max((len(text.partition(".")[2]) for text in plain), default=0)


def decimals_together(values: Sequence[float]) -> int:
    """Return how many decimals a few numbers of one kind get: as many as the largest of them needs, at most 5.

    >>> decimals_together([90.375, 144.69]), decimals_together([3.0, 12.0]), decimals_together([0.0123, 0.4])
    (2, 0, 4)
    """
    largest = max(map(abs, values), default=0.0)
    places = 2 if largest >= 100 else 3 if largest >= 1 else 5
    return decimals_of([round(float(value), places) for value in values])


def _is_plain(value: Any) -> bool:
    """Return whether a value is a number that is written with decimals, neither whole nor with an exponent."""
    return isinstance(value, float) and (value == 0 or SMALLEST_PLAIN <= abs(value) < LARGEST_PLAIN)


def text_of(value: Any, look: ColumnView, decimals: int | None = None) -> str:
    """Return a value as a column with this look shows it; what is missing as a dash. `decimals` are those of its
    column, by `decimals_of`, where the look states none."""
    if value is None or value != value:
        return MISSING
    if isinstance(value, bool):
        return number_text(value)
    if isinstance(value, datetime.date):
        return _date(value, look.form)
    if hasattr(value, "as_tuple"):  # a decimal
        value = float(value)
    if isinstance(value, int | float):
        return _number(value, look, decimals)
    if isinstance(value, bytes):
        return f"{grouped(len(value))} bytes"
    return str(value)


def _date(value: datetime.date, form: str) -> str:
    match form:
        case "iso":
            return day_text(value, DateForm.ISO)
        case "day":
            return day_text(value, DateForm.DAY_FIRST)
        case "month":
            return month_text(value.year, value.month)
        case "year":
            return f"{value.year:04}"
    return moment_text(value) if isinstance(value, datetime.datetime) else day_text(value)


def _number(value: float, look: ColumnView, decimals: int | None) -> str:
    comma = "," if look.thousands else ""
    if look.form == "fixed":
        return grouped(value, f"{comma}.{look.digits}f")
    if look.form == "percent":
        return grouped(value, f"{comma}.{look.digits}%")
    if look.form == "scientific":
        return f"{value:.{look.digits}e}"
    if decimals is not None and _is_plain(value):
        return grouped(value, f"{comma}.{decimals}f")
    return number_text(value, in_groups=look.thousands)
