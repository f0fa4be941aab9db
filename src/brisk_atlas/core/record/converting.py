"""From one standard into another, with a report of what was lost, moved or is still missing."""

from __future__ import annotations

from dataclasses import dataclass, replace
from itertools import groupby
from pathlib import Path

from .binding import Unplaced
from .checks import FAULT, Finding, check
from .comparing import CHANGED, ONLY_A, ONLY_B, ElementComparison, differences
from .document import Document, written
from .elements import label_of, parts_of, place_text
from .model import Record
from .standards import Standard

MOST_LISTED = 4  # values of one element that a report lists one by one
_OWN = ("standard_name", "standard_version")


@dataclass(frozen=True)
class Conversion:
    """A record in another standard. `lost` has no place there, `moved` is stated elsewhere or otherwise, `left`
    is what the model itself had no place for, `missing` is what the new standard demands and no one stated."""

    document: Document
    lost: tuple[ElementComparison, ...]
    moved: tuple[ElementComparison, ...]
    left: tuple[Unplaced, ...]
    missing: tuple[Finding, ...]

    def lines(self) -> list[str]:
        """Return the report as lines to read."""
        out = []
        for name, rows in groupby(self.lost, key=lambda row: (row.place_a or ("",))[0]):
            group = list(rows)
            if len(group) > MOST_LISTED:
                out.append(
                    f"lost: {parts_of(Record)[str(name)].label} ({name}): {len(group)} values, "
                    f"such as {_short(group[0].a)}"
                )
            else:
                out += [f"lost: {_of(row)}: {_short(row.a)}" for row in group]
        out += [
            f"moved or guessed: {_of(row)}: {_short(row.a) or 'not stated'} -> {_short(row.b)}" for row in self.moved
        ]
        out += [f"not carried over: {u.path} (line {u.line}): {u.text[:80]}" for u in self.left]
        out += [f"missing: {label_of(f.place)}: {f.reason}" for f in self.missing]
        return out or ["nothing was lost"]


def convert(document: Document, standard: Standard, path: Path | None = None) -> Conversion:
    """Return a document's record in another standard. What is reported is found by reading back what was written."""
    target = path or document.path.with_name(document.path.stem + standard.suffix)
    record = document.record
    made = written(standard, standard.adapted(record), target)
    stated = replace(record, **{name: getattr(made.record, name) for name in _OWN})
    lost, moved = _lost_and_moved(differences(stated, made.record))
    return Conversion(
        made,
        tuple(lost),
        tuple(moved),
        document.unplaced,
        tuple(f for f in check(made.record, standard) if f.severity == FAULT),
    )


def _lost_and_moved(rows: list[ElementComparison]) -> tuple[list[ElementComparison], list[ElementComparison]]:
    """Return the differences in which something was lost, and those in which it stands elsewhere or otherwise.

    What is gone from its place is moved where its words now stand in another one; what was changed is lost where
    only a part of it, or nothing of its other languages, is left.
    """
    elsewhere = [_plain(row.b) for row in rows if row.state in (CHANGED, ONLY_B)]
    lost: list[ElementComparison] = []
    moved: list[ElementComparison] = []
    for row in rows:
        before = _plain(row.a)
        if row.state == ONLY_A:
            (moved if any(before and before in words for words in elsewhere) else lost).append(row)
        elif row.state == CHANGED:
            fewer = set(getattr(row.a, "also", ())) - set(getattr(row.b, "also", ()))
            part = _plain(row.b) != before and _plain(row.b) in before
            (lost if fewer or part else moved).append(row)
        elif row.state == ONLY_B:
            moved.append(row)
    return lost, moved


def _plain(value: object) -> str:
    return " ".join(str(value if value is not None else "").split()).casefold()


def _of(row: ElementComparison) -> str:
    place = row.place_a or row.place_b or ()
    return f"{label_of(place)} ({place_text(place)})"


def _short(value: object) -> str:
    text = " ".join(str(value if value is not None else "").split())
    return text if len(text) <= 80 else text[:77] + "..."
