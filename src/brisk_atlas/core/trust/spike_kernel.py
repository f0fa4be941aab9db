"""How far cells are from the eight around them."""

from __future__ import annotations

import numpy as np

from brisk_atlas.core.system.compiled import njit


@njit(cache=True, nogil=True, error_model="numpy")
def away_from_eight(values, valid, away, span):
    """Fill, for cells whose eight neighbours have data, how far each is from their median, and their range.

    values, valid : (rows, cols) numbers and bool
    away, span : (rows, cols) float32 to fill; cells that are left out stay as they are
    """
    rows, columns = values.shape
    around = np.empty(8)
    for r in range(1, rows - 1):
        for c in range(1, columns - 1):
            if not valid[r, c]:
                continue
            count = 0
            for dr in range(-1, 2):
                for dc in range(-1, 2):
                    if (dr != 0 or dc != 0) and valid[r + dr, c + dc]:
                        value = float(values[r + dr, c + dc])
                        at = count
                        while at > 0 and around[at - 1] > value:
                            around[at] = around[at - 1]
                            at -= 1
                        around[at] = value
                        count += 1
            if count == 8:
                away[r, c] = abs(float(values[r, c]) - (around[3] + around[4]) / 2.0)
                span[r, c] = around[7] - around[0]
