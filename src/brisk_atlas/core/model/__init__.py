"""The values that every room of the core shares. Arrays live in `grid`, `shapes` and `cloud`."""

from .dataset import CloudPart, Dataset, Part, RasterPart, TablePart, VectorPart
from .errors import AtlasError, BadExpression, CannotPlace, CannotRead, CannotWrite
from .extent import Extent
from .facts import Band, CloudFacts, Facts, Field, GridFacts
from .layer import Layer
from .style import CloudStyle, GridStyle, Stretch, Style, VectorStyle
from .words import size_text

__all__ = [
    "AtlasError", "BadExpression", "Band", "CannotPlace", "CannotRead", "CannotWrite", "CloudFacts",
    "CloudPart", "CloudStyle", "Dataset", "Extent", "Facts", "Field", "GridFacts", "GridStyle", "Layer",
    "Part", "RasterPart", "Stretch", "Style", "TablePart", "VectorPart", "VectorStyle", "size_text",
]  # fmt: skip
