"""Geometry that can't be trusted: missing, invalid, twice there, overlapping, with gaps and slivers, out of place."""

from __future__ import annotations

import re
from collections.abc import Callable, Iterator

import numpy as np
import pyarrow as pa
import pyarrow.compute as pc
import shapely

from brisk_atlas.core.model.digit_groups import grouped
from brisk_atlas.core.model.language import tr, trn
from brisk_atlas.core.place import is_geographic, proj_crs, transform
from brisk_atlas.core.record.checks import Severity

from .trust_finding import MOST_PLACES, TrustFinding

TESTS = ("geometry there", "valid geometry", "geometry once", "no overlaps", "no gaps", "no slivers", "in its place")
MOST_PAIRS = 400_000  # of polygons that meet, whose common areas are computed
MOST_IN_UNION = 100_000  # polygons, for gaps between them
SHARED = 0.3  # of polygons that touch another: from there on they are a coverage, and gaps are looked for
GAP = 0.1  # of the median area: holes between polygons that are smaller are gaps rather than what is not covered
SLIVER_THIN, SLIVER_SMALL = 0.05, 0.02  # of 4 pi area / perimeter²; of the median area
COMMON = 1e-7  # of the smaller area of two, which rounding alone can make common
BEYOND = 3.0  # degrees beyond the area of use of a CRS, which data at its edge may reach
FAR = 30.0  # times the median distance of all positions from their middle
ROW_NUMBERS = ("fid", "ogc_fid", "gid", "id", "objectid")  # fields that number rows, which are never alike
_PLACE = re.compile(r"\[(-?[\d.eE+-]+) (-?[\d.eE+-]+)")
Check = Callable[[], None]


def geometry_findings(shapes: np.ndarray, table: pa.Table, crs: str | None, check: Check) -> Iterator[TrustFinding]:
    """Yield what is wrong with geometries (n,) of rows of a table."""
    total = len(shapes)
    there = ~(shapely.is_missing(shapes) | shapely.is_empty(shapes))
    yield from _rows(
        Severity.CAUTION,
        "geometry there",
        "completenessOmission",
        ~there,
        shapes,
        lambda n: trn("{count:,} row has no geometry", "{count:,} rows have no geometry", n),
    )
    check()
    yield from _invalid(shapes, there)
    check()
    yield from _duplicates(shapes, there, table)
    check()
    yield from _misplaced(shapes, there, crs, total)
    check()
    polygons = there & np.isin(shapely.get_type_id(shapes), (3, 6)) & shapely.is_valid(shapes)
    if polygons.sum() > 1:
        yield from _coverage(shapes, np.flatnonzero(polygons), check)


def _rows(
    severity: Severity, test: str, quality: str, wrong: np.ndarray, shapes: np.ndarray, words: Callable[[int], str]
) -> Iterator[TrustFinding]:
    rows = np.flatnonzero(wrong)
    if rows.size:
        yield TrustFinding(
            severity,
            test,
            words(len(rows)),
            quality,
            len(rows),
            len(wrong),
            "features",
            rows,
            _points_on(shapes[rows[:MOST_PLACES]]),
        )


def _points_on(shapes: np.ndarray) -> np.ndarray:
    """Return a point on each geometry that has one."""
    known = shapes[~(shapely.is_missing(shapes) | shapely.is_empty(shapes))]
    places = shapely.get_coordinates(shapely.centroid(known))
    return places[np.isfinite(places).all(axis=1)] if len(places) else places.reshape(-1, 2)


def _invalid(shapes: np.ndarray, there: np.ndarray) -> Iterator[TrustFinding]:
    rows = np.flatnonzero(there & ~shapely.is_valid(shapes))
    if not rows.size:
        return
    reasons = shapely.is_valid_reason(shapes[rows])
    found = [_PLACE.search(reason) for reason in reasons[:MOST_PLACES]]
    places = np.array([(float(each[1]), float(each[2])) for each in found if each is not None]).reshape(-1, 2)
    kinds, counts = np.unique([reason.partition("[")[0] for reason in reasons], return_counts=True)
    words = ", ".join(
        f"{kind} ({grouped(count)})" for kind, count in sorted(zip(kinds, counts), key=lambda each: -each[1])[:3]
    )
    text = trn("{count:,} geometry is not valid: {words}", "{count:,} geometries are not valid: {words}", len(rows),
               words=words)  # fmt: skip
    yield TrustFinding(
        Severity.FAULT,
        "valid geometry",
        text,
        "topologicalConsistency",
        len(rows),
        len(shapes),
        "features",
        rows,
        places,
    )


