"""Drawing grids: the stored level that suits the view, its cells under the pixels, and their colours."""

from __future__ import annotations

from collections.abc import Callable
from dataclasses import dataclass, replace
from functools import cache, partial
from math import ceil, cos, floor, radians, sin

import numpy as np

from brisk_atlas.core.cache import DataCache
from brisk_atlas.core.model import DataRef, GridStyle, Level, RasterPart
from brisk_atlas.core.model.language import tr
from brisk_atlas.core.model.style import Resample
from brisk_atlas.core.place import Mesh, clipped, measured_metres, mesh_of, transform_extent
from brisk_atlas.core.place.domain import domain_of
from brisk_atlas.core.place.extents import meets_in_worlds
from brisk_atlas.core.read.pyramid import Pyramid, needs_pyramid
from brisk_atlas.core.read.tiled_cells import TiledCells

from . import ramps
from .bands import in_bands
from .contours import draw_contours
from .drawn import Drawn, note_missing
from .flow import draw_flow
from .ink import inks_from, pixels_of
from .kernels import grid as kernels
from .limits import grid_limits, limits_of
from .view import MAX_WORLDS, View

HOW = {"nearest": kernels.NEAREST, "bilinear": kernels.BILINEAR, "cubic": kernels.CUBIC}
MARGIN_CELLS = 3  # around a window, for the neighbours that interpolation and slopes ask
STEEPEST = 45.0  # degrees that take the upper end of a ramp of slopes
NO_LIGHT = np.zeros((0, 0), np.float32)
LAMPS = ((225.0, 0.2), (270.0, 0.3), (315.0, 0.3), (0.0, 0.2))  # azimuth and share, for light from several sides
MAKING = tr("coarse while an overview is made")


@dataclass(frozen=True, eq=False)
class Channel:
    """One band seen from a view: the part and band it comes from and where the pixels lie in its cells."""

    part: RasterPart
    source: DataRef
    band: int
    col: np.ndarray
    row: np.ndarray
    step: int
    cells_a_pixel: float
    turns: tuple[float, ...] = (0.0,)  # columns to shift by, one for each turn of the Earth in which cells are seen

    def shifted(self, by: float) -> Channel:
        """Return the channel with the pixels some columns further on."""
        return replace(self, col=self.col + by) if by else self


def channel_sources(source: DataRef, style: GridStyle) -> list[DataRef]:
    """Return which part each of the style's bands comes from."""
    others = [*style.others, *([None] * len(style.bands))]
    return [other or source for other in others[: len(style.bands)]]


