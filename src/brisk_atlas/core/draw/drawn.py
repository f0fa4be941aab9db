"""The result of drawing a layer."""

from __future__ import annotations

from dataclasses import dataclass


@dataclass
class Drawn:
    """What is to be reported of a layer's picture, whether work in the background would make it better,
    and the limits that its colours took."""

    note: str = ""
    unfinished: bool = False
    limits: tuple[tuple[float, float], ...] = ()
