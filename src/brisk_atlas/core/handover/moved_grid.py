"""A grid on other cells: of another CRS, another size, or another lattice."""

from __future__ import annotations

from dataclasses import replace

import numpy as np
from affine import Affine
from rasterio.enums import Resampling
from rasterio.warp import calculate_default_transform, reproject

from brisk_atlas.core.model import CannotPlace, CellWindow, Lattice
from brisk_atlas.core.model.grid import Grid
from brisk_atlas.core.model.language import tr
from brisk_atlas.core.place import proj_crs, same_crs

from .flows import GridFlow
from .warp_kernels import Move, best_move, reach_of, source_places, warped

AROUND = 3  # source cells beyond what a window meets, for what interpolates
OWN = (Resampling.nearest, Resampling.bilinear)  # for which there is a faster way, by any transformation
EDGE_POINTS = 33  # along each side of a window, and inside it, that say which source cells it meets


def reprojected_grid(
    flow: GridFlow, crs: str, resolution: float | None, smooth: bool | None, back: Move | None = None
) -> GridFlow:
    """Return a grid in another CRS, its first row in the north, with cells about as large as those it comes from.

    back : what moves positions of the new CRS to that of the grid; the most accurate transformation if not given
    """
    own = flow.lattice
    if own.crs is None:
        raise CannotPlace(flow.name, tr("the grid has no CRS"), tr("State it first."))
    if same_crs(own.crs, crs) and resolution is None and own.is_north_up:
        return flow
    e = own.extent
    width, height = own.cell
    columns, rows = max(1, round(e.width / width)), max(1, round(e.height / height))
    t, columns, rows = calculate_default_transform(
        proj_crs(own.crs).to_wkt(), proj_crs(crs).to_wkt(), columns, rows, *e.bounds,
        **({"resolution": resolution} if resolution else {}),
    )  # fmt: skip
    return grid_on(flow, Lattice(t.a, t.b, t.c, t.d, t.e, t.f, int(columns), int(rows), crs), smooth, back=back)


def resampling_for(flow: GridFlow, smooth: bool | None, lattice: Lattice) -> Resampling:
    """Return how cells are made: the nearest one for classes, else between cells; the mean where they become larger."""
    if not (not flow.has_classes if smooth is None else smooth):
        return Resampling.nearest
    if same_crs(flow.lattice.crs, lattice.crs):
        coarser = max(a / b for a, b in zip(lattice.cell, flow.lattice.cell))
        if coarser >= 2.0:
            return Resampling.average
    return Resampling.bilinear


def grid_on(
    flow: GridFlow,
    lattice: Lattice,
    smooth: bool | None = None,
    how: Resampling | None = None,
    back: Move | None = None,
) -> GridFlow:
    """Return a grid on the cells of a lattice, in the CRS of that; cells without data do not count.

    back : what moves positions of the lattice to the CRS of the grid, for cells by the nearest or between cells
    """
    method = how if how is not None else resampling_for(flow, smooth, lattice)
    if lattice.matches(flow.lattice) and same_crs(lattice.crs, flow.lattice.crs):
        return shifted(flow, lattice)

    move = back or best_move(lattice, flow.lattice)
    reach = reach_of(lattice, flow.lattice, move) if method is Resampling.bilinear else None

    def read(window: CellWindow, bands: tuple[int, ...]) -> Grid:
        piece = lattice.within(window)
        source = source_window(piece, flow.lattice, move)
        exact = flow.dtype.itemsize > (2 if flow.dtype.kind in "iu" else 4)  # more digits than float32 has
        dtype = np.float64 if exact else np.float32
        values = np.full((len(bands), *window.shape), np.nan, dtype)
        if source.is_empty:
            return _finished(values, piece, flow)
        found = flow.read(source, bands)
        if method in OWN:
            places = source_places(piece, flow.lattice, move)
            return Grid(*warped(found.values, found.valid, source, places, window.shape, reach), piece)
        for number in range(len(bands)):
            reproject(
                np.where(found.valid, found.values[number], np.nan).astype(dtype),
                values[number],
                src_transform=Affine(*flow.lattice.within(source).transform),
                src_crs=_wkt(flow.lattice.crs or lattice.crs),
                dst_transform=Affine(*piece.transform),
                dst_crs=_wkt(lattice.crs or flow.lattice.crs),
                src_nodata=np.nan,
                dst_nodata=np.nan,
                resampling=method,
                num_threads=1,
            )
        return _finished(values, piece, flow)

    return replace(flow, lattice=lattice, read=read, all_valid=False)


