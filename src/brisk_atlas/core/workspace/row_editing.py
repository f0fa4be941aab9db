"""Editing rows of a copy of an outlet: each deed is a step of its draft and a step of undo.

A layer shows one draft of its copy, as its reference states; a deed makes another draft and gives the layer its
reference. What was done is in the file of the copy before it is seen.
"""

from __future__ import annotations

import secrets
from collections.abc import Mapping, Sequence
from datetime import UTC, date, datetime
from typing import TYPE_CHECKING, Any

from brisk_atlas.core.model import AtlasError, CannotWrite
from brisk_atlas.core.model.language import tr
from brisk_atlas.core.working_copy.copy_store import WorkingCopy
from brisk_atlas.core.working_copy.draft_refs import draft_in, with_draft
from brisk_atlas.core.working_copy.merging import MergedRow, decided
from brisk_atlas.core.working_copy.shared_rows import DraftStep, Plain, SharedRow, StepDeed

if TYPE_CHECKING:
    from brisk_atlas.core.cache import DataCache
    from brisk_atlas.core.model import DataRef, Edit, Layer
    from brisk_atlas.core.read.working_copy import CopyLayer, CopyTable

GEOMETRY = "__geometry"  # the column of a copy that has it
NEW = "new-"  # before the name of a row that the Depot does not know yet
MARK_BYTES = 12


def _part(cache: DataCache, layer: Layer) -> CopyLayer | CopyTable:
    from brisk_atlas.core.read.working_copy import CopyLayer, CopyTable

    part = cache.part(layer.ref)
    assert isinstance(part, CopyLayer | CopyTable)
    return part


def row_names(cache: DataCache, layer: Layer) -> tuple[str, ...]:
    """Return the names that the Depot has for the rows of a layer. Raises CannotRead."""
    return _part(cache, layer).names


def unsent(layer: Layer) -> list[MergedRow]:
    """Return the rows of a layer that were changed here and not sent yet. Raises CannotRead."""
    return WorkingCopy.of(layer.ref).draft_rows(draft_in(layer.ref)) if layer.ref.is_copy else []


def change_values(cache: DataCache, layer: Layer, edits: Sequence[Edit]) -> DataRef:
    """Give fields of rows other values; returns the reference that shows them. Raises AtlasError."""
    _check(layer, "change")
    values: dict[int, dict[str, Plain]] = {}
    for edit in edits:
        for row, value in zip(edit.rows, edit.values):
            values.setdefault(row, {})[edit.field] = plain_value(value)
    return _done(layer, [_change(cache, layer, row, each) for row, each in values.items()])


def move_feature(cache: DataCache, layer: Layer, row: int, wkb: bytes | None) -> DataRef:
    """Give a row another geometry, in the CRS of the layer. Raises AtlasError."""
    _check(layer, "change")
    return _done(layer, [_change(cache, layer, row, {}, wkb, moves=True)])


def add_feature(layer: Layer, values: Mapping[str, Any], wkb: bytes | None) -> DataRef:
    """Add a row. Raises AtlasError."""
    _check(layer, "add")
    name = NEW + secrets.token_hex(MARK_BYTES)
    stated = {field: plain_value(value) for field, value in values.items()}
    return _done(layer, [DraftStep(name, StepDeed.ADD, stated, wkb, True)])


def delete_features(cache: DataCache, layer: Layer, rows: Sequence[int]) -> DataRef:
    """Delete rows. Raises AtlasError."""
    _check(layer, "delete")
    seen = [seen_row(cache, layer, row) for row in rows]
    return _done(layer, [DraftStep(each.name, StepDeed.DELETE, base=_base_of(each)) for each in seen])


def decide(layer: Layer, found: MergedRow, mine: Mapping[str, bool]) -> DataRef:
    """Decide a row that both changed: for each field whether what was done here holds. Raises AtlasError."""
    return _done(layer, decided(found, mine))


def take_back(layer: Layer, found: MergedRow) -> DataRef:
    """Drop what was done to a row here. Raises AtlasError."""
    if found.draft.adds:
        return _done(layer, [DraftStep(found.draft.row, StepDeed.DELETE)])
    return _done(layer, [DraftStep(found.draft.row, StepDeed.RESET, base=found.theirs)])


def _change(
    cache: DataCache, layer: Layer, row: int, values: Mapping[str, Plain], wkb: bytes | None = None, *,
    moves: bool = False,
) -> DraftStep:  # fmt: skip
    seen = seen_row(cache, layer, row)
    return DraftStep(seen.name, StepDeed.CHANGE, values, wkb, moves, _base_of(seen))


def seen_row(cache: DataCache, layer: Layer, row: int) -> SharedRow:
    """Return a row as it is seen in the layer, which may be older than what the copy has since. Raises CannotRead, and
    IndexError for one that is not there."""
    part = _part(cache, layer)
    values = part.found.slice(row, 1).to_pylist()[0]
    wkb = values.pop(GEOMETRY, None)
    return SharedRow(part.names[row], {name: plain_value(value) for name, value in values.items()}, wkb)


def _base_of(seen: SharedRow) -> SharedRow | None:
    return None if seen.name.startswith(NEW) else seen


def _done(layer: Layer, steps: Sequence[DraftStep]) -> DataRef:
    draft = WorkingCopy.of(layer.ref).add_steps(draft_in(layer.ref), steps)
    return with_draft(layer.ref, draft)


def _check(layer: Layer, right: str) -> None:
    if layer.locked:
        raise AtlasError(layer.name, tr("the layer is locked"), tr("Unlock it by its menu."))
    if not layer.ref.is_copy:
        raise CannotWrite(layer.ref, tr("it is no copy that is edited here"), tr("Choose Edit features first."))
    if right not in WorkingCopy.of(layer.ref).outlet.rights:
        raise CannotWrite(
            layer.ref, tr("you may not {right} rows of it", right=right), tr("Ask its owner for the right.")
        )


def plain_value(value: Any) -> Plain:
    """Return a value as a Depot takes it: days and times as text, times in UTC."""
    if isinstance(value, datetime):
        known = value.replace(tzinfo=UTC) if value.tzinfo is None else value.astimezone(UTC)
        return known.isoformat(timespec="microseconds").replace("+00:00", "Z")
    if isinstance(value, date):
        return value.isoformat()
    found: Plain = value
    return found
