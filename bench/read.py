"""Reading features into arrays that can be drawn, against the bare library call that makes none."""

from __future__ import annotations

from collections.abc import Iterator

from . import data
from .case import Case, in_turn

MOST_TIMES = 2.5  # as long as the bare read


def run() -> Iterator[Case]:
    import pyogrio

    from brisk_atlas.core import read
    from brisk_atlas.core.model import VectorPart

    path = data.large_polygons()
    part = read.open(path).parts[0]
    assert isinstance(part, VectorPart)
    part.read()
    ours, theirs = in_turn(part.read, lambda: pyogrio.read_arrow(path), 7)
    yield Case(
        "read",
        "190,000 polygons with 10,600,000 vertices, ready to be drawn",
        "the bare read into Arrow",
        ours,
        theirs,
        1 / MOST_TIMES,
    )
