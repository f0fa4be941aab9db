"""What the tests of data are called on the screen; reports have one word a test, in any language."""

from __future__ import annotations

from brisk_atlas.core.model.language import tr

_WORDS = {
    "as it is read": tr("as it is read"), "a place stated": tr("a place stated"),
    "geometry there": tr("geometry there"), "valid geometry": tr("valid geometry"),
    "geometry once": tr("geometry once"), "no overlaps": tr("no overlaps"), "no gaps": tr("no gaps"),
    "no slivers": tr("no slivers"), "in its place": tr("in its place"),
    "fields with values": tr("fields with values"), "values that differ": tr("values that differ"),
    "no stand-ins for missing": tr("no stand-ins for missing"), "keys once": tr("keys once"),
    "one spelling": tr("one spelling"), "one unit": tr("one unit"),
    "numbers like the others": tr("numbers like the others"),
    "numbers like those around": tr("numbers like those around"), "values as stated": tr("values as stated"),
    "cells with data": tr("cells with data"), "no holes": tr("no holes"), "no spikes": tr("no spikes"),
    "no stripes": tr("no stripes"), "no steps between tiles": tr("no steps between tiles"),
    "values within range": tr("values within range"), "points once": tr("points once"),
    "classified": tr("classified"), "returns that can be": tr("returns that can be"),
}  # fmt: skip


def name_of_test(test: str) -> str:
    """Return what a test is called in the language of the application.

    >>> name_of_test("no holes")
    'no holes'
    """
    return _WORDS[test]
