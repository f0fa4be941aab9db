"""Metadata: records by the standards, read, checked, mended, converted and handed on.

`read_document` reads a file, `kept_records` finds the records of a dataset, `Draft` edits one, `check` judges
one under a `Standard`, `convert` says it in another, `table` reads many.
"""

from __future__ import annotations

from importlib import import_module
from typing import TYPE_CHECKING, Any

_HOMES = {
    "Finding": "checks",
    "check": "checks",
    "check_schema": "checks",
    "completeness": "checks",
    "obligation": "checks",
    "differences": "comparing",
    "rows_of": "comparing",
    "taken": "comparing",
    "Conversion": "converting",
    "convert": "converting",
    "contradictions": "derived",
    "derived_places": "derived",
    "derived_record": "derived",
    "filled": "derived",
    "Document": "document",
    "document_in": "document",
    "read_document": "document",
    "written": "document",
    "Draft": "draft",
    "explain": "field_meanings",
    "Failed": "kept",
    "Kept": "kept",
    "kept_records": "kept",
    "Record": "model",
    "NOT_SAID": "reading",
    "Line": "reading",
    "Section": "reading",
    "brief": "reading",
    "derived_sections": "reading",
    "extent_text": "reading",
    "STANDARDS": "standards",
    "Standard": "standards",
    "standard_named": "standards",
}

if TYPE_CHECKING:
    from .checks import Finding, check, check_schema, completeness, obligation
    from .comparing import differences, rows_of, taken
    from .converting import Conversion, convert
    from .derived import contradictions, derived_places, derived_record, filled
    from .document import Document, document_in, read_document, written
    from .draft import Draft
    from .field_meanings import explain
    from .kept import Failed, Kept, kept_records
    from .model import Record
    from .reading import NOT_SAID, Line, Section, brief, derived_sections, extent_text
    from .standards import STANDARDS, Standard, standard_named


def __getattr__(name: str) -> Any:
    """Load a module of the room when something of it is asked for: most uses need a few of them."""
    if name not in _HOMES:
        raise AttributeError(f"module {__name__!r} has no attribute {name!r}")
    return getattr(import_module(f"{__name__}.{_HOMES[name]}"), name)


__all__ = [
    "NOT_SAID",
    "STANDARDS",
    "Conversion",
    "Document",
    "Draft",
    "Failed",
    "Finding",
    "Kept",
    "Line",
    "Record",
    "Section",
    "Standard",
    "brief",
    "check",
    "check_schema",
    "completeness",
    "contradictions",
    "convert",
    "derived_places",
    "derived_record",
    "derived_sections",
    "differences",
    "document_in",
    "explain",
    "extent_text",
    "filled",
    "kept_records",
    "obligation",
    "read_document",
    "rows_of",
    "standard_named",
    "taken",
    "written",
]