def draw_raster(
    image: np.ndarray,
    cache: DataCache,
    source: DataRef,
    style: GridStyle,
    view: View,
    check: Callable[[], None] = lambda: None,
) -> Drawn:
    """Draw one raster layer into a clear picture."""
    part = cache.raster(source)
    assert part.facts.grid is not None and part.facts.extent is not None
    placed = transform_extent(part.facts.extent, view.crs)
    if placed is not None and not meets_in_worlds(placed, view.extent):
        return Drawn()
    sources = channel_sources(source, style)
    light = len(style.bands) == 1 and (style.shade > 0 or style.slope)
    seen = replace(view, width=view.width + 2, height=view.height + 2) if light else view
    meshes: dict[str | None, Mesh] = {}
    channels = []
    for band, own in zip(style.bands, sources):
        owner = cache.raster(own)
        if owner.facts.crs not in meshes:
            meshes[owner.facts.crs] = mesh_of(seen.lattice, owner.facts.crs)
        channels.append(channel_of(owner, own, band, meshes[owner.facts.crs]))
    if channels[0].turns == ():
        return Drawn()
    result = Drawn()
    enlarged = channels[0].cells_a_pixel < 1.0
    as_cells = style.resample == "nearest" and not style.contours and not has_flow(style)
    if enlarged and as_cells and len(set(sources)) == 1 and style.mask is None:
        _draw_cells(image, cache, channels, style, view, result, 1 if light else 0)
        return result
    if enlarged and light and style.resample == "bilinear":
        style = replace(style, resample="cubic")  # whose slopes run on from cell to cell
    values = []
    for channel in channels:
        check()
        values.append(_sampled(cache, channel, style, seen, result))
    if style.mask is not None:
        _leave_out(cache, source, style, seen, meshes, values)
    across, along = measured_metres(view.crs, view.x, view.y)
    pixels = view.lattice
    metres = pixels.a * across, pixels.b * across, pixels.d * along, pixels.e * along
    limits = _limits(cache, channels, style, values, result)
    colour(values, style, limits, metres, pixels_of(image), 1 if light else 0, _classes(channels))
    if style.contours > 0 and len(values) == 1:
        shown = values[0][1:-1, 1:-1] if light else values[0]
        note = draw_contours(image, shown, style.contours, style.contour_colour, view.density)
        result.note = result.note or note
    if has_flow(style):
        north = _northward(cache, source, style, view, result)
        east = values[0][1:-1, 1:-1] if light else values[0]
        fastest = draw_flow(image, east, north, view, style.flow_gap, style.contour_colour)
        unit = f" {_unit(channels[0])}".rstrip()
        result.note = result.note or (
            tr("longest arrow {fastest:.3g}{unit}", fastest=fastest, unit=unit) if fastest else ""
        )
    return result


def has_flow(style: GridStyle) -> bool:
    """Return whether a style draws arrows."""
    return len(style.bands) == 1 and (style.flow is not None or style.flow_band > 0)


def _northward(cache: DataCache, source: DataRef, style: GridStyle, view: View, result: Drawn) -> np.ndarray:
    """Return (rows, cols) float32 of the part of a motion towards the north under a view's pixels."""
    own = style.flow or source
    part = cache.raster(own)
    grid = part.facts.grid
    assert grid is not None
    band = min(style.flow_band or style.bands[0], len(grid.bands))
    channel = channel_of(part, own, band, mesh_of(view.lattice, part.facts.crs))
    return _sampled(cache, channel, style, view, result)


def _unit(channel: Channel) -> str:
    grid = channel.part.facts.grid
    assert grid is not None
    return grid.bands[channel.band - 1].unit


def _leave_out(
    cache: DataCache,
    source: DataRef,
    style: GridStyle,
    seen: View,
    meshes: dict[str | None, Mesh],
    values: list[np.ndarray],
) -> None:
    """Take the values away under the cells whose class the style's mask hides."""
    assert style.mask is not None
    part, band, hidden = style.mask
    own = source.with_part(part)
    owner = cache.raster(own)
    if owner.facts.crs not in meshes:
        meshes[owner.facts.crs] = mesh_of(seen.lattice, owner.facts.crs)
    channel = channel_of(owner, own, band, meshes[owner.facts.crs])
    classes = _sampled(cache, channel, replace(style, resample="nearest"), seen, Drawn())
    out = np.isin(classes, np.asarray(hidden, np.float32))
    for each in values:
        each[out] = np.nan


def channel_of(part: RasterPart, source: DataRef, band: int, mesh: Mesh) -> Channel:
    col, row = part.facts.lattice.to_cells(mesh.x, mesh.y)
    apart = np.concatenate([
        np.hypot(np.diff(col, axis=1), np.diff(row, axis=1)).ravel(),
        np.hypot(np.diff(col, axis=0), np.diff(row, axis=0)).ravel(),
    ])  # fmt: skip
    apart = apart[np.isfinite(apart)]
    spacing = float(np.median(apart)) / mesh.step if apart.size else 1.0
    return Channel(part, source, band, col, row, mesh.step, spacing, _turns(part, col, row))


