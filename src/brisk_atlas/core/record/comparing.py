"""Two records side by side: where they differ, and taking values from one into the other."""

from __future__ import annotations

from collections.abc import Iterator
from dataclasses import dataclass, fields
from difflib import SequenceMatcher
from typing import Any

from .elements import Element, Place, is_stated, parts_of, value_at, with_value, without
from .model import Record

SAME, CHANGED, ONLY_A, ONLY_B = "same", "changed", "only in A", "only in B"


@dataclass(frozen=True)
class ElementComparison:
    """One element of two records. A place is None where that record has no such item."""

    element: Element
    label: str
    a: Any
    b: Any
    place_a: Place | None
    place_b: Place | None
    state: str
    depth: int = 0


def comparisons_of(a: Record, b: Record) -> list[ElementComparison]:
    """Return both records as rows in the order of the model, items that belong together on one row."""
    return list(_rows(Record, a, b, (), (), "", 0))


def differences(a: Record, b: Record) -> list[ElementComparison]:
    """Return the rows with a plain value that differ."""
    return [row for row in comparisons_of(a, b) if row.state != SAME and row.element.item is None]


def _rows(
    shape: type, a: Any, b: Any, at_a: Place | None, at_b: Place | None, before: str, depth: int
) -> Iterator[ElementComparison]:
    for name, element in parts_of(shape, before).items():
        va: Any = getattr(a, name) if a is not None else None
        vb: Any = getattr(b, name) if b is not None else None
        if not is_stated(va) and not is_stated(vb):
            continue
        pa = (*at_a, name) if at_a is not None else None
        pb = (*at_b, name) if at_b is not None else None
        if not element.several:
            yield ElementComparison(element, element.label, va, vb, pa, pb, _state(va, vb), depth)
            continue
        pairs = list(_paired(va or (), vb or ()))
        for number, (i, j) in enumerate(pairs, 1):
            ia, ib = (va[i] if i is not None else None), (vb[j] if j is not None else None)
            xa = (*pa, i) if pa is not None and i is not None else None
            xb = (*pb, j) if pb is not None and j is not None else None
            label = f"{element.label} {number}" if len(pairs) > 1 else element.label
            yield ElementComparison(element, label, ia, ib, xa, xb, _state(ia, ib), depth)
            if element.item:
                yield from _rows(element.item, ia, ib, xa, xb, f"{element.id}.", depth + 1)


def _state(a: Any, b: Any) -> str:
    if a == b:
        return SAME
    if not is_stated(b):
        return ONLY_A
    return CHANGED if is_stated(a) else ONLY_B


def _paired(a: tuple[Any, ...], b: tuple[Any, ...]) -> Iterator[tuple[int | None, int | None]]:
    """Yield the items of two lists in pairs: the same ones, then those that share most, then what is left."""
    used: dict[int, int] = {}
    for block in SequenceMatcher(None, a, b, autojunk=False).get_matching_blocks():
        used.update({block.a + k: block.b + k for k in range(block.size)})
    free = [j for j in range(len(b)) if j not in used.values()]
    for i in range(len(a)):
        if i in used or not free:
            continue
        best = max(free, key=lambda j: _likeness(a[i], b[j]))
        if _likeness(a[i], b[best]) > 0:
            used[i] = best
            free.remove(best)
    for i in range(len(a)):
        yield i, used.get(i)
    for j in free:
        yield None, j


def _likeness(a: Any, b: Any) -> float:
    """Return how much two items share: the fields that say the same, or the likeness of two texts."""
    if a == b:
        return 1000.0
    if hasattr(a, "__dataclass_fields__"):
        pairs = [(getattr(a, f.name), getattr(b, f.name)) for f in fields(a)]
        return float(sum(x == y for x, y in pairs if is_stated(x)))
    ratio = SequenceMatcher(None, str(a), str(b), autojunk=False).quick_ratio()
    return ratio if ratio > 0.6 else 0.0


def taken(into: Record, row: ElementComparison, *, from_b: bool = True) -> Record:
    """Return record A with a row of B in it, or record B with a row of A."""
    source, here, there = (row.b, row.place_a, row.place_b) if from_b else (row.a, row.place_b, row.place_a)
    if there is None or not is_stated(source):
        return without(into, here) if here is not None else into
    if here is not None:
        return with_value(into, here, source)
    parent = there[:-1] if isinstance(there[-1], int) else there
    try:
        old = value_at(into, parent)
    except (IndexError, AttributeError):
        return into
    return with_value(into, parent, (*old, source)) if isinstance(there[-1], int) else with_value(into, parent, source)
