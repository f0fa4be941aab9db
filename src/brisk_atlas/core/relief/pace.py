"""How coarse pictures are while the hand moves, so that they follow it."""

from __future__ import annotations

FRAME_S = 0.045  # that a picture may take
COARSEST, COARSER, FINER = 4.0, 1.25, 0.93  # times coarser than at rest, and how that changes


class Pace:
    """How many times coarser than at rest the next picture is: coarser after one that took too long, finer after one
    that was there soon."""

    def __init__(self) -> None:
        self.coarser = 2.0

    def took(self, seconds: float) -> None:
        """Note how long a picture took."""
        factor = COARSER if seconds > FRAME_S else FINER if seconds < 0.7 * FRAME_S else 1.0
        self.coarser = min(max(self.coarser * factor, 1.0), COARSEST)
