"""Point clouds in memory."""

from __future__ import annotations

from dataclasses import dataclass

import numpy as np


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
