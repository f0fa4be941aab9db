"""The guide that ships with the application, by its sections."""

from __future__ import annotations

from functools import cache
from pathlib import Path
from typing import NamedTuple

GUIDE = Path(__file__).parent / "guide.md"


class GuideSection(NamedTuple):
    """A task of the guide: its title, and its text as Markdown."""

    title: str
    text: str


@cache
def sections() -> tuple[GuideSection, ...]:
    """Return the sections of the guide in their order."""
    head, *others = GUIDE.read_text("utf-8").split("\n## ")
    found = [GuideSection("Where to begin", head.partition("\n")[2].strip())]
    for each in others:
        title, _, text = each.partition("\n")
        found.append(GuideSection(title.strip(), text.strip()))
    return tuple(found)


def sections_with(words: str) -> list[GuideSection]:
    """Return the sections that hold all words, those with one in their title first.

    >>> [each.title for each in sections_with("curtain glass")]
    ['Compare before with after']
    """
    wanted = words.casefold().split()
    found = [each for each in sections() if all(word in f"{each.title} {each.text}".casefold() for word in wanted)]
    return sorted(found, key=lambda each: not any(word in each.title.casefold() for word in wanted))
