"""Drawing point clouds as seen from above: the highest point in each pixel shows."""

from __future__ import annotations

from collections.abc import Callable

import numpy as np

from brisk_atlas.core.cache import DataCache
from brisk_atlas.core.model import CloudStyle, DataRef, Extent
from brisk_atlas.core.model.cloud import Points
from brisk_atlas.core.model.language import tr
from brisk_atlas.core.system.shares import in_shares

from . import ramps
from .bands import in_bands
from .cloud_order import CloudOrder, order_of
from .drawn import Drawn
from .ink import NO_INK, inks_from, pixels_of
from .kernels.points import draw_points, ramp_inks
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
OTHER_CLASS = "#4C5FA8"
CLASS = "classification"  # the dimension
AT_ONCE = 2_000_000  # points that are read before the first picture; of a larger cloud, as many spread over it
MOST_DRAWN = 6_000_000  # points in view beyond which a picture leaves out the finer levels


def dimensions_of(style: CloudStyle) -> tuple[str, ...]:
    """Return the dimensions that a style's colours, and what it leaves out, are made of."""
    colours = ("red", "green", "blue") if style.colour_by == "rgb" else (style.colour_by,)
    return colours if not style.hidden or CLASS in colours else (*colours, CLASS)


def look_of(style: CloudStyle) -> tuple:
    """Return what the inks of points depend on."""
    return style.colour_by, style.ramp, style.stretch, style.hidden


def point_inks(points: Points, style: CloudStyle) -> np.ndarray:
    """Return (points,) uint32 inks in the order of the file; none for points of a class that is off."""
    inks = _colour_inks(points, style)
    if style.hidden and CLASS in points.dimensions:
        off = np.zeros(256, bool)
        off[[code for code in style.hidden if 0 <= code < 256]] = True
        inks[off[points.values(CLASS)]] = NO_INK
    return inks


def _colour_inks(points: Points, style: CloudStyle) -> np.ndarray:
    names = points.dimensions
    if style.colour_by == "rgb" and "red" in names:
        rgb = np.column_stack([names["red"], names["green"], names["blue"]])
        return inks_from((rgb >> 8) if rgb.max(initial=0) > 255 else rgb)
    name = style.colour_by if style.colour_by in names else "z"
    values = points.values(name)
    if name == CLASS:
        table = np.tile(ramps.rgb_of(OTHER_CLASS), (256, 1))
        for code, hue in CLASS_COLOURS.items():
            table[code] = ramps.rgb_of(hue)
        return inks_from(table)[values]
    low, high = cloud_limits(values, style)
    table, out = inks_from(ramps.ramp(style.ramp)), np.empty(len(values), np.uint32)
    values = np.ascontiguousarray(values, np.float64)
    in_shares(len(out), lambda a, b: ramp_inks(values, low, high, style.stretch.gamma, table, out, a, b))
    return out


def cloud_limits(values: np.ndarray, style: CloudStyle) -> tuple[float, float]:
    """Return the ends of the ramp over a dimension, from a sample of large ones."""
    return limits_of(values[:: max(1, len(values) // 1_000_000)].astype(float), style.stretch)


def draw_cloud(
    image: np.ndarray,
    cache: DataCache,
    source: DataRef,
    style: CloudStyle,
    view: View,
    check: Callable[[], None] = lambda: None,
    on_partial: Callable[[], None] = lambda: None,
) -> Drawn:
    """Draw one point cloud layer into a clear picture."""
    result = Drawn()
    points, whole = cache.points_so_far(source, AT_ONCE, dimensions_of(style))
    key = (source, "all") if whole else (source, dimensions_of(style))
    if not whole:
        result.unfinished = True
        count = cache.part(source).facts.count or 0
        result.note = tr("1 in {count:.0f} points while the rest is read", count=count / max(1, len(points)))
    check()
    order = (
        cache.derive_latest(
            ("turned cloud", source), (key, view.crs, view.turn), lambda: order_of(points, view.crs, view.on_plane)
        )
        if view.turn
        else cache.derive(("cloud order", key, view.crs), lambda: order_of(points, view.crs))
    )
    inks = cache.derive_latest(
        ("cloud inks", source), (key, view.crs, view.turn, look_of(style)),
        lambda: order.inks(point_inks(points, style)),
    )  # fmt: skip
    check()
    shown = seen = 0
    for world in view.in_worlds():
        counts = draw_order(image, order, inks, style.size * view.density, world.plane, check, on_partial)
        shown, seen = shown + counts[0], seen + counts[1]
    if shown < seen and not result.note:
        result.note = tr("1 in {seen:.0f} points at this scale", seen=seen / max(1, shown))
    return result


def draw_order(
    image: np.ndarray,
    order: CloudOrder,
    inks: np.ndarray,
    size: float,
    view: View,
    check: Callable[[], None],
    on_partial: Callable[[], None],
) -> tuple[int, int]:
    """Draw ordered points, coarse levels first; returns how many were drawn and how many are in view."""
    pixels = pixels_of(image)
    depth = np.full(pixels.shape, -np.inf, np.float32)
    width = max(1, round(size))
    left, upper = view.origin
    per_step = order.quantum / view.resolution
    x0, y0 = (order.extent.xmin - left) / view.resolution, (upper - order.extent.ymin) / view.resolution
    reach = width * view.resolution
    counts = [sum(b - a for a, b in order.runs(view.extent, level)) for level in range(order.levels)]
    seen, shown = sum(counts), 0
    for level, count in enumerate(counts):
        if shown and shown + count > MOST_DRAWN:
            break
        check()

        def band(top: int, bottom: int, level: int = level) -> None:
            part = Extent(
                view.extent.xmin - reach,
                upper - bottom * view.resolution - reach,
                view.extent.xmax + reach,
                upper - top * view.resolution + reach,
            )
            for first, last in order.runs(part, level):
                draw_points(
                    order.x,
                    order.y,
                    order.height,
                    inks,
                    first,
                    last,
                    x0,
                    y0,
                    per_step,
                    width,
                    pixels,
                    depth,
                    top,
                    bottom,
                )

        in_bands(image.shape[0], band)
        shown += count
        on_partial()
    return shown, seen
