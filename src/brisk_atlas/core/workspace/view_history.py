"""Back and forward through the places that a map showed."""

from __future__ import annotations

from typing import NamedTuple

MOST = 100
MOVED = 0.1  # of the view's size: what is nearer to the last place is the same one
ZOOMED = 1.15  # times the scale


class VisitedView(NamedTuple):
    """What a map showed: its centre, units a pixel, and its CRS."""

    x: float
    y: float
    resolution: float
    crs: str | None


class ViewHistory:
    """The places in the order in which they were seen, and where in it one is."""

    def __init__(self) -> None:
        self._seen: list[VisitedView] = []
        self._at = -1

    def note(self, seen: VisitedView, pixels: int) -> None:
        """Note where the map came to rest; what is almost where it was takes its place. `pixels` is the map's width."""
        if self._at >= 0 and _is_alike(self._seen[self._at], seen, pixels):
            self._seen[self._at] = seen
            return
        del self._seen[self._at + 1 :]
        self._seen.append(seen)
        del self._seen[:-MOST]
        self._at = len(self._seen) - 1

    @property
    def can_go_back(self) -> bool:
        """Whether there is a place before this one."""
        return self._at > 0

    @property
    def can_go_on(self) -> bool:
        """Whether one has gone back from a later place."""
        return self._at < len(self._seen) - 1

    def back(self) -> VisitedView | None:
        """Go to the place before, and return it; None at the first one."""
        if not self.can_go_back:
            return None
        self._at -= 1
        return self._seen[self._at]

    def on(self) -> VisitedView | None:
        """Go to the place after, and return it; None at the last one."""
        if not self.can_go_on:
            return None
        self._at += 1
        return self._seen[self._at]


def _is_alike(a: VisitedView, b: VisitedView, pixels: int) -> bool:
    far = MOVED * pixels * a.resolution
    zoom = a.resolution / b.resolution
    return a.crs == b.crs and abs(a.x - b.x) < far and abs(a.y - b.y) < far and 1 / ZOOMED < zoom < ZOOMED
