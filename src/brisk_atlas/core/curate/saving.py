"""Saving records: beside their data, inside a GeoPackage, or linked from elsewhere."""

from __future__ import annotations

import json
import re
import sqlite3
from contextlib import closing
from datetime import UTC, datetime
from pathlib import Path

from brisk_atlas.core.model import CannotRead, CannotWrite
from brisk_atlas.core.model.language import tr
from brisk_atlas.core.read.find_records import link_file, links_by_hand
from brisk_atlas.core.read.sqlite_file import in_place
from brisk_atlas.core.read.stored_style import STYLE_TYPE, STYLE_URI, style_row
from brisk_atlas.core.record.document import Document, read_document
from brisk_atlas.core.system.atomic_write import checked_place, write_whole

STANDARD_URIS = {
    "ISO 19139": "http://www.isotc211.org/2005/gmd",
    "INSPIRE": "http://www.isotc211.org/2005/gmd",
    "ISO 19115-3": "http://standards.iso.org/iso/19115/-3/mdb/2.0",
    "FGDC CSDGM": "https://www.fgdc.gov/metadata/csdgm",
    "Dublin Core": "http://purl.org/dc/terms/",
    "DCAT-AP": "http://www.w3.org/ns/dcat#",
    "STAC": "https://stacspec.org",
}


def link(data: Path, record: Path | None) -> None:
    """Remember that a record elsewhere speaks of a dataset; None forgets it. Raises CannotWrite."""
    links = links_by_hand()
    links.pop(str(data.resolve()), None)
    if record is not None:
        read_document(record)
        links[str(data.resolve())] = str(record.resolve())
    replace_file(link_file(), json.dumps(links, indent=1).encode())


def path_beside(data: Path, document: Document) -> Path:
    """Return where a new record of a dataset goes: beside it, by its own name and the ending of its standard."""
    plain = data.with_name(data.name + ".xml")
    if document.standard.family == "xml" and not plain.exists():
        return plain
    return data.with_name(data.name + document.standard.suffix)


def save(document: Document, path: Path, *, over: bool = False, was: bytes | None = None) -> None:
    """Write a record to a file through a sibling.

    `was` are the bytes that the file had when it was read: if it changed since, nothing is written. Without
    `over`, a file that holds something else, another standard's record too, is left alone. Raises CannotWrite.
    """
    try:
        now = path.read_bytes() if path.exists() else None
    except OSError as error:
        raise CannotWrite(
            path, tr("it cannot be read ({strerror})", strerror=error.strerror), tr("Look at its permissions.")
        ) from error
    if now is not None and not over:
        if was is not None and now != was:
            raise CannotWrite(
                path,
                tr("it was changed by someone else since it was opened"),
                tr("Read it again, or save under another name."),
            )
        if was is None and now != document.data:
            raise CannotWrite(
                path,
                tr("it is there already and holds {holds}", holds=_holds(path)),
                tr("Choose another name, or say that it may go."),
            )
    replace_file(path, document.data)


def _holds(path: Path) -> str:
    try:
        return tr("a record in {name}", name=read_document(path).standard.name)
    except CannotRead:
        return tr("something else")


def replace_file(path: Path, data: bytes) -> None:
    """Write a file so that there is the old one or the new one, never half. Raises CannotWrite."""
    path.parent.mkdir(parents=True, exist_ok=True)
    write_whole(path, data)


_TABLES = """
CREATE TABLE IF NOT EXISTS gpkg_metadata (id INTEGER CONSTRAINT m_pk PRIMARY KEY ASC NOT NULL,
  md_scope TEXT NOT NULL DEFAULT 'dataset', md_standard_uri TEXT NOT NULL, mime_type TEXT NOT NULL DEFAULT 'text/xml',
  metadata TEXT NOT NULL DEFAULT '');
CREATE TABLE IF NOT EXISTS gpkg_metadata_reference (reference_scope TEXT NOT NULL, table_name TEXT, column_name TEXT,
  row_id_value INTEGER, timestamp DATETIME NOT NULL DEFAULT (strftime('%Y-%m-%dT%H:%M:%fZ','now')),
  md_file_id INTEGER NOT NULL, md_parent_id INTEGER,
  CONSTRAINT crmr_mfi_fk FOREIGN KEY (md_file_id) REFERENCES gpkg_metadata(id),
  CONSTRAINT crmr_mpi_fk FOREIGN KEY (md_parent_id) REFERENCES gpkg_metadata(id));
CREATE TABLE IF NOT EXISTS gpkg_extensions (table_name TEXT, column_name TEXT, extension_name TEXT NOT NULL,
  definition TEXT NOT NULL, scope TEXT NOT NULL, CONSTRAINT ge_tce UNIQUE (table_name, column_name, extension_name));
"""


