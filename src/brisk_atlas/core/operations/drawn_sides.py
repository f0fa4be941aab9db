"""What the maps of a plate are drawn of: layers, and the difference of two grids between them."""

from __future__ import annotations

from collections.abc import Callable
from typing import TYPE_CHECKING, NamedTuple

from brisk_atlas.core.compare.change_picture import RAMP, change_picture, change_scale
from brisk_atlas.core.draw.legend import Legend
from brisk_atlas.core.paper.map_frame import Overlay
from brisk_atlas.core.workspace.plate_paper import stacks_in

if TYPE_CHECKING:
    import numpy as np

    from brisk_atlas.core.cache import DataCache
    from brisk_atlas.core.draw import View
    from brisk_atlas.core.model import Layer
    from brisk_atlas.core.workspace.plates import PlateView

Sides = tuple[tuple["Layer | Overlay", ...], ...]


class ShownDifference(NamedTuple):
    """The difference of two grids that a map shows: its name and legend, and the ids of the grids."""

    legend: tuple[str, Legend]
    layers: frozenset[str]


def drawn_sides(cache: DataCache, view: PlateView) -> tuple[Sides, ShownDifference | None]:
    """Return what each map of a view is drawn of, bottom first: one, or A and B; and the difference that it shows.
    Raises AtlasError where two grids can't be subtracted."""
    stacks, changed = stacks_in(view)
    if changed is None:
        return stacks, None
    a, b = changed
    scale = change_scale(cache, a, b)

    def draw(seen: View, check: Callable[[], None]) -> np.ndarray:
        return change_picture(cache, a, b, scale, seen, check)[0]

    legend = Legend("difference", (), RAMP, -scale.limit, scale.limit, scale.unit)
    shown = ShownDifference((f"{b.name} − {a.name}", legend), frozenset((a.id, b.id)))
    return ((*stacks[0], draw, *stacks[1]),), shown
