"""Coordinate reference systems, transformations between them, and notations of a position."""

from .crs import (
    crs_label,
    crs_name,
    height_unit_of,
    is_geographic,
    metres_per_unit,
    proj_crs,
    same_crs,
    text_of,
    transform,
    transform_extent,
    unit_of,
)
from .notation import Position, degrees_from, mgrs_to_degrees, position

__all__ = [
    "Position",
    "crs_label",
    "crs_name",
    "degrees_from",
    "height_unit_of",
    "is_geographic",
    "metres_per_unit",
    "mgrs_to_degrees",
    "position",
    "proj_crs",
    "same_crs",
    "text_of",
    "transform",
    "transform_extent",
    "unit_of",
]
