"""The difference between two grids as the map shows it: what a view sees of both, subtracted and coloured."""

from __future__ import annotations

from collections.abc import Callable
from typing import NamedTuple

import numpy as np

from brisk_atlas.core.cache import DataCache
from brisk_atlas.core.draw import View
from brisk_atlas.core.draw.drawn import Drawn
from brisk_atlas.core.draw.ink import pixels_of
from brisk_atlas.core.draw.raster import colour, values_seen
from brisk_atlas.core.model import AtlasError, GridStyle, Layer
from brisk_atlas.core.model.language import tr
from brisk_atlas.core.model.style import shown_band

from .accuracy import METRES
from .change import detection_level, unlike
from .hidden_cells import hidden_cells
from .stated_accuracy import stated_accuracies

RAMP = "scar"
FAINT = np.array([128, 132, 134], np.uint8) // 2  # grey, half transparent, premultiplied
FAINT_ALPHA = 128
SAMPLE_PX = 400  # along the longer side, of the picture that the colours are chosen by
MOST_SHARE = 98.0  # per cent of the differences that lie within the ramp


class ChangeScale(NamedTuple):
    """How a difference is coloured: from -`limit` to `limit`, in `unit`; smaller ones than `faint` are grey, as they
    may be none (95 %), by the standard errors that both records state. `faint` is 0 where they state none."""

    limit: float
    unit: str
    faint: float = 0.0


def _differences(cache: DataCache, a: Layer, b: Layer, view: View, result: Drawn) -> np.ndarray:
    """Return (rows, cols) float32 of B minus A under a view's pixels, NaN where a side has no data or a cloud."""
    one, two = (_clear_values(cache, layer, view, result) for layer in (a, b))
    return two - one


def _clear_values(cache: DataCache, layer: Layer, view: View, result: Drawn) -> np.ndarray:
    values = values_seen(cache, layer.ref, shown_band(layer.style), view, result)
    hidden = hidden_cells(cache, layer)
    if hidden is not None:
        classes = values_seen(cache, hidden.classes, hidden.band, view, result, "nearest")
        values[np.isin(classes, np.asarray(hidden.values, np.float32))] = np.nan
    return values


def change_scale(cache: DataCache, a: Layer, b: Layer) -> ChangeScale:
    """Return how the difference of two layers is coloured, wherever the map looks.

    Raises AtlasError where their bands measure different things, or nothing of them can be compared.
    """
    parts = [cache.raster(layer.ref) for layer in (a, b)]
    bands = [
        part.facts.grid.bands[shown_band(layer.style) - 1] for part, layer in zip(parts, (a, b)) if part.facts.grid
    ]
    reason = unlike(bands[0], bands[1])
    if reason:
        raise AtlasError(
            tr("{name} and {b_name}", name=a.name, b_name=b.name),
            tr("they can't be compared: {reason}", reason=reason),
            tr("Choose like grids."),
        )
    extent = parts[0].facts.extent
    assert extent is not None
    longer = max(extent.width, extent.height)
    size = [max(2, round(SAMPLE_PX * side / longer)) for side in (extent.width, extent.height)]
    found = np.abs(_differences(cache, a, b, View.fitting(extent, *size, margin=0.0), Drawn()))
    found = found[np.isfinite(found)]
    if not found.size:
        raise AtlasError(
            b.name,
            tr("no cell has data both here and in {name}", name=a.name),
            tr("Choose two grids of the same place."),
        )
    unit = bands[0].unit
    errors = stated_accuracies(cache, a.ref, b.ref) if unit in METRES else None
    faint = detection_level(errors) if errors is not None else 0.0
    changed = found[found > max(faint, 1e-9)]
    limit = float(np.percentile(changed, MOST_SHARE)) if changed.size else 1.0
    return ChangeScale(limit, unit, faint)


def change_picture(
    cache: DataCache, a: Layer, b: Layer, scale: ChangeScale, view: View, check: Callable[[], None] = lambda: None
) -> tuple[np.ndarray, Drawn]:
    """Return (rows, cols, 4) uint8 premultiplied RGBA of B minus A in a view, and what is to be known of it. What is
    seen is interpolated between cells of the stored levels that suit the view."""
    result = Drawn()
    delta = _differences(cache, a, b, view, result)
    check()
    image = np.zeros((view.height, view.width, 4), np.uint8)
    faint = np.abs(delta) < scale.faint
    shown = np.where(faint, np.float32(np.nan), delta)
    style = GridStyle(ramp=RAMP)
    colour([shown], style, [(-scale.limit, scale.limit)], (1.0, 0.0, 0.0, 1.0), pixels_of(image), 0)
    image[faint] = (*FAINT, FAINT_ALPHA)
    return image, result
