"""Metadata: records by the standards, read, checked, mended, converted and handed on.

`read_document` reads a file, `Draft` edits one, `check` judges one under a `Standard`, `convert` says it in another.
"""

from __future__ import annotations

from typing import TYPE_CHECKING

from brisk_atlas.late_names import late_names

_HOMES = {
    "Finding": "checks",
    "check": "checks",
    "check_schema": "checks",
    "completeness": "checks",
    "obligation": "checks",
    "differences": "comparing",
    "comparisons_of": "comparing",
    "taken": "comparing",
    "Conversion": "converting",
    "convert": "converting",
    "Document": "document",
    "document_in": "document",
    "read_document": "document",
    "written": "document",
    "Draft": "draft",
    "Record": "model",
    "NOT_STATED": "brief_sections",
    "Line": "brief_sections",
    "Section": "brief_sections",
    "brief": "brief_sections",
    "STANDARDS": "standards",
    "Standard": "standards",
    "standard_named": "standards",
}

if TYPE_CHECKING:
    from .brief_sections import NOT_STATED, Line, Section, brief
    from .checks import Finding, check, check_schema, completeness, obligation
    from .comparing import comparisons_of, differences, taken
    from .converting import Conversion, convert
    from .document import Document, document_in, read_document, written
    from .draft import Draft
    from .model import Record
    from .standards import STANDARDS, Standard, standard_named


__getattr__ = late_names(__name__, _HOMES)


__all__ = [
    "NOT_STATED",
    "STANDARDS",
    "Conversion",
    "Document",
    "Draft",
    "Finding",
    "Line",
    "Record",
    "Section",
    "Standard",
    "brief",
    "check",
    "check_schema",
    "comparisons_of",
    "completeness",
    "convert",
    "differences",
    "document_in",
    "obligation",
    "read_document",
    "standard_named",
    "taken",
    "written",
]
