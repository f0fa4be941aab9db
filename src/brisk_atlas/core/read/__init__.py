"""The one way in to files: `read.open(path)` returns a Dataset; `Holdings` keeps what was read."""

from .holdings import Holdings, Source
from .members import members_of
from .registry import Reader, folder_suffixes, known_suffixes, open, reader_for, readers

__all__ = [
    "Holdings",
    "Reader",
    "Source",
    "folder_suffixes",
    "known_suffixes",
    "members_of",
    "open",
    "reader_for",
    "readers",
]
