"""Drawing point clouds as seen from above."""

from __future__ import annotations

import numpy as np

from brisk_atlas.core.model import CloudStyle
from brisk_atlas.core.model.cloud import Points
from brisk_atlas.core.place import transform
from brisk_atlas.core.read import Holdings, Source

from . import ramps
from .bands import in_bands
from .coverage import draw_points
from .limits import limits_of
from .view import View

CLASS_COLOURS = {  # by the class codes of ASPRS LAS 1.4, table 9
    0: "#9AA3A8",
    1: "#9AA3A8",
    2: "#9C7A52",
    3: "#A9C46C",
    4: "#7FA650",
    5: "#3F7437",
    6: "#C2452D",
    7: "#7A2DBF",
    9: "#3B7EA6",
    17: "#5F6B73",
    18: "#7A2DBF",
}


def point_colours(points: Points, style: CloudStyle) -> np.ndarray:
    """Return (points, 3) uint8 colours."""
    names = points.dimensions
    if style.colour_by == "rgb" and "red" in names:
        rgb = np.column_stack([names["red"], names["green"], names["blue"]])
        return (rgb >> 8).astype(np.uint8) if rgb.max(initial=0) > 255 else rgb.astype(np.uint8)
    name = style.colour_by if style.colour_by in names else "z"
    values = points.values(name)
    if name == "classification":
        table = np.tile(ramps.rgb_of("#4C5FA8"), (256, 1))
        for code, hue in CLASS_COLOURS.items():
            table[code] = ramps.rgb_of(hue)
        return table[values]
    low, high = limits_of(values.astype(float), style.stretch)
    step = np.clip((values - low) / ((high - low) or 1.0) * ramps.STEPS, 0, ramps.STEPS - 1).astype(np.uint8)
    return ramps.ramp(style.ramp)[step]


def draw_cloud(image: np.ndarray, holdings: Holdings, source: Source, style: CloudStyle, view: View) -> None:
    """Draw one point cloud layer; colours are kept until the style changes."""
    points = holdings.points(source)
    colours = holdings.keep(("colours", source, style), lambda: point_colours(points, style))
    xy = holdings.keep(
        ("points", source, view.crs), lambda: np.ascontiguousarray(transform(points.xyz[:, :2], points.crs, view.crs).T)
    )
    left, upper = view.origin
    size = style.size * view.density
    in_bands(
        image.shape[0], lambda a, b: draw_points(image, a, b, xy[0], xy[1], colours, left, upper, view.resolution, size)
    )
