"""What a catalogue site states of each dataset, in its lists, its search and its forms for machines."""

from __future__ import annotations

import re
import unicodedata
from collections.abc import Collection
from dataclasses import dataclass
from functools import lru_cache
from hashlib import sha256

ID_LENGTH = 60
MARK_LENGTH = 8
NOT_LISTED = "not listed"  # the kind of what lies beside data and is none
_OTHERS = re.compile(r"[^a-z0-9]+")
_WORD = re.compile(r"\w+")


@dataclass(frozen=True)
class SiteDownload:
    """A file of the site that can be taken: its format in words, its path in the folder of the dataset, and what proves
    that it came whole. `of` is the part of the dataset that it holds, "" for all of it."""

    format: str
    path: str
    size_bytes: int
    sha256: str
    media_type: str
    of: str = ""


@dataclass(frozen=True)
class SiteService:
    """An address at which a service offers the data: its standard, and the name that it has there."""

    standard: str
    address: str
    name: str = ""


@dataclass(frozen=True)
class KeySample:
    """The values of a field that could be keys: whether each is there once, and a sample of them by their hashes, the
    same sample of the same values (the smallest hashes)."""

    field: str
    is_unique: bool
    hashes: tuple[int, ...]


@dataclass(frozen=True)
class SiteEntry:
    """One dataset. Boxes are west, south, east, north in degrees; `years` the first and the last of its content;
    `words` are what the search knows of it, in tiers; `source` says where it lies below what the site was made of,
    never where that lies on the machine; `fault` why it could not be read, "" for none. `digest` is that of its page
    and files; `changed` the day on which that changed."""

    id: str
    source: str
    state: str
    title: str
    summary: str = ""
    kind: str = ""
    format: str = ""
    amount: str = ""
    crs: str = ""
    size_bytes: int = 0
    themes: tuple[str, ...] = ()
    keywords: tuple[str, ...] = ()
    fields: tuple[str, ...] = ()
    places: tuple[str, ...] = ()
    words: tuple[str, ...] = ()
    boxes: tuple[tuple[float, float, float, float], ...] = ()
    years: tuple[int, int] | None = None
    languages: tuple[str, ...] = ()
    identifiers: tuple[str, ...] = ()
    parent: str = ""
    made_from: tuple[str, ...] = ()
    keys: tuple[KeySample, ...] = ()
    downloads: tuple[SiteDownload, ...] = ()
    services: tuple[SiteService, ...] = ()
    has_picture: bool = False
    has_record: bool = False
    licence: str = ""
    citation: str = ""
    issued: str = ""
    fault: str = ""
    remarks: tuple[str, ...] = ()
    digest: str = ""
    changed: str = ""

    @property
    def is_listed(self) -> bool:
        """Whether the site has a page of it."""
        return not self.fault and self.kind != NOT_LISTED


@lru_cache(100_000)
def folded(text: str) -> str:
    """Return a text as the search compares it: without accents, in lower case.

    >>> folded("Rückzug Ægir")
    'ruckzug ægir'
    """
    apart = unicodedata.normalize("NFKD", text)
    return "".join(sign for sign in apart if not unicodedata.combining(sign)).lower()


def words_in(*texts: str) -> list[str]:
    """Return the words of texts as the search compares them, each once."""
    return list(dict.fromkeys(word for text in texts for word in _WORD.findall(folded(text).replace("_", " "))))


def entry_id(source: str, others: Collection[str]) -> str:
    """Return what a dataset is called in addresses: the words of its place, and a mark where others have the same.

    >>> entry_id("survey/Lava flows 2031.gpkg", ())
    'survey-lava-flows-2031-gpkg'
    """
    plain = _OTHERS.sub("-", folded(source).replace("_", "-")).strip("-")[:ID_LENGTH].strip("-")
    if plain and plain not in others:
        return plain
    mark = sha256(source.encode("utf-8", "surrogateescape")).hexdigest()[:MARK_LENGTH]
    return f"{plain}-{mark}" if plain else f"dataset-{mark}"
