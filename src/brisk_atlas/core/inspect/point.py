"""Points of a cloud: one point's record, its neighbours, and what an area holds beside what the header says."""

from __future__ import annotations

import numpy as np
import shapely

from brisk_atlas.core.cache import DataCache
from brisk_atlas.core.model import Layer, number_text
from brisk_atlas.core.model.cloud import POINT_CLASSES, Points
from brisk_atlas.core.model.digit_groups import grouped
from brisk_atlas.core.model.language import tr
from brisk_atlas.core.place import crs_name, height_unit_of, transform, unit_of

from .finding import ProbeResult, ProbeValue, Where
from .picking import shape_in

POINT, NEAR, INSIDE, HEADER, RECORDS = (
    "point",
    "neighbours",
    "inside",
    "header of the whole file",
    "records in the header",
)


def point_finding(cache: DataCache, layer: Layer, where: Where) -> ProbeResult | None:
    """Return the record of the point nearest to a click, and the statistics of those within reach."""
    points = cache.points(layer.ref)
    px, py = transform(where.xy[:1], where.crs, points.crs)[0]
    reach = _reach_in(where, points.crs)
    if not np.isfinite(px):
        return None
    x, y = points.xyz[:, 0], points.xyz[:, 1]
    near = np.flatnonzero((np.abs(x - px) <= reach) & (np.abs(y - py) <= reach))
    off = np.hypot(x[near] - px, y[near] - py)
    near, off = near[off <= reach], off[off <= reach]
    if not near.size:
        return None
    i = int(near[np.argmin(off)])
    readings = _record(points, i)
    plane, height = unit_of(points.crs), height_unit_of(points.crs)
    z = points.xyz[near, 2]
    readings.append(ProbeValue("radius", reach, number_text(float(f"{reach:.3g}")), plane, NEAR))
    readings.append(ProbeValue("points", int(near.size), grouped(near.size), "", NEAR))
    readings += _summary_readings("z", z, height, NEAR)
    if plane == "m":
        density = near.size / (np.pi * reach**2)
        readings.append(ProbeValue("density", density, grouped(density, ",.2f"), tr("per m²"), NEAR))
    readings += _classes(points, near, NEAR)
    return ProbeResult(layer.id, tr("{name}, point {i:,}", name=layer.name, i=i + 1), tuple(readings))


def _reach_in(where: Where, crs: str | None) -> float:
    """Return the reach of a click in units of another CRS."""
    x, y = where.xy[0].tolist()
    sides = transform(np.array([[x, y], [x + where.reach, y], [x, y + where.reach]]), where.crs, crs)
    return float(np.nanmax(np.hypot(*(sides[1:] - sides[0]).T)))


def _record(points: Points, i: int) -> list[ProbeValue]:
    plane, height = unit_of(points.crs), height_unit_of(points.crs)
    x, y, z = points.xyz[i].tolist()
    digits = 6 if plane == "°" else 2
    found = [
        ProbeValue("x", x, grouped(x, f",.{digits}f"), plane, POINT),
        ProbeValue("y", y, grouped(y, f",.{digits}f"), plane, POINT),
        ProbeValue("z", z, grouped(z, ",.2f"), height, POINT),
    ]
    for name, values in points.dimensions.items():
        value = values[i].item()
        meaning = POINT_CLASSES.get(value, "") if name == "classification" else ""
        text = f"{number_text(value)} {meaning}".strip()
        found.append(ProbeValue(name.replace("_", " "), value, text, "", POINT, name))
    return found


def _summary_readings(name: str, values: np.ndarray, unit: str, group: str) -> list[ProbeValue]:
    stated = (
        ("minimum", values.min()),
        ("mean", values.mean()),
        ("maximum", values.max()),
        ("standard deviation", values.std()),
    )
    return [ProbeValue(f"{name}, {word}", float(v), grouped(v, ",.2f"), unit, group) for word, v in stated]


def _classes(points: Points, chosen: np.ndarray, group: str) -> list[ProbeValue]:
    if "classification" not in points.dimensions:
        return []
    kinds, counts = np.unique(points.dimensions["classification"][chosen], return_counts=True)
    return [
        ProbeValue(
            f"class {k} {POINT_CLASSES.get(k, '')}".strip(),
            int(c),
            f"{grouped(c)} ({c / chosen.size:.1%})",
            "",
            group,
            tr("class {number}", number=k),
        )
        for k, c in zip(kinds.tolist(), counts.tolist())
    ]


