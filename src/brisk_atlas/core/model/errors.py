"""The errors that people see. Each says what failed, on which file, why, and what can be done."""

from __future__ import annotations

from .words import path_text


class AtlasError(Exception):
    """Base of all errors whose text is meant for the analyst.

    `place` is the file or thing concerned, `reason` why it failed, `remedy` what can be done.
    """

    def __init__(self, place: object, reason: str, remedy: str = "") -> None:
        self.place, self.reason, self.remedy = path_text(place), reason.rstrip("."), remedy
        super().__init__(f"{self.place}: {self.reason}." + (f" {remedy}" if remedy else ""))


class CannotRead(AtlasError):
    """A dataset, or a part of one, can't be read."""


class CannotWrite(AtlasError):
    """A file can't be written; what stood there before is intact."""


class CannotPlace(AtlasError):
    """A coordinate reference system is missing or not understood."""


class BadExpression(AtlasError):
    """An expression typed by the analyst can't be used. `at` is the first and last character concerned."""

    def __init__(self, place: object, reason: str, remedy: str = "", at: tuple[int, int] | None = None) -> None:
        super().__init__(place, reason, remedy)
        self.at = at
