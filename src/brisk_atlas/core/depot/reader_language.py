"""The language of whoever asks a Depot, as their browser states it."""

from __future__ import annotations

from brisk_atlas.core.model.language import LANGUAGES, language_in_use

MOST_STATED = 20  # languages of one reader


def language_of_reader(accepted: str) -> str:
    """Return the language, of those that there are, that the header Accept-Language (RFC 9110, 12.5.4) wants most; that
    of the Depot where it names none of them.

    >>> language_of_reader("de-AT,de;q=0.9,en;q=0.8"), language_of_reader("gd, en;q=0.5, de;q=0.4")
    ('de', 'en')
    """
    wanted = [_stated(each) for each in accepted.split(",")[:MOST_STATED]]
    known = [(weight, language) for weight, language in wanted if language in LANGUAGES and weight > 0]
    return max(known, key=lambda each: each[0])[1] if known else language_in_use()


def _stated(text: str) -> tuple[float, str]:
    """Return how much a language is wanted, from 0 to 1, and its code."""
    tag, *settings = (each.strip() for each in text.split(";"))
    weight = next((each[2:] for each in settings if each.startswith("q=")), "1")
    return float(weight) if weight.replace(".", "", 1).isdecimal() else 0.0, tag.partition("-")[0].lower()
