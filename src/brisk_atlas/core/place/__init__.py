"""Coordinate reference systems, transformations between them, and notations of a position."""

from .crs import (
    METRES_PER_DEGREE,
    crs_label,
    crs_name,
    ground_metres,
    height_unit_of,
    is_geographic,
    measured_metres,
    metres_per_unit,
    proj_crs,
    same_crs,
    text_of,
    transform,
    unit_of,
    vertical_datum,
)
from .crs_search import CrsEntry, covers, entry_of, search_crs
from .extents import transform_extent
from .mesh import Mesh, clipped, mesh_of
from .notation import Spot, degrees_from, mgrs_to_degrees, notations

__all__ = [
    "METRES_PER_DEGREE",
    "CrsEntry",
    "Mesh",
    "Spot",
    "clipped",
    "covers",
    "crs_label",
    "crs_name",
    "degrees_from",
    "entry_of",
    "ground_metres",
    "height_unit_of",
    "is_geographic",
    "measured_metres",
    "mesh_of",
    "metres_per_unit",
    "mgrs_to_degrees",
    "notations",
    "proj_crs",
    "same_crs",
    "search_crs",
    "text_of",
    "transform",
    "transform_extent",
    "unit_of",
    "vertical_datum",
]
