"""The records that a path is or has, for what is done with records by path."""

from __future__ import annotations

from collections.abc import Iterable, Iterator
from pathlib import Path

from brisk_atlas.core import read
from brisk_atlas.core.connect.members import RECORDS
from brisk_atlas.core.model import AtlasError
from brisk_atlas.core.model.language import tr
from brisk_atlas.core.read.find_records import find_records
from brisk_atlas.core.record.detect import is_record_name
from brisk_atlas.core.record.document import Document, read_document

from .many import RecordSource, sources_in


def documents_of(path: Path) -> tuple[list[tuple[str, Document]], list[str]]:
    """Return the records that a file is, or a dataset has, each with what it is called; and why others can't be read.
    Raises AtlasError."""
    if path.is_file() and is_record_name(path.name):
        return [(path.name, read_document(path))], []
    locations, unread = find_records(read.open(path))
    return [(one.label, one.document) for one in locations], [one.reason for one in unread]


def document_of(path: Path, which: str = "") -> Document:
    """Return the record that a file is, or the first one of a dataset whose label has `which` in it.
    Raises AtlasError, where there is none too."""
    documents, unread = documents_of(path)
    if not documents:
        raise AtlasError(
            path.name, unread[0] if unread else tr("it has no record"), tr("Make one by applying a template.")
        )
    found = next((document for label, document in documents if which in label), None)
    if found is None:
        labels = "; ".join(label for label, _ in documents)
        raise AtlasError(
            path.name, tr("it has no record called {which}", which=which), tr("There are: {labels}.", labels=labels)
        )
    return found


def sources_of(paths: Iterable[Path]) -> Iterator[RecordSource]:
    """Yield the datasets and records of files and folders. Raises AtlasError."""
    for path in paths:
        if path.is_dir():
            yield from sources_in(path)
        elif is_record_name(path.name):
            yield RecordSource(None, path)
        else:
            documents, _ = documents_of(path)
            found = [RecordSource(path, document.path) for _, document in documents if not document.read_only]
            yield from found or [RecordSource(path, None)]


def without_ending(path: Path) -> Path:
    """Return a path without the ending of its record, as its data may be called.

    >>> without_ending(Path("ash.geojson.dcat.jsonld")).name
    'ash.geojson'
    """
    endings = [ending for ending in RECORDS if path.name.lower().endswith(ending)]
    return path.with_name(path.name[: -len(max(endings, key=len))]) if endings else path


def data_of(path: Path) -> Path | None:
    """Return the data that a record beside it speaks of, or the path itself where it is data; None where none is."""
    if not is_record_name(path.name):
        return path
    stems = [path.with_name(path.name[: -len(ending)]) for ending in RECORDS if path.name.lower().endswith(ending)]
    return next((stem for stem in stems if stem.exists() and stem != path), None)
