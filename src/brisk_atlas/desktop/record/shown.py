"""What the Record page shows: a record, its draft, the standard it is judged under, what the data tells."""

from __future__ import annotations

from dataclasses import dataclass, field
from typing import TYPE_CHECKING

from brisk_atlas.core.model import DataKind

if TYPE_CHECKING:
    from brisk_atlas.core.cache import DataCache
    from brisk_atlas.core.model import DataRef
    from brisk_atlas.core.read.find_records import RecordLocation, UnreadRecord
    from brisk_atlas.core.record import Draft, Finding, Record, Section, Standard
    from brisk_atlas.core.record.elements import Place


@dataclass
class Shown:
    """All of one dataset's records and the one that is read. Made in the background, changed by editing."""

    ref: DataRef
    records: list[RecordLocation]
    failed: list[UnreadRecord]
    derived_record: Record
    derived: list[Section]
    is_data: bool
    number: int = 0
    drafts: dict[int, Draft] = field(default_factory=dict)

    @property
    def one(self) -> RecordLocation | None:
        return self.records[self.number] if self.records else None

    @property
    def draft(self) -> Draft | None:
        """Return the draft of the record that is read; its edits stay while others are looked at."""
        from brisk_atlas.core.record import Draft

        if self.one is None:
            return None
        return self.drafts.setdefault(self.number, Draft(self.one.document))

    @property
    def changed(self) -> bool:
        return any(draft.changed for draft in self.drafts.values())


def read_shown(cache: DataCache, ref: DataRef, part: str | None, *, anew: bool) -> Shown:
    """Read all of a dataset's records and what its data states; `anew` reads its files again. Raises CannotRead."""
    from brisk_atlas.core.curate.data_sections import derived_sections
    from brisk_atlas.core.curate.derived import derived_record
    from brisk_atlas.core.read.find_records import find_records
    from brisk_atlas.core.record import Record

    if anew:
        cache.forget(ref)
    dataset = cache.dataset(ref)
    records, failed = find_records(dataset)
    is_data = dataset.kind is not DataKind.RECORD
    found = derived_record(dataset, part) if is_data else Record()
    return Shown(ref, records, failed, found, derived_sections(dataset, part), is_data)


def findings_of(shown: Shown, standard: Standard) -> list[Finding]:
    """Return what is wrong with the record that is read: by the rules, and against the data."""
    from brisk_atlas.core.curate.derived import contradictions
    from brisk_atlas.core.record import check

    draft = shown.draft
    if draft is None:
        return []
    against = contradictions(draft.record, shown.derived_record) if shown.is_data else []
    return [*check(draft.record, standard), *against]


def derived_in(shown: Shown) -> set[Place]:
    """Return the places of the record that say what the data tells."""
    from brisk_atlas.core.curate.derived import derived_places

    draft = shown.draft
    return derived_places(draft.record, shown.derived_record) if draft and shown.is_data else set()
