"""Looking for data and knowing what it is before it is opened.

Names load when they are first asked for: the shelves are shown before the rest is ready.
"""

from __future__ import annotations

from typing import TYPE_CHECKING

from brisk_atlas.late_names import late_names

if TYPE_CHECKING:
    from .anatomy import Anatomy, Member, anatomy_of, role_of
    from .catalogue import Catalogue
    from .listing import Entry, list_folder, list_place, place_above, walk
    from .questions import Neighbour, Question, question_about
    from .scan_pool import ScanPool
    from .shelves import Shelves
    from .summary import DatasetSummary
    from .text_pages import TextPages

_HOMES = {
    "anatomy": ("Anatomy", "Member", "anatomy_of", "role_of"),
    "catalogue": ("Catalogue",),
    "listing": ("Entry", "list_folder", "list_place", "place_above", "walk"),
    "scan_pool": ("ScanPool",),
    "questions": ("Neighbour", "Question", "question_about"),
    "shelves": ("Shelves",),
    "summary": ("DatasetSummary",),
    "text_pages": ("TextPages",),
}
_HOME_OF = {name: home for home, names in _HOMES.items() for name in names}

__all__ = [
    "Anatomy",
    "Catalogue",
    "DatasetSummary",
    "Entry",
    "Member",
    "Neighbour",
    "Question",
    "ScanPool",
    "Shelves",
    "TextPages",
    "anatomy_of",
    "list_folder",
    "list_place",
    "place_above",
    "question_about",
    "role_of",
    "walk",
]


__getattr__ = late_names(__name__, _HOME_OF)