def area_finding(cache: DataCache, layer: Layer, where: Where) -> ProbeResult:
    """Return what the header says of the whole file and, apart from it, what the points inside an area are."""
    points = cache.points(layer.ref)
    area = shape_in(where, points.crs)
    xmin, ymin, xmax, ymax = area.bounds
    xyz = points.xyz
    near = np.flatnonzero((xyz[:, 0] >= xmin) & (xyz[:, 0] <= xmax) & (xyz[:, 1] >= ymin) & (xyz[:, 1] <= ymax))
    if where.kind != "box" or not area.equals(shapely.box(*area.bounds)):
        near = near[shapely.intersects_xy(area, xyz[near, 0], xyz[near, 1])]
    readings = _readings_of(points, near, area.area)
    return ProbeResult(layer.id, layer.name, (*readings, *header_readings(cache, layer, points)))


def rows_finding(cache: DataCache, layer: Layer, rows: np.ndarray) -> ProbeResult:
    """Return what points are, by their places in the file, and apart from it what the header says of all."""
    points = cache.points(layer.ref)
    return ProbeResult(layer.id, layer.name, (*_readings_of(points, rows), *header_readings(cache, layer, points)))


def _readings_of(points: Points, near: np.ndarray, area: float = 0.0) -> list[ProbeValue]:
    """Return how many points some are, the statistics of their dimensions, and how densely they lie in an area."""
    readings = [ProbeValue("points", int(near.size), f"{grouped(near.size)} of {grouped(len(points))}", "", INSIDE)]
    if near.size:
        readings += _summary_readings("z", points.xyz[near, 2], height_unit_of(points.crs), INSIDE)
        if unit_of(points.crs) == "m" and area > 0:
            density = near.size / area
            readings.append(ProbeValue("density", density, grouped(density, ",.2f"), tr("per m²"), INSIDE))
        for name, values in points.dimensions.items():
            if name != "classification":
                readings.append(_range(name, values[near], INSIDE))
        readings += _classes(points, near, INSIDE)
    return readings


def _range(name: str, values: np.ndarray, group: str) -> ProbeValue:
    low, high = values.min().item(), values.max().item()
    text = number_text(low) if low == high else f"{number_text(low)} to {number_text(high)}"
    return ProbeValue(name.replace("_", " "), (low, high), text, "", group, name)


def header_readings(cache: DataCache, layer: Layer, points: Points | None = None) -> list[ProbeValue]:
    """Return what a cloud's header says, with the types of its dimensions and, where points are given,
    their ranges."""
    facts = cache.part(layer.ref).facts
    cloud = facts.cloud
    if cloud is None:
        return []
    e = facts.extent
    triple = lambda v: ", ".join(f"{c:g}" for c in v) if v else "not stated"  # noqa: E731
    lines = [
        ("software", cloud.software or "not stated"),
        ("system", cloud.system or "not stated"),
        ("created", cloud.created or "not stated"),
        ("project id", cloud.project or "none"),
        ("version", f"LAS {cloud.version}, point format {cloud.point_format}" if cloud.version else "not LAS"),
        ("points", grouped(facts.count or 0)),
        ("reference system", crs_name(facts.crs)),
        ("scale", triple(cloud.scale)),
        ("offset", triple(cloud.offset)),
    ]
    if e is not None:
        x0, y0, x1, y1 = (grouped(side, ",.2f") for side in e.bounds)
        lines.append(("extent", tr("x {x0} to {x1}, y {y0} to {y1}", x0=x0, x1=x1, y0=y0, y1=y1)))
    if cloud.zrange:
        low, high = (grouped(end, ",.2f") for end in cloud.zrange)
        lines.append(("heights", f"{low} {tr('to')} {high} {height_unit_of(facts.crs)}".strip()))
    found = [ProbeValue(label, text, text, "", HEADER) for label, text in lines]
    types = {field.name: field.type for field in facts.fields}
    for name in cloud.dimensions:
        text = types.get(name, "")
        if points is not None and name in points.dimensions:
            values = points.dimensions[name]
            text += f", {number_text(values.min())} to {number_text(values.max())}"
        found.append(ProbeValue(name.replace("_", " "), text, text, "", "dimensions of the whole file", name))
    for user, number, words in cloud.records:
        found.append(ProbeValue(f"{user} {number}", words, words or "no description", "", RECORDS))
    return found
