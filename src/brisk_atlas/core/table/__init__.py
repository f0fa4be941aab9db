"""The rows of a layer with what the analyst added: edits, joined and computed fields, and filters.

Drawing and the sheet both stand on them.
"""

from .expression import column_of, mask_of, prepare
from .extended import base_rows, fields_with_added, matching, rows_of, shown_rows
from .seen import all_seen_rows, seen_of, seen_rows, seen_shown

__all__ = [
    "all_seen_rows",
    "base_rows",
    "column_of",
    "fields_with_added",
    "mask_of",
    "matching",
    "prepare",
    "rows_of",
    "seen_of",
    "seen_rows",
    "seen_shown",
    "shown_rows",
]
