"""Where one class became another: on the map, and as polygons."""

from __future__ import annotations

from collections.abc import Callable

import numpy as np

from brisk_atlas.core.cache import DataCache
from brisk_atlas.core.draw import View
from brisk_atlas.core.draw.drawn import Drawn
from brisk_atlas.core.draw.raster import values_seen
from brisk_atlas.core.model import AtlasError, Lattice, Layer, RasterPart
from brisk_atlas.core.model.language import tr
from brisk_atlas.core.model.style import shown_band
from brisk_atlas.core.place.cell_areas import cell_areas

from .change import KEPT_CELLS
from .paired_cells import common_window, sides_in
from .patches import Patches, patches_of

MARK = (122, 45, 191, 255)  # as what is picked
OTHERS = (246, 242, 234, 150)  # a veil over the rest
PAIR = 1  # the class of the patches


def places_picture(cache: DataCache, a: Layer, b: Layer, pair: tuple[int, int], view: View) -> np.ndarray:
    """Return (rows, cols, 4) uint8 premultiplied RGBA of a view: what was one class in A and is the other in B stands
    out, all else is veiled."""
    seen = [values_seen(cache, layer.ref, shown_band(layer.style), view, Drawn(), "nearest") for layer in (a, b)]
    here = (seen[0] == pair[0]) & (seen[1] == pair[1])
    image = np.empty((view.height, view.width, 4), np.uint8)
    image[:] = _premultiplied(OTHERS)
    image[here] = _premultiplied(MARK)
    return image


def _premultiplied(colour: tuple[int, int, int, int]) -> np.ndarray:
    return np.array([*(round(part * colour[3] / 255) for part in colour[:3]), colour[3]], np.uint8)


def class_places(
    before: RasterPart,
    after: RasterPart,
    bands: tuple[int, int],
    pair: tuple[int, int],
    check: Callable[[float], None] = lambda share: None,
) -> tuple[Patches, Lattice]:
    """Return the patches where one class became another, and where their cells lie. Raises AtlasError where the grids
    are too large."""
    window = common_window(before, after)
    rows, cols = window.shape
    if rows * cols > KEPT_CELLS:
        raise AtlasError(
            before.ref,
            tr("{rows:,} cells are too many at once", rows=rows * cols),
            tr("Export a smaller extent first."),
        )
    one, two, _ = sides_in(window, before, after, (bands[:1], bands[1:]), smooth=False)
    check(0.5)
    here = one.valid & two.valid & (one.values[0] == pair[0]) & (two.values[0] == pair[1])
    found = patches_of(here.astype(np.uint8) * PAIR, two.values[0], cell_areas(one.lattice))
    return found, one.lattice