def _duplicates(shapes: np.ndarray, there: np.ndarray, table: pa.Table) -> Iterator[TrustFinding]:
    """Yield features that are there twice: with all values alike, and with the geometry alone."""
    rows = np.flatnonzero(there)
    keys = shapely.to_wkb(shapely.normalize(shapes[rows]))
    _, first, inverse, counts = np.unique(keys, return_index=True, return_inverse=True, return_counts=True)
    again = counts[inverse] > 1
    later = again & (first[inverse] != np.arange(len(rows)))
    if not later.any():
        return
    one, other = rows[later], rows[first[inverse[later]]]
    whole = np.ones(len(one), bool)
    for name, column in zip(table.column_names, table.columns):
        if name.casefold() not in ROW_NUMBERS and _as_text(column.type):
            values, others = (column.take(pa.array(each)).cast(pa.string(), safe=False) for each in (one, other))
            differ = pc.not_equal(pc.fill_null(values, ""), pc.fill_null(others, ""))
            whole &= ~differ.to_numpy(zero_copy_only=False).astype(bool)
    same, alike = one[whole], one[~whole]
    are_points = bool((shapely.get_type_id(shapes[rows]) == 0).all())  # which may have been measured several times
    for severity, found, words in (
        (Severity.FAULT, same, _again_text),
        (Severity.NOTE if are_points else Severity.CAUTION, alike, _there_too_text),
    ):
        if found.size:
            yield TrustFinding(
                severity,
                "geometry once",
                words(len(found)),
                "completenessCommission",
                len(found),
                len(shapes),
                "features",
                found,
                _points_on(shapes[found[:MOST_PLACES]]),
            )


def _again_text(count: int) -> str:
    return trn("{count:,} feature is there a second time, with the same values",
               "{count:,} features are there a second time, with the same values", count)  # fmt: skip


def _there_too_text(count: int) -> str:
    return trn("{count:,} feature is exactly where another is, with other values",
               "{count:,} features are exactly where another is, with other values", count)  # fmt: skip


def _as_text(arrow: pa.DataType) -> bool:
    return not (pa.types.is_nested(arrow) or pa.types.is_binary(arrow) or pa.types.is_large_binary(arrow))


def _misplaced(shapes: np.ndarray, there: np.ndarray, crs: str | None, total: int) -> Iterator[TrustFinding]:
    """Yield features outside of where the CRS is used, and those far from all others."""
    rows = np.flatnonzero(there)
    places = shapely.get_coordinates(shapely.centroid(shapes[rows]))
    if len(places) != len(rows):
        return
    finite = np.isfinite(places).all(axis=1)
    area = proj_crs(crs).area_of_use if crs else None
    outside = np.zeros(len(rows), bool)
    if area is not None:
        west, south, east, north = area.west - BEYOND, area.south - BEYOND, area.east + BEYOND, area.north + BEYOND
        degrees = places if crs and is_geographic(crs) else transform(places, crs, "EPSG:4326")
        wide = east - west + (360.0 if east < west else 0.0)
        across = (degrees[:, 0] - west) % 360.0 <= wide
        with np.errstate(invalid="ignore"):
            inside = across & (degrees[:, 1] >= south) & (degrees[:, 1] <= north)
        outside = finite & ~inside
        yield from _picked(Severity.CAUTION, outside, rows, places, total, _outside_text)
    middle = np.median(places[finite], axis=0) if finite.any() else np.zeros(2)
    away = np.hypot(*(places - middle).T)
    usual = np.median(away[finite]) if finite.sum() > 20 else 0.0
    with np.errstate(invalid="ignore"):
        far = finite & ~outside & (usual > 0) & (away > FAR * usual)
    yield from _picked(Severity.CAUTION, far, rows, places, total, _far_text)


def _outside_text(count: int) -> str:
    return trn(
        "{count:,} feature lies outside of the area that its CRS is made for: the CRS, or the position, is wrong",
        "{count:,} features lie outside of the area that its CRS is made for: the CRS, or the position, is wrong",
        count,
    )


def _far_text(count: int) -> str:
    return trn("{count:,} feature lies far from all others", "{count:,} features lie far from all others", count)


def _picked(
    severity: Severity, mask: np.ndarray, rows: np.ndarray, places: np.ndarray, total: int, words: Callable[[int], str]
) -> Iterator[TrustFinding]:
    if mask.any():
        count = int(mask.sum())
        yield TrustFinding(
            severity,
            "in its place",
            words(count),
            "absoluteExternalPositionalAccuracy",
            count,
            total,
            "features",
            rows[mask],
            places[mask][:MOST_PLACES],
        )


