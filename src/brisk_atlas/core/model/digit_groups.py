"""Numbers with their digits in groups of three, parted by the sign that the reader chose.

The decimal sign is a point in every form: formulas, coordinates and what is copied use it, and one text must not be
a thousand in one place and a little more than one in another.
"""

from __future__ import annotations

import os
import re
from collections.abc import Iterator, Mapping
from contextlib import contextmanager
from contextvars import ContextVar
from enum import StrEnum
from functools import cache
from typing import Any

CHOICE = "BRISK_ATLAS_DIGIT_GROUPS"
THIN_SPACE = "\u202f"  # narrow and without a break, as ISO 80000-1 parts the digits of large numbers


class DigitGroups(StrEnum):
    """What stands between the groups."""

    COMMA = "comma"
    SPACE = "space"
    APOSTROPHE = "apostrophe"
    NONE = "none"

    @property
    def sign(self) -> str:
        """The text between two groups."""
        return _SIGNS[self]


_SIGNS = {
    DigitGroups.COMMA: ",", DigitGroups.SPACE: THIN_SPACE, DigitGroups.APOSTROPHE: "\u2019", DigitGroups.NONE: "",
}  # fmt: skip
_OTHERS = re.compile(r"(?<=\d)[ '\u2019\u202f\u2009\u00a0](?=\d{3}(?!\d))")  # signs but a comma, between groups
_IN_COMMAS = re.compile(r"[+-]?\d{1,3}(,\d{3})+(\.\S*)?")


def stated_groups(environment: Mapping[str, str]) -> DigitGroups | None:
    """Return the groups that the environment names, None where it names none.

    >>> stated_groups({CHOICE: "space"}), stated_groups({CHOICE: "dozens"})
    (<DigitGroups.SPACE: 'space'>, None)
    """
    stated = environment.get(CHOICE, "")
    return DigitGroups(stated) if stated in list(DigitGroups) else None


def usual_groups(language: str) -> DigitGroups:
    """Return the groups that readers of a language can't misread: in English "1,234", elsewhere a comma may be the
    decimal sign.

    >>> usual_groups("en").value, usual_groups("de").value
    ('comma', 'space')
    """
    return DigitGroups.COMMA if language == "en" else DigitGroups.SPACE


_sign = (stated_groups(os.environ) or DigitGroups.COMMA).sign
_reader_sign: ContextVar[str | None] = ContextVar("sign for the reader", default=None)


def use_digit_groups(groups: DigitGroups) -> None:
    """Part digits so from now on, here and in processes that begin from now on."""
    global _sign
    os.environ[CHOICE] = groups.value
    _sign = groups.sign


def use_groups_of(language: str) -> None:
    """Part digits as is usual in a language, unless the environment names groups."""
    global _sign
    if stated_groups(os.environ) is None:
        _sign = usual_groups(language).sign


@contextmanager
def groups_for(language: str) -> Iterator[None]:
    """Part digits within the block as is usual in a language, for whoever it answers."""
    before = _reader_sign.set(usual_groups(language).sign)
    try:
        yield
    finally:
        _reader_sign.reset(before)


def _sign_in_use() -> str:
    chosen = _reader_sign.get()
    return _sign if chosen is None else chosen


def grouped(value: Any, form: str = ",") -> str:
    """Return a number in a format with a comma, such as ",.2f", with the sign that was chosen in its place.

    >>> grouped(1234567), grouped(-1234.5, "+,.2f")
    ('1,234,567', '-1,234.50')
    """
    return regrouped(format(value, form))


def regrouped(text: str) -> str:
    """Return a number that was written with commas, such as "1,200 × 800", with the sign that was chosen."""
    sign = _sign_in_use()
    return text if sign == "," else text.replace(",", sign)


def typed_number(text: str) -> str:
    """Return a number that was typed in groups, or with a comma as the decimal sign, as `int` and `float` read it. A
    comma parts groups where it is seen to, or where numbers are shown so. What can be neither stays as it is, so that
    it is refused.

    >>> typed_number(" 12 345.5 "), typed_number("1,200"), typed_number("1,200.25"), typed_number("2,5")
    ('12345.5', '1200', '1200.25', '2.5')
    >>> typed_number("12 5"), typed_number("1,2,3"), typed_number("1,23.4")
    ('12 5', '1,2,3', '1,23.4')
    """
    plain = _OTHERS.sub("", text.strip())
    is_parted = "." in plain or plain.count(",") > 1
    if _IN_COMMAS.fullmatch(plain) and (is_parted or _sign_in_use() == ","):
        return plain.replace(",", "")
    return plain if is_parted else plain.replace(",", ".")


@cache
def _filler() -> Any:
    """Return what fills texts as `str.format` does, with grouped numbers."""
    from string import Formatter  # numbers in commas need none of it, and a start is counted in milliseconds

    class Filler(Formatter):
        def format_field(self, value: Any, form: str) -> str:
            return grouped(value, form) if "," in form else format(value, form)

    return Filler()


def filled(text: str, values: Mapping[str, object]) -> str:
    """Return a text with values in the places that it names.

    >>> filled("{rows:,} rows", {"rows": 1200})
    '1,200 rows'
    """
    return text.format(**values) if _sign_in_use() == "," else str(_filler().vformat(text, (), values))