def _turns(part: RasterPart, col: np.ndarray, row: np.ndarray) -> tuple[float, ...]:
    """Return by how many columns pixels are shifted to meet cells, for each world in which they are seen."""
    lattice, domain = part.facts.lattice, domain_of(part.facts.crs)
    if domain is None or not domain.world or lattice.b or lattice.d:
        return (0.0,)
    known = np.isfinite(col) & np.isfinite(row)
    if not known.any():
        return ()
    period, low, high = abs(domain.world / lattice.a), float(col[known].min()), float(col[known].max())
    if lattice.columns > 2 * period:  # no grid of the Earth is so wide
        return (0.0,)
    first, last = ceil(-high / period), floor((lattice.columns - low) / period)
    middle = (first + last) // 2
    near = range(max(first, middle - MAX_WORLDS), min(last, middle + MAX_WORLDS) + 1)
    return tuple(turn * period for turn in near)


def cell_window(channel: Channel, level: Level, view: View) -> tuple[int, int, int, int] | None:
    """Return the cells of a level that the view (whose pixels the channel knows) can see, or None."""
    every = [clipped(v, channel.step, view.height, view.width) for v in (channel.col, channel.row)]
    known = np.isfinite(every[0]) & np.isfinite(every[1])
    if not known.any():
        return None
    col, row = every[0][known] / level.factor_x, every[1][known] / level.factor_y
    c0, c1 = max(0, floor(col.min()) - MARGIN_CELLS), min(level.width, ceil(col.max()) + MARGIN_CELLS)
    r0, r1 = max(0, floor(row.min()) - MARGIN_CELLS), min(level.height, ceil(row.max()) + MARGIN_CELLS)
    return (c0, r0, c1, r1) if c1 > c0 and r1 > r0 else None


def pyramid_of(cache: DataCache, source: DataRef, band: int, style: GridStyle) -> Pyramid | None:
    """Return the pyramid that stands in for the overviews a band lacks; None where it needs none."""
    part = cache.raster(source)
    if not needs_pyramid(part, band):
        return None
    if not part.ref.is_local:
        return None
    nearest = style.resample == "nearest"
    return cache.derive(("pyramid", source, band, nearest), lambda: Pyramid(part, band, part.ref.path, nearest=nearest))


def values_seen(
    cache: DataCache, source: DataRef, band: int, view: View, result: Drawn, resample: Resample = "bilinear"
) -> np.ndarray:
    """Return (rows, cols) float32 of one band under a view's pixels, NaN without data; `result` takes what is to be
    known of it."""
    part = cache.raster(source)
    channel = channel_of(part, source, band, mesh_of(view.lattice, part.facts.crs))
    return _sampled(cache, channel, GridStyle(resample=resample), view, result)


def _sampled(cache: DataCache, channel: Channel, style: GridStyle, view: View, result: Drawn) -> np.ndarray:
    """Return (rows, cols) float32 of one band under the view's pixels, NaN without data."""
    found = [_sampled_turn(cache, channel.shifted(turn), style, view, result) for turn in channel.turns]
    out = found[0] if found else _nothing(view)
    for here in found[1:]:
        out = np.where(np.isnan(out), here, out)
    return out


def _nothing(view: View) -> np.ndarray:
    return np.full((view.height, view.width), np.nan, np.float32)


def _sampled_turn(cache: DataCache, channel: Channel, style: GridStyle, view: View, result: Drawn) -> np.ndarray:
    """Return what `_sampled` does, of one turn of the Earth."""
    pyramid = pyramid_of(cache, channel.source, channel.band, style)
    levels = list(channel.part.levels(channel.band)) + (pyramid.levels if pyramid else [])
    level = max(
        (le for le in levels if le.factor_x <= max(1.0, channel.cells_a_pixel * 1.01)), key=lambda le: le.factor_x
    )
    window = cell_window(channel, level, view)
    if window is None:
        return _nothing(view)
    if pyramid and (level.number or 0) < 0:
        cells = pyramid.cells(level, window)
        if not pyramid.complete:
            result.unfinished, result.note = True, MAKING
    elif isinstance(channel.part, TiledCells):
        cells, missing, reasons = channel.part.cells_now(channel.band, level, window)
        note_missing(result, missing, reasons)
    else:
        cells = channel.part.cells(channel.band, level, window)
    col, row = channel.col / level.factor_x - window[0], channel.row / level.factor_y - window[1]
    return _under_pixels(cells, col, row, channel.step, HOW[style.resample], (view.height, view.width))