def _coverage(shapes: np.ndarray, rows: np.ndarray, check: Check) -> Iterator[TrustFinding]:
    """Yield where polygons overlap, what is left between those that touch, and those that are only thin."""
    polygons = shapes[rows]
    tree = shapely.STRtree(polygons)
    one, other = tree.query(polygons, predicate="intersects")
    one, other = one[one < other], other[one < other]
    check()
    areas = shapely.area(polygons)
    median = float(np.median(areas))
    if len(one) <= MOST_PAIRS:
        common = shapely.intersection(polygons[one], polygons[other])
        size = shapely.area(common)
        check()
        over = size > COMMON * np.minimum(areas[one], areas[other])
        if over.any():
            hit = np.unique(np.concatenate([one[over], other[over]]))
            meant = len(hit) > len(rows) / 2
            note = tr("; so many that it may be meant") if meant else ""
            count = int(over.sum())
            yield TrustFinding(
                Severity.NOTE if meant else Severity.CAUTION,
                "no overlaps",
                trn("{count:,} pair of polygons overlaps", "{count:,} pairs of polygons overlap", count) + note,
                "topologicalConsistency",
                count,
                len(rows),
                "features",
                rows[hit],
                _points_on(common[over][:MOST_PLACES]),
            )
    thin = 4 * np.pi * areas / np.maximum(shapely.length(polygons), 1e-300) ** 2 < SLIVER_THIN
    slivers = thin & (areas < SLIVER_SMALL * median)
    yield from _rows_of(rows, slivers, shapes, "no slivers", _slivers_text)
    check()
    touching = len(np.unique(np.concatenate([one, other]))) if len(one) else 0
    if touching >= SHARED * len(rows) and len(rows) <= MOST_IN_UNION:
        yield from _gaps(polygons, median)


def _slivers_text(count: int) -> str:
    return trn("{count:,} polygon is a sliver: thin, and tiny beside the others",
               "{count:,} polygons are slivers: thin, and tiny beside the others", count)  # fmt: skip


def _rows_of(
    rows: np.ndarray, mask: np.ndarray, shapes: np.ndarray, test: str, words: Callable[[int], str]
) -> Iterator[TrustFinding]:
    found = rows[mask]
    if found.size:
        yield TrustFinding(
            Severity.CAUTION,
            test,
            words(len(found)),
            "topologicalConsistency",
            len(found),
            len(rows),
            "features",
            found,
            _points_on(shapes[found[:MOST_PLACES]]),
        )


def _gaps(polygons: np.ndarray, median: float) -> Iterator[TrustFinding]:
    whole = shapely.get_parts(shapely.union_all(polygons))
    rings = [
        shapely.get_interior_ring(each, number)
        for each in whole
        for number in range(int(shapely.get_num_interior_rings(each)))
    ]
    holes = shapely.polygons(rings) if rings else np.empty(0, object)
    own = _own_holes(polygons)
    gaps = holes[(shapely.area(holes) < GAP * median) & ~own_of(holes, own)] if len(holes) else holes
    if len(gaps):
        places = shapely.get_coordinates(shapely.point_on_surface(gaps[:MOST_PLACES]))
        text = trn("{count:,} small gap lies between polygons that touch",
                   "{count:,} small gaps lie between polygons that touch", len(gaps))  # fmt: skip
        yield TrustFinding(
            Severity.CAUTION, "no gaps", text, "topologicalConsistency", len(gaps), len(polygons), "gaps", places=places
        )


def _own_holes(polygons: np.ndarray) -> np.ndarray:
    """Return the holes that single polygons have: these are meant."""
    parts = shapely.get_parts(polygons)
    rings = [
        shapely.get_interior_ring(each, number)
        for each in parts[shapely.get_num_interior_rings(parts) > 0]
        for number in range(int(shapely.get_num_interior_rings(each)))
    ]
    return shapely.polygons(rings) if rings else np.empty(0, object)


def own_of(holes: np.ndarray, own: np.ndarray) -> np.ndarray:
    """Return which holes are those of single polygons (the same place, all but the same area)."""
    if not len(own):
        return np.zeros(len(holes), bool)
    here, there = shapely.STRtree(own).query(shapely.point_on_surface(holes), predicate="intersects")
    same = np.isclose(shapely.area(holes[here]), shapely.area(own[there]), rtol=1e-6)
    found = np.zeros(len(holes), bool)
    found[here[same]] = True
    return found
