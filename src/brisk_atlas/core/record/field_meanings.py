"""What a dataset's records explain about its fields, for whoever shows them."""

from __future__ import annotations

from brisk_atlas.core.model import CannotRead, Dataset
from brisk_atlas.core.read.field_words import FieldWords

from .kept import kept_records
from .model import Entity, FieldDefinition
from .reading import plain_name, unit_of_field


def explain(dataset: Dataset, part: str) -> dict[str, FieldWords]:
    """Return what the records say of the fields of a part, by field name; the likeliest record wins."""
    try:
        kept, _ = kept_records(dataset)
    except CannotRead:
        return {}
    found: dict[str, FieldWords] = {}
    for one in reversed(kept):
        for entity in _of_part(one.document.record.entities, part, len(dataset.parts)):
            found |= {f.name: _words(f) for f in entity.fields if f.name}
    return found


def _of_part(entities: tuple[Entity, ...], part: str, parts: int) -> list[Entity]:
    """Return the entities that speak of a part: those by its name, or all where there is one part only."""
    named = [e for e in entities if e.name.casefold() == part.casefold()]
    return named or (list(entities) if parts == 1 else [])


def _words(field: FieldDefinition) -> FieldWords:
    meanings = tuple((m.value, m.meaning) for m in field.meanings)
    return FieldWords(plain_name(field), field.definition, unit_of_field(field), meanings)