def _under_pixels(
    cells: np.ndarray, col: np.ndarray, row: np.ndarray, step: int, how: int, shape: tuple[int, int]
) -> np.ndarray:
    """Return (rows, cols) float32 of the cells under the pixels of a mesh."""
    out = np.empty(shape, np.float32)
    if (col == col[:1]).all() and (row == row[:, :1]).all():
        xs, ys = _along(col[0], step, shape[1]), _along(row[:, 0], step, shape[0])
        in_bands(shape[0], lambda a, b: kernels.sample_upright(cells, xs, ys, how, np.empty(cells.shape[1]), out, a, b))
    else:
        in_bands(shape[0], lambda a, b: kernels.sample(cells, col, row, step, how, out, a, b))
    return out


def _along(nodes: np.ndarray, step: int, count: int) -> np.ndarray:
    """Return where as many pixels lie along one side of a mesh."""
    pixels = np.arange(count)
    node = pixels // step
    share = (pixels - node * step) / step
    return (1.0 - share) * nodes[node] + share * nodes[node + 1]


def _draw_cells(
    image: np.ndarray, cache: DataCache, channels: list[Channel], style: GridStyle, view: View, result: Drawn, rim: int
) -> None:
    """Closer than the file's own cells: colour those, then show each as the square it is."""
    for turn in channels[0].turns:
        _draw_cells_turn(image, cache, [channel.shifted(turn) for channel in channels], style, view, result, rim)


def _draw_cells_turn(
    image: np.ndarray, cache: DataCache, channels: list[Channel], style: GridStyle, view: View, result: Drawn, rim: int
) -> None:
    """Do what `_draw_cells` does, of one turn of the Earth."""
    first = channels[0]
    level = first.part.levels(first.band)[0]
    window = cell_window(first, level, replace(view, width=view.width + 2 * rim, height=view.height + 2 * rim))
    if window is None:
        return
    values = []
    for channel in channels:
        if isinstance(channel.part, TiledCells):
            found, missing, reasons = channel.part.cells_now(channel.band, level, window)
            note_missing(result, missing, reasons)
        else:
            found = channel.part.cells(channel.band, level, window)
        values.append(found)
    facts = first.part.facts
    assert facts.grid is not None and facts.extent is not None
    lattice = facts.lattice
    across, along = measured_metres(facts.crs, *facts.extent.centre)
    metres = lattice.a * across, lattice.b * across, lattice.d * along, lattice.e * along
    small = np.zeros(values[0].shape, np.uint32)
    colour(values, style, _limits(cache, channels, style, values, result), metres, small, 0, _classes(channels))
    mesh_col, mesh_row = first.col - window[0], first.row - window[1]
    seen = np.zeros((view.height + 2 * rim, view.width + 2 * rim), np.uint32)  # as large as the mesh is
    in_bands(seen.shape[0], lambda a, b: kernels.pick(small, mesh_col, mesh_row, first.step, seen, a, b))
    pixels, inner = pixels_of(image), seen[rim : rim + view.height, rim : rim + view.width]
    np.copyto(pixels, inner, where=inner != 0)


def _classes(channels: list[Channel]) -> tuple[tuple[int, str, str], ...]:
    grid = channels[0].part.facts.grid
    assert grid is not None
    return grid.bands[channels[0].band - 1].classes


