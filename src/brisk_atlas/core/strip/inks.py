"""The inks of traces and curves, by number, and how they are made out on any ground."""

from __future__ import annotations

from functools import lru_cache

INKS = ("#1C7C7D", "#C2452D", "#4C5FA8", "#B7791F", "#7FA650", "#A2577F")
TEXT_CONTRAST = 4.5  # WCAG 2.1, success criterion 1.4.3
STEPS = 20


def contrast(one: str, other: str) -> float:
    """Return the contrast ratio of two colours, 1 to 21. Source: WCAG 2.1, "contrast ratio".

    >>> contrast("#000000", "#FFFFFF"), contrast("#777777", "#777777")
    (21.0, 1.0)
    """
    low, high = sorted((_luminance(one), _luminance(other)))
    return (high + 0.05) / (low + 0.05)


@lru_cache(256)
def legible(ink: str, ground: str) -> str:
    """Return an ink that can be read on a ground: itself, or mixed with white or black as little as will do.

    >>> legible("#1C7C7D", "#FFFDF8"), contrast(legible("#1C7C7D", "#20282F"), "#20282F") >= TEXT_CONTRAST
    ('#1C7C7D', True)
    """
    towards = 255.0 if _luminance(ground) < 0.18 else 0.0
    for step in range(STEPS + 1):
        share = step / STEPS
        mixed = "#" + "".join(f"{round(part + (towards - part) * share):02X}" for part in _parts(ink))
        if contrast(mixed, ground) >= TEXT_CONTRAST:
            return mixed
    return mixed


def _parts(colour: str) -> tuple[int, ...]:
    return tuple(int(colour[at : at + 2], 16) for at in (1, 3, 5))


def _luminance(colour: str) -> float:
    """Return the relative luminance of an sRGB colour. Source: WCAG 2.1, "relative luminance"."""
    shares = [part / 255 for part in _parts(colour)]
    red, green, blue = (s / 12.92 if s <= 0.04045 else ((s + 0.055) / 1.055) ** 2.4 for s in shares)
    return 0.2126 * red + 0.7152 * green + 0.0722 * blue
