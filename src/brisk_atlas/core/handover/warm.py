"""Compile the kernels of recipes ahead of their first use: `python -m brisk_atlas.core.handover.warm`."""

from __future__ import annotations

import pyarrow as pa
import shapely

from .wkb_moves import moved_wkb


def warm() -> None:
    """Run every kernel once on next to nothing; compiled code is stored beside the sources."""
    moved_wkb(pa.chunked_array([shapely.to_wkb([shapely.box(0, 0, 1, 1)])], pa.binary()), lambda xy: xy)


if __name__ == "__main__":
    warm()
