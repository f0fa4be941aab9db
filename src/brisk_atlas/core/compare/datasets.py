"""Two deliveries as a whole: their layers, tables and grids one by one, and their records."""

from __future__ import annotations

from collections.abc import Callable, Iterator
from dataclasses import dataclass, field
from difflib import SequenceMatcher
from enum import StrEnum

from brisk_atlas.core.cache import DataCache
from brisk_atlas.core.model import DataRef, Extent, Facts, Part, RasterPart, RowsPart, VectorPart
from brisk_atlas.core.model.digit_groups import grouped
from brisk_atlas.core.model.language import tr
from brisk_atlas.core.place import crs_label, same_crs
from brisk_atlas.core.read.find_records import find_records
from brisk_atlas.core.record.comparing import ElementComparison, differences

from .cells_change import CellsChange, cells_changes
from .delivery import DeliveryChange, delivery_change

ALIKE = 0.6  # of their letters, that names must share for parts to be taken for the same


class PartState(StrEnum):
    """What became of a part of a dataset."""

    ADDED = "added"
    REMOVED = "removed"
    CHANGED = "changed"
    SAME = "unchanged"
    UNKNOWN = "not compared in full"


@dataclass(frozen=True, eq=False)
class PartChange:
    """What became of one layer, table or grid. `facts` are those that differ, as (label, A, B); `remark` says what was
    not compared."""

    name: str
    state: PartState
    refs: tuple[DataRef | None, DataRef | None]
    facts: tuple[tuple[str, str, str], ...] = ()
    rows: DeliveryChange | None = None
    cells: tuple[CellsChange, ...] = ()
    remark: str = ""


@dataclass(frozen=True, eq=False)
class DatasetChange:
    """What changed from one dataset to another. `record` are the elements of their first records that differ."""

    refs: tuple[DataRef, DataRef]
    parts: tuple[PartChange, ...]
    record: tuple[ElementComparison, ...] = field(default=())

    @property
    def differs(self) -> bool:
        """Whether any part or the record differs."""
        equal = (PartState.SAME, PartState.UNKNOWN)
        return any(part.state not in equal for part in self.parts) or bool(self.record)

    @property
    def is_certain(self) -> bool:
        """Whether all parts were compared in full."""
        return all(part.state is not PartState.UNKNOWN for part in self.parts)


def dataset_change(
    cache: DataCache,
    before: DataRef,
    after: DataRef,
    *,
    key: tuple[str, ...] | None = None,
    tolerance: float = 0.0,
    tolerance_m: float = 0.0,
    check: Callable[[float, str], None] = lambda share, step: None,
) -> DatasetChange:
    """Return what changed from a dataset, or the part of it that a reference names, to another. Raises AtlasError."""
    sides = [list(_parts_of(cache, ref)) for ref in (before, after)]
    changes = []
    pairs = list(_paired(*sides))
    for number, (a, b) in enumerate(pairs):
        name = (a or b)[1].facts.name  # type: ignore[index]

        def step(share: float, number: int = number, name: str = name) -> None:
            check((number + share) / max(1, len(pairs)), f"comparing {name}")

        step(0.0)
        if a is None or b is None:
            state = PartState.ADDED if a is None else PartState.REMOVED
            changes.append(PartChange(name, state, (a[0] if a else None, b[0] if b else None)))
        else:
            changes.append(_part_change(cache, a, b, key, tolerance, tolerance_m, step))
    return DatasetChange((before, after), tuple(changes), tuple(_record_change(cache, before, after)))


_Placed = tuple[DataRef, Part]


def _parts_of(cache: DataCache, ref: DataRef) -> Iterator[_Placed]:
    if ref.part is not None:
        yield ref, cache.part(ref)
        return
    for part in cache.dataset(ref).parts:
        own = part.ref.with_part(part.facts.name) if part.ref.whole == ref.whole else part.ref
        yield own, part


def _paired(a: list[_Placed], b: list[_Placed]) -> Iterator[tuple[_Placed | None, _Placed | None]]:
    """Yield the parts of both sides in pairs: by name; the only ones left of a kind; by likeness of names; the rest
    alone."""
    left = list(b)
    alone = []
    for one in a:
        same = next((two for two in left if two[1].facts.name == one[1].facts.name and _alike(one, two)), None)
        if same is None:
            alone.append(one)
        else:
            left.remove(same)
            yield one, same
    for one in alone:
        kin = [two for two in left if _alike(one, two)]
        others = [each for each in alone if each is not one and _alike(each, one)]
        best = max(kin, key=lambda two, one=one: _likeness(one, two), default=None)  # type: ignore[misc]
        if best is not None and (_likeness(one, best) >= ALIKE or (len(kin) == 1 and not others)):
            left.remove(best)
            yield one, best
        else:
            yield one, None
    yield from ((None, two) for two in left)


