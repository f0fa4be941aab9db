"""The work and its file. `file` loads the checks when a project is opened or saved."""

from .work import Picks, Place, Work, WorkState

__all__ = ["Picks", "Place", "Work", "WorkState"]