def save_inside(document: Document, package: Path, row: int | None = None, table: str | None = None) -> int:
    """Write a record into a GeoPackage's own metadata tables (OGC 12-128r18, annex F.8); returns its row.

    `row` is the metadata to replace; without it a new one is added, for a table or the whole package. One
    transaction: it is there whole or not at all. Raises CannotWrite.
    """
    kind = {"xml": "text/xml", "json": "application/json", "rdf": "application/ld+json"}[document.standard.family]
    uri, text = STANDARD_URIS[document.standard.name], document.data.decode("utf-8")
    if document.standard.family == "xml":
        text = re.sub(r"^<\?xml[^>]*\?>\s*", "", text)
    return write_metadata(package, text, uri, kind, row=row, table=table)


def save_style_inside(text: str, package: Path, table: str) -> None:
    """Write the style of a layer, an SLD document, into the metadata tables of a GeoPackage, in place of one that the
    layer has there. Raises CannotWrite."""
    plain = re.sub(r"^<\?xml[^>]*\?>\s*", "", text)
    before = style_row(package, table)
    write_metadata(package, plain, STYLE_URI, STYLE_TYPE, scope="undefined", row=before, table=table)


def write_metadata(
    package: Path, text: str, uri: str, kind: str, *, scope: str = "dataset", row: int | None = None,
    table: str | None = None,
) -> int:  # fmt: skip
    """Write a document of a standard, by its URI and media type, into the metadata tables of a GeoPackage in one
    transaction, in place of that of a row if one is given; returns its row. Raises CannotWrite."""
    now = datetime.now(UTC).strftime("%Y-%m-%dT%H:%M:%S.000Z")
    if not package.is_file():
        raise CannotWrite(package, tr("the package is not there any more"), tr("Save the record elsewhere."))
    checked_place(package)
    try:
        with closing(sqlite3.connect(in_place(package), uri=True, timeout=5)) as db, db:
            for statement in _TABLES.split(";\n"):
                if statement.strip():
                    db.execute(statement)
            for name in ("gpkg_metadata", "gpkg_metadata_reference"):
                db.execute(
                    "INSERT INTO gpkg_extensions SELECT ?, NULL, 'gpkg_metadata', "
                    "'http://www.geopackage.org/spec131/#extension_metadata', 'read-write' WHERE NOT EXISTS "
                    "(SELECT 1 FROM gpkg_extensions WHERE table_name = ? AND extension_name = 'gpkg_metadata')",
                    (name, name),
                )
            if row is not None:
                changed = db.execute(
                    "UPDATE gpkg_metadata SET metadata = ?, md_standard_uri = ?, mime_type = ? WHERE id = ?",
                    (text, uri, kind, row),
                ).rowcount
                if not changed:
                    raise CannotWrite(package, tr("its metadata {row} is gone", row=row), tr("Read it again."))
                db.execute("UPDATE gpkg_metadata_reference SET timestamp = ? WHERE md_file_id = ?", (now, row))
                return row
            added = db.execute(
                "INSERT INTO gpkg_metadata (md_scope, md_standard_uri, mime_type, metadata) VALUES (?, ?, ?, ?)",
                (scope, uri, kind, text),
            ).lastrowid
            db.execute(
                "INSERT INTO gpkg_metadata_reference (reference_scope, table_name, timestamp, md_file_id) "
                "VALUES (?, ?, ?, ?)",
                ("table" if table else "geopackage", table, now, added),
            )
            return int(added or 0)
    except sqlite3.Error as error:
        raise CannotWrite(
            package,
            tr("the package refuses it ({error})", error=error),
            tr("Look whether another program has it open."),
        ) from error
