"""The record of a piece that is handed over: that of its source, with what the piece tells and how it was made."""

from __future__ import annotations

from collections.abc import Sequence
from dataclasses import replace
from datetime import UTC, datetime
from pathlib import Path

from brisk_atlas.core import read
from brisk_atlas.core.curate.derived import derived_record, filled
from brisk_atlas.core.curate.saving import path_beside, save, save_inside
from brisk_atlas.core.model import AtlasError, DataRef
from brisk_atlas.core.read.find_records import find_records
from brisk_atlas.core.record import STANDARDS, Record, standard_named, written
from brisk_atlas.core.record.document import Document
from brisk_atlas.core.record.model import ProcessStep

DEFAULT_STANDARD = "ISO 19139"


def record_of_piece(
    piece: Path, source: DataRef | None, made_by: Sequence[str], standard: str = "", title: str = ""
) -> Document:
    """Return the record of a file that was written.

    Of the record of its source it has what speaks of the content: title, summary, contacts, conditions, definitions of
    fields. Extent, CRS, counts and fields are those of the piece. `made_by` are the steps, which become process steps.
    It is in the standard of the source's record unless another is named. Raises AtlasError.
    """
    name = standard or DEFAULT_STANDARD
    base = Record(title=title or piece.stem)
    if source is not None:
        found, _ = find_records(read.open(source.whole))
        if found:
            base = found[0].document.record
            name = standard or found[0].document.standard.name
    try:
        wanted = standard_named(name)
    except KeyError:
        raise AtlasError(name, "no standard is called so", f"There are: {', '.join(STANDARDS)}.") from None
    derived = derived_record(read.open(piece))
    there = {field.name.casefold() for entity in derived.entities for field in entity.fields}
    entities = tuple(
        replace(entity, count="", fields=tuple(f for f in entity.fields if f.name.casefold() in there))
        for entity in base.entities
    )
    day = datetime.now(UTC).date().isoformat()
    steps = tuple(ProcessStep(description=text, day=day) for text in made_by)
    base = replace(
        base, title=title or base.title, identifier="", identifiers=(), formats=(), links=(), systems=(), objects=(),
        boxes=(), distances=(), dimensions=(), heights=(), bands=(), representation=(), cell_geometry="", size_mb=None,
        entities=tuple(each for each in entities if each.fields), steps=(*base.steps, *steps), stamped=day,
    )  # fmt: skip
    record = wanted.adapted(filled(base, derived))
    return written(wanted, record, piece.with_name(piece.name + wanted.suffix))


def put_beside(document: Document, piece: Path) -> Path:
    """Write a record beside a file; returns where. Raises CannotWrite."""
    path = path_beside(piece, document)
    save(replace(document, path=path), path, over=True)
    return path


def put_inside(document: Document, piece: Path) -> Path:
    """Write a record into a GeoPackage; returns where. Raises CannotWrite."""
    save_inside(document, piece)
    return piece
