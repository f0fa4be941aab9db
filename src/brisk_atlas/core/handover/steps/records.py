"""The record that goes with what is written: filled, completed by a template, put into another standard.

These steps leave the data as it is. They change the record once the data is written, in their order; before that they
are tried on the record of the source.
"""

from __future__ import annotations

from abc import abstractmethod
from collections.abc import Callable
from dataclasses import dataclass, replace
from pathlib import Path
from typing import Any, ClassVar

import pyarrow as pa
import pyarrow.compute as pc

from brisk_atlas.core.model import DataKind
from brisk_atlas.core.model.argument import argument
from brisk_atlas.core.model.language import tr
from brisk_atlas.core.record import STANDARDS, convert, read_document, standard_named
from brisk_atlas.core.record.elements import label_of
from brisk_atlas.core.record.model import Constraint, Entity, KeywordSet, ValueRange
from brisk_atlas.core.record.templates import FILL, REPLACE, applied

from ..flows import Flow, RowFlow
from ..record_handed import RecordDraft
from ..sources import FileSources
from ..step import PLACED, Step, StepContext, step

Warn = Callable[[str], None]
MOST_WARNED = 6  # of what a standard has no place for


class RecordStep(Step):
    """A step that changes the record and leaves the data."""

    group: ClassVar = tr("Record")
    takes: ClassVar = PLACED | {DataKind.TABLE}

    def flow(self, flow: Flow, context: StepContext) -> Flow:
        return flow

    @abstractmethod
    def edited(self, draft: RecordDraft, piece: Path | None, warn: Warn) -> RecordDraft:
        """Return another record; `piece` is the file that it describes, None while there is none yet, and `warn` is
        called with what should be known of it. Raises AtlasError."""


@step
@dataclass(frozen=True)
class FillPieceRecord(RecordStep):
    """State in the record what is known from the data, the range of each field too, and what is given here."""

    word: ClassVar = "record-fill"
    label: ClassVar = tr("Fill the record")

    title: str = argument(tr("the title; that of the source's record if not given"), "")
    abstract: str = argument(tr("the summary; that of the source's record if not given"), "")
    keywords: tuple[str, ...] = argument(tr("keywords to add"), ())
    licence: str = argument(tr("under which conditions the data may be used"), "")
    ranges: bool = argument(tr("state the minimum and the maximum of numbers and dates"), True)

    @property
    def summary(self) -> str:
        return self.title or ", ".join(self.keywords)

    def edited(self, draft: RecordDraft, piece: Path | None, warn: Warn) -> RecordDraft:
        record, standard = draft.record, draft.standard
        changes: dict[str, Any] = {
            name: text for name, text in (("title", self.title), ("abstract", self.abstract)) if text
        }
        known = {word.casefold() for each in record.keywords for word in each.words}
        fresh = tuple(word for word in self.keywords if word.casefold() not in known)
        if fresh:
            changes["keywords"] = (*record.keywords, KeywordSet(words=fresh))
        if self.licence and not any(self.licence in each.other for each in record.constraints):
            legal = Constraint("legal", use=("otherRestrictions",), other=(self.licence,))
            changes["constraints"] = (*record.constraints, legal)
        if self.ranges and piece is not None:
            changes["entities"] = _with_ranges(record.entities, piece)
        for name in changes:
            if not standard.places(name) and name != "entities":
                warn(tr("{name} has no place for {label_of}", name=standard.name, label_of=label_of((name,))))
        return replace(draft, record=replace(record, **changes))


def _with_ranges(entities: tuple[Entity, ...], piece: Path) -> tuple[Entity, ...]:
    """Return definitions of fields with the ranges of their values in a file of rows."""
    flow = FileSources().flow(str(piece))
    if not isinstance(flow, RowFlow):
        return entities
    found: dict[str, list[Any]] = {}
    for table in flow.batches():
        for name in flow.fields:
            kind = table.schema.field(name).type
            if pa.types.is_integer(kind) or pa.types.is_floating(kind) or pa.types.is_date(kind):
                ends = pc.min_max(table.column(name)).as_py()
                found.setdefault(name.casefold(), []).extend(v for v in ends.values() if v is not None and v == v)
    ranges = {name: ValueRange(str(min(ends)), str(max(ends))) for name, ends in found.items() if ends}
    return tuple(
        replace(each, fields=tuple(
            replace(field, ranges=(ranges[field.name.casefold()],)) if field.name.casefold() in ranges else field
            for field in each.fields
        )) for each in entities
    )  # fmt: skip


@step
@dataclass(frozen=True)
class ApplyRecordTemplate(RecordStep):
    """Put into the record what a template states: into gaps alone, or over what is stated."""

    word: ClassVar = "record-template"
    label: ClassVar = tr("Apply a record template")

    template: str = argument(tr("the file of the template, a record"))
    over: bool = argument(tr("write over what the record states"), False)
    elements: tuple[str, ...] = argument(tr("the elements to take, by name; all if not given"), ())

    @property
    def summary(self) -> str:
        return Path(self.template).name

    def edited(self, draft: RecordDraft, piece: Path | None, warn: Warn) -> RecordDraft:
        if not self.template.strip():
            raise self.refused(tr("it has no template"), tr("Choose a record."))
        template = read_document(Path(self.template).expanduser())
        how = REPLACE if self.over else FILL
        record, changes = applied(draft.record, template.record, how, self.elements or None)
        for change in changes:
            if not draft.standard.places(change.element):
                warn(tr("{name} has no place for {label}", name=draft.standard.name, label=change.label))
        return replace(draft, record=record)


@step
@dataclass(frozen=True)
class ConvertRecordTo(RecordStep):
    """Write the record in another standard; what has no place there is warned of."""

    word: ClassVar = "record-convert"
    label: ClassVar = tr("Convert the record")

    standard: str = argument(tr("the standard to write it in"), "ISO 19139", choices=tuple(STANDARDS))

    @property
    def summary(self) -> str:
        return self.standard

    def edited(self, draft: RecordDraft, piece: Path | None, warn: Warn) -> RecordDraft:
        if self.standard not in STANDARDS:
            raise self.refused(
                tr("no standard is called {standard}", standard=self.standard),
                tr("There are: {standards}.", standards=", ".join(STANDARDS)),
            )
        standard = standard_named(self.standard)
        made = convert(draft.document(Path("record")), standard, Path("record" + standard.suffix))
        lines = [line for line in made.lines() if line.startswith(("lost", "missing", "not carried"))]
        for line in lines[:MOST_WARNED]:
            warn(f"{standard.name}, {line}")
        if len(lines) > MOST_WARNED:
            warn(tr("{name}: {count:,} more are lost or missing", name=standard.name, count=len(lines) - MOST_WARNED))
        return replace(draft, standard=standard)


def tried(steps: list[RecordStep], draft: RecordDraft, warn: Warn) -> None:
    """Try steps on the record of a source before anything is written; `warn` is called by the last of them alone.
    Raises AtlasError."""
    for each in steps:
        draft = each.edited(draft, None, warn if each is steps[-1] else lambda text: None)
