"""What is in it: rows, sorted and filtered."""

from .engine import Sheet

__all__ = ["Sheet"]
