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


class Blend(StrEnum):
    """How a layer goes on those below it."""

    NORMAL = "normal"
    MULTIPLY = "multiply"  # darkens what is below by this layer's colours
