"""The style of a layer inside a GeoPackage: an SLD document in its metadata tables (OGC 12-128r18, annex F.8)."""

from __future__ import annotations

import logging
import sqlite3
from contextlib import closing
from pathlib import Path

from brisk_atlas.core.model import DataRef

from .geopackage import read_only

log = logging.getLogger(__name__)
STYLE_URI, STYLE_TYPE = "http://www.opengis.net/sld", "application/vnd.ogc.sld+xml"
_STORED = (
    "SELECT m.id, m.metadata FROM gpkg_metadata m JOIN gpkg_metadata_reference r ON r.md_file_id = m.id "
    "WHERE m.md_standard_uri = ? AND r.table_name = ? ORDER BY m.id DESC LIMIT 1"
)


def stored_style(ref: DataRef) -> str:
    """Return the SLD text of a layer of a GeoPackage, "" where there is none."""
    if not (ref.is_local and ref.suffix == ".gpkg" and ref.part):
        return ""
    row = _found(ref.path, ref.part)
    return str(row[1]) if row else ""


def style_row(package: Path, table: str) -> int | None:
    """Return the row of the style of a table among the metadata of a GeoPackage, None where there is none."""
    row = _found(package, table)
    return int(row[0]) if row else None


def _found(package: Path, table: str) -> tuple[int, str] | None:
    try:
        with closing(read_only(package)) as database:
            found: tuple[int, str] | None = database.execute(_STORED, (STYLE_URI, table)).fetchone()
    except (sqlite3.Error, OSError) as error:
        log.debug("no styles in %s: %s", package, error)
        return None
    return found
