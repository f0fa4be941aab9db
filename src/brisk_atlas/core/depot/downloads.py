"""What an outlet shows as a file, in the formats that rows are written in."""

from __future__ import annotations

import shutil
import threading
from collections.abc import Mapping
from dataclasses import replace
from pathlib import Path
from tempfile import mkdtemp
from types import MappingProxyType

from starlette.background import BackgroundTask
from starlette.responses import FileResponse, Response

from brisk_atlas.core.handover.sources import row_flow
from brisk_atlas.core.handover.step import StepContext
from brisk_atlas.core.handover.steps.write import WriteStep
from brisk_atlas.core.model import RowsPart

from .answers import Refused
from .postings.depot_store import DepotStore
from .postings.outlet_part import dataset_of
from .postings.outlet_rows import OutletRows

PLACED: Mapping[str, tuple[str, str, str]] = MappingProxyType({
    "gpkg": ("GeoPackage", ".gpkg", "application/geopackage+sqlite3"),
    "geojson": ("GeoJSON", ".geojson", "application/geo+json"),
    "csv": ("CSV", ".csv", "text/csv"),
    "shapefile": ("Shapefile", ".zip", "application/zip"),
    "kml": ("KML", ".kml", "application/vnd.google-earth.kml+xml"),
    "flatgeobuf": ("FlatGeobuf", ".fgb", "application/octet-stream"),
    "geoparquet": ("GeoParquet", ".parquet", "application/vnd.apache.parquet"),
})  # fmt: skip
PLAIN: Mapping[str, tuple[str, str, str]] = MappingProxyType({
    "csv": ("CSV", ".csv", "text/csv"),
    "xlsx": ("XLSX", ".xlsx", "application/vnd.openxmlformats-officedocument.spreadsheetml.sheet"),
    "parquet": ("Parquet", ".parquet", "application/vnd.apache.parquet"),
})  # fmt: skip
_TURNS = threading.BoundedSemaphore(2)  # files that are written at once


def forms_of(shown: OutletRows) -> Mapping[str, tuple[str, str, str]]:
    """Return the formats that an outlet is handed out in: by its name in addresses, the format, its ending and its
    media type."""
    return PLACED if shown.rows.posting.has_shapes else PLAIN


def download(store: DepotStore, shown: OutletRows, form: str) -> Response:
    """Return an outlet as a file. Raises Refused for another format, or while as many are written as may be."""
    forms = forms_of(shown)
    if form not in forms:
        raise Refused("NotFound", f"it is not handed out as {form[:40]}", 404)
    name, ending, media_type = forms[form]
    if not _TURNS.acquire(timeout=30):
        raise Refused("NotAvailable", "others are being served; try again", 503)
    folder = Path(mkdtemp(prefix="depot-"))
    try:
        path = folder / f"{shown.outlet.id}{ending}"
        (part,) = dataset_of(shown, store.figures(shown), "").parts
        assert isinstance(part, RowsPart)
        flow = replace(row_flow(part, shown.outlet.id), source=None, units=_units(shown))
        step = WriteStep(path=str(path), format=name, empty=True)
        step.write(flow, StepContext(lambda name: flow, folder))
    except BaseException:
        shutil.rmtree(folder, ignore_errors=True)
        raise
    finally:
        _TURNS.release()
    tidy = BackgroundTask(shutil.rmtree, folder, ignore_errors=True)
    return FileResponse(path, media_type=media_type, filename=path.name, background=tidy)


def _units(shown: OutletRows) -> tuple[tuple[str, str], ...]:
    return tuple((name, field.unit) for name, field in shown.fields.items() if field.unit)
