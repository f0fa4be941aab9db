"""The record of a piece that is handed over: that of its source, with what the piece tells and how it was made."""

from __future__ import annotations

from collections.abc import Callable
from dataclasses import dataclass, replace
from datetime import UTC, datetime
from pathlib import Path
from typing import Protocol

from brisk_atlas.core import read
from brisk_atlas.core.curate.derived import derived_record, filled
from brisk_atlas.core.curate.saving import path_beside, save, save_inside
from brisk_atlas.core.model import DataRef
from brisk_atlas.core.read.find_records import find_records
from brisk_atlas.core.record import Record, Standard, standard_named, written
from brisk_atlas.core.record.document import Document
from brisk_atlas.core.record.model import ProcessStep

DEFAULT_STANDARD = "ISO 19139"


@dataclass(frozen=True)
class RecordDraft:
    """What a record will state, and the standard that it will be written in."""

    record: Record
    standard: Standard

    def document(self, data: Path) -> Document:
        """Return the record of a file, written."""
        path = data.with_name(data.name + self.standard.suffix)
        return written(self.standard, self.standard.adapted(self.record), path)


class RecordEdit(Protocol):
    """What a step does to the record of a piece."""

    def edited(self, draft: RecordDraft, piece: Path | None, warn: Callable[[str], None]) -> RecordDraft:
        """Return another record; `warn` is called with what should be known of it. Raises AtlasError."""


@dataclass(frozen=True)
class RecordPlan:
    """How the record of a piece comes about: the steps that made the data, in words, and those that change the
    record."""

    words: tuple[str, ...] = ()
    edits: tuple[RecordEdit, ...] = ()


def record_of_source(source: DataRef | None, name: str) -> RecordDraft:
    """Return the first record that a dataset has; for none one of a name alone. Raises AtlasError."""
    found, _ = find_records(read.open(source.whole)) if source is not None else ((), ())
    if not found:
        return RecordDraft(Record(title=name), standard_named(DEFAULT_STANDARD))
    return RecordDraft(found[0].document.record, found[0].document.standard)


def record_of_piece(piece: Path, source: DataRef | None, plan: RecordPlan, warn: Callable[[str], None]) -> Document:
    """Return the record of a file that was written.

    Of the record of its source it has what speaks of the content: title, summary, contacts, conditions, definitions of
    fields. Extent, CRS, counts and fields are those of the piece; the steps become process steps. It is in the standard
    of the source's record, and then changed as planned. Raises AtlasError.
    """
    before = record_of_source(source, piece.stem)
    base = before.record
    derived = derived_record(read.open(piece))
    there = {field.name.casefold() for entity in derived.entities for field in entity.fields}
    entities = tuple(
        replace(entity, count="", fields=tuple(f for f in entity.fields if f.name.casefold() in there))
        for entity in base.entities
    )
    day = _today()
    base = replace(
        base, identifier="", identifiers=(), formats=(), links=(), systems=(), objects=(),
        boxes=(), distances=(), dimensions=(), heights=(), bands=(), representation=(), cell_geometry="", size_mb=None,
        entities=tuple(each for each in entities if each.fields), stamped=day,
        steps=(*base.steps, *_process_steps(plan, day)),
    )  # fmt: skip
    draft = replace(before, record=filled(base, derived))
    for edit in plan.edits:
        draft = edit.edited(draft, piece, warn)
    return draft.document(piece)


def record_of_flow(source: DataRef | None, name: str, plan: RecordPlan, warn: Callable[[str], None]) -> Record:
    """Return the record of what is handed over and is no file: that of its source, with the steps as process steps, and
    then changed as planned. Raises AtlasError."""
    before = record_of_source(source, name)
    base = replace(before.record, steps=(*before.record.steps, *_process_steps(plan, _today())))
    draft = replace(before, record=base)
    for edit in plan.edits:
        draft = edit.edited(draft, None, warn)
    return draft.record


def _today() -> str:
    return datetime.now(UTC).date().isoformat()


def _process_steps(plan: RecordPlan, day: str) -> tuple[ProcessStep, ...]:
    return tuple(ProcessStep(description=text, day=day) for text in plan.words)


def put_beside(document: Document, piece: Path) -> Path:
    """Write a record beside a file; returns where. Raises CannotWrite."""
    path = path_beside(piece, document)
    save(replace(document, path=path), path, over=True)
    return path


def put_inside(document: Document, piece: Path) -> Path:
    """Write a record into a GeoPackage; returns where. Raises CannotWrite."""
    save_inside(document, piece)
    return piece
