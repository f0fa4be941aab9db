"""Writing a piece of a layer for somebody else."""

from brisk_atlas.core.system.atomic_write import reason_of, written_beside

from .raster import RasterOrder, hand_over_raster
from .table import hand_over_table
from .vector import VectorOrder, hand_over_vector

__all__ = [
    "RasterOrder",
    "VectorOrder",
    "hand_over_raster",
    "hand_over_table",
    "hand_over_vector",
    "reason_of",
    "written_beside",
]
