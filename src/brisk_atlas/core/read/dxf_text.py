"""The text of a DXF. The vector library takes all of it for the stated code page, and leaves escapes as they are; from
version AC1021 on it is UTF-8, and `\\U+0416` is a letter in every version."""

from __future__ import annotations

import codecs
import re
from pathlib import Path

import pyarrow as pa

TEXT_IS_UTF8_FROM = "AC1021"
HEAD_BYTES = 65_536  # in which the header section states its version and code page
_STATED = re.compile(rb"\$(ACADVER|DWGCODEPAGE)\s+\d+\s+(\S+)")
_ESCAPED = re.compile(r"\\U\+([0-9A-Fa-f]{4})")


def with_dxf_text(path: Path, table: pa.Table) -> pa.Table:
    """Return the rows of a DXF with their texts as they were written. Raises OSError."""
    with path.open("rb") as file:
        stated = {
            name.decode(): value.decode("ascii", "replace") for name, value in _STATED.findall(file.read(HEAD_BYTES))
        }
    taken_for = _codec(stated.get("DWGCODEPAGE", "")) if stated.get("ACADVER", "") >= TEXT_IS_UTF8_FROM else None
    for at, field in enumerate(table.schema):
        if pa.types.is_string(field.type):
            column = table.column(at).combine_chunks().dictionary_encode()
            texts = [None if text is None else _text(text, taken_for) for text in column.dictionary.to_pylist()]
            table = table.set_column(at, field, pa.array(texts, field.type).take(column.indices))
    return table


def _codec(code_page: str) -> str:
    """Return what the library reads by: of the most frequent code page it takes every byte for a letter."""
    name = code_page.upper().removeprefix("ANSI_")
    if name == "1252":
        return "latin-1"
    try:
        return codecs.lookup(f"cp{name}").name
    except LookupError:
        return "latin-1"


def _text(text: str, taken_for: str | None) -> str:
    if taken_for and not text.isascii():
        try:
            text = text.encode(taken_for).decode("utf-8")
        except UnicodeError:  # it was not UTF-8 after all
            return text
    return _ESCAPED.sub(lambda found: chr(int(found[1], 16)), text)
