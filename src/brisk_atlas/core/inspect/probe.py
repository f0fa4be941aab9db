"""What lies where the hand points, layer by layer."""

from __future__ import annotations

from collections.abc import Callable, Sequence

from brisk_atlas.core.cache import DataCache
from brisk_atlas.core.cache.by_view import is_stream
from brisk_atlas.core.model import AtlasError, DataKind, Layer

from .cell import cell_finding
from .feature import feature_finding, streamed_finding
from .finding import Finding, Where
from .picking import picked
from .point import area_finding, point_finding
from .statistics import area_statistics, line_statistics, summary_readings


def probe(cache: DataCache, layer: Layer, where: Where, check: Callable[[], None] = lambda: None) -> Finding | None:
    """Return what `layer` has there, or None for nothing.

    A click gives a feature, a cell or a point with all it says; an area or a line gives the features it
    meets (the first in full), the statistics of the cells or points in it, and a cloud's header.
    """
    if layer.kind is DataKind.VECTOR:
        features, hit = picked(cache, layer, where)
        if not hit.size:
            return None
        if is_stream(cache, layer.ref):
            return streamed_finding(cache, layer, features, int(hit[0]))
        return feature_finding(cache, layer, int(hit[0]), tuple(hit.tolist()))
    if layer.kind is DataKind.RASTER:
        if where.kind == "click":
            x, y = where.xy[0].tolist()
            return cell_finding(cache, layer, x, y, where.crs)
        statistics = line_statistics if where.kind == "line" else area_statistics
        readings = [
            reading
            for name, summary, unit in statistics(cache, layer, where, check)
            for reading in summary_readings(name, summary, unit)
        ]
        return Finding(layer.id, layer.name, tuple(readings)) if readings else None
    if layer.kind is DataKind.POINTCLOUD:
        return point_finding(cache, layer, where) if where.kind == "click" else area_finding(cache, layer, where)
    return None


def probe_all(
    cache: DataCache, layers: Sequence[Layer], where: Where, check: Callable[[], None] = lambda: None
) -> list[Finding]:
    """Return what each of `layers` has there. One that can't be read is left out; the map says why."""
    findings = []
    for layer in layers:
        check()
        try:
            found = probe(cache, layer, where, check)
        except AtlasError:
            continue
        if found is not None:
            findings.append(found)
    return findings
