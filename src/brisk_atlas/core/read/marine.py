"""Boat surveys in the MGD77 exchange format: a 24-card header, then 120-byte records.

Columns of the record (1-based): MGD77 exchange format, version 1.
"""

from __future__ import annotations

from dataclasses import dataclass

import numpy as np
import pyarrow as pa

from brisk_atlas.core.model import CannotRead, DataKind, DataRef, Dataset, Extent, Facts
from brisk_atlas.core.model.shapes import Features

from .answer import ParsedLayer
from .on_disk import on_disk
from .positions import wkb_points
from .table import fields_of

DEGREES = "EPSG:4326"
HEADER_LINES, RECORD = 24, 120
_COLUMNS = {  # name: first column, last column, divisor
    "lat": (28, 35, 1e5),
    "lon": (36, 44, 1e5),
    "depth_m": (52, 57, 10),
    "magnetic_total_nt": (61, 66, 10),
    "magnetic_residual_nt": (73, 78, 10),
    "gravity_mgal": (91, 97, 10),
    "free_air_mgal": (104, 108, 10),
}


def _number(text: str, divisor: float) -> float:
    text = text.strip()
    return np.nan if not text or text.lstrip("+-").strip("9") == "" else int(text) / divisor


@dataclass(frozen=True)
class MarineSurvey(ParsedLayer):
    """The fixes of one survey as points, in time order."""


def _table(ref: DataRef) -> pa.Table:
    lines = ref.path.read_text("ascii", "replace").splitlines()
    if len(lines) <= HEADER_LINES or lines[0][9:14] != "MGD77":
        raise CannotRead(ref, "it has no whole MGD77 header", "Ask for the file again.")
    records = lines[HEADER_LINES:]
    bad = next((i for i, r in enumerate(records, HEADER_LINES + 1) if len(r) != RECORD), None)
    if bad:
        raise CannotRead(ref, f"line {bad} is not {RECORD} characters long", "The copy may have been cut short.")
    try:
        times = [f"{r[12:16]}-{r[16:18]}-{r[18:20]}T{r[20:22]}:00" for r in records]
        minutes = np.array([int(r[22:27]) / 1000 for r in records])
        when = np.array(times, "datetime64[ms]") + np.round(minutes * 60_000).astype("timedelta64[ms]")
        columns = {
            name: pa.array([_number(r[a - 1 : b], by) for r in records], from_pandas=True)
            for name, (a, b, by) in _COLUMNS.items()
        }
    except ValueError as error:
        raise CannotRead(
            ref, f"a record holds something else than numbers ({error})", "Ask for the file again."
        ) from error
    return pa.table({"time": pa.array(when), **columns})


def open_dataset(ref: DataRef) -> Dataset:
    """Return the dataset of an MGD77 file. Raises CannotRead."""
    from .wkb import exact_shapes  # the compiler loads with it, which other formats can do without

    table = _table(ref)
    lon, lat = table.column("lon").to_numpy(), table.column("lat").to_numpy()
    if not (np.isfinite(lon) & np.isfinite(lat)).any():
        raise CannotRead(ref, "none of its records has a position", "Ask for the file again.")
    extent = Extent(np.nanmin(lon), np.nanmin(lat), np.nanmax(lon), np.nanmax(lat), DEGREES)
    facts = Facts(ref.stem, DataKind.VECTOR, table.num_rows, "Point", fields_of(table.schema), DEGREES, extent)
    features = Features(table, *exact_shapes(wkb_points(lon, lat)), DEGREES)
    return Dataset(
        format="MGD77", kind=DataKind.VECTOR, parts=(MarineSurvey(ref, facts, features),), warnings=(), **on_disk(ref)
    )
