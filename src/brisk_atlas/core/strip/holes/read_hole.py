"""All that was measured, described and photographed down one hole, in metres along it."""

from __future__ import annotations

from collections.abc import Callable
from dataclasses import dataclass, replace
from functools import cached_property

import numpy as np
import pyarrow as pa

from brisk_atlas.core.cache import DataCache
from brisk_atlas.core.connect import localise
from brisk_atlas.core.inspect.hole_tables import rows_of_hole
from brisk_atlas.core.model import AtlasError, Field
from brisk_atlas.core.model.hole_choices import HoleTable, TableRole
from brisk_atlas.core.model.language import tr
from brisk_atlas.core.model.plain_values import values_of
from brisk_atlas.core.place.hole_path import FOOT_M
from brisk_atlas.core.read.readable_text import decoded

from .curve_names import category_of
from .depth_words import DepthText, descriptions_in
from .find_holes import depth_column
from .hole_set import Hole, HoleCurve, HoleIntervals

MOST_TEXT_BYTES = 5_000_000


@dataclass(frozen=True, eq=False)
class HoleData:
    """What was read of a hole; `remarks` say what is odd of it, or could not be read."""

    hole: Hole
    curves: tuple[HoleCurve, ...]
    intervals: tuple[HoleIntervals, ...]
    texts: tuple[DepthText, ...]
    remarks: tuple[str, ...]

    @cached_property
    def depth_range(self) -> tuple[float, float]:
        """The depths, metres along the hole, between which there is anything."""
        ends = [0.0, self.hole.length or 0.0]
        ends += [float(each) for curve in self.curves if len(curve.depth) for each in (curve.depth[0], curve.depth[-1])]
        ends += [
            float(np.nanmax(each.base)) for each in self.intervals if len(each.base) and np.isfinite(each.base).any()
        ]
        ends += [picture.base for picture in self.hole.pictures] + [text.base for text in self.texts]
        return min(0.0, *ends), max(*ends, 1.0)

    def curve(self, name: str) -> HoleCurve | None:
        """Return a curve by its name."""
        return next((each for each in self.curves if each.name == name), None)


def read_hole(cache: DataCache, hole: Hole, check: Callable[[], None] = lambda: None) -> HoleData:
    """Return what there is of a hole; what can't be read becomes a remark."""
    curves: list[HoleCurve] = []
    intervals: list[HoleIntervals] = []
    texts: list[DepthText] = []
    remarks: list[str] = []
    for table in hole.tables:
        check()
        try:
            if table.role is TableRole.LOG:
                curves += _curves_of_log(cache, table, remarks)
            elif table.role is TableRole.INTERVALS:
                intervals += _intervals(cache, table, remarks)
            elif table.role is TableRole.POINTS:
                curves += _points(cache, table)
        except AtlasError as error:
            remarks.append(f"{table.ref.name}: {error.reason}")
    for ref in hole.texts:
        try:
            raw = localise(ref).path.read_bytes()[:MOST_TEXT_BYTES]
        except (AtlasError, OSError) as error:
            remarks.append(
                tr("{name} can't be read: {getattr}", name=ref.name, getattr=getattr(error, "reason", None) or error)
            )
            continue
        found = descriptions_in(decoded(raw))
        texts += found
        if not found:
            remarks.append(tr("{name} has no line that begins with a depth", name=ref.name))
    gone = [each.ref for each in hole.pictures if each.ref.is_local and not each.ref.path.is_file()]
    remarks += [tr("{name} is missing", name=ref.name) for ref in gone]
    return HoleData(
        hole, _distinct(curves), tuple(intervals), tuple(sorted(texts, key=lambda t: t.top)), tuple(remarks)
    )


def _distinct(curves: list[HoleCurve]) -> tuple[HoleCurve, ...]:
    """Return curves with names of their own: one that occurs twice says where it is from."""
    seen: dict[str, int] = {}
    found = []
    for curve in curves:
        seen[curve.name] = seen.get(curve.name, 0) + 1
        number = seen[curve.name]
        found.append(curve if number == 1 else replace(curve, name=f"{curve.name}, {curve.source}" if number == 2 else
                                                       f"{curve.name}, {curve.source} {number}"))  # fmt: skip
    return tuple(found)


def _curves_of_log(cache: DataCache, table: HoleTable, remarks: list[str]) -> list[HoleCurve]:
    part, rows = cache.part(table.ref), cache.table(table.ref)
    fields = {each.name: each for each in part.facts.fields}
    name, factor, strange = depth_column(rows, {each.name: each.unit for each in part.facts.fields})
    if strange:
        remarks.append(
            tr(
                "{name}: the unit of {name2} is {strange}, which is not known; metres are assumed",
                name=table.ref.name,
                name2=name,
                strange=strange,
            )
        )
    depth = _floats(rows, name)
    if depth is None:
        remarks.append(tr("{name}: its depths in {name2} are no numbers", name=table.ref.name, name2=name))
        return []
    depth, order = _in_order(depth * factor, table.ref.name, remarks)
    return [_curve(rows, fields.get(each, Field(each, "")), depth, order, table.ref.name)
            for each in rows.column_names if each != name]  # fmt: skip


