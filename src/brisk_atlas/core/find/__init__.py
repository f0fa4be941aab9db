"""Looking for data and knowing what it is before it is opened."""

from .listing import Entry, list_folder, walk
from .members import role_of
from .shelves import Shelves

__all__ = ["Entry", "Shelves", "list_folder", "role_of", "walk"]
