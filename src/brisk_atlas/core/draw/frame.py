"""From layers and a view to a picture: each layer drawn apart and kept, then laid together."""

from __future__ import annotations

import threading
from collections import OrderedDict
from collections.abc import Callable, Sequence
from dataclasses import dataclass

import numpy as np

from brisk_atlas.core.model import AtlasError, CloudStyle, Extent, GridStyle, Layer, VectorStyle
from brisk_atlas.core.place import transform_extent
from brisk_atlas.core.read import Holdings

from .bands import in_bands
from .cloud import draw_cloud
from .coverage import blend
from .raster import draw_raster
from .vector import colours_of, draw_picked, draw_vector
from .view import View

KEPT_PICTURES = 24  # pictures of single layers kept for the next frame
PICKED_INK, HALO = "#7A2DBF", "#FFFDF8"


@dataclass(frozen=True, eq=False)
class Frame:
    """A finished picture: (rows, cols, 4) uint8 premultiplied RGBA of `view`.

    `faults` says by layer id what could not be drawn and why.
    """

    image: np.ndarray
    view: View
    faults: dict[str, str]


@dataclass(frozen=True)
class Picked:
    """The picked features of one layer."""

    layer_id: str
    rows: tuple[int, ...]


class Painter:
    """Draws frames. Safe for threads; pictures of layers are shared between frames."""

    def __init__(self, holdings: Holdings) -> None:
        self.holdings = holdings
        self._kept: OrderedDict[tuple, np.ndarray] = OrderedDict()
        self._lock = threading.Lock()

    def frame(
        self,
        layers: Sequence[Layer],
        view: View,
        *,
        picked: Picked | None = None,
        check: Callable[[], None] = lambda: None,
    ) -> Frame:
        """Return the picture of `layers` (bottom first). `check` is called often and may raise to stop."""
        image = np.zeros((view.height, view.width, 4), np.uint8)
        faults: dict[str, str] = {}
        for layer in layers:
            check()
            if not layer.visible or layer.opacity <= 0 or layer.style is None:
                continue
            try:
                above = self._layer(layer, view, check)
            except AtlasError as error:
                faults[layer.id] = str(error)
                continue
            in_bands(view.height, lambda a, b, above=above, o=layer.opacity: blend(image, above, o, a, b))  # type: ignore[misc]
        if picked:
            for layer in layers:
                if layer.id == picked.layer_id and layer.kind == "vector" and layer.visible and layer.id not in faults:
                    shapes = self.holdings.shapes_in(layer.source, view.crs)
                    draw_picked(image, shapes, np.array(picked.rows, np.int64), view, HALO, PICKED_INK)
        return Frame(image, view, faults)

    def _layer(self, layer: Layer, view: View, check: Callable[[], None]) -> np.ndarray:
        key = (layer.source, layer.style, view)
        with self._lock:
            if key in self._kept:
                self._kept.move_to_end(key)
                return self._kept[key]
        image = np.zeros((view.height, view.width, 4), np.uint8)
        style = layer.style
        if isinstance(style, VectorStyle):
            shapes = self.holdings.shapes_in(layer.source, view.crs)
            check()
            table = self.holdings.features(layer.source).table
            colours = self.holdings.keep(("feature colours", layer.source, style), lambda: colours_of(table, style))
            draw_vector(image, shapes, colours, style, view, check)
        elif isinstance(style, GridStyle):
            draw_raster(image, self.holdings, layer.source, style, view)
        elif isinstance(style, CloudStyle):
            draw_cloud(image, self.holdings, layer.source, style, view)
        with self._lock:
            self._kept[key] = image
            while len(self._kept) > KEPT_PICTURES:
                self._kept.popitem(last=False)
        return image

    def forget(self) -> None:
        """Let go of the kept pictures, after data on disk has changed."""
        with self._lock:
            self._kept.clear()


def extent_of(holdings: Holdings, layers: Sequence[Layer], crs: str | None) -> Extent | None:
    """Return the extent of all `layers` together in `crs`; None where none has one."""
    found = []
    for layer in layers:
        extent = holdings.part(layer.source).facts.extent
        placed = transform_extent(extent, crs) if extent else None
        if placed and placed.is_finite:
            found.append(placed)
    return Extent.around(found)
