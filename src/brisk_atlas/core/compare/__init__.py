"""Comparing side A with side B."""

from .change import GridDifference, change_between

__all__ = ["GridDifference", "change_between"]
