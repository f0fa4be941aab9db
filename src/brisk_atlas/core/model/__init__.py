"""The values that every room of the core shares. Arrays live in `grid`, `shapes` and `cloud`.

Names load when they are first asked for, so that a window can stand before all of them do.
"""

from __future__ import annotations

from importlib import import_module
from typing import TYPE_CHECKING

if TYPE_CHECKING:
    from .dataset import CloudPart, Dataset, Level, Part, RasterPart, TablePart, VectorPart
    from .errors import AtlasError, BadExpression, CannotPlace, CannotRead, CannotWrite
    from .extent import Extent
    from .facts import Band, CloudFacts, Facts, Field, GridFacts
    from .layer import Layer
    from .style import CloudStyle, GridStyle, Label, Stretch, Style, VectorStyle
    from .words import size_text

_HOMES = {
    "dataset": ("CloudPart", "Dataset", "Level", "Part", "RasterPart", "TablePart", "VectorPart"),
    "errors": ("AtlasError", "BadExpression", "CannotPlace", "CannotRead", "CannotWrite"),
    "extent": ("Extent",),
    "facts": ("Band", "CloudFacts", "Facts", "Field", "GridFacts"),
    "layer": ("Layer",),
    "style": ("CloudStyle", "GridStyle", "Label", "Stretch", "Style", "VectorStyle"),
    "words": ("size_text",),
}
_HOME_OF = {name: home for home, names in _HOMES.items() for name in names}

__all__ = [
    "AtlasError",
    "BadExpression",
    "Band",
    "CannotPlace",
    "CannotRead",
    "CannotWrite",
    "CloudFacts",
    "CloudPart",
    "CloudStyle",
    "Dataset",
    "Extent",
    "Facts",
    "Field",
    "GridFacts",
    "GridStyle",
    "Label",
    "Layer",
    "Level",
    "Part",
    "RasterPart",
    "Stretch",
    "Style",
    "TablePart",
    "VectorPart",
    "VectorStyle",
    "size_text",
]


def __getattr__(name: str) -> object:
    if name not in _HOME_OF:
        raise AttributeError(f"module {__name__!r} has no attribute {name!r}")
    return getattr(import_module(f"{__name__}.{_HOME_OF[name]}"), name)
