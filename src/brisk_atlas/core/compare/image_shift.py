"""By how much one picture lies beside another: phase correlation in windows all over both."""

from __future__ import annotations

from collections.abc import Callable
from dataclasses import dataclass
from pathlib import Path

import numpy as np
import pyarrow as pa
import pyogrio
import shapely
from scipy import fft

from brisk_atlas.core.model import AtlasError, CellWindow, RasterPart
from brisk_atlas.core.model.language import tr
from brisk_atlas.core.place import proj_crs
from brisk_atlas.core.system.atomic_write import written_beside

from .paired_cells import common_window, sides_in

WINDOW, SMALL, FEWEST = 256, 64, 32  # cells along a side of a window, of one in a small picture, and of the smallest
ACROSS = 9  # windows along each side of what both share
FINE = 50  # parts of a cell that a shift is found to
MOST_BAND = 0.35  # cycles a cell, above which there is more noise than picture
KNOWN_SHARE = 0.7  # of the cells of a window that must have data on both sides
GOOD = 0.08  # height of the peak, of 1, below which a window says nothing
CLEAR = 6.5  # times the standard deviation of the heights that noise gives, which a peak must be
DEVIATIONS = 3.0  # from the median, beyond which a window is taken as wrong
ROBUST = 1.4826  # a standard deviation in median absolute deviations, for normal errors


@dataclass(frozen=True, eq=False)
class ShiftField:
    """How far B lies from A in each window. `x`, `y`: (n,) the middles of the windows, in A's CRS; `dx`, `dy`: (n,) the
    shift there, in its units, x growing east and y north; `quality`: (n,) the height of the peak, 0 to 1; `used`: (n,)
    bool, those that agree. `shift` is their median, `residual` the standard deviation of what is left of each once B is
    moved back, by the median absolute deviation. `cell` is the width of a cell."""

    x: np.ndarray
    y: np.ndarray
    dx: np.ndarray
    dy: np.ndarray
    quality: np.ndarray
    used: np.ndarray
    shift: tuple[float, float]
    residual: float
    cell: float


