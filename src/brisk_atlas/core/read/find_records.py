"""The records of a dataset, wherever they are: beside it, inside it, or elsewhere and linked by hand."""

from __future__ import annotations

import json
import sqlite3
from contextlib import closing
from dataclasses import dataclass, replace
from pathlib import Path
from urllib.parse import urlsplit

from brisk_atlas.core.connect.fetching import fetch
from brisk_atlas.core.model import CannotRead, DataKind, Dataset
from brisk_atlas.core.model.language import tr
from brisk_atlas.core.record.detect import NotARecord, may_be_record
from brisk_atlas.core.record.document import Document, document_in, read_document
from brisk_atlas.core.system.folders import config_folder

from .geopackage import read_only
from .permissions import allowed_places, place_of
from .records_inside import inside_documents
from .service_notes import RECORD
from .stored_style import STYLE_URI

BESIDE, INSIDE, LINKED, ITSELF = "beside", "inside", "linked", "itself"
RECORD_BYTES = 16_000_000
SHARED = ("metadata.xml", "metadata.iso.xml", "metadata_iso.xml")  # records of a whole folder


@dataclass(frozen=True)
class RecordLocation:
    """One record of a dataset and where it is. `row` is its id in a GeoPackage."""

    document: Document
    where: str
    label: str
    row: int | None = None

    @property
    def can_edit(self) -> bool:
        """Whether the record can be changed where it is."""
        return not self.document.read_only


@dataclass(frozen=True)
class UnreadRecord:
    """A file that looks like a record and could not be read."""

    path: Path
    reason: str


def find_records(dataset: Dataset) -> tuple[list[RecordLocation], list[UnreadRecord]]:
    """Return the records of a dataset, the likeliest first, and the files that could not be read as such."""
    found: list[RecordLocation] = []
    failed: list[UnreadRecord] = []
    if dataset.kind is DataKind.RECORD:
        document = read_document(dataset.parts[0].ref.path)
        if not dataset.ref.is_local:  # what is read is a copy
            document = replace(document, read_only=True)
        return [RecordLocation(document, ITSELF, f"{dataset.ref.name}, {document.standard.name}")], []
    if dataset.ref.protocol:
        return _of_service(dataset)
    if not dataset.ref.is_local:
        return [], []
    for path in _beside(dataset):
        try:
            document = read_document(path)
        except NotARecord:
            continue
        except CannotRead as error:
            failed.append(UnreadRecord(path, str(error)))
            continue
        found.append(RecordLocation(document, BESIDE, f"{path.name}, {document.standard.name}"))
    linked = linked_record(dataset.ref.path)
    if linked is not None:
        try:
            document = read_document(linked)
            found.append(
                RecordLocation(
                    document,
                    LINKED,
                    tr("{name}, linked, {standard_name}", name=linked.name, standard_name=document.standard.name),
                )
            )
        except CannotRead as error:
            failed.append(UnreadRecord(linked, str(error)))
    if dataset.ref.suffix == ".gpkg":
        for record in _in_geopackage(dataset.ref.path):
            if isinstance(record, RecordLocation):
                found.append(record)
            else:
                failed.append(record)
    found += [RecordLocation(document, INSIDE, name) for name, document in inside_documents(dataset)]
    return found, failed


def _of_service(dataset: Dataset) -> tuple[list[RecordLocation], list[UnreadRecord]]:
    """Return the record that a service links to, where its host was allowed; it is read anew, and never changed."""
    address = next((part.facts.notes[RECORD] for part in dataset.parts if RECORD in part.facts.notes), "")
    if not address.startswith(("http://", "https://")):
        return [], []
    name = Path(urlsplit(address).path or "record.xml")
    name = name if name.suffix in (".xml", ".json", ".ttl", ".jsonld") else name.with_suffix(".xml")
    if place_of(address) not in allowed_places():
        return [], [UnreadRecord(name, tr("{address}: its host was not allowed", address=address))]
    try:
        body = fetch(dataset.ref, address, limit=RECORD_BYTES).body
        document = replace(document_in(body, name), read_only=True)
    except (CannotRead, NotARecord) as error:
        return [], [UnreadRecord(name, str(error))]
    return [
        RecordLocation(
            document,
            LINKED,
            tr("{name}, linked by the service, {standard_name}", name=name.name, standard_name=document.standard.name),
        )
    ], []


def _beside(dataset: Dataset) -> list[Path]:
    """Return the files beside a dataset that may be records of it, the most particular first."""
    found = [m for m in dataset.members if m != dataset.ref.path and may_be_record(m)]
    path = dataset.ref.path
    folder = path if path.is_dir() else path.parent
    if dataset.kind is DataKind.SCENE:
        found += sorted(folder.glob("*.stac.json"))
    found += [path for name in SHARED if (path := folder / name) not in found and path.is_file()]
    return list(dict.fromkeys(found))


def _in_geopackage(path: Path) -> list[RecordLocation | UnreadRecord]:
    found: list[RecordLocation | UnreadRecord] = []
    try:
        with closing(read_only(path)) as db:
            rows = db.execute(
                "SELECT m.id, m.mime_type, m.metadata, group_concat(DISTINCT r.table_name) FROM gpkg_metadata m "
                "LEFT JOIN gpkg_metadata_reference r ON r.md_file_id = m.id WHERE m.md_standard_uri <> ? "
                "GROUP BY m.id ORDER BY m.id",
                (STYLE_URI,),
            ).fetchall()
    except (sqlite3.Error, OSError):
        return []
    for number, kind, text, tables in rows:
        name = Path(f"{path.name}{_suffix(kind, text or '')}")
        try:
            document = document_in((text or "").encode("utf-8"), name)
        except CannotRead as error:
            found.append(
                UnreadRecord(
                    path,
                    tr("Metadata {number} in {name}: {reason}", number=number, name=path.name, reason=error.reason),
                )
            )
            continue
        of = f" of {tables}" if tables else ""
        label = f"inside, metadata {number}{of}, {document.standard.name}"
        found.append(RecordLocation(replace(document, path=path), INSIDE, label, number))
    return found


def _suffix(kind: str, text: str) -> str:
    if "json" in (kind or "") or text.lstrip()[:1] in ("{", "["):
        return ".json"
    return ".ttl" if "turtle" in (kind or "") else ".xml"


# Links by hand


def link_file() -> Path:
    """Return the file in which links by hand are stored."""
    return config_folder() / "record_links.json"


def links_by_hand() -> dict[str, str]:
    """Return which record was linked to which dataset, by the text of their paths."""
    try:
        content = json.loads(link_file().read_text("utf-8"))
    except (OSError, ValueError):
        return {}
    return {str(k): str(v) for k, v in content.items()} if isinstance(content, dict) else {}


def linked_record(data: Path) -> Path | None:
    """Return the record that was linked to a dataset by hand."""
    found = links_by_hand().get(str(data.resolve()))
    return Path(found) if found and Path(found).is_file() else None
