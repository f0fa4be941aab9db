"""Types of fields, as they are called on the screen."""

from __future__ import annotations

import re

from .language import tr

_SHOWN = {
    "string": tr("text"), "large_string": tr("text"), "string_view": tr("text"), "bool": tr("yes or no"),
    "date": tr("date"), "time": tr("time"), "timestamp": tr("date and time"), "duration": tr("duration"),
    "binary": tr("bytes"), "large_binary": tr("bytes"),
    **dict.fromkeys(("int8", "int16", "int32", "int64", "uint8", "uint16", "uint32", "uint64"), tr("whole number")),
    **dict.fromkeys(("halffloat", "float", "double", "float32", "float64"), tr("number")),
}  # fmt: skip
_CODED = re.compile(r"dictionary<values=(.+?), indices=")
_FAMILY = re.compile(r"(date|time|timestamp|duration|decimal)(?:32|64|128|256)?(?:[\[(].*)?")
_ZONE = re.compile(r"tz=([^\]]+)")


def field_type_words(stored: str) -> str:
    """Return what a type is called that is stored as Arrow names it; one of another system as it is.

    >>> field_type_words("dictionary<values=string, indices=int32, ordered=0>"), field_type_words("uint16")
    ('text', 'whole number')
    >>> field_type_words("timestamp[ms, tz=UTC]"), field_type_words("decimal128(10, 2)"), field_type_words("hstore")
    ('date and time, UTC', 'number', 'hstore')
    """
    coded = _CODED.match(stored)
    if coded is not None:
        return field_type_words(coded[1])
    family = _FAMILY.fullmatch(stored)
    if family is None:
        return _SHOWN.get(stored, stored)
    if family[1] == "decimal":
        return tr("number")
    zone = _ZONE.search(stored)
    return _SHOWN[family[1]] + (f", {zone[1]}" if zone is not None else "")
