"""Grids: elevation, imagery, classes."""

from __future__ import annotations

from collections.abc import Callable
from types import MappingProxyType
from typing import TYPE_CHECKING

import numpy as np

from brisk_atlas.core.draw.distribution import ValueDistribution, grid_distribution
from brisk_atlas.core.draw.drawn import Drawn
from brisk_atlas.core.draw.layer_painter import PlainPainter
from brisk_atlas.core.draw.legend import Legend, grid_legend
from brisk_atlas.core.draw.raster import channel_sources, draw_raster, has_flow, pyramid_of
from brisk_atlas.core.draw.tiles import draw_tiles
from brisk_atlas.core.draw.view import View
from brisk_atlas.core.inspect.cell import cell_finding
from brisk_atlas.core.inspect.finding import ProbeResult, Where
from brisk_atlas.core.inspect.service_answer import service_finding
from brisk_atlas.core.inspect.statistics import (
    StatisticsSummary,
    area_statistics,
    grid_statistics,
    line_statistics,
    summary_readings,
)
from brisk_atlas.core.model import AtlasError, DataKind, Facts, GridStyle, Layer, Stretch
from brisk_atlas.core.model.language import tr, trn
from brisk_atlas.core.read.tiled_pictures import TiledPictures

from .kind import Check, LayerKind, Piece, Report

if TYPE_CHECKING:
    from brisk_atlas.core.cache import DataCache
    from brisk_atlas.core.trust import TrustReport

ELEVATION_WORDS = ("elev", "height", "dem", "dtm", "dsm", "depth", "bathy", "floor", "topo", "altitude")
QUALITY_WORDS = ("quality", "class", "mask")


class GridPainter(PlainPainter):
    """Draws bands, resampled to the pixels of the view."""

    def paint(
        self, cache: DataCache, layer: Layer, image: np.ndarray, view: View, check: Check, so_far: Check
    ) -> Drawn:
        part = cache.raster(layer.ref)
        if isinstance(part, TiledPictures):
            part = _as_shown(part, layer)
            return draw_tiles(image, part, view, smooth=_style(layer).resample != "nearest", check=check)
        return draw_raster(image, cache, layer.ref, _style(layer), view, check)

    def may_move(self, layer: Layer) -> bool:
        return not _style(layer).stretch.in_view and not has_flow(_style(layer))