def _finished(values: np.ndarray, lattice: Lattice, flow: GridFlow) -> Grid:
    valid = np.isfinite(values).all(axis=0)
    if flow.dtype.kind in "iu":
        low, high = np.iinfo(flow.dtype).min, np.iinfo(flow.dtype).max
        with np.errstate(invalid="ignore"):
            values = np.clip(np.rint(np.where(valid, values, 0)), low, high)
    return Grid(values.astype(flow.dtype), valid, lattice)


def _wkt(crs: str | None) -> str:
    """Return a CRS as the warper takes it; a plane without one where there is none."""
    return proj_crs(crs).to_wkt() if crs else 'LOCAL_CS["plane",UNIT["metre",1]]'


def shifted(flow: GridFlow, lattice: Lattice) -> GridFlow:
    """Return the cells of a grid that lie in a lattice whose cells are the same; those beyond the grid have no data."""
    column, row = flow.lattice.to_cells(lattice.c, lattice.f)
    dx, dy = round(column), round(row)
    same = (dx, dy, lattice.columns, lattice.rows) == (0, 0, flow.lattice.columns, flow.lattice.rows)
    if same:
        return flow
    right, bottom = dx + lattice.columns, dy + lattice.rows
    inside = min(dx, dy) >= 0 and right <= flow.lattice.columns and bottom <= flow.lattice.rows

    def read(window: CellWindow, bands: tuple[int, ...]) -> Grid:
        return read_beyond(flow, CellWindow(window[0] + dx, window[1] + dy, window[2] + dx, window[3] + dy), bands,
                           lattice.within(window))  # fmt: skip

    return replace(flow, lattice=lattice, read=read, all_valid=flow.all_valid and inside)


def read_beyond(flow: GridFlow, window: CellWindow, bands: tuple[int, ...], lattice: Lattice | None = None) -> Grid:
    """Return a window that may reach beyond the grid, where there is no data."""
    whole = flow.lattice.whole
    cut = CellWindow(*map(max, window[:2], whole[:2]), *map(min, window[2:], whole[2:]))
    lattice = lattice or flow.lattice.within(window)
    if cut == window:
        return replace(flow.read(window, bands), lattice=lattice)
    values = np.zeros((len(bands), *window.shape), flow.dtype)
    valid = np.zeros(window.shape, bool)
    if not cut.is_empty:
        found = flow.read(cut, bands)
        top, left = cut.first_row - window.first_row, cut.first_column - window.first_column
        place = np.s_[top : top + cut.shape[0], left : left + cut.shape[1]]
        values[(slice(None), *place)] = found.values
        valid[place] = found.valid
    return Grid(values, valid, lattice)


def source_window(piece: Lattice, source: Lattice, move: Move) -> CellWindow:
    """Return the cells of a source that the cells of a piece are made of."""
    steps = np.linspace(0.0, 1.0, EDGE_POINTS)
    c, r = (g.ravel() for g in np.meshgrid(steps * piece.columns, steps * piece.rows))
    xy = move(np.column_stack(piece.to_map(c, r)))
    xy = xy[np.isfinite(xy).all(axis=1)]
    if not len(xy):
        return CellWindow(0, 0, 0, 0)
    column, row = source.to_cells(xy[:, 0], xy[:, 1])
    spacing = max(1.0, float(np.ptp(column)) / EDGE_POINTS, float(np.ptp(row)) / EDGE_POINTS) * 0.1 + AROUND
    lows = np.floor(np.array([column.min(), row.min()]) - spacing).astype(int)
    highs = np.ceil(np.array([column.max(), row.max()]) + spacing).astype(int)
    window = CellWindow(*np.maximum(lows, 0).tolist(), *np.minimum(highs, (source.columns, source.rows)).tolist())
    return CellWindow(0, 0, 0, 0) if window.is_empty else window
