"""What should be reported of a dataset before it is used: a sentence, and a code where something is decided by it."""

from __future__ import annotations

from enum import StrEnum


class RemarkCode(StrEnum):
    """Conditions that code reacts to; all others are sentences alone."""

    NO_CRS = "no crs"
    ENCODING_GUESSED = "encoding guessed"
    FILES_MISSING = "files missing"


class Remark(str):
    """A sentence about a dataset with the code of its condition.

    It is the text everywhere else, so that it prints, joins and is stored as one.

    >>> remark = Remark("no coordinate reference system", RemarkCode.NO_CRS)
    >>> remark, code_of(remark) is RemarkCode.NO_CRS, code_of("cut short")
    ('no coordinate reference system', True, None)
    """

    code: RemarkCode

    def __new__(cls, text: str, code: RemarkCode) -> Remark:
        made = super().__new__(cls, text)
        made.code = code
        return made

    def __reduce__(self) -> tuple[type[Remark], tuple[str, RemarkCode]]:
        return Remark, (str(self), self.code)


def code_of(text: str) -> RemarkCode | None:
    """Return the code of a remark, None of a plain sentence."""
    return text.code if isinstance(text, Remark) else None


NO_CRS = "no coordinate reference system"


def no_crs(part: str = "") -> Remark:
    """Return the remark that a dataset, or a part of it, states no CRS."""
    return Remark(f"{part}: {NO_CRS}" if part else NO_CRS, RemarkCode.NO_CRS)
