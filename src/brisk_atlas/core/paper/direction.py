"""The direction of text: which way a line is read, and each of its letters.

Source: Unicode Standard Annex 9, the bidirectional algorithm, by python-bidi; its rule N0 (brackets) is ours.
"""

from __future__ import annotations

import unicodedata
from typing import Any

EMBEDDED = {"\u2066": "\u202a", "\u2067": "\u202b", "\u2068": "\u202a", "\u2069": "\u202c"}  # for isolates
UNASSIGNED = "x"


def reads_leftwards(text: str) -> bool:
    """Return whether a text is read from right to left: its first letter with a direction is."""
    from bidi.algorithm import get_base_level

    return not text.isascii() and bool(get_base_level(text))


def levels_of(text: str) -> list[int]:
    """Return the level of direction of each character of a line: odd ones are read from right to left."""
    from bidi import algorithm

    if text.isascii():
        return [0] * len(text)
    text = "".join(map(_with_direction, text))
    stored = algorithm.get_empty_storage()
    stored["base_level"] = base = algorithm.get_base_level(text)
    stored["base_dir"] = "LR"[base]
    algorithm.get_embedding_levels(text, stored)
    characters = list(stored["chars"])
    algorithm.explicit_embed_and_overrides(stored)
    algorithm.resolve_weak_types(stored)
    for run in stored["runs"]:
        _resolve_brackets(stored["chars"][run["start"] : run["start"] + run["length"]], run["sor"])
    algorithm.resolve_neutral_types(stored, False)
    algorithm.resolve_implicit_levels(stored, False)
    found, left = list[int](), {id(each) for each in stored["chars"]}
    for each in characters:  # signs are not among those left: they belong to what stands before them
        found.append(each["level"] if id(each) in left else found[-1] if found else base)
    blank = len(text) - len(text.rstrip())
    return found[: len(text) - blank] + [base] * blank


def _with_direction(character: str) -> str:
    """Return a character with a direction that python-bidi knows, which does not know isolates and unassigned ones."""
    return EMBEDDED.get(character, character) if unicodedata.bidirectional(character) else UNASSIGNED


def _resolve_brackets(run: list[dict[str, Any]], before: str) -> None:
    """Give brackets of one level the direction of what they enclose, or of what stands before them (rule N0)."""
    strong = {"L": "L", "R": "R", "EN": "R", "AN": "R"}
    for first, last in _pairs(run):
        own = "LR"[run[first]["level"] % 2]
        inside = {strong.get(each["type"]) for each in run[first + 1 : last]} - {None}
        if own in inside:
            direction = own
        elif inside:
            ahead = (strong[each["type"]] for each in reversed(run[:first]) if each["type"] in strong)
            direction = next(ahead, before)
        else:
            continue
        run[first]["type"] = run[last]["type"] = direction


def _pairs(run: list[dict[str, Any]]) -> list[tuple[int, int]]:
    """Return where brackets open and close, by where they open (rule BD16)."""
    from bidi.mirror import MIRRORED

    opened, pairs = list[tuple[str, int]](), list[tuple[int, int]]()
    for at, each in enumerate(run):
        if each["type"] != "ON":
            continue
        match unicodedata.category(each["ch"]):
            case "Ps":
                opened.append((MIRRORED.get(each["ch"], ""), at))
            case "Pe":
                depth = next((n for n in range(len(opened) - 1, -1, -1) if opened[n][0] == each["ch"]), None)
                if depth is not None:
                    pairs.append((opened[depth][1], at))
                    del opened[depth:]
    return sorted(pairs)