def _limits(
    cache: DataCache, channels: list[Channel], style: GridStyle, values: list[np.ndarray], result: Drawn
) -> list[tuple[float, float]]:
    stretch = style.stretch
    if style.slope and len(channels) == 1:
        found = [(stretch.low, stretch.high) if stretch.kind == "hand" else (0.0, STEEPEST)]
    elif stretch.in_view and stretch.kind != "hand":
        found = [limits_of(v.ravel()[:: max(1, v.size // 250_000)], stretch) for v in values]
    else:
        found = [grid_limits(cache, c.source, c.band, stretch) for c in channels]
    result.limits = tuple(found)
    return found


@cache
def _ramp_inks(name: str) -> np.ndarray:
    return inks_from(ramps.ramp(name))


def class_inks(classes: tuple[tuple[int, str, str], ...]) -> np.ndarray:
    """Return a table of inks by class number; 0 for numbers without a colour."""
    table = np.zeros(max(value for value, _, _ in classes) + 1, np.uint32)
    for value, colour_text, _ in classes:
        table[value] = inks_from(ramps.rgb_of(colour_text)[None])[0]
    return table


def colour(
    values: list[np.ndarray],
    style: GridStyle,
    limits: list[tuple[float, float]],
    cell: tuple[float, float, float, float],
    pixels: np.ndarray,
    rim: int,
    classes: tuple[tuple[int, str, str], ...] = (),
) -> None:
    """Colour bands into `pixels` (uint32): by ramp with optional light, by class, or as three bands.

    cell : metres eastwards a column and a row, then northwards a column and a row
    rim : cells by which `values` are larger on each side
    """
    inner = (slice(rim, -rim), slice(rim, -rim)) if rim else (slice(None), slice(None))
    if len(values) == 3:
        lows, highs = np.array(limits, float).T
        r, g, b = (np.ascontiguousarray(v[inner]) for v in values)
        gamma = style.stretch.gamma
        in_bands(
            pixels.shape[0], lambda top, end: kernels.colour_by_bands(r, g, b, lows, highs, gamma, pixels, top, end)
        )
        return
    band, light = values[0], NO_LIGHT
    if classes and style.own_colours:
        table = class_inks(classes)
        in_bands(pixels.shape[0], lambda a, b: kernels.colour_by_class(band, table, pixels, a, b))
        return
    if style.shade > 0 or style.slope:
        east, north = np.empty_like(band), np.empty_like(band)
        xc, xr, yc, yr = cell
        upright = xr == 0 and yc == 0
        across, down = (xc, -yr) if upright else (1.0, 1.0)
        in_bands(band.shape[0], lambda top, end: kernels.slopes(band, across, down, east, north, top, end))
        if not upright:  # from rises a column and a row to those eastwards and northwards
            area, column, row = xc * yr - xr * yc, east, -north
            east = ((yr * column - yc * row) / area).astype(np.float32)
            north = ((xc * row - xr * column) / area).astype(np.float32)
        if style.shade > 0:
            light = np.ascontiguousarray(lit(east, north, style)[inner])
        if style.slope:
            band = np.degrees(np.arctan(np.hypot(east, north)))
    band = np.ascontiguousarray(band[inner])
    low, high = limits[0]
    inks, gamma = _ramp_inks(style.ramp), style.stretch.gamma
    in_bands(pixels.shape[0], lambda a, b: kernels.colour_by_ramp(band, low, high, gamma, inks, light, pixels, a, b))


def lit(east: np.ndarray, north: np.ndarray, style: GridStyle) -> np.ndarray:
    """Return how bright each cell is, 1 on the flat, for the style's lamp or for several blended."""
    lamps = ((style.azimuth, 1.0),) if style.lights == 1 else LAMPS
    light = np.zeros(east.shape, np.float32)
    level, up = cos(radians(style.altitude)), sin(radians(style.altitude))
    for azimuth, share in lamps:
        to_east, to_north = level * sin(radians(azimuth)), level * cos(radians(azimuth))
        lamp = partial(kernels.shade, east, north, to_east, to_north, up, share, style.shade, light)
        in_bands(len(light), lamp)
    return light
