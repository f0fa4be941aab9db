"""Fonts for a page with the characters that it has alone."""

from __future__ import annotations

from functools import lru_cache
from io import BytesIO

from .font_files import FOLDER, FontFile, advances, face_font, other_font

ALWAYS = "".join(map(chr, range(32, 127))) + "…−·×°–—’“”"


@lru_cache(16)
def subset(face: str, characters: str) -> bytes:
    """Return the font of a face as WOFF that has some characters, and what reading them needs."""
    return _subset(face_font(face), characters + ALWAYS, ["kern", "ccmp", "mark", "mkmk"])


@lru_cache(16)
def script_subset(font: FontFile, characters: str) -> bytes:
    """Return a font as WOFF that has the letters of a script, and all that joins and places them."""
    return _subset(font, characters + " \u200c\u200d\u25cc", ["*"])


def shipped_scripts(characters: str) -> dict[FontFile, str]:
    """Return the shipped fonts of other scripts that characters are in, with theirs of them."""
    own, found = advances(face_font("sans")), dict[FontFile, str]()
    for character in characters:
        font = None if ord(character) in own else other_font(character)
        if font is not None and font.path.parent == FOLDER:
            found[font] = found.get(font, "") + character
    return found


def _subset(font: FontFile, characters: str, features: list[str]) -> bytes:
    from fontTools.subset import Options, Subsetter
    from fontTools.ttLib import TTFont

    made = TTFont(font.path, fontNumber=font.number)
    options = Options(layout_features=features, notdef_outline=True, name_IDs=[0, 1, 2])
    maker = Subsetter(options)
    maker.populate(text=characters)
    maker.subset(made)
    made.flavor = "woff"
    out = BytesIO()
    made.save(out)
    return out.getvalue()
