"""Patterns for rocks, drawn with lines of one ink so that they differ on a print in one colour."""

from __future__ import annotations

from collections.abc import Iterable
from typing import NamedTuple

Stroke = tuple[tuple[float, float], ...]


class Pattern(NamedTuple):
    """A tile that is repeated: its width and height in millimetres, and strokes in it; a stroke of one point is a
    dot."""

    width: float
    height: float
    strokes: tuple[Stroke, ...]


def _wave(y: float, width: float, height: float) -> Stroke:
    return ((0, y), (width / 4, y - height), (width / 2, y), (width * 3 / 4, y + height), (width, y))


PATTERNS = {
    "dots": Pattern(2.4, 2.4, (((0.6, 0.6),), ((1.8, 1.8),))),
    "fine dots": Pattern(1.4, 1.4, (((0.4, 0.4),), ((1.1, 1.1),))),
    "dashes": Pattern(3.6, 1.8, (((0.3, 0.5), (1.7, 0.5)), ((2.1, 1.4), (3.5, 1.4)))),
    "bricks": Pattern(4.0, 2.4, (((0, 0.1), (4, 0.1)), ((0, 1.3), (4, 1.3)), ((1, 0.1), (1, 1.3)),
                                 ((3, 1.3), (3, 2.4)))),
    "waves": Pattern(3.6, 2.0, (_wave(1.0, 3.6, 0.5),)),
    "double waves": Pattern(4.4, 2.8, (_wave(0.7, 4.4, 0.4), _wave(1.4, 4.4, 0.4))),
    "rings": Pattern(3.0, 3.0, (((0.4, 0.8), (0.8, 0.4), (1.2, 0.8), (0.8, 1.2), (0.4, 0.8)),
                                ((1.9, 2.2), (2.2, 1.9), (2.5, 2.2), (2.2, 2.5), (1.9, 2.2)))),
    "triangles": Pattern(3.4, 3.0, (((0.4, 1.3), (1.0, 0.3), (1.6, 1.3), (0.4, 1.3)),
                                    ((2.1, 2.7), (2.6, 1.9), (3.1, 2.7), (2.1, 2.7)))),
    "crosses": Pattern(3.0, 3.0, (((0.3, 0.8), (1.3, 0.8)), ((0.8, 0.3), (0.8, 1.3)),
                                  ((1.8, 2.3), (2.8, 2.3)), ((2.3, 1.8), (2.3, 2.8)))),
    "slashes": Pattern(2.0, 2.0, (((0, 2), (2, 0)),)),
    "steep lines": Pattern(1.6, 3.2, (((0, 3.2), (1.6, 0)),)),
    "hooks": Pattern(3.0, 2.6, (((0.3, 0.4), (0.8, 1.1), (1.3, 0.4)), ((1.8, 1.7), (2.3, 2.4), (2.8, 1.7)))),
    "rules": Pattern(2.0, 1.5, (((0, 0.7), (2, 0.7)),)),
    "lattice": Pattern(2.2, 2.2, (((0, 0), (2.2, 2.2)), ((0, 2.2), (2.2, 0)))),
}  # fmt: skip
WORDS = {  # in the name of a rock: its pattern; the first that fits
    "ash": "fine dots", "soil": "dashes", "sand": "dots", "silt": "fine dots", "clay": "dashes", "mud": "rules",
    "shale": "rules", "marl": "double waves", "chalk": "bricks", "lime": "bricks", "dolom": "bricks", "gravel": "rings",
    "conglom": "rings", "breccia": "triangles", "tuff": "triangles", "lapilli": "triangles", "scoria": "rings",
    "pumice": "rings", "basalt": "hooks", "lava": "hooks", "andesit": "crosses", "dacit": "crosses", "rhyolit": "waves",
    "granit": "crosses", "gabbro": "lattice", "dyke": "steep lines", "dike": "steep lines", "sill": "slashes",
    "schist": "waves", "gneiss": "double waves", "quartz": "lattice", "coal": "lattice", "salt": "lattice",
}  # fmt: skip
TINTS = (  # one for each pattern
    "#E7DCC6", "#C9C3B4", "#E2CFC0", "#D8D2B8", "#BFC5D0", "#CAD3BC", "#B8A9A0", "#D6CBD3", "#C4CBC9", "#E9E2D0",
    "#D3C0B0", "#CFCBDA", "#DAD6CE", "#BECFCB",
)  # fmt: skip


RockLooks = dict[str, tuple[Pattern, str]]


def patterns_of(names: Iterable[str | float | None]) -> RockLooks:
    """Return a pattern and a tint for each name of a rock, in the order in which they come: by words in the name, else
    one that none of the others has. A pattern always has the same tint."""
    found: RockLooks = {}
    used: set[str] = set()
    chosen: dict[str, str] = {}
    distinct = list(dict.fromkeys(str(name) for name in names if name is not None))
    for name in distinct:
        word = next((pattern for word, pattern in WORDS.items() if word in name.casefold()), None)
        if word is not None and word not in used:
            chosen[name] = word
            used.add(word)
    free = [each for each in PATTERNS if each not in used]
    for number, name in enumerate(distinct):
        if name not in chosen:
            chosen[name] = free.pop(0) if free else list(PATTERNS)[number % len(PATTERNS)]
        found[name] = PATTERNS[chosen[name]], TINTS[list(PATTERNS).index(chosen[name]) % len(TINTS)]
    return found
