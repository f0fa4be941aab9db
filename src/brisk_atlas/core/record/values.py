"""What may be typed: dates, e-mail addresses, links, numbers, codes, each with what is wrong with it in words."""

from __future__ import annotations

import re
import tomllib
from collections.abc import Callable
from datetime import date
from functools import cache
from pathlib import Path
from typing import Any

from brisk_atlas.core.model.digit_groups import grouped, typed_number
from brisk_atlas.core.model.language import tr

from .elements import Element
from .model import CODE, DATE, EMAIL, INTEGER, LINK, NUMBER

_DAY = re.compile(r"(-?\d{4})(?:-(\d\d)(?:-(\d\d))?)?(T\d\d:\d\d(?::\d\d(?:\.\d+)?)?(?:Z|[+-]\d\d:?\d\d)?)?$")
_EMAIL = re.compile(r"[^@\s,;<>]+@[^@\s,;<>.]+(\.[^@\s,;<>.]+)+$")
_LINK = re.compile(r"(https?|ftp|s3|urn|doi|file|mailto):\S+$", re.IGNORECASE)
_FILE = re.compile(r"[^\s:*?<>|]+\.\w{1,8}$")  # a file beside the record
_NOW = ("present", "now", "after", "before", "unpublished material")  # words that FGDC and GML have for dates


@cache
def code_lists() -> dict[str, dict[str, str]]:
    """Return the code lists: the meaning of each code, by the name of the list."""
    content = tomllib.loads((Path(__file__).parent / "code_lists.toml").read_text("utf-8"))
    return {name: codes for name, codes in content.items() if isinstance(codes, dict)}


@cache
def open_lists() -> frozenset[str]:
    """Return the code lists that a profile may add to."""
    content = tomllib.loads((Path(__file__).parent / "code_lists.toml").read_text("utf-8"))
    return frozenset(content["open"])


def meaning_of(codes: str, value: str) -> str:
    """Return what a code means in plain words of the language in use, the code itself where it is not known."""
    meaning = code_lists().get(codes, {}).get(value)
    return value if meaning is None else tr(meaning)


def wrong_with(element: Element, value: Any) -> str:
    """Return what is wrong with a value of an element, "" if nothing is."""
    if value is None or value == "":
        return ""
    check: Callable[[str], str] | None = _CHECKS.get(element.kind)
    if check is not None:
        return check(str(value))
    if element.kind == CODE and element.codes:
        known = code_lists().get(element.codes, {})
        if value not in known:
            return f"'{value}' is not in the code list"
    if element.id in _LIMITS and isinstance(value, int | float):
        low, high = _LIMITS[element.id]
        if not low <= value <= high:
            return f"{value:g} is not between {low} and {high}"
    return ""


_LIMITS = {
    "boxes.west": (-180, 180),
    "boxes.east": (-180, 180),
    "boxes.south": (-90, 90),
    "boxes.north": (-90, 90),
    "scales": (1, 10**9),
}


@cache
def _wrong_day(text: str) -> str:
    if text.casefold() in _NOW:
        return ""
    found = _DAY.match(text)
    if not found:
        return f"'{text}' is no date; write 2031-06-24, 2031-06 or 2031"
    year, month, day = int(found[1]), int(found[2] or 1), int(found[3] or 1)
    try:
        date(max(1, min(year, 9999)), month, day)
    except ValueError:
        return f"there is no day {text[:10]}"
    return "" if found[4] is None or found[3] else f"'{text}' is no date; write 2031-06-24, 2031-06 or 2031"


def _wrong_email(text: str) -> str:
    return "" if _EMAIL.match(text) else f"'{text}' is no e-mail address"


def _wrong_link(text: str) -> str:
    return (
        ""
        if _LINK.match(text) or _FILE.match(text)
        else f"'{text}' is no link; it should begin with https:// or the like"
    )


_CHECKS: dict[str, Callable[[str], str]] = {DATE: _wrong_day, EMAIL: _wrong_email, LINK: _wrong_link}


def typed(element: Element, text: str) -> Any:
    """Return the value that a typed text is. Raises ValueError with what is wrong in words."""
    reason = text.strip()
    if not reason:
        return None if element.kind in (INTEGER, NUMBER) else ""
    if element.kind in (INTEGER, NUMBER):
        plain = typed_number(reason)
        try:
            value: Any = int(plain) if element.kind == INTEGER else float(plain)
        except ValueError:
            kind = "whole number" if element.kind == INTEGER else "number"
            raise ValueError(f"'{reason}' is no {kind}") from None
        if value - value != 0:
            raise ValueError(f"'{reason}' is no number")
        reason = value
    wrong = wrong_with(element, reason)
    if wrong and not (element.kind == CODE and element.codes in open_lists()):
        raise ValueError(wrong)
    return reason


def shown(element: Element, value: Any) -> str:
    """Return a value as it is read: numbers with separators, codes with what they mean."""
    if value is None:
        return ""
    if element.kind == INTEGER and isinstance(value, int):
        return grouped(value)
    if element.kind == NUMBER:
        return f"{value:.10g}"
    if element.kind == CODE:
        return meaning_of(element.codes, str(value))
    return str(value)
