"""Point clouds in memory."""

from __future__ import annotations

from dataclasses import dataclass

import numpy as np

from brisk_atlas.core.model.language import tr

POINT_CLASSES = {  # ASPRS LAS 1.4 R15, table 17
    0: tr("never classified"),
    1: tr("unclassified"),
    2: tr("ground"),
    3: tr("low vegetation"),
    4: tr("medium vegetation"),
    5: tr("high vegetation"),
    6: tr("building"),
    7: tr("low noise"),
    8: tr("model key point"),
    9: tr("water"),
    10: tr("rail"),
    11: tr("road surface"),
    13: tr("wire, guard"),
    14: tr("wire, conductor"),
    15: tr("transmission tower"),
    16: tr("wire connector"),
    17: tr("bridge deck"),
    18: tr("high noise"),
    19: tr("overhead structure"),
    20: tr("ignored ground"),
    21: tr("snow"),
    22: tr("temporal exclusion"),
}


@dataclass(frozen=True, eq=False)
class Points:
    """A point cloud as a structure of arrays.

    xyz : (points, 3) float64; x and y in `crs`, z in the file's vertical unit
    dimensions : name -> (points,) array, as the file has them (intensity, classification, ...)
    """

    xyz: np.ndarray
    dimensions: dict[str, np.ndarray]
    crs: str | None

    def __len__(self) -> int:
        return len(self.xyz)

    def values(self, name: str) -> np.ndarray:
        """Return a dimension by name; `z` is the height."""
        return self.xyz[:, 2] if name == "z" else self.dimensions[name]
