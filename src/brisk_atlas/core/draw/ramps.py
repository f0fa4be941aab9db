"""Colour ramps of our own, even in lightness, and the palette for classes.

Ramps run through a few anchors in OKLab and are then respaced so that lightness grows in equal
steps (for diverging ramps: towards the middle and away from it), which keeps them readable in grey
and for colour-blind readers. OKLab: B. Ottosson (2020), "A perceptual color space for image
processing".
"""

from __future__ import annotations

import re
from functools import lru_cache
from typing import NamedTuple

import numpy as np

from brisk_atlas.core.model.language import tr

STEPS = 256
MAX_CLASSES = 32  # of a ramp in steps
_ANCHORS = {
    "ember": ("#1b1426", "#5a1f4e", "#a52f45", "#dd6a35", "#f3b25a", "#fdf0cf"),
    "tide": ("#0d1b33", "#123a5e", "#1d6178", "#4f919b", "#9bc2c0", "#eaf3ef"),
    "moss": ("#10241c", "#1f4a33", "#3f7437", "#7f9c3b", "#cbc25e", "#fbf3c9"),
    "land": ("#20402f", "#4e7144", "#94955a", "#c2a878", "#ddcdb4", "#fbf8f2"),
    "ink": ("#101418", "#fdfcf9"),
    "scar": ("#0f5c66", "#5fa3a3", "#f4efe4", "#d98a5f", "#9c2f22"),  # diverging: less, same, more
}
DIVERGING = ("scar",)
NAMES = tuple(_ANCHORS)
CLASSES = ("#1C7C7D", "#C2452D", "#D6A32B", "#4C5FA8", "#7FA650", "#A2577F", "#6C5B4B", "#5AB0C4", "#E08E79", "#3B3F4A")


def rgb_of(colour: str) -> np.ndarray:
    """Return (3,) uint8 of `#rrggbb`."""
    return np.array([int(colour[i : i + 2], 16) for i in (1, 3, 5)], np.uint8)


def hex_of(rgb: np.ndarray) -> str:
    """Return `#rrggbb` of (3,) numbers."""
    return "#" + "".join(f"{int(v):02x}" for v in rgb)


def _to_oklab(rgb: np.ndarray) -> np.ndarray:
    c = rgb / 255.0
    linear = np.where(c <= 0.04045, c / 12.92, ((c + 0.055) / 1.055) ** 2.4)
    lms = linear @ np.array(
        [
            [0.4122214708, 0.2119034982, 0.0883024619],
            [0.5363325363, 0.6806995451, 0.2817188376],
            [0.0514459929, 0.1073969566, 0.6299787005],
        ]
    )
    return np.cbrt(lms) @ np.array(
        [
            [0.2104542553, 1.9779984951, 0.0259040371],
            [0.7936177850, -2.4285922050, 0.7827717662],
            [-0.0040720468, 0.4505937099, -0.8086757660],
        ]
    )


def _from_oklab(lab: np.ndarray) -> np.ndarray:
    lms = lab @ np.array(
        [[1.0, 1.0, 1.0], [0.3963377774, -0.1055613458, -0.0894841775], [0.2158037573, -0.0638541728, -1.2914855480]]
    )
    linear = lms**3 @ np.array(
        [
            [4.0767416621, -1.2684380046, -0.0041960863],
            [-3.3077115913, 2.6097574011, -0.7034186147],
            [0.2309699292, -0.3413193965, 1.7076147010],
        ]
    )
    linear = np.clip(linear, 0, 1)
    c = np.where(linear <= 0.0031308, 12.92 * linear, 1.055 * linear ** (1 / 2.4) - 0.055)
    return np.round(c * 255).astype(np.uint8)


def lightness(rgb: np.ndarray) -> np.ndarray:
    """Return OKLab lightness, 0 to 1, of (n, 3) uint8 colours."""
    return _to_oklab(np.asarray(rgb, float))[:, 0]


