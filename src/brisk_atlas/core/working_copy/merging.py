"""What becomes of a row that was edited here, once the Depot shows it otherwise: field by field, nothing written over
unseen."""

from __future__ import annotations

from collections.abc import Iterable, Mapping
from dataclasses import dataclass, replace
from typing import NamedTuple

from .shared_rows import DraftStep, Plain, RowDraft, SharedRow, StepDeed

PLACE = "place"  # what the geometry is called among conflicts, which no field of them is beside
WHOLE = "row"


class FieldConflict(NamedTuple):
    """A field that both changed, each otherwise; `is_place` for the geometry, whose values are not stated."""

    field: str
    before: Plain
    mine: Plain
    theirs: Plain
    is_place: bool = False


@dataclass(frozen=True)
class MergedRow:
    """A row with what was done to it here.

    shown : the row as it is shown here, None where it was deleted
    values, wkb, moves : what the Depot has to be sent; nothing where it shows it so already
    conflicts : fields that both changed; `whole` where one deleted what the other changed
    """

    draft: RowDraft
    theirs: SharedRow | None
    shown: SharedRow | None
    values: Mapping[str, Plain]
    wkb: bytes | None = None
    moves: bool = False
    conflicts: tuple[FieldConflict, ...] = ()
    whole: bool = False

    @property
    def in_conflict(self) -> bool:
        """Whether somebody has to decide."""
        return self.whole or bool(self.conflicts)

    @property
    def is_done(self) -> bool:
        """Whether the Depot shows all of it already."""
        if self.in_conflict:
            return False
        if self.draft.deletes:
            return self.theirs is None
        return not self.draft.adds and not self.values and not self.moves


def folded(steps: Iterable[DraftStep]) -> dict[str, RowDraft]:
    """Return what was done to each row, in the order of the first step of each."""
    found: dict[str, RowDraft] = {}
    for step in steps:
        before = found.get(step.row) or RowDraft(step.row, step.base)
        numbers = (*before.steps, step.number)
        match step.deed:
            case StepDeed.RESET:
                found[step.row] = RowDraft(step.row, step.base, steps=numbers)
            case StepDeed.DELETE if before.adds:
                del found[step.row]
            case StepDeed.DELETE:
                found[step.row] = RowDraft(step.row, before.base or step.base, deletes=True, steps=numbers)
            case _:
                made = replace(before, values={**before.values, **step.values}, steps=numbers, deletes=False)
                made = replace(made, wkb=step.wkb, moves=True) if step.moves else made
                found[step.row] = replace(made, adds=True) if step.deed is StepDeed.ADD else made
    return found


def merged(draft: RowDraft, theirs: SharedRow | None) -> MergedRow:
    """Return a row with what was done to it here, on top of how the Depot shows it now (None for not at all)."""
    if draft.adds:
        row = SharedRow(draft.row, draft.values, draft.wkb)
        return MergedRow(draft, None, row, draft.values, draft.wkb, draft.moves)
    base = draft.base
    if draft.deletes:
        changed = theirs is not None and base is not None and not _same(theirs, base)
        return MergedRow(draft, theirs, theirs if changed else None, {}, whole=changed)
    if theirs is None:
        shown = _with(base, draft) if base is not None else None
        undone = not draft.values and not draft.moves
        return MergedRow(draft, None, None if undone else shown, {}, whole=not undone)
    values: dict[str, Plain] = {}
    conflicts = []
    for name, mine in draft.values.items():
        now, was = theirs.values.get(name), base.values.get(name) if base is not None else theirs.values.get(name)
        if _equal(now, mine):
            continue
        if _equal(now, was):
            values[name] = mine
        else:
            conflicts.append(FieldConflict(name, was, mine, now))
    moves = draft.moves and theirs.wkb != draft.wkb
    if moves and base is not None and theirs.wkb != base.wkb:
        conflicts.append(FieldConflict(PLACE, None, None, None, True))
        moves = False
    return MergedRow(draft, theirs, _with(theirs, draft), values, draft.wkb, moves, tuple(conflicts))


def decided(found: MergedRow, mine: Mapping[str, bool]) -> list[DraftStep]:
    """Return the steps by which a conflict is decided: for each field whether what was done here holds (`PLACE` for the
    geometry, `WHOLE` where one deleted what the other changed)."""
    draft, theirs = found.draft, found.theirs
    reset = DraftStep(draft.row, StepDeed.RESET, base=theirs)
    if found.whole:
        if not mine.get(WHOLE):
            return [reset]
        if draft.deletes:
            return [reset, DraftStep(draft.row, StepDeed.DELETE, base=theirs)]
        assert found.shown is not None
        again = DraftStep(f"{draft.row}+", StepDeed.ADD, dict(found.shown.values), found.shown.wkb, True)
        return [reset, again]
    held = {name: value for name, value in draft.values.items() if name in found.values or mine.get(name)}
    moves = found.moves or (draft.moves and any(each.is_place for each in found.conflicts) and bool(mine.get(PLACE)))
    change = DraftStep(draft.row, StepDeed.CHANGE, held, draft.wkb if moves else None, moves, theirs)
    return [reset, change] if held or moves else [reset]


def _with(row: SharedRow, draft: RowDraft) -> SharedRow:
    made = replace(row, values={**row.values, **draft.values})
    return replace(made, wkb=draft.wkb) if draft.moves else made


def _same(one: SharedRow, other: SharedRow) -> bool:
    return dict(one.values) == dict(other.values) and one.wkb == other.wkb


def _equal(one: Plain, other: Plain) -> bool:
    """Return whether two values are the same; yes is not 1."""
    return one == other and isinstance(one, bool) == isinstance(other, bool)
