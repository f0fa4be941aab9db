"""Values as a column shows them."""

from __future__ import annotations

import datetime
from typing import Any

from brisk_atlas.core.model import ColumnView, number_text

NUMBER_FORMS = {"auto": "as it is", "fixed": "decimals", "percent": "percent", "scientific": "scientific"}
DATE_FORMS = {"auto": "as it is", "iso": "2031-06-24", "day": "24 Jun 2031", "month": "Jun 2031", "year": "2031"}
MISSING = "—"
_DATES = {"iso": "%Y-%m-%d", "day": "%d %b %Y", "month": "%b %Y", "year": "%Y"}


def text_of(value: Any, look: ColumnView) -> str:
    """Return a value as a column with this look shows it; what is missing as a dash."""
    if value is None or value != value:
        return MISSING
    if isinstance(value, bool):
        return number_text(value)
    if isinstance(value, datetime.date | datetime.datetime):
        if look.form in _DATES:
            return value.strftime(_DATES[look.form])
        if isinstance(value, datetime.datetime):
            return value.isoformat(" ", "seconds" if value.second or value.microsecond else "minutes")
        return value.isoformat()
    if hasattr(value, "as_tuple"):  # a decimal
        value = float(value)
    if isinstance(value, int | float):
        return _number(value, look)
    if isinstance(value, bytes):
        return f"{len(value):,} bytes"
    return str(value)


def _number(value: float, look: ColumnView) -> str:
    comma = "," if look.thousands else ""
    if look.form == "fixed":
        return f"{value:{comma}.{look.digits}f}"
    if look.form == "percent":
        return f"{value:{comma}.{look.digits}%}"
    if look.form == "scientific":
        return f"{value:.{look.digits}e}"
    if not look.thousands:
        return number_text(value).replace(",", "")
    return number_text(value)
