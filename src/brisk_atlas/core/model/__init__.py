"""The values that every room of the core shares. Arrays live in `grid`, `shapes` and `cloud`.

Names load when they are first asked for, so that a window can stand before all of them do.
"""

from __future__ import annotations

from typing import TYPE_CHECKING

from brisk_atlas.late_names import late_names

if TYPE_CHECKING:
    from .data_ref import DataRef, PlaceKind
    from .dataset import CloudPart, Dataset, Level, Part, RasterPart, RowsPart, TablePart, VectorPart
    from .dimension import GridDimension
    from .errors import AtlasError, BadExpression, CannotPlace, CannotRead, CannotWrite, NeedsPermission, refusing
    from .extent import Extent
    from .facts import Band, CloudFacts, Facts, Field, GridFacts, Rescale
    from .kinds import Blend, DataKind, Quantity
    from .lattice import CellWindow, Lattice
    from .layer import Layer
    from .open_options import NO_OPTIONS, Columns, OpenOptions, TextForm
    from .query import ALL_POINTS, EVERYTHING, Capability, FeatureQuery, Ordering, PointQuery, Relation
    from .style import ClassLook, CloudStyle, GridStyle, Label, Stretch, Style, StyleRule, VectorStyle, bands_of
    from .table_view import ColumnView, ComputedField, Edit, FieldFilter, Join, TableView
    from .words import number_text, size_text

_HOMES = {
    "data_ref": ("DataRef", "PlaceKind"),
    "dataset": ("CloudPart", "Dataset", "Level", "Part", "RasterPart", "RowsPart", "TablePart", "VectorPart"),
    "dimension": ("GridDimension",),
    "errors": (
        "AtlasError",
        "BadExpression",
        "CannotPlace",
        "CannotRead",
        "CannotWrite",
        "NeedsPermission",
        "refusing",
    ),
    "extent": ("Extent",),
    "facts": ("Band", "CloudFacts", "Facts", "Field", "GridFacts", "Rescale"),
    "kinds": ("Blend", "DataKind", "Quantity"),
    "lattice": ("CellWindow", "Lattice"),
    "layer": ("Layer",),
    "query": ("ALL_POINTS", "EVERYTHING", "Capability", "FeatureQuery", "Ordering", "PointQuery", "Relation"),
    "open_options": ("NO_OPTIONS", "Columns", "OpenOptions", "TextForm"),
    "table_view": ("ColumnView", "ComputedField", "Edit", "FieldFilter", "Join", "TableView"),
    "style": (
        "ClassLook",
        "CloudStyle",
        "GridStyle",
        "Label",
        "Stretch",
        "Style",
        "StyleRule",
        "VectorStyle",
        "bands_of",
    ),
    "words": ("number_text", "size_text"),
}
_HOME_OF = {name: home for home, names in _HOMES.items() for name in names}

__all__ = [
    "ALL_POINTS",
    "EVERYTHING",
    "NO_OPTIONS",
    "AtlasError",
    "BadExpression",
    "Band",
    "Blend",
    "CannotPlace",
    "CannotRead",
    "CannotWrite",
    "Capability",
    "CellWindow",
    "ClassLook",
    "CloudFacts",
    "CloudPart",
    "CloudStyle",
    "ColumnView",
    "Columns",
    "ComputedField",
    "DataKind",
    "DataRef",
    "Dataset",
    "Edit",
    "Extent",
    "Facts",
    "FeatureQuery",
    "Field",
    "FieldFilter",
    "GridDimension",
    "GridFacts",
    "GridStyle",
    "Join",
    "Label",
    "Lattice",
    "Layer",
    "Level",
    "NeedsPermission",
    "OpenOptions",
    "Ordering",
    "Part",
    "PlaceKind",
    "PointQuery",
    "Quantity",
    "RasterPart",
    "Relation",
    "Rescale",
    "RowsPart",
    "Stretch",
    "Style",
    "StyleRule",
    "TablePart",
    "TableView",
    "TextForm",
    "VectorPart",
    "VectorStyle",
    "bands_of",
    "number_text",
    "refusing",
    "size_text",
]


__getattr__ = late_names(__name__, _HOME_OF)
