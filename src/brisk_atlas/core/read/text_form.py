"""How a text table is written: encoding, delimiter, header and decimal sign, guessed from its start.

Every guess comes with its reason, so that it can be shown beside the choice.
"""

from __future__ import annotations

import codecs
import csv
import re
from collections import Counter
from pathlib import Path
from typing import NamedTuple

from brisk_atlas.core.connect import head_of
from brisk_atlas.core.model import DataRef, TextForm
from brisk_atlas.core.model.language import tr

DELIMITERS = (",", ";", "\t", "|", " ")
LOOKED_AT = 65536  # bytes
LINES = 60
_NUMBER = re.compile(r"^\s*[+-]?(\d+([.,]\d*)?|[.,]\d+)([eE][+-]?\d+)?\s*$")
_COMMA_NUMBER = re.compile(r"^\s*[+-]?\d*,\d+\s*$")
_BOMS = ((b"\xef\xbb\xbf", "utf-8"), (b"\xff\xfe", "utf-16-le"), (b"\xfe\xff", "utf-16-be"))
ENCODINGS = (
    "utf-8",
    "cp1252",
    "iso-8859-15",
    "iso-8859-2",
    "cp1251",
    "cp437",
    "utf-16-le",
    "utf-16-be",
    "shift_jis",
    "gb18030",
)


ONE_BYTE_AND_EAST = tuple(name for name in ENCODINGS if not name.startswith("utf"))
TELLING = 6  # different bytes beyond ASCII by which encodings can be distinguished


class Guess(NamedTuple):
    """A form and, by the names of its fields, why each was taken. `sure` is False where another
    would do as well."""

    form: TextForm
    reasons: dict[str, str]
    sure: bool


def guess_form(path: Path) -> Guess:
    """Return how a text file seems to be written. Raises CannotRead."""
    return guess_form_of(head_of(DataRef.file(path), LOOKED_AT))


def guess_form_of(head: bytes) -> Guess:
    """Return how a text seems to be written, from its first bytes."""
    encoding, why_encoding, sure_encoding = _encoding(head)
    text = head.decode(encoding, "replace").lstrip("\ufeff")
    lines = text.splitlines()
    lines = lines[:-1] if len(lines) > 1 and len(head) >= LOOKED_AT else lines
    lines = [line for line in lines[:LINES] if line.strip()]
    delimiter, why_delimiter, sure_delimiter = _delimiter(lines)
    rows = split(lines, delimiter)
    header, why_header = _header(rows)
    decimal, why_decimal = _decimal(rows[1:] if header else rows, delimiter)
    form = TextForm(delimiter, encoding, header, decimal)
    reasons = {"encoding": why_encoding, "delimiter": why_delimiter, "header": why_header, "decimal": why_decimal}
    return Guess(form, reasons, sure_encoding and sure_delimiter)


def split(lines: list[str], delimiter: str) -> list[list[str]]:
    """Return the cells of lines; runs of blanks count as one delimiter."""
    if delimiter == " ":
        return [line.split() for line in lines]
    return list(csv.reader(lines, delimiter=delimiter))


def has_columns(head: bytes) -> bool:
    """Return whether a text is plainly a table: at least three lines of the same two or more cells."""
    if b"\0" in head[:200]:
        return False
    text = head.decode("utf-8", "replace")
    lines = text.splitlines() if text.endswith("\n") else text.splitlines()[:-1]  # the last may be cut
    lines = [line for line in lines if line.strip()][:LINES]
    if len(lines) < 3:
        return False
    for delimiter in DELIMITERS[:-1]:
        if {line.count(delimiter) for line in lines} == {max(1, lines[0].count(delimiter))}:
            return True
    return False