def _even(anchors: np.ndarray, steps: int) -> np.ndarray:
    """Return `steps` OKLab colours along the anchors, equally spaced in lightness."""
    t = np.linspace(0, len(anchors) - 1, 2001)
    fine = np.column_stack([np.interp(t, np.arange(len(anchors)), anchors[:, i]) for i in range(3)])
    rising = fine[0, 0] < fine[-1, 0]
    key = fine[:, 0] if rising else fine[::-1, 0]
    wanted = np.linspace(fine[0, 0], fine[-1, 0], steps)
    rest = [np.interp(wanted, key, fine[:, i] if rising else fine[::-1, i]) for i in (1, 2)]
    return np.column_stack([wanted, *rest])


class OwnRamp(NamedTuple):
    """A ramp of one's own: colours at shares of its length, 0 to 1, rising; or a named one that is only classed.

    `classes` cuts it into as many flat steps; 0 leaves it smooth. As text it is what styles store:

    >>> OwnRamp(("#0d1b33", "#fbf3c9"), (0.0, 1.0), 5)
    OwnRamp(colours=('#0d1b33', '#fbf3c9'), shares=(0.0, 1.0), classes=5)
    >>> str(_)
    '#0d1b33 0%, #fbf3c9 100% in 5 classes'
    >>> OwnRamp.parse("tide in 7 classes").classes
    7
    """

    colours: tuple[str, ...]
    shares: tuple[float, ...]
    classes: int = 0
    name: str = ""

    @classmethod
    def parse(cls, text: str) -> OwnRamp:
        """Return the ramp that a text means. Raises ValueError."""
        body, _, end = text.partition(" in ")
        counted = re.fullmatch(r"(\d+) classes", end) if end else None
        classes = int(counted[1]) if counted else 0
        if (end and counted is None) or classes == 1 or classes > MAX_CLASSES:
            raise ValueError(tr("{text!r}: a ramp ends with its number of classes, such as 'in 7 classes'", text=text))
        if body in _ANCHORS:
            return cls((), (), classes, body)
        found = [re.fullmatch(r"(#[0-9a-fA-F]{6}) (\d+(?:\.\d+)?)%", stop.strip()) for stop in body.split(",")]
        stops = [(m[1].lower(), float(m[2]) / 100) for m in found if m is not None]
        shares = [share for _, share in stops]
        if len(stops) != len(found) or len(stops) < 2 or shares != sorted(shares) or shares[-1] > 1:
            raise ValueError(
                tr("{text!r}: a ramp is colours at rising shares, such as '#0d1b33 0%, #fbf3c9 100%'", text=text)
            )
        return cls(tuple(colour for colour, _ in stops), tuple(shares), classes)

    def __str__(self) -> str:
        body = self.name or ", ".join(f"{c} {round(s * 100, 2):g}%" for c, s in zip(self.colours, self.shares))
        return tr("{body} in {classes} classes", body=body, classes=self.classes) if self.classes else body


def _own(text: str) -> np.ndarray:
    """Return (256, 3) uint8 of a ramp of one's own, mixed in OKLab; raises KeyError."""
    try:
        own = OwnRamp.parse(text)
    except ValueError as error:
        raise KeyError(str(error)) from error
    at = np.linspace(0, 1, STEPS)
    if own.classes:  # each step has one colour; the first and the last are those of the ends
        at = np.minimum((at * own.classes).astype(int), own.classes - 1) / (own.classes - 1)
    if own.name:
        return ramp(own.name)[np.round(at * (STEPS - 1)).astype(int)]
    lab = _to_oklab(np.array([rgb_of(colour) for colour in own.colours], float))
    return _from_oklab(np.column_stack([np.interp(at, own.shares, lab[:, i]) for i in range(3)]))


@lru_cache(256)
def ramp(name: str) -> np.ndarray:
    """Return (256, 3) uint8 of a ramp, one of ours by name or one's own as `OwnRamp` prints it; raises KeyError."""
    if name not in _ANCHORS:
        return _own(name)
    lab = _to_oklab(np.array([rgb_of(c) for c in _ANCHORS[name]], float))
    if name in DIVERGING:
        middle = len(lab) // 2
        return _from_oklab(np.vstack([_even(lab[: middle + 1], STEPS // 2), _even(lab[middle:], STEPS // 2)]))
    return _from_oklab(_even(lab, STEPS))
