"""Which layers the map draws: all, or those of the sides that are compared, each in a picture of its own."""

from __future__ import annotations

from typing import TYPE_CHECKING

from .comparison import Way
from .work import Work

if TYPE_CHECKING:
    from brisk_atlas.core.model import Layer

Stacks = tuple[tuple["Layer", ...], ...]


def stacks_of(work: Work) -> Stacks:
    """Return the layers of each picture of the map, bottom first: one of all layers; those of A and of B for curtain
    and blink; of A alone for a twin, whose other sides are in panes of their own; what lies below and above the
    difference of two grids."""
    comparison = work.state.comparison
    if comparison is None:
        return (tuple(work.drawn()),)
    match comparison.way:
        case Way.CURTAIN | Way.BLINK:
            return tuple(tuple(work.drawn(hidden=comparison.hidden_on(side))) for side in (0, 1))
        case Way.TWIN:
            return (tuple(work.drawn(hidden=comparison.hidden_on(0))),)
        case Way.CHANGE:
            return _around_change(work)


def subtracted(work: Work) -> tuple[Layer, Layer] | None:
    """Return the grids whose difference the map shows, None while it shows none."""
    comparison = work.state.comparison
    return work.compared_grids() if comparison is not None and comparison.way is Way.CHANGE else None


def _around_change(work: Work) -> Stacks:
    """Return the layers below and above the difference of two grids, which stands where the upper one does; all layers
    where there is none."""
    pair, comparison, drawn = work.compared_grids(), work.state.comparison, work.drawn()
    if pair is None or comparison is None:
        return (tuple(drawn),)
    place = max(at for at, layer in enumerate(drawn) if layer.id in (pair[0].id, pair[1].id))
    compared = {*comparison.side_a, *comparison.side_b}
    parts = drawn[:place], drawn[place + 1 :]
    return tuple(tuple(layer for layer in part if layer.id not in compared) for part in parts)
