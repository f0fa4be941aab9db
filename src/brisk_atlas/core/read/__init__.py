"""The one way in to files: `read.open(ref)` returns a Dataset; `Holdings` keeps what was read."""

from .holdings import Holdings
from .registry import Reader, folder_suffixes, known_suffixes, open, reader_for, readers

__all__ = ["Holdings", "Reader", "folder_suffixes", "known_suffixes", "open", "reader_for", "readers"]
