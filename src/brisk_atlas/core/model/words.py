"""Numbers and names as a person reads them."""

from __future__ import annotations

from collections.abc import Collection, Sequence
from datetime import date, datetime
from itertools import chain, count
from typing import Any

from .date_words import day_text, moment_text
from .digit_groups import grouped
from .language import tr, trn

SMALLEST_PLAIN, LARGEST_PLAIN = 1e-5, 1e15  # numbers below or from there on are written with an exponent


def size_text(size: int) -> str:
    """Return a file size as a person reads it."""
    if size < 1000:
        return trn("{count} byte", "{count} bytes", size)
    value = float(size)
    for unit in ("kB", "MB", "GB", "TB"):
        value /= 1000
        if value < 999.5 or unit == "TB":
            break
    return f"{value:.3g} {unit}"


def is_year(name: str) -> bool:
    """Return whether a field of that name holds years, which are written without separators.

    >>> is_year("Year built"), is_year("volume_m3")
    (True, False)
    """
    return "year" in name.lower()


def number_text(value: Any, *, in_groups: bool = True) -> str:
    """Return a value as a person reads it; unknown is stated, not left blank."""
    comma = "," if in_groups else ""
    if hasattr(value, "item"):
        value = value.item()
    if value is None or value != value:
        return tr("unknown")
    if isinstance(value, bool):
        return tr("yes") if value else tr("no")
    if isinstance(value, int):
        return grouped(value, comma) if abs(value) >= 10_000 else str(value)
    if isinstance(value, float):
        if abs(value) >= LARGEST_PLAIN or 0 < abs(value) < SMALLEST_PLAIN:
            return f"{value:.6g}"
        digits = 2 if abs(value) >= 100 else 3 if abs(value) >= 1 else 5
        text = grouped(value, f"{comma}.{digits}f")
        return text.rstrip("0").rstrip(".") if "." in text else text
    if isinstance(value, date):
        return moment_text(value) if isinstance(value, datetime) else day_text(value)
    return str(value)


def unique_names(names: Sequence[str], what: str = "field") -> list[str]:
    """Return names of which none is empty, or the same as another in another case, as a table needs them: "a", "a 2",
    "field 3"."""
    used, found = set[str](), list[str]()
    first = {name.casefold() for name in names}
    for at, name in enumerate(names):
        apart = plain = (name.strip("\0 ") and name) or f"{what} {at + 1}"
        turn = 2
        while apart.casefold() in used or (apart != name and apart.casefold() in first):
            apart, turn = f"{plain} {turn}", turn + 1
        used.add(apart.casefold())
        found.append(apart)
    return found


def free_name(name: str, taken: Collection[str], between: str = "_") -> str:
    """Return a name that is not taken: itself, else with a number behind.

    >>> free_name("bbox", ["id", "bbox"])
    'bbox_2'
    """
    return next(each for each in chain([name], (f"{name}{between}{n}" for n in count(2))) if each not in taken)


def file_name_of(text: str) -> str:
    """Return a text as it can stand in the name of a file.

    >>> file_name_of("ash, 2031/06")
    'ash__2031_06'
    """
    return "".join(c if c.isalnum() or c in "-_" else "_" for c in text)[:60]
