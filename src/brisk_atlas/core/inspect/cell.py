"""One cell of a grid: where it is, and what every band has there."""

from __future__ import annotations

from collections.abc import Sequence
from dataclasses import dataclass
from math import atan2, degrees, hypot

import numpy as np

from brisk_atlas.core.cache import DataCache
from brisk_atlas.core.model import Band, CellWindow, GridStyle, Layer, RasterPart, number_text
from brisk_atlas.core.model.digit_groups import grouped
from brisk_atlas.core.model.dimension import bands_along, places_of
from brisk_atlas.core.model.language import tr
from brisk_atlas.core.model.style import bands_of, shown_band
from brisk_atlas.core.place import same_crs, transform, unit_of
from brisk_atlas.core.place.domain import domain_of

from .finding import ProbeResult, ProbeSeries, ProbeValue

BANDS, CELL = "bands", "cell"
CHANNELS = ("red", "green", "blue")
_ALSO = {"m": ("ft", 1 / 0.3048, 0.0), "K": ("°C", 1.0, -273.15), "°C": ("K", 1.0, 273.15), "ft": ("m", 0.3048, 0.0)}


@dataclass(frozen=True, eq=False)
class CellValues:
    """(row, column) of a cell, its middle in the grid's CRS, values of all bands, and which are known."""

    row: int
    column: int
    middle: tuple[float, float]
    values: np.ndarray
    known: np.ndarray


def cell_values(
    part: RasterPart, x: float, y: float, crs: str | None, bands: Sequence[int] | None = None
) -> CellValues | None:
    """Return the cell at a position, or None outside the grid; of all bands, or of some by their numbers."""
    assert part.facts.grid is not None
    lattice = part.facts.lattice
    px, py = transform(np.array([[x, y]]), crs, part.facts.crs)[0]
    domain = domain_of(part.facts.crs)
    if domain is not None and domain.world:
        px = lattice.extent.xmin + (px - lattice.extent.xmin) % domain.world  # a grid may run from 0 to 360
    column, row = lattice.to_cells(px, py)
    if not (0 <= column <= lattice.columns and 0 <= row <= lattice.rows):
        return None
    col, row = min(int(column), lattice.columns - 1), min(int(row), lattice.rows - 1)
    window = CellWindow(col, row, col + 1, row + 1)
    asked = [band.index for band in part.facts.grid.bands] if bands is None else bands
    found = [part.block(window, bands=(band,)) for band in asked]
    values = np.array([band.values[0, 0, 0] for band in found])
    known = np.array([bool(band.valid[0, 0]) for band in found])
    return CellValues(row, col, lattice.to_map(col + 0.5, row + 0.5), values, known)


def cell_finding(cache: DataCache, layer: Layer, x: float, y: float, crs: str | None) -> ProbeResult | None:
    """Return what a raster layer has at a position, or None outside of it.

    The bands on show are marked with the colour they drive; a scene's bands say what their numbers mean
    in the quantities that they can be turned into.
    """
    part = cache.raster(layer.ref)
    assert part.facts.grid is not None
    style = layer.style if isinstance(layer.style, GridStyle) else None
    bands = part.facts.grid.bands
    if part.facts.grid.dimensions:
        bands = tuple(bands[band - 1] for band in dict.fromkeys(bands_of(style) or (1,)))
    found = cell_values(part, x, y, crs, [band.index for band in bands])
    if found is None:
        return None
    shown = _shown(part, style)
    readings = []
    for band, value, known in zip(bands, found.values.tolist(), found.known.tolist()):
        readings += band_readings(band, value, known, shown.get(band.index, ""), scaled=layer.ref.quantity is not None)
    readings += _from_others(cache, layer, style, x, y, crs)
    readings += _motion(cache, layer, style, x, y, crs)
    unit, (mx, my) = unit_of(part.facts.crs), found.middle
    digits = 6 if unit == "°" else 2
    readings.append(
        ProbeValue(
            tr("row, column"),
            (found.row, found.column),
            tr("row {row:,}, column {column:,}", row=found.row, column=found.column),
            "",
            CELL,
            "cell",
        )
    )
    readings.append(
        ProbeValue(
            tr("cell centre"), (mx, my), f"{grouped(mx, f',.{digits}f')}, {grouped(my, f',.{digits}f')}", unit, CELL
        )
    )
    return ProbeResult(layer.id, layer.name, tuple(readings), series=_series(part, shown_band(style), x, y, crs))


def _series(part: RasterPart, band: int, x: float, y: float, crs: str | None) -> tuple[ProbeSeries, ...]:
    """Return the values of a cell along each dimension, the others as they are in `band`."""
    grid = part.facts.grid
    assert grid is not None
    found = []
    for which, dimension in enumerate(grid.dimensions):
        cell = cell_values(part, x, y, crs, bands_along(grid.dimensions, band, which))
        if cell is not None:
            values = np.where(cell.known, cell.values.astype(float), np.nan)
            at = places_of(grid.dimensions, band)[which]
            found.append(ProbeSeries(dimension, tuple(values.tolist()), grid.bands[band - 1].unit, at))
    return tuple(found)


