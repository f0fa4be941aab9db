"""The record of an outlet: that of its posting in full for those who see all of it, else as much as is shown."""

from __future__ import annotations

from dataclasses import replace
from pathlib import Path

from brisk_atlas.core.curate.derived import derived_record, filled
from brisk_atlas.core.model import CannotRead, Dataset
from brisk_atlas.core.record.document import document_in, written
from brisk_atlas.core.record.model import Contact, Record
from brisk_atlas.core.record.standards import STANDARDS

from .outlet import Outlet
from .posting import Posting
from .rights import EVERYBODY

STORED, NAME = "ISO 19115-3", Path("record.xml")


def record_text(record: Record) -> str:
    """Return a record as a posting stores it."""
    standard = STANDARDS[STORED]
    return written(standard, standard.adapted(record), NAME).data.decode()


def stored_record(text: str) -> Record:
    """Return the record that a posting stores; an empty one for none, or for what can't be read any more."""
    if not text:
        return Record()
    try:
        return document_in(text.encode(), NAME, STORED).record
    except CannotRead:
        return Record()


def record_of_outlet(outlet: Outlet, posting: Posting, dataset: Dataset | None) -> Record:
    """Return what the record of an outlet says; without data it is that of data elsewhere. Extent, counts and fields of
    data are always those that are shown; for everybody, and where something is left out, how the data was made and who
    the persons are is left out too."""
    base = stored_record(posting.record)
    if dataset is None:
        base = replace(base, title=outlet.title or base.title, abstract=outlet.summary or base.abstract)
        return base if _sees_all(outlet, posting) else replace(_for_others(base), identifier=outlet.id)
    derived = derived_record(dataset)
    there = {each.source.casefold(): each.name for each in outlet.fields}
    entities = tuple(
        replace(entity, count="", fields=tuple(
            replace(f, name=there[f.name.casefold()]) for f in entity.fields if f.name.casefold() in there))
        for entity in base.entities
    )  # fmt: skip
    base = replace(
        base, title=outlet.title or base.title, abstract=outlet.summary or posting.summary or base.abstract,
        entities=tuple(each for each in entities if each.fields), identifier=outlet.id, identifiers=(), links=(),
        formats=(), objects=(), boxes=(), systems=(), size_mb=None,
    )  # fmt: skip
    if not _sees_all(outlet, posting):
        base = replace(
            _for_others(base), entities=(), overviews=(), bands=(), heights=(), times=(), places=(), extent_note=""
        )
    return filled(base, derived)


def _for_others(record: Record) -> Record:
    """Return a record without persons and without how the data was made."""
    return replace(
        record, lineage="", steps=(), sources=(), quality=(), supplement="", environment="",
        contacts=_outside(record.contacts), record_contacts=_outside(record.record_contacts),
        distributors=_outside(record.distributors),
    )  # fmt: skip


def _sees_all(outlet: Outlet, posting: Posting) -> bool:
    for_all = any(circle == EVERYBODY for circle, _ in outlet.rights)
    exact = {each.source for each in outlet.fields if each.decimals is None}
    whole = not outlet.where and outlet.area is None and not outlet.blur and not outlet.bands
    return not for_all and whole and exact == {each.name for each in posting.fields}


def _outside(contacts: tuple[Contact, ...]) -> tuple[Contact, ...]:
    """Return contacts without the persons, as the organisations that they are of."""
    return tuple(
        Contact(organisation=each.organisation, role=each.role, email=each.email, link=each.link)
        for each in contacts
        if each.organisation
    )
