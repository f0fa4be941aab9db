"""A field of arrows from two bands, as a look: one band is the part of a motion towards the east, the other towards the
north. Arrows stand on squares of the map, so that they stay where they are while it is panned."""

from __future__ import annotations

import numpy as np

from brisk_atlas.core.model import VectorStyle
from brisk_atlas.core.model.shapes import POLYGON, Shapes, bounds_of
from brisk_atlas.core.place import transform
from brisk_atlas.core.place.notation import WGS84
from brisk_atlas.core.read.shape_index import index_of

from .vector import Inks, draw_vector
from .view import View

FILL = 0.9  # of the distance between two arrows, the length of the longest
SHORTEST_PX = 3.0  # arrows that would be shorter are left out
STEP_DEG = 1e-4  # along which a direction is looked up
ARROW = np.array([(-0.5, -0.05), (0.12, -0.05), (0.12, -0.2), (0.5, 0.0), (0.12, 0.2), (0.12, 0.05), (-0.5, 0.05),
                  (-0.5, -0.05)])  # fmt: skip


def draw_flow(image: np.ndarray, east: np.ndarray, north: np.ndarray, view: View, gap: float, colour: str) -> float:
    """Draw arrows on a picture; returns the speed of the longest one, 0 for none.

    east, north : (rows, cols) float32 under the pixels of the view, NaN without data; gap : screen pixels
    """
    left, upper = view.origin
    side = gap * view.density
    first_x, first_y = (-left / view.resolution) % side, (upper / view.resolution) % side
    px, py = np.meshgrid(np.arange(first_x, view.width, side), np.arange(first_y, view.height, side))
    px, py = px.ravel(), py.ravel()
    at = py.astype(int).clip(0, view.height - 1), px.astype(int).clip(0, view.width - 1)
    u, v = east[at].astype(float), north[at].astype(float)
    speed = np.hypot(u, v)
    direction = _directions(px, py, u, v, view)
    known = np.isfinite(speed) & np.isfinite(direction)
    fastest = float(speed[known].max(initial=0.0))
    if fastest <= 0:
        return 0.0
    length = speed / fastest * side * FILL
    known &= length >= SHORTEST_PX * view.density
    index = _arrows(px[known], py[known], direction[known], length[known])
    style = VectorStyle(fill=colour, line="#FFFDF8", width=0.8, join="mitre")
    draw_vector(image, index, Inks(), style, View(view.width / 2, -view.height / 2, 1.0, view.width, view.height, None,
                                                  view.density))  # fmt: skip
    return fastest


def _directions(px: np.ndarray, py: np.ndarray, u: np.ndarray, v: np.ndarray, view: View) -> np.ndarray:
    """Return the directions of motions on the picture, radians anticlockwise from its right: east and north are those
    of the place, which differ from the picture's where meridians converge."""
    here = np.column_stack(view.lattice.to_map(px, py))
    if view.crs is None:
        ahead = here + np.column_stack([u, v])
    else:
        spot = transform(here, view.crs, WGS84)
        reach = np.maximum(np.hypot(u, v), 1e-300)
        with np.errstate(divide="ignore", invalid="ignore"):
            lon = spot[:, 0] + STEP_DEG * u / reach / np.cos(np.radians(spot[:, 1]))
        ahead = transform(np.column_stack([lon, spot[:, 1] + STEP_DEG * v / reach]), WGS84, view.crs)
    x, y = view.on_plane(ahead[:, 0] - here[:, 0], ahead[:, 1] - here[:, 1])
    return np.arctan2(y, x)


def _arrows(px: np.ndarray, py: np.ndarray, direction: np.ndarray, length: np.ndarray):  # type: ignore[no-untyped-def]
    """Return the index of arrows as areas, in pixels with y growing up."""
    count, corners = len(px), len(ARROW)
    c, s = np.cos(direction)[:, None], np.sin(direction)[:, None]
    along, aside = ARROW[:, 0] * length[:, None], ARROW[:, 1] * length[:, None]
    xy = np.stack([px[:, None] + along * c - aside * s, -py[:, None] + along * s + aside * c], axis=-1).reshape(-1, 2)
    starts = np.arange(count + 1, dtype=np.int64) * corners
    features = np.arange(count + 1, dtype=np.int64)
    kinds = np.full(count, POLYGON, np.uint8)
    return index_of(Shapes(xy, None, starts, kinds, features, bounds_of(xy, starts, features)))