class GridKind(LayerKind):
    """One or more bands of cells."""

    kind = DataKind.RASTER
    style = GridStyle
    painter = GridPainter()
    formats = MappingProxyType({".tif": "GeoTIFF"})

    def first_style(self, facts: Facts, number: int) -> GridStyle | None:
        return _first_style(facts) if facts.grid else None

    def prepare(self, cache: DataCache, layer: Layer, report: Callable[[float], None]) -> None:
        """Make the overviews that the bands on show lack. Raises CannotRead, OSError for a full disk."""
        style = _style(layer)
        if _is_drawn_by_service(cache, layer):
            return
        asked = list(zip(channel_sources(layer.ref, style), style.bands))
        for number, (source, band) in enumerate(asked):
            pyramid = pyramid_of(cache, source, band, style)
            if pyramid is not None:
                pyramid.build(lambda share, n=number: report((n + share) / len(asked)))  # type: ignore[misc]

    def legend(self, cache: DataCache, layer: Layer) -> Legend | None:
        return grid_legend(cache, layer, _style(layer)) if layer.style else None

    def distribution(self, cache: DataCache, layer: Layer) -> ValueDistribution | None:
        has_values = layer.style is not None and not _is_drawn_by_service(cache, layer)
        return grid_distribution(cache, layer, _style(layer)) if has_values else None

    def probe(self, cache: DataCache, layer: Layer, where: Where, check: Check) -> ProbeResult | None:
        """The cell that was clicked with all its bands; the statistics of those in an area or along a line."""
        part = cache.raster(layer.ref)
        if isinstance(part, TiledPictures):
            return service_finding(_as_shown(part, layer), layer, where) if where.kind == "click" else None
        if where.kind == "click":
            x, y = where.xy[0].tolist()
            return cell_finding(cache, layer, x, y, where.crs)
        statistics = line_statistics if where.kind == "line" else area_statistics
        readings = [
            reading
            for name, summary, unit in statistics(cache, layer, where, check)
            for reading in summary_readings(name, summary, unit)
        ]
        return ProbeResult(layer.id, layer.name, tuple(readings)) if readings else None

    def names(self, cache: DataCache, layer: Layer) -> list[str]:
        grid = cache.part(layer.ref).facts.grid
        return [band.name for band in grid.bands] if grid and not grid.drawn_by_service else []

    def statistics(
        self, cache: DataCache, layer: Layer, name: str, where: Where | None, check: Check
    ) -> tuple[StatisticsSummary | None, str]:
        return grid_statistics(cache, layer, name, where, check)

    def trust(self, cache: DataCache, layer: Layer, check: Check) -> TrustReport:
        from brisk_atlas.core.trust.reports import cells_report

        return cells_report(cache, layer, check)

    def export(self, cache: DataCache, layer: Layer, piece: Piece, report: Report) -> str:
        from brisk_atlas.core.handover import RasterOrder, hand_over_raster

        part = cache.raster(layer.ref)
        assert part.facts.grid is not None
        if part.facts.grid.drawn_by_service and piece.resolution is None:
            raise AtlasError(
                layer.name, tr("its server draws it for any scale"), tr("State the cell size of the result.")
            )
        if isinstance(part, TiledPictures):
            part = _as_shown(part, layer)
        assert part.facts.grid is not None
        bands = tuple(b.index for b in part.facts.grid.bands if piece.fields is None or b.name in piece.fields)
        if not bands:
            raise AtlasError(layer.name, tr("no band was chosen"), tr("Choose at least one band."))
        smooth = layer.style is None or _style(layer).resample != "nearest"
        order = RasterOrder(piece.path, bands, piece.crs, piece.resolution, piece.within, smooth)
        columns, rows = hand_over_raster(part, order, report)
        return trn(
            "{columns:,} x {rows:,} cells, {count} band",
            "{columns:,} x {rows:,} cells, {count} bands",
            len(bands),
            columns=columns,
            rows=rows,
        )


def _as_shown(part: TiledPictures, layer: Layer) -> TiledPictures:
    """Return what a service draws as a layer shows it."""
    style = layer.style
    return part.drawn_as(style.server_style, style.bands) if isinstance(style, GridStyle) else part


def _is_drawn_by_service(cache: DataCache, layer: Layer) -> bool:
    grid = cache.part(layer.ref).facts.grid
    return grid is not None and grid.drawn_by_service


def _style(layer: Layer) -> GridStyle:
    assert isinstance(layer.style, GridStyle)
    return layer.style


def _first_style(facts: Facts) -> GridStyle:
    assert facts.grid is not None
    if facts.grid.drawn_by_service:
        shown = (facts.grid.first_band,) if facts.grid.dimensions else (1, 2, 3)
        return GridStyle(shown, stretch=Stretch("hand", 0, 255))
    bands, roles = facts.grid.bands, [band.role for band in facts.grid.bands]
    names = " ".join([facts.name, *(band.name for band in bands)]).lower()
    if "red" in roles and "green" in roles and "blue" in roles:
        as_stored = facts.grid.dtype == "uint8"
        stretch = Stretch("hand", 0, 255) if as_stored else Stretch()
        return GridStyle(tuple(roles.index(c) + 1 for c in ("red", "green", "blue")), stretch=stretch)
    if facts.grid.dimensions:
        return GridStyle(ramp="ember", stretch=Stretch("range"))
    if len(bands) == 1 and bands[0].classes:
        return GridStyle(resample="nearest", own_colours=True)
    if any(word in names for word in QUALITY_WORDS):
        return GridStyle(ramp="scar", stretch=Stretch("range"), resample="nearest")
    if len(bands) == 1 and any(word in names for word in ELEVATION_WORDS):
        return GridStyle(ramp="land", stretch=Stretch("percent", 1, 99), shade=0.75)
    return GridStyle(ramp="ink")
