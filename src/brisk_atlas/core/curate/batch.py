"""A template put into many records: what it would change first, then saving."""

from __future__ import annotations

from collections.abc import Callable, Iterable, Iterator
from dataclasses import dataclass, replace
from hashlib import sha256
from pathlib import Path
from typing import Any

from brisk_atlas.core import read
from brisk_atlas.core.model import AtlasError
from brisk_atlas.core.record.document import Document, read_document, written
from brisk_atlas.core.record.templates import FILL, TemplateChange, applied

from .derived import derived_record, filled
from .many import RecordSource, item_text
from .saving import path_beside, save


@dataclass(frozen=True)
class Plan:
    """What a template does to one record. `was` is the file's content when it was read, None for a new one."""

    path: Path
    document: Document | None
    changes: tuple[TemplateChange, ...]
    was: bytes | None
    error: str = ""

    @property
    def is_new(self) -> bool:
        """Whether a dataset gets its first record."""
        return self.was is None and not self.error

    def saved(self) -> Plan:
        """Write the record if it changes. Returns what was done: the same, or why it could not be written."""
        if self.error or self.document is None or not (self.changes or self.is_new):
            return self
        try:
            save(self.document, self.path, was=self.was)
        except AtlasError as error:
            return replace(self, error=" ".join(str(error).split()))
        return self


def digest_of(template: Document, plans: Iterable[Plan]) -> str:
    """Return a digest of a template and of all records as they were when they were read."""
    digest = sha256(template.data)
    for plan in plans:
        digest.update(f"\0{plan.path}\0".encode(errors="surrogateescape"))
        digest.update(plan.was if plan.was is not None else plan.error.encode())
    return digest.hexdigest()


def plans(
    template: Document,
    sources: Iterable[RecordSource],
    how: str = FILL,
    only: Iterable[str] | None = None,
    check: Callable[[], None] = lambda: None,
) -> Iterator[Plan]:
    """Yield what a template does to each record; a dataset without one gets a new one, with what its data tells."""
    chosen = None if only is None else list(only)
    for source in sources:
        check()
        try:
            if source.record is not None:
                if source.record == template.path:
                    continue
                document = read_document(source.record)
                record, changes = applied(document.record, template.record, how, chosen)
                yield Plan(source.record, document.edited(record), tuple(_placed(document, changes)), document.data)
            else:
                yield _new(template, source, how, chosen)
        except AtlasError as error:
            yield Plan(source.path, None, (), None, " ".join(str(error).split()))


def _placed(document: Document, changes: list[TemplateChange]) -> list[TemplateChange]:
    """Return the changes that the document's standard has a place for."""
    return [change for change in changes if document.standard.places(change.element)]


def _new(template: Document, source: RecordSource, how: str, only: list[str] | None) -> Plan:
    from brisk_atlas.core.record.model import Record

    assert source.data is not None
    found = filled(Record(title=source.data.stem), derived_record(read.open(source.data)))
    record, changes = applied(found, template.record, how, only)
    standard = template.standard
    adapted = standard.adapted(replace(record, level=record.level or "dataset"))
    document = written(standard, adapted, source.data.with_name(source.data.name + standard.suffix))
    path = path_beside(source.data, document)
    return Plan(path, replace(document, path=path), tuple(changes), None)


def short(value: Any) -> str:
    """Return a value on one line of at most 80 letters."""
    text = (
        "; ".join(item_text(v) or str(v) for v in value)
        if isinstance(value, tuple)
        else str(value if value is not None else "")
    )
    text = " ".join(text.split())
    return text if len(text) <= 80 else f"{text[:77]}..."
