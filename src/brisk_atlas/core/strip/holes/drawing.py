"""A drawing as values: what is drawn where, in millimetres from the upper left; painted on screens, pictures and
paper."""

from __future__ import annotations

from dataclasses import dataclass
from enum import Enum

import numpy as np

from brisk_atlas.core.model import DataRef

from .patterns import Pattern


class Align(Enum):
    """Where words stand in their box."""

    LEFT = "left"
    CENTRE = "centre"
    RIGHT = "right"


@dataclass(frozen=True, slots=True)
class BoxMark:
    """A rectangle: filled, outlined, with a pattern of one ink over it; "" for none."""

    x: float
    y: float
    width: float
    height: float
    fill: str = ""
    line: str = ""
    pattern: Pattern | None = None


@dataclass(frozen=True, slots=True, eq=False)
class LineMark:
    """A line through (n, 2) points; `width` in millimetres, `dashed`; filled with a translucent `fill` where closed."""

    points: np.ndarray
    ink: str
    width: float = 0.25
    dashed: bool = False
    fill: str = ""


@dataclass(frozen=True, slots=True)
class TextMark:
    """Text in a box, on as many lines as there is room for where `wrapped`; `size` is the height of letters in
    millimetres."""

    x: float
    y: float
    width: float
    height: float
    text: str
    ink: str
    size: float = 2.6
    align: Align = Align.LEFT
    mono: bool = False
    wrapped: bool = False
    bold: bool = False


@dataclass(frozen=True, slots=True)
class PhotoMark:
    """A photograph in a box, stretched to it; `steep` says that it is turned so that its width runs downwards."""

    x: float
    y: float
    width: float
    height: float
    ref: DataRef


@dataclass(frozen=True, slots=True)
class ClipMark:
    """Only what lies in this box is drawn until the next one; without a size, everything is."""

    x: float = 0.0
    y: float = 0.0
    width: float = 0.0
    height: float = 0.0


EVERYTHING = ClipMark()
Mark = BoxMark | LineMark | TextMark | PhotoMark | ClipMark


@dataclass(frozen=True, eq=False)
class Drawing:
    """Marks in the order in which they are drawn, on a sheet so wide and high in millimetres."""

    width: float
    height: float
    marks: tuple[Mark, ...]
