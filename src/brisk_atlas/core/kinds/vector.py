"""Features with geometry."""

from __future__ import annotations

from dataclasses import replace
from types import MappingProxyType
from typing import TYPE_CHECKING

from brisk_atlas.core.cache.by_view import is_stream, piece_of
from brisk_atlas.core.draw.distribution import ValueDistribution, vector_distribution
from brisk_atlas.core.draw.legend import Legend, vector_legend
from brisk_atlas.core.draw.ramps import CLASSES
from brisk_atlas.core.draw.vector_painter import VectorPainter, drawn_rows
from brisk_atlas.core.draw.view import PICK_PX
from brisk_atlas.core.inspect.feature import feature_finding, streamed_finding
from brisk_atlas.core.inspect.finding import ProbeResult, Where
from brisk_atlas.core.inspect.picking import picked
from brisk_atlas.core.inspect.statistics import StatisticsSummary, features_in, field_statistics, number_fields
from brisk_atlas.core.model import DataKind, Facts, Layer, VectorStyle
from brisk_atlas.core.model.language import tr, trn
from brisk_atlas.core.table import rows_of

from .kind import Check, LayerKind, Piece, Report

if TYPE_CHECKING:
    from brisk_atlas.core.cache import DataCache
    from brisk_atlas.core.trust import TrustReport


class VectorKind(LayerKind):
    """Points, lines and polygons, each a row with fields."""

    kind = DataKind.VECTOR
    style = VectorStyle
    painter = VectorPainter()
    formats = MappingProxyType(
        {".gpkg": "GeoPackage", ".geojson": "GeoJSON", ".fgb": "FlatGeobuf", ".shp": "Shapefile"}
    )

    def first_style(self, facts: Facts, number: int) -> VectorStyle:
        colour = CLASSES[number % len(CLASSES)]
        geometry = facts.geometry_type or ""
        if "Line" in geometry:
            return VectorStyle(fill=colour, line=colour, width=1.8)
        if "Point" in geometry:
            return VectorStyle(fill=colour, line="#FFFDF8", width=1.4, size=9.0)
        return VectorStyle(fill=colour, line="#1D2A35", width=1.0)

    def legend(self, cache: DataCache, layer: Layer) -> Legend | None:
        return vector_legend(cache, layer, _style(layer)) if layer.style else None

    def distribution(self, cache: DataCache, layer: Layer) -> ValueDistribution | None:
        return vector_distribution(cache, layer, _style(layer)) if layer.style else None

    def probe(self, cache: DataCache, layer: Layer, where: Where, check: Check) -> ProbeResult | None:
        """The feature that was clicked with all it says; of several in an area the first in full."""
        cluster = _style(layer).cluster if layer.style else 0.0
        if cluster > 0:  # a symbol stands for what lies around it
            where = replace(where, reach=where.reach * max(1.0, cluster / 2 / PICK_PX))
        features, hit = picked(cache, layer, where)
        on = drawn_rows(cache, layer) if layer.style and not is_stream(cache, layer.ref) else None
        hit = hit if on is None else hit[on[hit]]
        if not hit.size:
            return None
        if is_stream(cache, layer.ref):
            return streamed_finding(cache, layer, features, int(hit[0]))
        return feature_finding(cache, layer, int(hit[0]), tuple(hit.tolist()))

    def names(self, cache: DataCache, layer: Layer) -> list[str]:
        return number_fields(rows_of(cache, layer))

    def statistics(
        self, cache: DataCache, layer: Layer, name: str, where: Where | None, check: Check
    ) -> tuple[StatisticsSummary | None, str]:
        rows = features_in(cache, layer, where) if where is not None else None
        return field_statistics(cache, layer, name, rows)

    def trust(self, cache: DataCache, layer: Layer, check: Check) -> TrustReport:
        from brisk_atlas.core.trust.reports import rows_report

        return rows_report(cache, layer, check)

    def export(self, cache: DataCache, layer: Layer, piece: Piece, report: Report) -> str:
        from brisk_atlas.core.handover import VectorOrder, hand_over_vector

        order = VectorOrder(
            piece.path, piece.format, piece.path.stem, piece.rows, piece.fields, piece.crs, piece.within, piece.clip
        )
        features = piece_of(cache, layer.ref, piece.within)
        if not is_stream(cache, layer.ref):
            features = replace(features, table=rows_of(cache, layer, lambda: report(0.0, tr("reading rows"))))
        return trn("{count:,} feature", "{count:,} features", hand_over_vector(features, order, report))


def _style(layer: Layer) -> VectorStyle:
    assert isinstance(layer.style, VectorStyle)
    return layer.style
