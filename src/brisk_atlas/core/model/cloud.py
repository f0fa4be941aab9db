"""Point clouds in memory."""

from __future__ import annotations

from dataclasses import dataclass

import numpy as np

POINT_CLASSES = {  # ASPRS LAS 1.4 R15, table 17
    0: "never classified",
    1: "unclassified",
    2: "ground",
    3: "low vegetation",
    4: "medium vegetation",
    5: "high vegetation",
    6: "building",
    7: "low noise",
    8: "model key point",
    9: "water",
    10: "rail",
    11: "road surface",
    13: "wire, guard",
    14: "wire, conductor",
    15: "transmission tower",
    16: "wire connector",
    17: "bridge deck",
    18: "high noise",
    19: "overhead structure",
    20: "ignored ground",
    21: "snow",
    22: "temporal exclusion",
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
