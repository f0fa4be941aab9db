"""The formats that are written, one file a family."""

from __future__ import annotations

from importlib import import_module

from .format import FORMATS, FileFormat, Loss, WrittenFile, format_for, formats_of
from .table_format import TableFormat, opens, table_format_of, table_formats, table_in

for _family in ("features", "geoparquet", "tables", "drawings", "tiles", "grids", "clouds", "copc"):
    import_module(f"{__name__}.{_family}")

__all__ = [
    "FORMATS", "FileFormat", "Loss", "TableFormat", "WrittenFile", "format_for", "formats_of",
    "opens", "table_format_of", "table_formats", "table_in",
]  # fmt: skip
