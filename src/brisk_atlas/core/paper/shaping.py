"""Lines in the order in which they are seen: letters by font, joined and turned as their script asks.

Shapes of letters are those of HarfBuzz.
"""

from __future__ import annotations

import unicodedata
from collections.abc import Iterator
from functools import lru_cache
from itertools import groupby
from typing import NamedTuple

from .direction import levels_of
from .font_files import FontFile, advances, face_font, opened, other_font

PLAIN = {"kern": False, "liga": False, "clig": False, "calt": False}  # as wide as its letters by themselves
COMMON = ("Zyyy", "Zinh", "Zzzz")  # scripts that are none


class Glyph(NamedTuple):
    """A letter's picture: its number in the font, and where its origin lies in the run, of the size; y grows up."""

    number: int
    x: float
    y: float


class GlyphRun(NamedTuple):
    """Letters of one font, side by side. `text` has them as they are read; `left` and `width` are of the size."""

    font: FontFile
    text: str
    leftwards: bool
    left: float
    width: float
    glyphs: tuple[Glyph, ...]


class ShapedLine(NamedTuple):
    """A line of text: its runs from left to right. `missing` are the letters that no font here has."""

    runs: tuple[GlyphRun, ...]
    width: float
    missing: str


def is_plain(text: str, face: str) -> bool:
    """Return whether the letters of a face, one by one from left to right, are the line."""
    if text.isascii() and text.isprintable():
        return True
    known = advances(face_font(face))
    return all(ord(each) in known and not unicodedata.combining(each) for each in text)


def missing_letters(text: str, face: str = "sans") -> str:
    """Return the letters of a text that no font here has, which are seen as boxes."""
    return "" if is_plain(text, face) else shaped(text, face).missing


@lru_cache(2048)
def shaped(text: str, face: str = "sans") -> ShapedLine:
    """Return a line as it is seen, in a face, and in other fonts for the letters that it lacks."""
    text = "".join(" " if unicodedata.category(each) == "Cc" else each for each in text)
    text = text.encode("utf-8", "replace").decode()
    left, runs = 0.0, list[GlyphRun]()
    parts = list(_parts(text, face))
    for font, level, letters in _seen_order(parts):
        glyphs, width = _glyphs(font, letters, bool(level % 2), font == face_font(face))
        runs.append(GlyphRun(font, letters, bool(level % 2), left, width, glyphs))
        left += width
    missing = {each for font, _, letters in parts for each in letters
               if not _is_unseen(each) and ord(each) not in advances(font)}  # fmt: skip
    return ShapedLine(tuple(runs), left, "".join(sorted(missing)))


def _parts(text: str, face: str) -> Iterator[tuple[FontFile, int, str]]:
    """Return a text in parts of one font, one level of direction and one script each, as it is read."""
    from fontTools.unicodedata import script

    own = face_font(face)
    signs, font, latest = list[tuple[FontFile, int, str]](), own, "Zyyy"
    for character, level in zip(text, levels_of(text)):
        stays = _is_unseen(character) or unicodedata.category(character)[0] in "MZ"
        if not (stays and (ord(character) in advances(font) or _is_unseen(character))):
            font = own if ord(character) in advances(own) else other_font(character) or own
        now = script(character)
        latest = latest if now in COMMON else now
        signs.append((font, level, latest))
    numbered = enumerate(signs)
    for sign, members in groupby(numbered, key=lambda each: each[1]):
        places = [at for at, _ in members]
        yield sign[0], sign[1], text[places[0] : places[-1] + 1]


def _is_unseen(character: str) -> bool:
    """Return whether a character is a sign for those beside it: a joiner, a direction, a variant."""
    return unicodedata.category(character) == "Cf" or "\ufe00" <= character <= "\ufe0f"


def _seen_order(parts: list[tuple[FontFile, int, str]]) -> list[tuple[FontFile, int, str]]:
    """Return parts from left to right (rule L2)."""
    found = list(parts)
    for turned in range(max((level for _, level, _ in parts), default=0), 0, -1):
        at = 0
        for inside, members in groupby(list(found), key=lambda each: each[1] >= turned):
            count = len(list(members))
            if inside:
                found[at : at + count] = found[at : at + count][::-1]
            at += count
    return found


def _glyphs(font: FontFile, text: str, leftwards: bool, plain: bool) -> tuple[tuple[Glyph, ...], float]:
    """Return the glyphs of a run, and its width."""
    import uharfbuzz

    buffer, made = uharfbuzz.Buffer(), opened(font)
    buffer.add_str(text)
    buffer.guess_segment_properties()
    buffer.direction = "rtl" if leftwards else "ltr"
    uharfbuzz.shape(made, buffer, PLAIN if plain else {})
    em, across, found = made.face.upem, 0, []
    for info, place in zip(buffer.glyph_infos, buffer.glyph_positions):
        found.append(Glyph(info.codepoint, (across + place.x_offset) / em, place.y_offset / em))
        across += place.x_advance
    return tuple(found), across / em
