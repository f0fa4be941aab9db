"""What kernels of a relief are given: the ground, the drape, what stands on it, the look, and the rays of an eye."""

# kernels are compiled for these: a change of one makes them anew
from __future__ import annotations

from typing import NamedTuple

import numpy as np


class Ground(NamedTuple):
    """Windows of heights, the finest first, `w` of them.

    heights : (slots, side, side) float32 metres, NaN without data; mips : (slots, cells) float32, maxima of squares
    offsets : (tiers + 1,) where the squares of each tier begin in `mips`; tier 0 has the patches, side x side of them
    slots : (w,) which slot a window has; sizes : (w, 2) its columns and rows
    places : (w, 4) float64 x and y of its first sample, metres; samples a metre along x and along y (negative for
    rows that go south)
    far : (w,) metres from the eye from which a window is fine enough
    """

    heights: np.ndarray
    mips: np.ndarray
    offsets: np.ndarray
    slots: np.ndarray
    sizes: np.ndarray
    places: np.ndarray
    far: np.ndarray


class Rays(NamedTuple):
    """Where rays begin and how they go, metres. `ahead`, `right` and `up` are unit vectors; `tan_x` and `tan_y` those
    of half the angle that the picture covers; `exaggeration` of heights; `bend` by which the ground falls away from the
    eye, metres for each square metre of distance; `reach` is how far rays go."""

    x: float
    y: float
    z: float
    ahead: tuple[float, float, float]
    right: tuple[float, float, float]
    up: tuple[float, float, float]
    tan_x: float
    tan_y: float
    exaggeration: float
    bend: float
    reach: float


class Drape(NamedTuple):
    """Pictures over the ground, the finest first, as `Ground` has heights: pixels (slots, side, side, 4) uint8, of
    which the alpha says where there is a picture; `far` from where one is fine enough."""

    pixels: np.ndarray
    slots: np.ndarray
    sizes: np.ndarray
    places: np.ndarray
    far: np.ndarray


class Look(NamedTuple):
    """Colours as red, green and blue, 0 to 255: of ground without a drape, and of the sky at the horizon and overhead;
    `haze` by which distance fades, for each metre; `strength` of the drape's contrast, 1 as it is; `water` the height
    of a water level, metres, NaN for none, and `shore` the box that it fills: west, south, east and north. `contours`
    are the metres between contour lines of the ground, 0 for none, in the colour `contour`, `pen` pixels wide. `solid`
    is how much the ground hides of what lies behind it, 1 for all."""

    bare: tuple[float, float, float]
    horizon: tuple[float, float, float]
    zenith: tuple[float, float, float]
    haze: float = 0.0
    strength: float = 1.0
    water: float = float("nan")
    shore: tuple[float, float, float, float] = (0.0, 0.0, 0.0, 0.0)
    contours: float = 0.0
    contour: tuple[float, float, float] = (0.0, 0.0, 0.0)
    pen: int = 1
    solid: float = 1.0


class Bodies(NamedTuple):
    """What stands in a relief: faces and strokes, metres east, north and up, heights not exaggerated.

    corners : (faces, 3, 3) float64; face_inks : (faces,) uint32; face_rows : (faces,) int32 the row of the layer
    ends : (strokes, 2, 3) float64; stroke_inks : (strokes,) uint32; widths : (strokes,) float32 pixels at rest;
    stroke_rows : (strokes,) int32
    """

    corners: np.ndarray
    face_inks: np.ndarray
    face_rows: np.ndarray
    ends: np.ndarray
    stroke_inks: np.ndarray
    widths: np.ndarray
    stroke_rows: np.ndarray


class Division(NamedTuple):
    """How the drapes of side A and side B share a picture: `way` 0 for A alone; 1 for A left and B right of an edge, 2
    for A above and B below it, at a share of the width or height; 3 for B in a glass about (x, y), shares of the width
    and height, with a radius that is a share of the height; 4 for both, `at` the share of B; `SIDE_BY_SIDE` for a
    picture of each."""

    way: int = 0
    at: float = 0.5
    x: float = 0.5
    y: float = 0.5
    radius: float = 0.0


SIDE_BY_SIDE = 5
UNDIVIDED = Division()
