"""What was read and derived, shared by all rooms and threads, within a budget of memory."""

from .data_cache import DataCache

__all__ = ["DataCache"]
