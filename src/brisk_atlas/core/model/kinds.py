"""What datasets, parts and layers are, as closed vocabularies. The values are their words in files and on the command
line."""

from __future__ import annotations

from enum import StrEnum


class DataKind(StrEnum):
    """What a dataset, or a part of one, is."""

    VECTOR = "vector"
    RASTER = "raster"
    POINTCLOUD = "pointcloud"
    TABLE = "table"
    SCENE = "scene"  # a dataset of band groups
    RECORD = "record"  # a metadata record without data
    PROJECT = "project"
    DOCUMENT = "document"
    ARCHIVE = "archive"
    PACKED = "packed"  # a dataset in an archive that has not been unpacked

    # What code asks of a kind instead of comparing it.

    @property
    def has_shapes(self) -> bool:
        """Whether it is made of features with geometries that can be picked."""
        return self is DataKind.VECTOR

    @property
    def has_cells(self) -> bool:
        """Whether it is a grid, or a set of grids."""
        return self in (DataKind.RASTER, DataKind.SCENE)

    @property
    def has_points(self) -> bool:
        """Whether it is made of points with heights and dimensions."""
        return self is DataKind.POINTCLOUD

    @property
    def has_rows(self) -> bool:
        """Whether it has fields and rows that Sheet shows."""
        return self in (DataKind.VECTOR, DataKind.TABLE)

    @property
    def has_place(self) -> bool:
        """Whether it can be drawn on a map."""
        return self.has_shapes or self.has_cells or self.has_points


class Quantity(StrEnum):
    """What the stored numbers of a sensor's bands can be turned into, and colours that stand for heights."""

    REFLECTANCE = "reflectance"
    RADIANCE = "radiance"
    TEMPERATURE = "temperature"
    HEIGHT_TENTHS = "heights in colours: tenths of a metre above −10,000 m"
    HEIGHT_FRACTIONS = "heights in colours: 256 red + green + blue / 256 − 32,768 m"


class Blend(StrEnum):
    """How a layer goes on those below it."""

    NORMAL = "normal"
    MULTIPLY = "multiply"  # darkens what is below by this layer's colours