def _encoding(head: bytes) -> tuple[str, str, bool]:
    for mark, name in _BOMS:
        if head.startswith(mark):
            return name, tr("its first bytes say so"), True
    try:
        head[: len(head) - 4 if len(head) >= LOOKED_AT else len(head)].decode("utf-8")
        return "utf-8", tr("all that was looked at is valid UTF-8"), True
    except UnicodeDecodeError as error:
        if error.start > len(head) - 5:
            return "utf-8", tr("all that was looked at is valid UTF-8"), True
        encoding, why = _other_encoding(head)
        return encoding, tr("byte {start:,} is no UTF-8; {why}", start=error.start + 1, why=why), False


def _other_encoding(head: bytes) -> tuple[str, str]:
    """Return the likeliest encoding of a text that is not UTF-8, and why."""
    lines = [line for line in head.splitlines() if not line.isascii()][:LINES]
    if len({byte for line in lines for byte in line if byte > 127}) >= TELLING:
        from charset_normalizer import from_bytes

        best = from_bytes(b"\n".join(lines), cp_isolation=list(ONE_BYTE_AND_EAST)).best()
        if best is not None and best.encoding != "cp1252":
            known = next(name for name in ENCODINGS if codecs.lookup(name).name == codecs.lookup(best.encoding).name)
            return (
                known,
                tr("its letters are those of {language}", language=best.language)
                if best.language != "Unknown"
                else tr("its letters fit"),
            )
    return "cp1252", tr("this is the most frequent other")


def _delimiter(lines: list[str]) -> tuple[str, str, bool]:
    best: list[tuple[float, int, str]] = []
    for delimiter in DELIMITERS:
        try:
            counts = Counter(len(row) for row in split(lines, delimiter))
        except csv.Error:
            continue
        width, times = counts.most_common(1)[0] if counts else (1, 0)
        if width > 1:
            best.append((times / max(1, len(lines)), width, delimiter))
    if not best:
        return ",", tr("there is one column"), True
    if lines and len(split(lines[:1], " ")[0]) != next((width for _, width, d in best if d == " "), 0):
        best = [entry for entry in best if entry[2] != " "]  # words of one column
    if not best:
        return ",", tr("there is one column"), True
    spaced = [entry for entry in best if entry[2] != " "] or best
    spaced = spaced if max(spaced)[0] > 0.8 else best
    share, width, delimiter = max(spaced, key=lambda entry: (entry[0], entry[1]))
    rivals = [d for s, w, d in spaced if d != delimiter and s >= share and w > 1]
    return (
        delimiter,
        tr("{width} cells in {share:.0%} of the lines", width=width, share=share),
        share > 0.95 and not rivals,
    )


def _header(rows: list[list[str]]) -> tuple[bool, str]:
    if not rows:
        return True, tr("there is nothing to go by")
    if any(_NUMBER.match(cell) for cell in rows[0]):
        return False, tr("the first line holds numbers")
    return True, tr("the first line holds words alone")


def _decimal(rows: list[list[str]], delimiter: str) -> tuple[str, str]:
    if delimiter == ",":
        return ".", tr("the comma parts the cells")
    cells = [cell for row in rows for cell in row]
    if any(_COMMA_NUMBER.match(cell) for cell in cells) and not any("." in c and _NUMBER.match(c) for c in cells):
        return ",", tr("numbers are written with a comma")
    return ".", tr("no number is written with a comma")


def first_rows(path: Path, form: TextForm, count: int) -> tuple[list[str], list[list[str]]]:
    """Return the names of the columns and the first rows, as text, that a form makes of a file.

    Raises CannotRead.
    """
    text = head_of(DataRef.file(path), LOOKED_AT).decode(form.encoding, "replace").lstrip("\ufeff")
    lines = [line for line in text.splitlines() if line.strip()][: count + 1]
    try:
        rows = split(lines, form.delimiter)
    except csv.Error:
        rows = [[line] for line in lines]
    width = max((len(row) for row in rows), default=0)
    numbered = [f"column {i}" for i in range(1, width + 1)]
    if not form.header or not rows:
        return numbered, rows[:count]
    names = [cell.strip() or numbered[i] for i, cell in enumerate(rows[0])]
    return names + numbered[len(names) :], rows[1:]
