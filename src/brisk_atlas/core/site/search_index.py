"""What the search of a site goes through, made when the site is: a script with a column for each thing that is shown
or searched."""

from __future__ import annotations

from collections.abc import Sequence
from typing import Any

from .part_data import script_of
from .site_entry import SiteEntry, words_in

SHOWN_SUMMARY = 220  # characters of a summary in a list
MOST_WORDS = 400  # of a dataset
MOST_YEARS = 50


def search_script(entries: Sequence[SiteEntry]) -> bytes:
    """Return the script. The words of a dataset stand in three tiers: those of its title, those that say what it is of
    (themes, keywords, places, names of fields), and all others."""
    themes = sorted({theme for entry in entries for theme in entry.themes})
    kinds = sorted({entry.kind for entry in entries if entry.kind})
    numbers = {theme: number for number, theme in enumerate(themes)}
    columns: dict[str, Any] = {
        "themes": themes,
        "kinds": kinds,
        "id": [entry.id for entry in entries],
        "title": [entry.title for entry in entries],
        "summary": [_cut(entry.summary) for entry in entries],
        "kind": [kinds.index(entry.kind) if entry.kind else -1 for entry in entries],
        "facts": [" · ".join(filter(None, (entry.kind, entry.amount, entry.crs, entry.format))) for entry in entries],
        "theme": [[numbers[theme] for theme in entry.themes] for entry in entries],
        "box": [_rounded(entry.boxes[0]) if entry.boxes else 0 for entry in entries],
        "years": [entry.years or 0 for entry in entries],
        "picture": [int(entry.has_picture) for entry in entries],
        "record": [int(entry.has_record) for entry in entries],
        "words": [entry.words for entry in entries],
    }
    return script_of("catalogue", columns)


def _cut(text: str) -> str:
    plain = " ".join(text.split())
    return plain if len(plain) <= SHOWN_SUMMARY else plain[:SHOWN_SUMMARY].rsplit(" ", 1)[0] + " …"


def _rounded(box: tuple[float, float, float, float]) -> list[float]:
    return [round(side, 4) for side in box]


def search_tiers(entry: SiteEntry, others: str) -> tuple[str, ...]:
    """Return the words of a dataset in tiers, each word once, with a space before it, so that a search for the
    beginning of one finds it. `others` are texts of its record that are not shown in lists."""
    first, last = entry.years or (0, -1)
    years = [str(year) for year in range(first, min(last, first + MOST_YEARS) + 1)]
    tiers = (
        words_in(entry.title),
        words_in(*entry.themes, *entry.keywords, *entry.places, *entry.fields, entry.source),
        [*words_in(entry.summary, others, entry.citation, entry.format, entry.crs), *years],
    )
    seen: set[str] = set()
    found = []
    for tier in tiers:
        fresh = [word for word in tier if word not in seen][:MOST_WORDS]
        seen.update(fresh)
        found.append("".join(f" {word}" for word in fresh))
    return tuple(found)
