"""The guide that ships with the application, by its sections, in the language that is spoken where it has that."""

from __future__ import annotations

from functools import cache
from pathlib import Path
from typing import NamedTuple

from brisk_atlas.core.model.language import language_in_use, tr

GUIDE = Path(__file__).parent / "guide.md"


class GuideSection(NamedTuple):
    """A task of the guide: its title, and its text as Markdown."""

    title: str
    text: str


def sections() -> tuple[GuideSection, ...]:
    """Return the sections of the guide in their order."""
    return sections_in(language_in_use())


@cache
def sections_in(language: str) -> tuple[GuideSection, ...]:
    """Return the sections of the guide in a language, in English where it has no other."""
    own = GUIDE.with_name(f"guide.{language}.md")
    head, *others = (own if own.exists() else GUIDE).read_text("utf-8").split("\n## ")
    found = [GuideSection(tr("Where to begin"), head.partition("\n")[2].strip())]
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