def _alike(one: _Placed, two: _Placed) -> bool:
    return one[1].facts.kind == two[1].facts.kind


def _likeness(one: _Placed, two: _Placed) -> float:
    return SequenceMatcher(None, one[1].facts.name, two[1].facts.name).ratio()


def _part_change(
    cache: DataCache,
    a: _Placed,
    b: _Placed,
    key: tuple[str, ...] | None,
    tolerance: float,
    tolerance_m: float,
    check: Callable[[float], None],
) -> PartChange:
    (ref_a, one), (ref_b, two) = a, b
    facts = tuple(_unlike_facts(one.facts, two.facts))
    rows: DeliveryChange | None = None
    cells: tuple[CellsChange, ...] = ()
    remark = ""
    if isinstance(one, VectorPart) and isinstance(two, VectorPart):
        sides = cache.features(ref_a), cache.features(ref_b)
        rows = delivery_change(*sides, key=key, tolerance=tolerance, tolerance_m=tolerance_m, check=check)
    elif isinstance(one, RowsPart) and isinstance(two, RowsPart):
        tables = cache.attributes(ref_a), cache.attributes(ref_b)
        rows = delivery_change(*tables, key=key, tolerance=tolerance, check=check)
    elif isinstance(one, RasterPart) and isinstance(two, RasterPart):
        found = cells_changes(one, two, tolerance=tolerance, check=check)
        cells = tuple(each for each in found or () if each.differs)
        remark = "" if found is not None else tr("Their cells do not coincide, so they are not compared one by one.")
    else:
        remark = tr("Of a {kind} the facts alone are compared.", kind=one.facts.kind)
    differs = bool(facts or cells) or (rows is not None and rows.differs)
    name = one.facts.name if one.facts.name == two.facts.name else f"{one.facts.name}, {two.facts.name}"
    state = PartState.CHANGED if differs else PartState.UNKNOWN if remark else PartState.SAME
    return PartChange(name, state, (ref_a, ref_b), facts, rows, cells, remark)


def _unlike_facts(a: Facts, b: Facts) -> Iterator[tuple[str, str, str]]:
    """Yield the facts that differ, but for those that rows and fields tell."""
    if not same_crs(a.crs, b.crs):
        yield "CRS", crs_label(a.crs), crs_label(b.crs)
    pairs: list[tuple[str, object, object]] = [
        ("features", a.count, b.count),
        ("geometry", a.geometry_type, b.geometry_type),
    ]
    if a.grid is not None and b.grid is not None:
        pairs += [
            (
                "cells",
                f"{grouped(a.grid.width)} x {grouped(a.grid.height)}",
                f"{grouped(b.grid.width)} x {grouped(b.grid.height)}",
            ),
            ("bands", len(a.grid.bands), len(b.grid.bands)),
            (tr("data type"), a.grid.dtype, b.grid.dtype),
            ("nodata", a.grid.nodata, b.grid.nodata),
            (tr("cell size"), _steps(a), _steps(b)),
        ]
    for label, one, two in pairs:
        if one != two and not (one != one and two != two):
            yield label, _word(one), _word(two)
    if a.extent is not None and b.extent is not None and same_crs(a.crs, b.crs) and a.extent.bounds != b.extent.bounds:
        yield "extent", _sides(a.extent), _sides(b.extent)


def _sides(extent: Extent) -> str:
    return ", ".join(f"{side:.10g}" for side in extent.bounds)


def _steps(facts: Facts) -> str:
    return " x ".join(f"{step:g}" for step in facts.grid.resolution) if facts.grid is not None else ""


def _word(value: object) -> str:
    return "none" if value is None else grouped(value) if isinstance(value, int) else str(value)


def _record_change(cache: DataCache, before: DataRef, after: DataRef) -> list[ElementComparison]:
    """Return the elements of the first record of each dataset that differ; none where one of them has no record."""
    found = [find_records(cache.dataset(ref))[0] for ref in (before, after)]
    if not all(found):
        return []
    a, b = (each[0].document.record for each in found)
    return differences(a, b)
