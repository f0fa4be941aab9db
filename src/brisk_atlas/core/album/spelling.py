"""Which words of a text no dictionary has, and what may have been meant."""

from __future__ import annotations

import re
from collections.abc import Collection, Iterable
from functools import lru_cache
from typing import TYPE_CHECKING

if TYPE_CHECKING:
    from spellchecker import SpellChecker

LANGUAGES = {"en": "English", "de": "German", "es": "Spanish", "fr": "French", "it": "Italian", "nl": "Dutch",
             "pt": "Portuguese"}  # fmt: skip
TRADE = """aspect bathymetry choropleth colormap collar coordinate crossover datum easting geodesic geodetic geoid
geoids georeferenced geospatial hillshade hillshades hydrology isoline isolines landform landforms lidar
metadata multispectral nodata northing orthophoto orthophotos orthorectified photogrammetry polygon polygons
polyline polylines raster rasters rasterised reproject reprojected resampled resampling shapefile shapefiles
spatial surveyed tephra topographic transect transects tsunami vectorised viewshed viewsheds volcanic
volcano waypoint waypoints"""
TOKEN = re.compile(r"\S+")
WORD = re.compile(r"[^\W\d_]+(?:['’][^\W\d_]+)*")
NO_PROSE = re.compile(r"[\d_/@\\:#<>{}=]|\.\w")  # names of fields and files, addresses, numbers with their units
MOST_PROPOSED = 6
FAR_LETTERS = 10  # words of more letters are compared with those that differ in one alone: others take seconds


class Speller:
    """A dictionary, and words that are known beside it."""

    def __init__(self, language: str, known: Iterable[str] = ()) -> None:
        self.language = language
        self._known = frozenset(word.casefold() for text in (*known, TRADE) for word in re.findall(r"[^\W\d_]+", text))

    def unknown(self, text: str) -> list[tuple[int, int]]:
        """Return where words begin and end that are not known. Names of fields and files, addresses and words in
        capitals are left alone."""
        return [
            (token.start() + word.start(), token.start() + word.end())
            for token in TOKEN.finditer(text)
            if not NO_PROSE.search(token[0].rstrip(".,;:!?)"))
            for word in WORD.finditer(token[0])
            if len(word[0]) > 1 and not word[0].isupper() and not self.knows(word[0])
        ]

    def knows(self, word: str) -> bool:
        """Return whether a word is in the dictionary, or known beside it."""
        plain = word.replace("’", "'").casefold()
        stem = plain.removesuffix("'s")
        return bool(self._known & {plain, stem}) or not _dictionary(self.language).unknown([plain, stem]) >= {
            plain,
            stem,
        }

    def proposals(self, word: str) -> list[str]:
        """Return what may have been meant, the likeliest first, with the capital that the word has."""
        dictionary = _dictionary(self.language)
        plain = word.casefold()
        near: Collection[str] = dictionary.known(dictionary.edit_distance_1(plain))
        if not near and len(plain) <= FAR_LETTERS:
            near = dictionary.known(dictionary.edit_distance_2(plain))
        likely = sorted(near, key=lambda each: (-dictionary.word_usage_frequency(each), each))[:MOST_PROPOSED]
        return [each.capitalize() if word[:1].isupper() else each for each in likely]


@lru_cache(len(LANGUAGES))
def _dictionary(language: str) -> SpellChecker:
    from spellchecker import SpellChecker

    return SpellChecker(language)
