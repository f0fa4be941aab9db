"""What the colours of a layer mean."""

from __future__ import annotations

import logging
from collections.abc import Mapping
from dataclasses import dataclass, field, replace

import numpy as np

from brisk_atlas.core.cache import DataCache
from brisk_atlas.core.cache.by_view import seen_features
from brisk_atlas.core.connect.fetching import fetch
from brisk_atlas.core.model import CannotRead, CloudStyle, GridStyle, Layer, VectorStyle
from brisk_atlas.core.model.cloud import POINT_CLASSES
from brisk_atlas.core.model.digit_groups import grouped
from brisk_atlas.core.model.language import tr
from brisk_atlas.core.model.shapes import LINE, POINT, POLYGON
from brisk_atlas.core.model.words import is_year, number_text
from brisk_atlas.core.place import height_unit_of
from brisk_atlas.core.read.tile_store import picture_in
from brisk_atlas.core.read.tiled_pictures import TiledPictures
from brisk_atlas.core.table import all_seen_rows

from .classes import NO_VALUE, colouring_of, numbers_of
from .cloud import AT_ONCE, CLASS_COLOURS, OTHER_CLASS, cloud_limits, dimensions_of
from .limits import grid_limits
from .raster import STEEPEST, channel_sources
from .rules import masks_of
from .swatch import LEGEND_DENSITY, LEGEND_PX, Swatch, shape_of

log = logging.getLogger(__name__)

MOST_CLASSES = 12
LEGEND_BYTES = 4_000_000  # of a picture from a server
MIXED = ("", "Unknown", "Geometry", "GeometryCollection")
CHANNELS = ("#C2452D", "#2F7D4F", "#3B7EA6")


@dataclass(frozen=True)
class Legend:
    """`ramp` with its ends, or `entries` of (colour, text), some of them called by `names`; `title` says of what.
    `plain` numbers are written without separators, as years are. `swatches` draw the entries as the map does. `hidden`
    are the entries that are switched off, None where they can't be. `sizes` are the ends between which symbols or
    strokes grow with a value: what each means, and how it is drawn. `picture` is one that a server draws, (rows, cols,
    4) uint8 premultiplied RGBA."""

    title: str
    entries: tuple[tuple[str, str], ...] = ()
    ramp: str = ""
    low: float = 0.0
    high: float = 0.0
    unit: str = ""
    plain: bool = False
    swatches: tuple[Swatch, ...] = ()
    hidden: tuple[str, ...] | None = None
    names: Mapping[str, str] = field(default_factory=dict)
    sizes: tuple[tuple[str, Swatch], ...] = ()
    picture: np.ndarray | None = field(default=None, compare=False, repr=False)

    def name_of(self, text: str) -> str:
        """Return what an entry is called."""
        return self.names.get(text, text)


def _most(entries: tuple[tuple[str, str], ...]) -> tuple[tuple[str, str], ...]:
    if len(entries) <= MOST_CLASSES:
        return entries
    return (*entries[:MOST_CLASSES], (NO_VALUE, f"{grouped(len(entries) - MOST_CLASSES)} more"))


def grid_legend(cache: DataCache, layer: Layer, style: GridStyle) -> Legend:
    """Return the legend of a grid; reads what it needs. Raises BadExpression."""
    sources = channel_sources(layer.ref, style)
    shown = cache.part(layer.ref).facts.grid
    if shown is not None and shown.drawn_by_service:
        return _server_legend(cache, layer, style)
    bands = []
    for source, number in zip(sources, style.bands):
        grid = cache.part(source).facts.grid
        assert grid is not None
        bands.append(grid.bands[number - 1])
    if len(style.bands) == 3:
        return Legend("composite", tuple(zip(CHANNELS, (band.name for band in bands))))
    band = bands[0]
    if style.own_colours and band.classes:
        return Legend(band.name, _most(tuple((hue, name or str(value)) for value, hue, name in band.classes)))
    if style.slope:
        low, high = (style.stretch.low, style.stretch.high) if style.stretch.kind == "hand" else (0.0, STEEPEST)
        return Legend(tr("slope of {name}", name=band.name), (), style.ramp, low, high, "°")
    low, high = grid_limits(cache, sources[0], style.bands[0], style.stretch)
    return Legend(band.name, (), style.ramp, low, high, band.unit)


def _server_legend(cache: DataCache, layer: Layer, style: GridStyle) -> Legend:
    """Return the legend of what a server draws, with its own picture of it where it has one that can be had."""
    part = cache.raster(layer.ref)
    assert isinstance(part, TiledPictures)
    pictures = part.drawn_as(style.server_style, style.bands).pictures
    shown = pictures.shown_style
    title = shown.title if shown is not None else tr("as its server draws it")
    if shown is None or not shown.legend:
        return Legend(title)
    try:
        answer = fetch(part.ref, shown.legend, accept="image/*", limit=LEGEND_BYTES)
        return Legend(title, picture=picture_in(pictures, answer.body, answer.media_type))
    except CannotRead as error:
        log.info("no legend of %s: %s", part.ref.name, error.reason)
        return Legend(title)


def vector_legend(cache: DataCache, layer: Layer, style: VectorStyle) -> Legend:
    """Return the legend of a vector layer; reads what it needs. Raises BadExpression."""
    if style.rules:
        return _rules_legend(cache, layer, style)
    made = _plain_legend(cache, layer, style)
    return replace(made, sizes=_grown_sizes(cache, layer, style))


