"""What the analyst draws on the map: points, lines, areas and text, as values that are stored as GeoJSON."""

from .look import first_look
from .marks import Mark, MarkKind, Sketch

__all__ = ["Mark", "MarkKind", "Sketch", "first_look"]
