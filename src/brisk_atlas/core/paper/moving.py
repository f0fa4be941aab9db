"""Moving and resizing blocks by hand: edges hold to those of others, and blocks stay on the paper."""

from __future__ import annotations

from collections.abc import Sequence
from typing import NamedTuple

from .arrangement import MARGIN
from .box import PageBox
from .layout import MINIMUM_MM, Paper

HOLD_MM = 1.5  # how near an edge must come to another to hold to it


class Edges(NamedTuple):
    """Where edges hold: across and along the page, millimetres."""

    across: tuple[float, ...]
    along: tuple[float, ...]


def edges_beside(paper: Paper, block_id: str) -> Edges:
    """Return the edges of the other blocks and of the margin, and the middle of the page."""
    width, height = paper.size
    boxes = [each.box for each in paper.blocks if each.id != block_id]
    boxes.append(PageBox(MARGIN, MARGIN, width - 2 * MARGIN, height - 2 * MARGIN))
    across = {width / 2, *(side for box in boxes for side in (box.x, box.right))}
    along = {height / 2, *(side for box in boxes for side in (box.y, box.bottom))}
    return Edges(tuple(sorted(across)), tuple(sorted(along)))


def moved(box: PageBox, dx: float, dy: float, page: tuple[float, float], edges: Edges | None = None) -> PageBox:
    """Return a box elsewhere, with an edge or its middle on one of `edges` that it comes near."""
    x, y = box.x + dx, box.y + dy
    if edges is not None:
        x += _nearest((x, x + box.width / 2, x + box.width), edges.across)
        y += _nearest((y, y + box.height / 2, y + box.height), edges.along)
    x = min(max(0.0, x), max(0.0, page[0] - box.width))
    y = min(max(0.0, y), max(0.0, page[1] - box.height))
    return PageBox(x, y, box.width, box.height)


def resized(
    box: PageBox, sides: tuple[int, int], dx: float, dy: float, page: tuple[float, float], edges: Edges | None = None
) -> PageBox:
    """Return a box with some sides moved: -1 the left or upper one, 1 the right or lower one, 0 none."""
    x0, x1 = _stretched(box.x, box.right, sides[0], dx, page[0], edges.across if edges is not None else ())
    y0, y1 = _stretched(box.y, box.bottom, sides[1], dy, page[1], edges.along if edges is not None else ())
    return PageBox(x0, y0, x1 - x0, y1 - y0)


def _stretched(
    low: float, high: float, side: int, by: float, most: float, edges: Sequence[float]
) -> tuple[float, float]:  # fmt: skip
    if side < 0:
        low += by + _nearest((low + by,), edges)
        return min(max(0.0, low), high - MINIMUM_MM), high
    if side > 0:
        high += by + _nearest((high + by,), edges)
        return low, max(min(most, high), low + MINIMUM_MM)
    return low, high


def _nearest(own: Sequence[float], edges: Sequence[float]) -> float:
    """Return how far the nearest edge lies from one of its own, 0 where none is near."""
    apart = [edge - each for each in own for edge in edges if abs(edge - each) <= HOLD_MM]
    return min(apart, key=abs, default=0.0)
