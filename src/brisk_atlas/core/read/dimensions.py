"""The dimensions of a grid's bands, from what the raster library states of them.

Times by the CF conventions 1.11, section 4.4: units such as "days since 2029-01-15 12:00" in one of several calendars.
"""

from __future__ import annotations

import calendar
import json
import logging
import re
from collections.abc import Mapping, Sequence
from pathlib import Path
from typing import Any

import rasterio
from rasterio.errors import RasterioError

from brisk_atlas.core.model import GridDimension, number_text
from brisk_atlas.core.model.dimension import count_of

log = logging.getLogger(__name__)

_SINCE = re.compile(r"^\s*\w+\s+since\s+", re.IGNORECASE)
_OF_BAND = "NETCDF_DIM_"
_ZARR = re.compile(r'^ZARR:"?(.*?)"?:/(.+)$')


def dimensions_of(tags: Mapping[str, str], of_bands: Sequence[Mapping[str, str]]) -> tuple[GridDimension, ...]:
    """Return the dimensions of bands; none where they do not fill them, in order.

    tags : of the file; of_bands : of each band
    """
    if len(of_bands) < 2:
        return ()
    names = [name for name in tags.get("NETCDF_DIM_EXTRA", "").strip("{}").split(",") if name]
    if names:
        stated = [tuple(each.get(_OF_BAND + name, "") for name in names) for each in of_bands]
        return _whole(
            [_netcdf(name, [place[i] for place in stated], tags) for i, name in enumerate(names)], len(of_bands)
        )
    return ()


def zarr_dimensions(name: str, count: int) -> tuple[GridDimension, ...]:
    """Return the dimensions of an array of a Zarr store on the disk, by its own metadata; none where they do not fill
    its `count` bands. `name` is what the raster library calls the array.

    Names by the convention of `_ARRAY_DIMENSIONS` (version 2) or `dimension_names` (version 3).
    """
    match = _ZARR.match(name)
    if match is None:
        return ()
    store, array = Path(match[1]), match[2]
    named = _zarr_names(store / array)
    found = []
    for each in named[:-2]:
        stated = _zarr_stated(store / array / ".." / each)
        try:
            with rasterio.open(f'ZARR:"{store}":/{(Path(array).parent / each).as_posix()}') as axis:
                values = [float(value) for value in axis.read(1).ravel()]
        except RasterioError:
            return ()
        unit = str(stated.get("units", ""))
        if _SINCE.match(unit):
            found.append(time_dimension(each, values, unit, str(stated.get("calendar", "standard"))))
        else:
            found.append(GridDimension(each, tuple(values), tuple(map(number_text, values)), unit))
    return _whole(found, count)


def _json_of(path: Path) -> dict[str, Any]:
    try:
        found = json.loads(path.read_text("utf-8"))
    except (OSError, ValueError):
        return {}
    return found if isinstance(found, dict) else {}


def _zarr_stated(folder: Path) -> dict[str, Any]:
    """Return the attributes of an array, in either version."""
    stated = _json_of(folder / ".zattrs") or _json_of(folder / "zarr.json").get("attributes", {})
    return stated if isinstance(stated, dict) else {}


def _zarr_names(folder: Path) -> list[str]:
    names = _zarr_stated(folder).get("_ARRAY_DIMENSIONS") or _json_of(folder / "zarr.json").get("dimension_names")
    fine = isinstance(names, list) and all(isinstance(name, str) and name and "/" not in name for name in names)
    return list(names) if fine and names else []


def _whole(found: Sequence[GridDimension | None], count: int) -> tuple[GridDimension, ...]:
    """Return dimensions, those of one place left out, where together they make all bands."""
    dimensions = tuple(dimension for dimension in found if dimension is not None)
    return tuple(d for d in dimensions if len(d) > 1) if count_of(dimensions) == count else ()


def _netcdf(name: str, stated: Sequence[str], tags: Mapping[str, str]) -> GridDimension | None:
    """Return a dimension from what each band states of it and what is stated of its coordinates."""
    try:
        values = [float(text) for text in dict.fromkeys(stated)]
    except ValueError:
        return None
    unit = tags.get(f"{name}#units", "")
    if _SINCE.match(unit):
        return time_dimension(name, values, unit, tags.get(f"{name}#calendar", "standard"))
    return GridDimension(
        name, tuple(values), tuple(number_text(value) for value in values), "" if unit == "1" else unit
    )


def time_dimension(name: str, values: Sequence[float], unit: str, kind: str) -> GridDimension:
    """Return a dimension of times; of plain numbers where their unit or calendar is not understood."""
    import cftime

    ordered = list(dict.fromkeys(values))
    try:
        dates = cftime.num2date(ordered, unit, kind, only_use_cftime_datetimes=True)
    except (ValueError, OverflowError) as error:
        log.info("times of %s can't be read: %s", name, error)
        return GridDimension(name, tuple(ordered), tuple(number_text(value) for value in ordered), unit)
    parts = [(d.year, d.month, d.day, d.hour, d.minute, d.second) for d in dates]
    whole_days = all(part[3:] == (0, 0, 0) for part in parts)
    texts = [
        f"{y:04d}-{mo:02d}-{d:02d}" + ("" if whole_days else f" {h:02d}:{mi:02d}" + (f":{s:02d}" if s else ""))
        for y, mo, d, h, mi, s in parts
    ]
    seconds = tuple(float(_seconds(*part)) for part in parts)
    return GridDimension(name, tuple(ordered), tuple(texts), "", seconds)


def _seconds(year: int, month: int, day: int, hour: int, minute: int, second: int) -> int:
    """Return seconds since 1970 of a date as it reads; a day that only another calendar has is its month's last."""
    last = calendar.monthrange(min(max(year, 1), 9999), month)[1]
    return calendar.timegm((year, month, min(day, last), hour, minute, second, 0, 0, 0))
