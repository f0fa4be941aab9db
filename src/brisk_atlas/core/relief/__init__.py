"""Elevation in three dimensions. `drape.terrain_of` makes a terrain; it loads the drawing core,
which the child process of `stage` does without."""

from .stage import Stage
from .terrain import Camera, Terrain

__all__ = ["Camera", "Stage", "Terrain"]
