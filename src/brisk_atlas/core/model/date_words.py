"""Days and times as the reader chose to have them written; what is exchanged, typed and copied stays in ISO 8601.

No form has the month as a number between two others: 04/06/2031 is April to some readers and June to others.
"""

from __future__ import annotations

import os
import re
from datetime import date, datetime
from enum import StrEnum

from .language import tr

CHOICE = "BRISK_ATLAS_DATES"
_ISO = re.compile(r"(\d{4})-(\d{2})(?:-(\d{2}))?(?:[ T](\d{2}:\d{2}.*))?")


class DateForm(StrEnum):
    """How a day is written."""

    ISO = "iso"
    DAY_FIRST = "day"
    MONTH_FIRST = "month"
    POINTS = "points"


_chosen = DateForm(os.environ[CHOICE]) if os.environ.get(CHOICE) in list(DateForm) else DateForm.ISO


def use_date_form(form: DateForm) -> None:
    """Write days so from now on, here and in processes that begin from now on."""
    global _chosen
    os.environ[CHOICE] = form.value
    _chosen = form


def month_name(month: int) -> str:
    """Return the short name of a month, 1 to 12.

    >>> month_name(6)
    'Jun'
    """
    return tr("Jan Feb Mar Apr May Jun Jul Aug Sep Oct Nov Dec").split()[month - 1]


def month_text(year: int, month: int) -> str:
    """Return a month of a year.

    >>> month_text(2031, 6)
    'Jun 2031'
    """
    of = f"{year:04}"
    return tr("{month} {year}", month=month_name(month), year=of)


def day_text(day: date, form: DateForm | None = None) -> str:
    """Return a day, the time left out, in a form or in the one in use.

    >>> [day_text(date(2031, 6, 4), form) for form in DateForm]
    ['2031-06-04', '4 Jun 2031', 'Jun 4, 2031', '04.06.2031']
    """
    year = f"{day.year:04}"
    match form or _chosen:
        case DateForm.ISO:
            return f"{year}-{day.month:02}-{day.day:02}"
        case DateForm.DAY_FIRST:
            return tr("{day} {month} {year}", day=day.day, month=month_name(day.month), year=year)
        case DateForm.MONTH_FIRST:
            return tr("{month} {day}, {year}", day=day.day, month=month_name(day.month), year=year)
        case DateForm.POINTS:
            return f"{day.day:02}.{day.month:02}.{year}"


def moment_text(moment: datetime) -> str:
    """Return a day and its time as exact as they are.

    >>> moment_text(datetime(2031, 6, 4, 9, 30)), moment_text(datetime(2031, 6, 4, 9, 30, 5))
    ('2031-06-04 09:30', '2031-06-04 09:30:05')
    """
    exact = "seconds" if moment.second or moment.microsecond else "minutes"
    return f"{day_text(moment)} {moment.timetz().isoformat(exact)}"


def dated(text: str) -> str:
    """Return a text that is a month, a day or a time in ISO 8601 in the form in use, any other as it is.

    >>> dated("2031-06-04 09:30"), dated("2031"), dated("no date")
    ('2031-06-04 09:30', '2031', 'no date')
    """
    found = _ISO.fullmatch(text) if _chosen is not DateForm.ISO else None
    if found is None or not 1 <= int(found[2]) <= 12:
        return text
    if found[3] is None:
        return f"{found[2]}.{found[1]}" if _chosen is DateForm.POINTS else month_text(int(found[1]), int(found[2]))
    try:
        day = day_text(date(int(found[1]), int(found[2]), int(found[3])))
    except ValueError:  # no such day
        return text
    return f"{day} {found[4]}" if found[4] else day
