"""Drawing on a plane: from layers and a view to a frame, without a window."""

from .view import View

__all__ = ["View"]
