"""What lies where the hand points, layer by layer."""

from __future__ import annotations

from collections.abc import Callable, Sequence

from brisk_atlas.core.model import AtlasError, DataKind, Layer
from brisk_atlas.core.read import Holdings
from brisk_atlas.core.read.streams import is_stream

from .cell import cell_finding
from .feature import feature_finding, streamed_finding
from .finding import Finding, Where
from .picking import picked
from .point import area_finding, point_finding
from .statistics import area_statistics, line_statistics, summary_readings


def probe(holdings: Holdings, layer: Layer, where: Where, check: Callable[[], None] = lambda: None) -> Finding | None:
    """Return what `layer` has there, or None for nothing.

    A click gives a feature, a cell or a point with all it says; an area or a line gives the features it
    meets (the first in full), the statistics of the cells or points in it, and a cloud's header.
    """
    if layer.kind is DataKind.VECTOR:
        features, hit = picked(holdings, layer, where)
        if not hit.size:
            return None
        if is_stream(holdings, layer.ref):
            return streamed_finding(holdings, layer, features, int(hit[0]))
        return feature_finding(holdings, layer, int(hit[0]), tuple(hit.tolist()))
    if layer.kind is DataKind.RASTER:
        if where.kind == "click":
            x, y = where.xy[0].tolist()
            return cell_finding(holdings, layer, x, y, where.crs)
        statistics = line_statistics if where.kind == "line" else area_statistics
        readings = [
            reading
            for name, summary, unit in statistics(holdings, layer, where, check)
            for reading in summary_readings(name, summary, unit)
        ]
        return Finding(layer.id, layer.name, tuple(readings)) if readings else None
    if layer.kind is DataKind.POINTCLOUD:
        return point_finding(holdings, layer, where) if where.kind == "click" else area_finding(holdings, layer, where)
    return None


def probe_all(
    holdings: Holdings, layers: Sequence[Layer], where: Where, check: Callable[[], None] = lambda: None
) -> list[Finding]:
    """Return what each of `layers` has there. One that can't be read is left out; the map says why."""
    findings = []
    for layer in layers:
        check()
        try:
            found = probe(holdings, layer, where, check)
        except AtlasError:
            continue
        if found is not None:
            findings.append(found)
    return findings
