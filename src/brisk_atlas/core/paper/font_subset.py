"""Fonts for a page with the characters that it has alone."""

from __future__ import annotations

from functools import lru_cache
from io import BytesIO

from .lettering import FOLDER

ALWAYS = "".join(map(chr, range(32, 127))) + "…−·×°–—’“”"


@lru_cache(16)
def subset(name: str, characters: str) -> bytes:
    """Return a font of the application as WOFF that has some characters, and what reading them needs."""
    from fontTools.subset import Options, Subsetter
    from fontTools.ttLib import TTFont

    font = TTFont(FOLDER / name)
    options = Options(layout_features=["kern"], notdef_outline=True, name_IDs=[0, 1, 2])
    maker = Subsetter(options)
    maker.populate(text=characters + ALWAYS)
    maker.subset(font)
    font.flavor = "woff"
    out = BytesIO()
    font.save(out)
    return out.getvalue()
