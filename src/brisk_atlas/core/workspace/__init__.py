"""The open work without a window: layers and their undo, answers, the project file, what was read.

`Workspace` is where a script begins; names load when they are first asked for, as the window stands before all do.
"""

from __future__ import annotations

from typing import TYPE_CHECKING

from brisk_atlas.late_names import late_names

if TYPE_CHECKING:
    from .answers import Answers
    from .undoable_work import Picks, Place, WorkState
    from .work import Work
    from .workspace import OpenedPart, Workspace

_HOMES = {
    "answers": ("Answers",),
    "undoable_work": ("Picks", "Place", "WorkState"),
    "work": ("Work",),
    "workspace": ("OpenedPart", "Workspace"),
}
_HOME_OF = {name: home for home, names in _HOMES.items() for name in names}

__all__ = ["Answers", "OpenedPart", "Picks", "Place", "Work", "WorkState", "Workspace"]


__getattr__ = late_names(__name__, _HOME_OF)
