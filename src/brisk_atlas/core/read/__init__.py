"""The one way in to files: `read.open(ref)` returns a Dataset."""

from .registry import Reader, folder_suffixes, known_suffixes, open, read_in_place, reader_for, readers

__all__ = ["Reader", "folder_suffixes", "known_suffixes", "open", "read_in_place", "reader_for", "readers"]
