"""Text of a record, which may be stated in other languages too."""

from __future__ import annotations

from typing import Any


class Words(str):
    """A text and its translations; `also` is ((language, text), ...), each language once.

    Without translations it is a text like any other, and equal to one.
    """

    also: tuple[tuple[str, str], ...]
    __slots__ = ("also",)

    def __new__(cls, text: str, also: tuple[tuple[str, str], ...] = ()) -> Words:
        words = super().__new__(cls, text)
        words.also = tuple(also)
        return words

    def __eq__(self, other: object) -> bool:
        return str.__eq__(self, other) is True and self.also == getattr(other, "also", ())

    def __ne__(self, other: object) -> bool:
        return not self == other

    def __hash__(self) -> int:
        return hash((str(self), self.also)) if self.also else str.__hash__(self)

    def __reduce__(self) -> tuple[Any, ...]:
        return Words, (str(self), self.also)


def tidy(text: str | None) -> str:
    """Return a text with its white space as single spaces, paragraphs kept apart.

    XML files wrap lines where they like; only an empty line means something.
    """
    if not text:
        return ""
    if "\n" not in text:
        return " ".join(text.split())
    paragraphs = (" ".join(block.split()) for block in text.replace("\r", "").split("\n\n"))
    return "\n\n".join(block for block in paragraphs if block)
