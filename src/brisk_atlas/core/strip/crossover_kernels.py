"""Where runs of segments of different lines cross."""

from __future__ import annotations

import numpy as np

from brisk_atlas.core.system.compiled import njit


@njit(cache=True, nogil=True)
def cross_runs(
    xy: np.ndarray, breaks: np.ndarray, line: np.ndarray, pairs: np.ndarray, run_starts: np.ndarray,
    boxes: np.ndarray, segments: np.ndarray, shares: np.ndarray,
) -> int:  # fmt: skip
    """Test each segment of a run against each of another; returns how many crossovers there are, of which as many are
    written as there is room for.

    xy : (n, 2) float64, places of all lines one after the other; breaks : (n,) bool, no segment ends there; line : (n,)
    of each place; pairs : (m, 2) runs; run_starts : (runs + 1,) first segment of each, by its place of begin; boxes :
    (runs, 4) their bounds; segments : (room, 2) places at which the two segments begin; shares : (room, 2) float64
    along each, from 0 to below 1
    """
    found = 0
    for pair in range(pairs.shape[0]):
        one, other = pairs[pair, 0], pairs[pair, 1]
        for i in range(run_starts[one], run_starts[one + 1]):
            if breaks[i + 1]:
                continue
            ax, ay, bx, by = xy[i, 0], xy[i, 1], xy[i + 1, 0], xy[i + 1, 1]
            low_x, high_x, low_y, high_y = min(ax, bx), max(ax, bx), min(ay, by), max(ay, by)
            if (low_x > boxes[other, 2] or high_x < boxes[other, 0]
                    or low_y > boxes[other, 3] or high_y < boxes[other, 1]):  # fmt: skip
                continue
            begin = run_starts[other]
            if one == other:
                begin = max(begin, i + 2)  # neighbours share an end, which is no crossover
            for j in range(begin, run_starts[other + 1]):
                if breaks[j + 1] or (line[i] == line[j] and j <= i + 1):
                    continue
                cx, cy, dx, dy = xy[j, 0], xy[j, 1], xy[j + 1, 0], xy[j + 1, 1]
                if min(cx, dx) > high_x or max(cx, dx) < low_x or min(cy, dy) > high_y or max(cy, dy) < low_y:
                    continue
                ux, uy, vx, vy = bx - ax, by - ay, dx - cx, dy - cy
                turn = ux * vy - uy * vx
                if turn == 0.0:
                    continue
                s = ((cx - ax) * vy - (cy - ay) * vx) / turn
                t = ((cx - ax) * uy - (cy - ay) * ux) / turn
                if 0.0 <= s < 1.0 and 0.0 <= t < 1.0:
                    if found < segments.shape[0]:
                        segments[found, 0], segments[found, 1] = i, j
                        shares[found, 0], shares[found, 1] = s, t
                    found += 1
    return found
