"""The band of a scene that says of each cell whether it is clear, cloud, shadow and so on."""

from __future__ import annotations

from typing import NamedTuple

from .dataset import Dataset
from .kinds import DataKind

OBSCURING = ("cloud", "cirrus", "shadow", "haze", "smoke", "dropped", "fill")
"""What the names of classes hold whose cells do not show the ground."""


class QualityBand(NamedTuple):
    """The part and the band that hold the classes, and their values, colours and names."""

    part: str
    band: int
    classes: tuple[tuple[int, str, str], ...]

    @property
    def obscured(self) -> tuple[str, ...]:
        """The names of the classes whose cells do not show the ground, as far as names tell."""
        return tuple(name for _, _, name in self.classes if any(word in name.lower() for word in OBSCURING))

    def values_of(self, names: tuple[str, ...]) -> tuple[int, ...]:
        """Return the values of classes by their names; those that it does not have are left out."""
        return tuple(value for value, _, name in self.classes if name in names)


def quality_band(dataset: Dataset | None, beside: str) -> QualityBand | None:
    """Return the quality band of a scene for another part of it, None without one."""
    if dataset is None or dataset.kind is not DataKind.SCENE:
        return None
    for part in dataset.parts:
        grid = part.facts.grid
        for band in grid.bands if grid is not None else ():
            if band.role == "quality" and band.classes and part.facts.name != beside:
                return QualityBand(part.facts.name, band.index, band.classes)
    return None
