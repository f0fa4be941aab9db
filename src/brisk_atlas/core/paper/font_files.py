"""Which font has a letter: that of the face, one that ships with the application, or one of this machine."""

from __future__ import annotations

import logging
import subprocess
from bisect import bisect_right
from functools import cache, lru_cache
from pathlib import Path
from typing import TYPE_CHECKING, NamedTuple

if TYPE_CHECKING:
    import uharfbuzz

log = logging.getLogger(__name__)

FOLDER = Path(__file__).parents[2] / "fonts"
FACES = {"sans": "SourceSans3-Regular.ttf", "sans-bold": "SourceSans3-Semibold.ttf",
         "sans-italic": "SourceSans3-It.ttf", "mono": "SourceCodePro-Regular.ttf"}  # fmt: skip
OTHER_SCRIPTS = ("NotoSansArabic-Regular.ttf", "NotoSansArmenian-Regular.ttf", "NotoSansDevanagari-Regular.ttf",
                 "NotoSansGeorgian-Regular.ttf", "NotoSansHebrew-Regular.ttf", "NotoSansThai-Regular.ttf")  # fmt: skip
OUTLINE_TABLES = {"glyf", "CFF ", "CFF2"}  # a font of pictures alone has none of them
MATCH_S = 5.0


class FontFile(NamedTuple):
    """A font: its file, and its number in a file of several."""

    path: Path
    number: int = 0


@cache
def face_font(name: str) -> FontFile:
    """Return the font of a face by its name."""
    return FontFile(FOLDER / FACES[name])


@lru_cache(32)
def opened(font: FontFile) -> uharfbuzz.Font:
    """Return a font as what shapes text has it."""
    import uharfbuzz

    return uharfbuzz.Font(uharfbuzz.Face(uharfbuzz.Blob.from_file_path(str(font.path)), font.number))


@lru_cache(32)
def advances(font: FontFile) -> dict[int, float]:
    """Return the letters of a font by their code points, and how wide each is by itself, of the size."""
    made = opened(font)
    em = made.face.upem
    return {code: made.get_glyph_h_advance(made.get_nominal_glyph(code) or 0) / em for code in made.face.unicodes}


@lru_cache(8192)
def other_font(character: str) -> FontFile | None:
    """Return a font that has a letter which the faces lack, or None where no font here has it."""
    code = ord(character)
    shipped = (FontFile(FOLDER / name) for name in OTHER_SCRIPTS)
    found = next((font for font in shipped if code in advances(font)), None)
    if found is not None:
        return found
    return next((each.font for each in machine_fonts() if each.has(code) and _can_draw(each.font, code)), None)


class MachineFont(NamedTuple):
    """A font of this machine, and the code points that it has: the first and the last of each row of them."""

    font: FontFile
    firsts: tuple[int, ...]
    lasts: tuple[int, ...]

    def has(self, code: int) -> bool:
        at = bisect_right(self.firsts, code) - 1
        return at >= 0 and code <= self.lasts[at]


@cache
def machine_fonts() -> tuple[MachineFont, ...]:
    """Return the fonts that this machine uses one after the other for letters, as its settings have them."""
    command = ["fc-match", "-s", "--format=%{file}\t%{index}\t%{charset}\n", "sans-serif"]
    try:
        found = subprocess.run(command, capture_output=True, text=True, timeout=MATCH_S, check=True).stdout
    except (OSError, subprocess.SubprocessError, UnicodeDecodeError) as error:
        log.info("Fonts of this machine are not used on paper: %s", error)
        return ()
    return tuple(_machine_font(line) for line in found.splitlines() if line.count("\t") == 2)


def _machine_font(line: str) -> MachineFont:
    """Return a font by its line: file, number, code points in hexadecimal as `20-7e a0`."""
    path, number, codes = line.split("\t")
    pairs = [each.partition("-") for each in codes.split()]
    firsts, lasts = (tuple(int(each, 16) for each in side) for side in
                     ([low for low, _, _ in pairs], [high or low for low, _, high in pairs]))  # fmt: skip
    in_file = int(number) & 0xFFFF  # what is above is an instance of a variable font
    return MachineFont(FontFile(Path(path), in_file), firsts, lasts)


def _can_draw(font: FontFile, code: int) -> bool:
    """Return whether a font of the machine has outlines of a letter: it may be one of pictures, damaged, or gone."""
    import uharfbuzz

    try:
        return not OUTLINE_TABLES.isdisjoint(opened(font).face.table_tags) and code in advances(font)
    except uharfbuzz.HarfBuzzError as error:
        log.info("the font %s is not used on paper: %s", font.path, error)
        return False
