"""In which encoding the text of a dBase table, and so of a Shapefile, is stored.

Layout: the head of a dBase III table; byte 29 is its language driver.
"""

from __future__ import annotations

import codecs
from pathlib import Path
from typing import NamedTuple

from brisk_atlas.core.model.language import tr
from brisk_atlas.core.model.remark import Remark, RemarkCode

from .readable_text import OTHERWISE

SAMPLE_BYTES = 1_000_000  # of the table, that are looked at
LANGUAGE_DRIVER = 29
EXAMPLE_LETTERS = 60
ENCODINGS = (  # as iconv spells them
    "UTF-8",
    "ISO-8859-1",
    "CP1252",
    "ISO-8859-15",
    "CP1250",
    "ISO-8859-2",
    "CP1251",
    "KOI8-R",
    "CP1253",
    "CP437",
    "CP850",
    "CP866",
    "SHIFT_JIS",
    "EUC-KR",
    "BIG5",
    "GB18030",
)
TO_CHOOSE = tr("ask before opening to choose another")


class DbfText(NamedTuple):
    """What is known of a table's text. `stated` is the encoding as the file states it, or None; `fits` is whether
    the text that was looked at can be read by it, or where none is stated, whether it is UTF-8. `example` is a value
    that is more than ASCII; empty where there is none, so that every encoding gives the same."""

    stated: str | None
    fits: bool
    example: bytes

    @property
    def remark(self) -> str:
        """What should be reported before the dataset is used, or nothing."""
        if not self.example or self.fits:
            return ""
        if self.stated is None:
            words = tr("no text encoding is stated, and it is not UTF-8")
        else:
            words = tr("some text is not in {stated} as stated", stated=self.stated)
        return Remark(
            tr("{words}: read as Latin-1; {to_choose}", words=words, to_choose=TO_CHOOSE), RemarkCode.ENCODING_GUESSED
        )

    def example_by(self, encoding: str | None) -> str:
        """Return the example as it reads by an encoding, or as the dataset is read where none is chosen."""
        if encoding is None:
            encoding = (self.stated or "UTF-8") if self.fits else OTHERWISE
        try:
            return self.example.decode(encoding, "replace")
        except LookupError:
            return ""


def dbf_text(table: Path) -> DbfText:
    """Return what is known of the text of a .dbf and of the .cpg beside it. Raises OSError."""
    with table.open("rb") as file:
        sample = file.read(SAMPLE_BYTES)
    head = int.from_bytes(sample[8:10], "little")
    texts = [bytes(text) for text in _texts(sample, head) if not text.isascii()]
    stated = _stated(table, sample)
    try:
        codec = codecs.lookup(stated or "utf-8").name
    except LookupError:  # one that only the library knows
        return DbfText(stated, True, texts[0] if texts else b"")
    wrong = next((text for text in texts if not _readable(text, codec)), None)
    return DbfText(stated, wrong is None, (wrong or (texts[0] if texts else b""))[:EXAMPLE_LETTERS])


def _stated(table: Path, sample: bytes) -> str | None:
    for ending in (".cpg", ".CPG", ".cst", ".CST"):
        beside = table.with_suffix(ending)
        if beside.is_file():
            stated = beside.read_text("ascii", "replace").strip()[:40]
            return f"cp{stated}" if stated.isdecimal() else stated or None
    driver = sample[LANGUAGE_DRIVER] if len(sample) > LANGUAGE_DRIVER else 0
    return tr("the code page of its head ({driver})", driver=driver) if driver else None


def _texts(sample: bytes, head: int) -> list[bytes]:
    """Return the names of the fields, and the values of those that hold text."""
    each = int.from_bytes(sample[10:12], "little")
    names, places, at = [], [], 1
    for start in range(32, head - 1, 32):
        if sample[start : start + 1] in (b"\r", b""):
            break
        names.append(sample[start : start + 11].split(b"\0")[0])
        width = sample[start + 16] if len(sample) > start + 16 else 0
        if sample[start + 11 : start + 12] == b"C":
            places.append((at, at + width))
        at += width
    if not each or sample[head:].isascii():
        return names
    rows = range(head, len(sample) - each + 1, each)
    return names + [sample[row + a : row + b].strip(b" \0") for row in rows for a, b in places]


def _readable(text: bytes, codec: str) -> bool:
    """Whether a text can be read; a letter that was cut at the end of a field's width does not count."""
    try:
        codecs.getincrementaldecoder(codec)().decode(text)
    except UnicodeDecodeError:
        return False
    return True
