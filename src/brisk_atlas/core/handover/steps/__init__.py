"""The steps that a recipe may have, one file a subject."""

from __future__ import annotations

from importlib import import_module

from brisk_atlas.core.handover.step import STEPS, Step

SUBJECTS = (
    "rows",
    "fields",
    "places",
    "shapes",
    "overlay",
    "joins",
    "coordinates",
    "cells",
    "terrain",
    "grid_shapes",
    "points",
    "records",
    "write",
)

for _subject in SUBJECTS:
    import_module(f"{__name__}.{_subject}")

__all__ = ["STEPS", "Step"]
