"""The facts of an open raster: its grid, its bands, and what it says of itself."""

from __future__ import annotations

from pathlib import Path

import rasterio
from rasterio.enums import ColorInterp

from brisk_atlas.core.model import Band, CannotRead, DataKind, Facts, GridDimension, GridFacts, Lattice, Rescale
from brisk_atlas.core.model.dimension import places_of
from brisk_atlas.core.model.language import tr
from brisk_atlas.core.place import text_of
from brisk_atlas.core.record.safe_xml import parse_xml

from .dimensions import dimensions_of, zarr_dimensions

UNITS = {"degC": "°C", "celsius": "°C", "degree_Celsius": "°C", "[C]": "°C"}  # as files write them
UNPLACED = tr("none: a picture, whose positions are columns and rows")
UNDEFINED = ("LOCAL_CS", "ENGCRS", "ENGINEERINGCRS")  # what the library calls a CRS that is not known


def grid_facts(source: rasterio.DatasetReader, name: str, bands: tuple[Band, ...] | None = None) -> Facts:
    """Return the facts of an open raster."""
    crs = text_of(source.crs.to_wkt()) if source.crs and not source.crs.to_wkt().startswith(UNDEFINED) else None
    dimensions: tuple[GridDimension, ...] = ()
    if bands is None:
        of_bands = [source.tags(i) for i in source.indexes]
        dimensions = dimensions_of(source.tags(), of_bands)
        if source.driver == "Zarr" and source.count > 1:
            dimensions = zarr_dimensions(source.name, source.count)
        bands = tuple(
            Band(
                i,
                _place_name(of_bands[i - 1], dimensions, i)
                or source.descriptions[i - 1]
                or _band_name(of_bands[i - 1])
                or f"band {i}",
                source.colorinterp[i - 1].name,
                None,
                UNITS.get(source.units[i - 1] or "", source.units[i - 1] or ""),
                _classes(source, i),
                _own_scale(source, i),
            )
            for i in source.indexes
        )
    notes = notes_of(source.tags(), bands)
    for each in dimensions:
        notes[each.name] = tr(
            "{count:,} from {shown} to {shown2}", count=len(each), shown=each.shown(0), shown2=each.shown(len(each) - 1)
        )
    unplaced = source.transform.is_identity and crs is None
    if unplaced:
        notes["place"] = UNPLACED
    t = source.transform
    at: tuple[float, float, float, float, float, float]
    at = (1.0, 0.0, 0.0, 0.0, -1.0, float(source.height)) if unplaced else (t.a, t.b, t.c, t.d, t.e, t.f)
    lattice = Lattice(*at, source.width, source.height, crs)
    if not lattice.cell_area or not lattice.extent.is_finite:
        raise CannotRead(source.name, tr("its cells have no size or no place"), tr("Ask for its georeference."))
    grid = GridFacts(
        source.width, source.height, source.dtypes[0], source.nodata, lattice.cell, bands,
        tuple(source.overviews(1)), at, dimensions,
    )  # fmt: skip
    return Facts(name, DataKind.RASTER, crs=crs, extent=lattice.extent, grid=grid, notes=notes, unplaced=unplaced)


def notes_of(tags: dict[str, str], bands: tuple[Band, ...]) -> dict[str, str]:
    """Return what a file says of itself that belongs beside the facts."""
    keep = ("AREA_OR_POINT", "VERTICAL_DATUM", "SURVEY_YEAR", "TIFFTAG_SOFTWARE", "TIFFTAG_DATETIME")
    notes = {key.replace("_", " ").lower(): tags[key] for key in keep if key in tags}
    if bands[0].rescale and bands[0].rescale[0].quantity is None:
        notes["values"] = tr("{formula}, as the file declares", formula=bands[0].rescale[0].formula())
    return notes


def _place_name(tags: dict[str, str], dimensions: tuple[GridDimension, ...], band: int) -> str:
    """Return what a band is called by where it lies along dimensions; empty without any."""
    along = [each.shown(place) for each, place in zip(dimensions, places_of(dimensions, band))]
    name = tags.get("long_name") or tags.get("GRIB_COMMENT") or tags.get("NETCDF_VARNAME", "")
    return ", ".join([name, *along] if name else along) if along else ""


def _band_name(tags: dict[str, str]) -> str:
    """Return what a band's tags call it: its own long name, and its place along further dimensions."""
    along = [f"{k.removeprefix('NETCDF_DIM_')} {v}" for k, v in tags.items() if k.startswith("NETCDF_DIM_")]
    name = tags.get("long_name", "")
    return ", ".join([name, *along] if name else along)


def _own_scale(source: rasterio.DatasetReader, index: int) -> tuple[Rescale, ...]:
    """Return the scale that a file declares for a band's stored numbers, which readers are to apply."""
    gain, offset = source.scales[index - 1], source.offsets[index - 1]
    return () if (gain, offset) == (1.0, 0.0) else (Rescale(None, gain, offset, source.units[index - 1] or ""),)


def _classes(source: rasterio.DatasetReader, index: int) -> tuple[tuple[int, str, str], ...]:
    """Return the file's own class colours, named by its .aux.xml where that names them."""
    if source.colorinterp[index - 1] != ColorInterp.palette:
        return ()
    names = _category_names(Path(source.name + ".aux.xml"), index)
    return tuple(
        (value, "#{:02x}{:02x}{:02x}".format(*rgba[:3]), names[value] if value < len(names) else "")
        for value, rgba in source.colormap(index).items()
        if rgba[3] > 0 and (not names or (value < len(names) and names[value]))
    )


def _category_names(sidecar: Path, index: int) -> list[str]:
    if not sidecar.is_file():
        return []
    try:
        tree = parse_xml(sidecar)
    except CannotRead:
        return []
    found = tree.xpath(f"/PAMDataset/PAMRasterBand[@band='{index}']/CategoryNames/Category")
    return [(each.text or "").strip() for each in found]