def _shown(part: RasterPart, style: GridStyle | None) -> dict[int, str]:
    """Return which of a part's own bands are on show, and as what."""
    if style is None or part.facts.grid is None or len(part.facts.grid.bands) < 2:
        return {}
    own = [(i, b) for i, b in enumerate(style.bands) if not (style.others and style.others[i])]
    if len(style.bands) != 3:
        return {b: "shown" for _, b in own}
    values: dict[int, list[str]] = {}
    for i, band in own:
        values.setdefault(band, []).append(CHANNELS[i])
    return {band: ", ".join(channels) for band, channels in values.items()}


def _from_others(
    cache: DataCache, layer: Layer, style: GridStyle | None, x: float, y: float, crs: str | None
) -> list[ProbeValue]:
    """Return the bands of a composite that come from other parts."""
    readings = []
    for channel, (band_number, other) in enumerate(zip(style.bands, style.others) if style else ()):
        if other is None:
            continue
        part = cache.raster(other)
        found = cell_values(part, x, y, crs)
        if found is None or part.facts.grid is None:
            continue
        band = part.facts.grid.bands[band_number - 1]
        value, known = found.values[band_number - 1].item(), bool(found.known[band_number - 1])
        readings += band_readings(
            band, value, known, tr("{channels}, from {part}", channels=CHANNELS[channel], part=other.part)
        )
    return readings


def _motion(
    cache: DataCache, layer: Layer, style: GridStyle | None, x: float, y: float, crs: str | None
) -> list[ProbeValue]:
    """Return the speed and the direction that the arrows of a style show at a place."""
    if style is None or len(style.bands) != 1 or not (style.flow is not None or style.flow_band):
        return []
    part = cache.raster(style.flow or layer.ref)
    own = cache.raster(layer.ref).facts.grid
    assert part.facts.grid is not None and own is not None
    number = min(style.flow_band or style.bands[0], len(part.facts.grid.bands))
    north = cell_values(part, x, y, crs, [number])
    east = cell_values(cache.raster(layer.ref), x, y, crs, list(style.bands))
    if north is None or east is None or not (north.known[0] and east.known[0]):
        return []
    u, v = float(east.values[0]), float(north.values[0])
    speed = float(f"{hypot(u, v):.6g}")
    towards = degrees(atan2(u, v)) % 360
    return [
        ProbeValue("speed", speed, number_text(speed), own.bands[style.bands[0] - 1].unit, BANDS, "speed"),
        ProbeValue("towards", towards, f"{towards:.1f}", "°", BANDS, "towards", tr("clockwise from north")),
    ]


def band_readings(band: Band, value: float, known: bool, mark: str = "", *, scaled: bool = False) -> list[ProbeValue]:
    """Return a band's value with its class, and the same in other units and quantities.

    `scaled` says that the number has been turned into a quantity already.
    """
    wave = f" ({band.centre_um:g} µm)" if band.centre_um else ""
    label = band.name + wave + (f" · {mark}" if mark else "")
    meaning = next((name for number, _, name in band.classes if number == value), "")
    if not known:
        return [ProbeValue(label, None, tr("no data"), "", BANDS, band.name, wavelength=band.centre_um)]
    text = f"{number_text(value)} {meaning}".rstrip()
    readings = [ProbeValue(label, value, text, band.unit, BANDS, band.name, wavelength=band.centre_um)]
    also = _ALSO.get(band.unit)
    if also is not None:
        unit, gain, offset = also
        readings.append(_also(band, f"in {unit}", value * gain + offset, unit))
    for rescale in () if scaled else band.rescale:
        if rescale.quantity:
            made = float(rescale(np.array([value]))[0])
            readings.append(_also(band, rescale.quantity, made, rescale.unit))
    return readings


def _also(band: Band, words: str, value: float, unit: str) -> ProbeValue:
    value = float(f"{value:.6g}")
    return ProbeValue(f"    {words}", value, number_text(value), unit, BANDS, f"{band.name}, {words}")


def along(part: RasterPart, xy: np.ndarray, crs: str | None, band: int = 1) -> np.ndarray:
    """Return (n,) float64 values of one band's cells at positions in `crs`; NaN outside and without data.

    Reads the window around them once.
    """
    lattice = part.facts.lattice
    own = xy if same_crs(crs, part.facts.crs) else transform(xy, crs, part.facts.crs)
    out = np.full(len(xy), np.nan)
    column, row = lattice.to_cells(own[:, 0], own[:, 1])
    inside = (column >= 0) & (column <= lattice.columns) & (row >= 0) & (row <= lattice.rows)
    if not inside.any():
        return out
    columns = np.minimum(column[inside].astype(int), lattice.columns - 1)
    rows = np.minimum(row[inside].astype(int), lattice.rows - 1)
    window = CellWindow(columns.min(), rows.min(), columns.max() + 1, rows.max() + 1)
    grid = part.block(window, bands=(band,))
    at = rows - window.first_row, columns - window.first_column
    out[inside] = np.where(grid.valid[at], grid.values[0][at].astype(float), np.nan)
    return out