def _in_order(depth: np.ndarray, source: str, remarks: list[str]) -> tuple[np.ndarray, np.ndarray | None]:
    """Return depths in ascending order, and the rows in that order, None where they are in it already; says what is
    odd."""
    known = np.isfinite(depth)
    if known.all() and (np.diff(depth) > 0).all():
        return depth, None
    rows = np.flatnonzero(known)
    if (~known).any():
        remarks.append(
            tr("{source}: {count:,} rows without a depth are left out", source=source, count=int((~known).sum()))
        )
    steps = np.diff(depth[rows])
    if len(rows) > 1 and (steps < 0).all():
        remarks.append(tr("{source}: its depths go upwards, and are shown downwards", source=source))
    elif (steps < 0).any():
        remarks.append(
            tr(
                "{source}: its depths go back {count:,} times, and are put in order",
                source=source,
                count=int((steps < 0).sum()),
            )
        )
    if (steps == 0).any():
        remarks.append(
            tr(
                "{source}: {count:,} depths occur more than once; all values are shown",
                source=source,
                count=int((steps == 0).sum()),
            )
        )
    order = rows[np.argsort(depth[rows], kind="stable")]
    return depth[order], order


def _curve(rows: pa.Table, field: Field, depth: np.ndarray, order: np.ndarray | None, source: str) -> HoleCurve:
    values = _floats(rows, field.name)
    category = category_of(field.name, field.unit, field.meaning)
    if values is not None:
        own = values if order is None else values[order]
        return HoleCurve(field.name, field.unit, field.meaning, depth, own, category, source)
    every = [None if value is None else str(value) for value in values_of(rows.column(field.name))]
    texts = tuple(every) if order is None else tuple(every[n] for n in order.tolist())
    return HoleCurve(field.name, field.unit, field.meaning, depth, np.full(len(depth), np.nan), category, source, texts)


def _floats(rows: pa.Table, name: str) -> np.ndarray | None:
    kind = rows.schema.field(name).type
    if not (pa.types.is_integer(kind) or pa.types.is_floating(kind) or pa.types.is_decimal(kind)):
        return None
    return np.asarray(rows.column(name).cast(pa.float64(), safe=False).to_numpy(), float)


def _intervals(cache: DataCache, table: HoleTable, remarks: list[str]) -> list[HoleIntervals]:
    rows = rows_of_hole(cache, table)
    top, base = _floats(rows, table.top), _floats(rows, table.base)
    if top is None or base is None:
        remarks.append(
            tr("{name}: {top} and {base} are no numbers", name=table.ref.name, top=table.top, base=table.base)
        )
        return []
    factor = FOOT_M if table.feet else 1.0
    known = np.isfinite(top) & np.isfinite(base)
    upside = known & (base < top)
    if upside.any():
        remarks.append(
            tr(
                "{name}: {count:,} intervals end above their begin, and are turned round",
                name=table.ref.name,
                count=int(upside.sum()),
            )
        )
    if (~known).any():
        remarks.append(
            tr(
                "{name}: {count:,} intervals without a depth are left out",
                name=table.ref.name,
                count=int((~known).sum()),
            )
        )
    upper, lower = np.minimum(top, base) * factor, np.maximum(top, base) * factor
    order = np.flatnonzero(known)[np.argsort(upper[known], kind="stable")]
    over = int((upper[order][1:] < lower[order][:-1] - 1e-6).sum()) if len(order) > 1 else 0
    if over:
        remarks.append(
            tr("{name}: {over:,} intervals begin above the end of the one before", name=table.ref.name, over=over)
        )
    units = {each.name: each.unit for each in cache.part(table.ref).facts.fields}
    skip = {table.hole, table.top, table.base}
    found = []
    for name in rows.column_names:
        if name not in skip:
            every = values_of(rows.column(name))
            values = tuple(_plain(every[n]) for n in order.tolist())
            found.append(HoleIntervals(name, units.get(name, ""), upper[order], lower[order], values, table.ref.name))
    return found


def _plain(value: object) -> str | float | None:
    if value is None or isinstance(value, bool):
        return None if value is None else str(value)
    return float(value) if isinstance(value, int | float) else str(value)


def _points(cache: DataCache, table: HoleTable) -> list[HoleCurve]:
    rows = rows_of_hole(cache, table)
    depth = _floats(rows, table.top)
    if depth is None:
        return []
    fields = {each.name: each for each in cache.part(table.ref).facts.fields}
    depth, order = _in_order(depth * (FOOT_M if table.feet else 1.0), table.ref.name, [])
    skip = {table.hole, table.top}
    return [replace(_curve(rows, fields.get(name, Field(name, "")), depth, order, table.ref.name), sampled=True)
            for name in rows.column_names if name not in skip]  # fmt: skip
