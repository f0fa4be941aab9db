"""The symbols for points: shapes of our own, each made into masks of coverage for a size."""

from __future__ import annotations

from functools import lru_cache
from math import ceil

import numpy as np

from .kernels.fill import NO_HATCH, NON_ZERO, add_edge, clear_rows, sweep
from .kernels.stroke import MITER, PEN_SIZE, ROUND, begin, draw_to, finish
from .kernels.symbols import PHASES

NAMES = ("circle", "square", "triangle", "cross", "pin")
PIN_HEIGHT = 2.6  # of a pin over the radius of its head; its tip stands on the place


def outline(name: str) -> np.ndarray:
    """Return (vertices, 2) of a symbol of radius 1 about its place; y grows down."""
    turn = np.linspace(0, 2 * np.pi, 40, endpoint=False)
    if name == "square":
        return np.array([(-0.89, -0.89), (0.89, -0.89), (0.89, 0.89), (-0.89, 0.89)])
    if name == "triangle":
        return np.array([(0.0, -1.15), (1.0, 0.75), (-1.0, 0.75)])
    if name == "cross":
        a, b = 0.34, 1.0
        quarter = [
            (-a, -b),
            (a, -b),
            (a, -a),
            (b, -a),
            (b, a),
            (a, a),
            (a, b),
            (-a, b),
            (-a, a),
            (-b, a),
            (-b, -a),
            (-a, -a),
        ]
        return np.array(quarter)
    if name == "pin":
        half_open = np.arccos(1 / (PIN_HEIGHT - 1))  # the lines from the tip touch the head this far from it
        head = np.linspace(np.pi / 2 + half_open, 2.5 * np.pi - half_open, 40)
        points = np.column_stack([np.cos(head), np.sin(head) - (PIN_HEIGHT - 1)])
        return np.vstack([points, [(0.0, 0.0)]])
    return np.column_stack([np.cos(turn), np.sin(turn)])


@lru_cache(maxsize=64)
def masks(name: str, sizes: tuple[float, ...], line_width: float) -> tuple[np.ndarray, int]:
    """Return the masks that `kernels.symbols.stamp` takes, for each of `sizes` (pixels across), and
    the pixel of their side that holds the symbol's place."""
    middle = ceil(max(sizes) / 2 * (PIN_HEIGHT if name == "pin" else 1.2) + line_width) + 1
    side = 2 * middle + 2
    made = np.zeros((len(sizes), PHASES, PHASES, 2, side, side), np.uint8)
    shape = outline(name)
    area, lo, hi = np.empty((side, side + 2), np.float32), np.empty(side, np.int64), np.empty(side, np.int64)
    clear_rows(area, lo, hi)
    pen = np.zeros(PEN_SIZE)
    join = ROUND if name == "circle" else MITER
    for number, size in enumerate(sizes):
        for i in range(PHASES):
            for j in range(PHASES):
                at = middle + (np.array([j, i]) + 0.5) / PHASES
                xy = shape * (size / 2) + at
                for (x0, y0), (x1, y1) in zip(xy, np.roll(xy, -1, axis=0)):
                    add_edge(area, lo, hi, x0, y0, x1, y1, side, side)
                made[number, i, j, 0] = _swept(area, lo, hi, side)
                if line_width > 0:
                    half = max(line_width / 2, 0.5)
                    begin(pen, *xy[0])
                    for x, y in [*xy[1:], xy[0]]:
                        draw_to(area, lo, hi, pen, x, y, half, join, side, side)
                    finish(area, lo, hi, pen, True, half, join, 0, side, side)
                    made[number, i, j, 1] = _swept(area, lo, hi, side) * min(1.0, line_width)
    return made, middle


def _swept(area: np.ndarray, lo: np.ndarray, hi: np.ndarray, side: int) -> np.ndarray:
    picture = np.zeros((side, side), np.uint32)
    sweep(area, lo, hi, picture, 0, 0, side, side, np.uint32(0xFF000000), NON_ZERO, NO_HATCH, 1.0, 1.0, 0.0, 0.0)
    return (picture >> 24).astype(np.uint8)