def phase_shift(a: np.ndarray, b: np.ndarray) -> tuple[float, float, float]:
    """Return by how many columns and rows `b` is `a` moved, and how sure that is, 0 to 1.

    a, b : (rows, cols) float, NaN without data

    Source: Kuglin, C.D. and Hines, D.C. (1975), "The phase correlation image alignment method", Proc. IEEE Int. Conf.
    Cybernetics and Society, 163-165; the peak is refined by a matrix Fourier transform around it as in Guizar-Sicairos,
    M., Thurman, S.T. and Fienup, J.R. (2008), "Efficient subpixel image registration algorithms", Optics Letters 33(2),
    156-158.
    """
    rows, cols = a.shape
    taper = np.hanning(rows)[:, None] * np.hanning(cols)[None, :]
    spectra = [fft.fft2(taper * _filled(each)) for each in (a, b)]
    cross = spectra[1] * np.conj(spectra[0])
    down, across = fft.fftfreq(rows)[:, None], fft.fftfreq(cols)[None, :]
    strength = np.abs(cross)
    seen = (np.hypot(down, across) <= MOST_BAND) & (strength > 1e-12 * max(strength.max(), 1e-300))
    cross = np.where(seen, cross / np.maximum(strength, 1e-300), 0.0)
    peak = np.abs(fft.ifft2(cross)) * (rows * cols / max(1, np.count_nonzero(seen)))
    top = divmod(int(np.argmax(peak)), cols)
    row, col = (place - n if place > n // 2 else place for place, n in zip(top, (rows, cols)))
    off = np.arange(-1.5, 1.5 + 0.5 / FINE, 1 / FINE)
    to_rows = np.exp(2j * np.pi * (row + off)[:, None] * fft.fftfreq(rows)[None, :])
    to_cols = np.exp(2j * np.pi * fft.fftfreq(cols)[:, None] * (col + off)[None, :])
    near = (to_rows @ cross @ to_cols).real
    at_row, at_col = divmod(int(np.argmax(near)), len(off))
    quality = near.max() / max(1, np.count_nonzero(seen))
    return float(col + off[at_col]), float(row + off[at_row]), float(min(1.0, quality))


def _filled(values: np.ndarray) -> np.ndarray:
    """Return values around 0, with 0 where there are none."""
    known = np.isfinite(values)
    return np.where(known, values - (values[known].mean() if known.any() else 0.0), 0.0)


def shift_between(
    before: RasterPart,
    after: RasterPart,
    bands: tuple[int, int] = (1, 1),
    check: Callable[[float], None] = lambda share: None,
) -> ShiftField:
    """Return how far B lies from A, by one band of each in windows spread evenly over what both share. B is read onto
    A's cells. Raises AtlasError where they do not overlap, or no window shows it."""
    common = common_window(before, after)
    rows, cols = common.shape
    side = min(WINDOW, max(min(rows, cols) // 3, min(SMALL, rows, cols)))
    if side < FEWEST:
        raise AtlasError(
            after.ref,
            tr("what it shares with {name} is smaller than {fewest} cells", name=before.ref.name, fewest=FEWEST),
            tr("Choose pictures of the same place."),
        )
    lattice = before.facts.lattice
    tops, lefts = (np.unique(np.linspace(0, n - side, min(ACROSS, max(1, n // side * 2 - 1))).astype(int))
                   for n in (rows, cols))  # fmt: skip
    found = []
    for number, top in enumerate(tops):
        for left in lefts:
            first_column, first_row = common.first_column + int(left), common.first_row + int(top)
            window = CellWindow(first_column, first_row, first_column + side, first_row + side)
            one, two, _ = sides_in(window, before, after, (bands[:1], bands[1:]))
            both = one.valid & two.valid
            if both.mean() < KNOWN_SHARE:
                continue
            a, b = (np.where(both, each.values[0], np.nan) for each in (one, two))
            if np.nanstd(a) == 0 or np.nanstd(b) == 0:
                continue
            col, row, quality = phase_shift(a, b)
            x, y = lattice.to_map(first_column + side / 2, first_row + side / 2)
            found.append((x, y, col * lattice.a + row * lattice.b, col * lattice.d + row * lattice.e, quality))
        check((number + 1) / len(tops))
    xs, ys, dx, dy, sure = np.array(found, float).reshape(-1, 5).T
    good = max(GOOD, CLEAR / (side * np.sqrt(np.pi * MOST_BAND**2)))  # noise spreads over all frequencies alike
    used = _agreeing(dx, dy, sure >= good, lattice.cell[0], side)
    if not used.any():
        raise AtlasError(after.ref, tr("no part of it looks like {name} moved", name=before.ref.name),
                         tr("Compare bands of the same kind of light."))  # fmt: skip
    shift = float(np.median(dx[used])), float(np.median(dy[used]))
    off = np.hypot(dx[used] - shift[0], dy[used] - shift[1])
    return ShiftField(xs, ys, dx, dy, sure, used, shift, float(ROBUST * np.median(off)), lattice.cell[0])


def _agreeing(dx: np.ndarray, dy: np.ndarray, clear: np.ndarray, cell: float, side: int) -> np.ndarray:
    """Return (n,) bool of the windows whose shift is clear, possible and near that of the others."""
    used = clear & (np.hypot(dx, dy) < side / 4 * cell)
    if not used.any():
        return used
    off = np.hypot(dx - np.median(dx[used]), dy - np.median(dy[used]))
    return used & (off <= max(cell, DEVIATIONS * ROBUST * float(np.median(off[used]))))


def write_arrows(field: ShiftField, crs: str | None, path: Path, exaggeration: float = 1.0) -> None:
    """Write the shift of each window as a line from where A has something to where B has it, so many times as long, to
    a GeoPackage. Raises CannotWrite."""
    ends = np.stack([field.x + exaggeration * field.dx, field.y + exaggeration * field.dy], axis=1)
    lines = shapely.linestrings(np.stack([np.stack([field.x, field.y], axis=1), ends], axis=1))
    table = pa.table({
        "east": field.dx, "north": field.dy, "length": np.hypot(field.dx, field.dy), "quality": field.quality,
        "agrees": field.used, "geometry": shapely.to_wkb(lines),
    })  # fmt: skip
    with written_beside(path) as beside:
        pyogrio.write_arrow(
            table, beside, driver="GPKG", layer=path.stem, geometry_name="geometry", geometry_type="LineString",
            crs=proj_crs(crs).to_wkt() if crs else None,
        )  # fmt: skip
