"""What is in it: rows sorted, summed up, formatted, copied."""

from .engine import FieldSummary, Sheet

__all__ = ["FieldSummary", "Sheet"]
