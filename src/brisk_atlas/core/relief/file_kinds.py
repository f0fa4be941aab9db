"""What a relief can be written as, beside pictures."""

from __future__ import annotations

FILM_SUFFIXES = (".mp4", ".gif")
FRAMES_A_SECOND = 15
MODEL_SUFFIXES = (".glb", ".obj", ".stl")
MOST_SAMPLES = 4_000_000  # heights of a model
