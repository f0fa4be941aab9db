"""The ground of a relief: the heights of one grid, or of several over each other, and what is draped over it."""

from __future__ import annotations

import time
from collections.abc import Callable, Sequence
from dataclasses import replace

import numpy as np
from scipy import ndimage

from brisk_atlas.core.cache import DataCache
from brisk_atlas.core.draw import View
from brisk_atlas.core.draw.drawn import Drawn
from brisk_atlas.core.draw.frame import Painter
from brisk_atlas.core.draw.raster import values_seen
from brisk_atlas.core.draw.whole_frame import LOOK_S, WAIT_S, whole_frame
from brisk_atlas.core.model import AtlasError, Extent, GridStyle, Layer
from brisk_atlas.core.model.language import tr
from brisk_atlas.core.model.style import shown_band
from brisk_atlas.core.place import height_unit_of, transform_extent, vertical_datum
from brisk_atlas.core.place.length_units import METRES_A_UNIT

from .space import Space

RIM_CELLS = 8.0  # of the lower grid, over which the upper one goes over into it
RIM_SHARE = 0.1  # of the upper grid's longer side, that this takes at most: a coarse grid must not cover a small one
AROUND = 8.0  # of the first grid's longer side, by which others may go beyond it
UNDER_SIDE = 2000  # samples a side, between which heights are looked up
PARTS = 16  # of a cell, by which two grids are taken for equally fine


def space_of(cache: DataCache, grids: Sequence[Layer]) -> Space:
    """Return the space of grids, in the CRS of the first: as large as all of them, but not many times as large as the
    first; as fine as the finest. Raises AtlasError where one has no place there."""
    parts = [cache.raster(layer.ref) for layer in grids]
    if len(parts) == 1:
        return Space.of(parts[0])
    crs = parts[0].facts.crs
    boxes, cells = [], []
    for part, layer in zip(parts, grids):
        assert part.facts.extent is not None
        box = transform_extent(part.facts.extent, crs)
        if box is None:
            raise AtlasError(
                layer.name, tr("it has no place in the CRS of the first grid"), tr("Leave it out of the ground.")
            )
        boxes.append(box)
        cells.append(box.width / max(part.facts.lattice.columns, 1))
    around = AROUND * max(boxes[0].width, boxes[0].height)  # a service may reach around the Earth
    west = max(min(box.xmin for box in boxes), boxes[0].xmin - around)
    south = max(min(box.ymin for box in boxes), boxes[0].ymin - around)
    east = min(max(box.xmax for box in boxes), boxes[0].xmax + around)
    north = min(max(box.ymax for box in boxes), boxes[0].ymax + around)
    finest = int(np.argmin(cells))
    spacing = min(parts[finest].facts.lattice.cell) if finest == 0 else cells[finest]
    if cells[0] <= cells[finest] * (1 + 1 / PARTS):  # the first one's own cells are samples
        first, spacing = boxes[0], min(parts[0].facts.lattice.cell)
        west = first.xmin - np.ceil((first.xmin - west) / spacing) * spacing
        north = first.ymax + np.ceil((north - first.ymax) / spacing) * spacing
    return Space.around(Extent(float(west), south, east, float(north), crs), spacing)


def metres_in(cache: DataCache, layer: Layer) -> float:
    """Return how many metres a unit of a grid's heights has; one for a unit that is not known."""
    return METRES_A_UNIT.get(_unit_of(cache, layer), 1.0)


def _unit_of(cache: DataCache, layer: Layer) -> str:
    """Return the unit of a grid's heights: that of its band, else of the vertical part of its CRS; "" for none."""
    facts = cache.raster(layer.ref).facts
    assert facts.grid is not None
    own = facts.grid.bands[shown_band(layer.style) - 1].unit.strip()
    return own or (height_unit_of(facts.crs) if vertical_datum(facts.crs) else "")


def ground_words(cache: DataCache, grids: Sequence[Layer]) -> str:
    """Return what is known of the heights of a ground: their units and the vertical datum, or that it is not stated."""
    found = []
    for layer in grids:
        part, unit = cache.raster(layer.ref), _unit_of(cache, layer)
        factor = METRES_A_UNIT.get(unit)
        if not unit:
            text = tr("unit not stated, assumed to be metres")
        elif factor is None:
            text = tr("unit {unit} not known, assumed to be metres", unit=unit)
        else:
            text = tr("in m") if factor == 1.0 else tr("{unit}, shown in m", unit=unit)
        found.append(f"{text}, {vertical_datum(part.facts.crs) or 'vertical datum not stated'}")
    if len(set(found)) == 1:
        return tr("Heights {found}", found=found[0])
    return tr("Heights: ") + "; ".join(f"{layer.name} {text}" for layer, text in zip(grids, found))


def cloud_words(cache: DataCache, clouds: Sequence[Layer]) -> str:
    """Return what is known of the heights of clouds, as `ground_words` does."""
    found = []
    for layer in clouds:
        facts = cache.part(layer.ref).facts
        unit = height_unit_of(facts.crs)
        factor = METRES_A_UNIT.get(unit)
        text = (
            tr("unit not stated, assumed to be metres")
            if factor is None
            else tr("in m")
            if factor == 1.0
            else tr("{unit}, shown in m", unit=unit)
        )
        found.append(f"{text}, {vertical_datum(facts.crs) or 'vertical datum not stated'}")
    return tr("Heights {fromkeys}", fromkeys="; ".join(dict.fromkeys(found)))


