"""Point symbols, drawn once per size and place within a pixel and then stamped."""

from __future__ import annotations

import numpy as np

from brisk_atlas.core.system.compiled import njit

from . import JIT
from .pixels import lay, lay_over

PHASES = 4  # places within a pixel, each way; a symbol stands at most an eighth of a pixel off


@njit(**JIT)
def stamp(image, top, bottom, x, y, which, masks, middle, bodies, lines):
    """Stamp symbols on the rows `top` to `bottom`, in order.

    x, y : (points,) float64 pixel positions
    which : (points,) int32 which of the masks' sizes each takes
    masks : (sizes, PHASES, PHASES, 2, side, side) uint8 coverage of body and of outline
    middle : pixel of a mask's side that holds the symbol's place
    image, bodies, lines : uint32 pixels and one such ink for each point
    """
    side = masks.shape[4]
    width = image.shape[1]
    for i in range(x.size):
        px, py = x[i], y[i]
        if not (px > -side and px < width + side and py > top - side and py < bottom + side):
            continue
        col0, row0 = int(np.floor(px)), int(np.floor(py))
        mask = masks[which[i], int((py - row0) * PHASES), int((px - col0) * PHASES)]
        body, line = bodies[i], lines[i]
        for r in range(max(0, top - row0 + middle), min(side, bottom - row0 + middle)):
            row = row0 - middle + r
            for c in range(max(0, middle - col0), min(side, width - col0 + middle)):
                inner, outer = np.int64(mask[0, r, c]), np.int64(mask[1, r, c])
                if inner:
                    lay(image, row, col0 - middle + c, body, inner + (inner >> 7))
                if outer:
                    lay_over(image, row, col0 - middle + c, line, outer + (outer >> 7))
