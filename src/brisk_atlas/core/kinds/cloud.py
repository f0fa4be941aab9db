"""Point clouds."""

from __future__ import annotations

from collections.abc import Callable
from typing import TYPE_CHECKING

import numpy as np

from brisk_atlas.core.draw.cloud import draw_cloud
from brisk_atlas.core.draw.distribution import ValueDistribution, cloud_distribution
from brisk_atlas.core.draw.drawn import Drawn
from brisk_atlas.core.draw.layer_painter import PlainPainter
from brisk_atlas.core.draw.legend import Legend, cloud_legend
from brisk_atlas.core.draw.view import View
from brisk_atlas.core.inspect.finding import ProbeResult, Where
from brisk_atlas.core.inspect.point import area_finding, point_finding
from brisk_atlas.core.inspect.statistics import StatisticsSummary, cloud_statistics
from brisk_atlas.core.model import CloudStyle, DataKind, Facts, Layer

from .kind import Check, LayerKind

if TYPE_CHECKING:
    from brisk_atlas.core.cache import DataCache
    from brisk_atlas.core.trust import TrustReport


class CloudPainter(PlainPainter):
    """Draws points, the nearest to the eye last."""

    def paint(
        self, cache: DataCache, layer: Layer, image: np.ndarray, view: View, check: Check, so_far: Check
    ) -> Drawn:
        return draw_cloud(image, cache, layer.ref, _style(layer), view, check, so_far)


class CloudKind(LayerKind):
    """Points with a height and measured dimensions."""

    kind = DataKind.POINTCLOUD
    style = CloudStyle
    painter = CloudPainter()

    def first_style(self, facts: Facts, number: int) -> CloudStyle:
        return CloudStyle()

    def prepare(self, cache: DataCache, layer: Layer, report: Callable[[float], None]) -> None:
        """Read all points; the first picture shows some. Raises CannotRead."""
        cache.points(layer.ref, report)

    def legend(self, cache: DataCache, layer: Layer) -> Legend | None:
        return cloud_legend(cache, layer, _style(layer)) if layer.style else None

    def distribution(self, cache: DataCache, layer: Layer) -> ValueDistribution | None:
        return cloud_distribution(cache, layer, _style(layer)) if layer.style else None

    def probe(self, cache: DataCache, layer: Layer, where: Where, check: Check) -> ProbeResult | None:
        """The point that was clicked; the statistics of those in an area, with the header of the file."""
        return point_finding(cache, layer, where) if where.kind == "click" else area_finding(cache, layer, where)

    def names(self, cache: DataCache, layer: Layer) -> list[str]:
        cloud = cache.part(layer.ref).facts.cloud
        return ["z", *(name for name in cloud.dimensions if name not in ("X", "Y", "Z"))] if cloud else []

    def statistics(
        self, cache: DataCache, layer: Layer, name: str, where: Where | None, check: Check
    ) -> tuple[StatisticsSummary | None, str]:
        return cloud_statistics(cache, layer, name, where)

    def trust(self, cache: DataCache, layer: Layer, check: Check) -> TrustReport:
        from brisk_atlas.core.trust.reports import cloud_report

        return cloud_report(cache, layer, check)


def _style(layer: Layer) -> CloudStyle:
    assert isinstance(layer.style, CloudStyle)
    return layer.style
