"""Comparing side A with side B."""

from .change import Change, change_between

__all__ = ["Change", "change_between"]
