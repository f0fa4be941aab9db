"""Texts as files can hold them."""

from __future__ import annotations


def whole_text(text: str) -> str:
    """Return a text with question marks for halves of pairs of code units, as names of files can have them.

    >>> whole_text("a\\ud800b")
    'a?b'
    """
    return text.encode("utf-8", "replace").decode()