def _swatch(style: VectorStyle, shape: int, colour: str | None = None) -> Swatch:
    """Return a swatch whose picture for a window is drawn already, as a window can't wait for it."""
    made = Swatch(style, shape, colour)
    made.picture(LEGEND_PX, LEGEND_DENSITY)
    return made


def _grown_sizes(cache: DataCache, layer: Layer, style: VectorStyle) -> tuple[tuple[str, Swatch], ...]:
    """Return what the ends mean between which symbols or strokes grow, and how they are drawn."""
    shape = shape_of(cache.part(layer.ref).facts.geometry_type or "")
    by = style.size_by if shape == POINT else style.width_by if shape == LINE else None
    if by is None or style.density > 0 or style.cluster > 0:
        return ()
    values = numbers_of(all_seen_rows(cache, layer), by)
    values = values[np.isfinite(values)]
    if not values.size:
        return ()
    found = []
    for value, size, width in zip((values.min(), values.max()), style.sizes, style.widths):
        own = replace(style, size=size) if shape == POINT else replace(style, width=width)
        text = f"{by} {value:.0f}" if is_year(by) else f"{by} {number_text(float(f'{value:.4g}'))}"
        found.append((text, _swatch(own, shape)))
    return tuple(found)


def _plain_legend(cache: DataCache, layer: Layer, style: VectorStyle) -> Legend:
    """Return the legend of a style without rules, but for sizes."""
    if style.density > 0 and shape_of(cache.part(layer.ref).facts.geometry_type or "") == POINT:
        return Legend(tr("points in view"), (), style.ramp, 0.0, 0.0, "km⁻²" if cache.part(layer.ref).facts.crs else "")
    colouring = colouring_of(all_seen_rows(cache, layer), style) if style.colour_by else None
    kind = cache.part(layer.ref).facts.geometry_type or ""
    shape = shape_of(kind)
    if colouring is None or style.colour_by is None:
        only_line = "Line" in kind or style.hollow
        own = _swatch(style, shape)
        return Legend("", ((style.line if only_line else style.fill, layer.name),), swatches=(own,))
    if colouring.ramp:
        plain = is_year(style.colour_by)
        return Legend(style.colour_by, (), colouring.ramp, colouring.low, colouring.high, plain=plain)
    entries = _most(colouring.entries)
    drawn = tuple(_swatch(style, shape, colour) for colour, _ in entries)
    return Legend(style.colour_by, entries, swatches=drawn, hidden=style.hidden, names=colouring.names)


def _rules_legend(cache: DataCache, layer: Layer, style: VectorStyle) -> Legend:
    """Return the legend of a style by rules, each with a piece of what it draws most."""
    entries, drawn = [], []
    for rule, shape in reversed(list(zip(style.rules, drawn_shapes(cache, layer, style)))):  # as layers stand
        entries.append((rule.style.line if shape == LINE else rule.style.fill, rule.name))
        drawn.append(_swatch(rule.style, shape))
    return Legend("", _most(tuple(entries)), swatches=tuple(drawn[:MOST_CLASSES]), hidden=style.hidden)


def drawn_shapes(cache: DataCache, layer: Layer, style: VectorStyle) -> list[int]:
    """Return the kind of path that each rule of a style draws, of a style without rules that of the layer alone."""
    kind = cache.part(layer.ref).facts.geometry_type or ""
    if not style.rules:
        return [shape_of(kind)]
    if kind not in MIXED:
        return [shape_of(kind)] * len(style.rules)
    return [_drawn_shape(cache, layer, rows) for rows in masks_of(all_seen_rows(cache, layer), style)]


def _drawn_shape(cache: DataCache, layer: Layer, rows: np.ndarray) -> int:
    """Return the kind of path of the first feature of some rows of a layer with mixed geometry."""
    extent = cache.part(layer.ref).facts.extent
    if extent is None or not rows.any():
        return POLYGON
    shapes = seen_features(cache, layer.ref, extent).features.shapes
    first, last = shapes.feature_starts[:-1][rows], shapes.feature_starts[1:][rows]
    some = first[first < last]
    return int(shapes.path_kinds[some[0]]) if some.size else POLYGON


def cloud_legend(cache: DataCache, layer: Layer, style: CloudStyle) -> Legend:
    """Return the legend of a cloud; reads what it needs. Raises BadExpression."""
    points, _ = cache.points_so_far(layer.ref, AT_ONCE, dimensions_of(style))
    if style.colour_by == "rgb":
        return Legend(tr("colour as measured"))
    if style.colour_by == "classification":
        present = np.unique(points.dimensions["classification"]).tolist()
        entries = tuple((CLASS_COLOURS.get(code, OTHER_CLASS), str(code)) for code in present)
        names = {str(code): f"{code} {POINT_CLASSES.get(code, '')}".strip() for code in present}
        return Legend("class", entries, hidden=tuple(map(str, style.hidden)), names=names)
    low, high = cloud_limits(points.values(style.colour_by), style)
    unit = height_unit_of(points.crs) if style.colour_by == "z" else ""
    title = "height" if style.colour_by == "z" else style.colour_by.replace("_", " ")
    return Legend(title, (), style.ramp, low, high, unit)