def heights_in(cache: DataCache, grids: Sequence[Layer], view: View) -> np.ndarray:
    """Return (rows, cols) float32 metres under the pixels of a view, NaN without data: of the first grid, and where
    that has none of the next. Over a rim of a few cells of the lower one, the upper one goes over into it."""
    found: np.ndarray | None = None
    for layer in reversed(grids):
        factor = metres_in(cache, layer)
        upper = _whole_values(cache, layer, view)
        if factor != 1.0:
            upper = upper * np.float32(factor)
        if found is None:
            found = upper
            cell = _cell_in(cache, layer, view)
            continue
        known = np.isfinite(upper)
        rim = max(1.0, min(RIM_CELLS * cell, RIM_SHARE * _longer_in(cache, layer, view)) / view.resolution)
        if known.all() or not known.any():
            share = known.astype(np.float32)
        else:
            share = np.minimum(ndimage.distance_transform_edt(known) / rim, 1.0).astype(np.float32)
        lower = np.isfinite(found)
        mixed = np.where(known, upper, 0) * share + np.where(lower, found, 0) * (1 - share)
        found = np.where(known & lower, mixed, np.where(known, upper, found)).astype(np.float32)
        cell = _cell_in(cache, layer, view)
    assert found is not None
    return found


def _whole_values(cache: DataCache, layer: Layer, view: View) -> np.ndarray:
    """Return (rows, cols) float32 of a grid under a view's pixels, once all of it has come that comes from a server
    within a time."""
    until = time.monotonic() + WAIT_S
    while True:
        drawn = Drawn()
        found = values_seen(cache, layer.ref, shown_band(layer.style), view, drawn)
        if not drawn.coming or time.monotonic() > until:
            return found
        time.sleep(LOOK_S)


def flat_heights(view: View) -> np.ndarray:
    """Return (rows, cols) float32 zeros, for what stands on a plane."""
    return np.zeros((view.height, view.width), np.float32)


def heights_under(read: Callable[[View], np.ndarray], space: Space, places: np.ndarray) -> np.ndarray:
    """Return (n,) metres of the ground under places, NaN without: between samples that lie as close as a picture of
    all the places has room for.

    places : (n, 2) metres east and north of the middle; read : as `ReliefScene` takes it
    """
    found = np.full(len(places), np.nan)
    known = np.isfinite(places).all(axis=1)
    if not known.any():
        return found
    east, north = places[known].T
    inside = (np.abs(east) <= space.metres[0] / 2) & (np.abs(north) <= space.metres[1] / 2)
    if not inside.any():
        return found
    x, y = (np.array(each)[inside] for each in space.to_map(east, north))
    step = max(space.spacing, (x.max() - x.min()) / UNDER_SIDE, (y.max() - y.min()) / UNDER_SIDE)
    cols, rows = (int(np.ceil((each.max() - each.min()) / step)) + 4 for each in (x, y))
    left = space.corner[0] + (np.floor((x.min() - space.corner[0]) / step) - 1) * step
    top = space.corner[1] - (np.floor((space.corner[1] - y.max()) / step) - 1) * step
    view = View(left + cols * step / 2, top - rows * step / 2, step, cols, rows, space.crs)
    samples = read(view)
    col, row = (x - left) / step - 0.5, (top - y) / step - 0.5
    whole = np.flatnonzero(known)[inside]
    found[whole] = ndimage.map_coordinates(samples, [row, col], order=1, mode="nearest", cval=np.nan, prefilter=False)
    return found


def no_heights(view: View) -> np.ndarray:
    """Return (rows, cols) float32 without a height, for a relief without a ground."""
    return np.full((view.height, view.width), np.nan, np.float32)


def _longer_in(cache: DataCache, layer: Layer, view: View) -> float:
    """Return the longer side of a grid, in units of a view's CRS."""
    extent = cache.raster(layer.ref).facts.extent
    box = transform_extent(extent, view.crs) if extent is not None else None
    return max(box.width, box.height) if box is not None else np.inf


def _cell_in(cache: DataCache, layer: Layer, view: View) -> float:
    """Return about how large a cell of a grid is, in units of a view's CRS."""
    facts = cache.raster(layer.ref).facts
    box = transform_extent(facts.extent, view.crs) if facts.extent is not None else None
    return box.width / max(facts.lattice.columns, 1) if box is not None else view.resolution


def draped(layers: Sequence[Layer]) -> list[Layer]:
    """Return drawn layers as they lie on a ground that is lit itself: without the light of the map."""
    found = []
    for layer in layers:
        if not layer.visible or layer.style is None or layer.kind.has_points:
            continue
        style = layer.style
        if isinstance(style, GridStyle) and style.shade > 0:
            found.append(replace(layer, style=replace(style, shade=0.0)))
        else:
            found.append(layer)
    return found


def drape_in(painter: Painter, layers: Sequence[Layer], view: View) -> np.ndarray:
    """Return (rows, cols, 4) uint8, premultiplied, of layers, bottom first, under the pixels of a view. The painter
    should be one of the relief's own, as it stores nothing for the next picture."""
    image = whole_frame(painter, layers, view).image
    painter.forget()
    return image
