"""GeoTIFFs: those whose tags say all are known without the library; the others go through it."""

from __future__ import annotations

from brisk_atlas.core.connect.members import members_of
from brisk_atlas.core.model import Band, DataKind, DataRef, Dataset, Extent, Facts, GridFacts, Rescale

from . import raster
from .grid_facts import notes_of
from .on_disk import on_disk
from .tiff_head import head_of_tiff


def open_dataset(ref: DataRef) -> Dataset:
    """Return the dataset of a GeoTIFF. Raises CannotRead."""
    known = plain_tiff(ref) if ref.is_local else None
    return known if known is not None else raster.open_dataset(ref)


def plain_tiff(ref: DataRef) -> Dataset | None:
    """Return the dataset of a GeoTIFF whose tags say all, or None for one that only the library knows."""
    path = ref.path
    members = members_of(path)
    if any(not member.name.lower().endswith(".xml") or member.name.endswith(".aux.xml") for member in members[1:]):
        return None  # sidecars may say something else
    head = head_of_tiff(path)
    if head is None:
        return None
    get = head.items.get
    bands = []
    for i in range(head.bands):
        name = get((i, "DESCRIPTION", "description")) or get((i, "long_name", "")) or f"band {i + 1}"
        gain, offset = float(get((i, "SCALE", "scale"), 1)), float(get((i, "OFFSET", "offset"), 0))
        unit = get((i, "UNITTYPE", "unittype"), "")
        scale = () if (gain, offset) == (1.0, 0.0) else (Rescale(None, gain, offset, unit),)
        bands.append(Band(i + 1, name, "gray" if i == 0 else "undefined", None, unit, (), scale))
    (west, north), (dx, dy) = head.origin, head.cell
    extent = Extent(west, north - head.height * dy, west + head.width * dx, north, head.crs)
    values = {"AREA_OR_POINT": "Area" if head.area else "Point"}
    values |= {name: text for (band, name, role), text in head.items.items() if band < 0 and not role}
    values |= {"TIFFTAG_SOFTWARE": head.software} if head.software else {}
    values |= {"TIFFTAG_DATETIME": head.datetime} if head.datetime else {}
    notes = notes_of(values, tuple(bands))
    at = (dx, 0.0, west, 0.0, -dy, north)
    grid = GridFacts(head.width, head.height, head.dtype, head.nodata, head.cell, tuple(bands), head.overviews, at)
    facts = Facts(ref.stem, DataKind.RASTER, crs=head.crs, extent=extent, grid=grid, notes=notes)
    part = raster.placed(ref, facts, tuple((str(path), band.index) for band in bands))
    return Dataset(format="GeoTIFF", kind=DataKind.RASTER, parts=(part,), **on_disk(ref, members))
