"""The difference between two grids: what rose, what fell, by how much, and how far that can be believed."""

from __future__ import annotations

from collections.abc import Callable
from concurrent.futures import ThreadPoolExecutor
from dataclasses import dataclass
from itertools import pairwise

import numpy as np
import shapely

from brisk_atlas.core.model import AtlasError, Band, CellWindow, Extent, Lattice, RasterPart
from brisk_atlas.core.model.grid import Grid
from brisk_atlas.core.model.language import tr
from brisk_atlas.core.place import is_geographic
from brisk_atlas.core.place.cell_areas import cell_areas
from brisk_atlas.core.system.shares import CORES

from .accuracy import SURE
from .change_kernel import ChangeSums, change_sums
from .paired_cells import coincide, common_window, sides_in
from .vertical_datum import unlike_heights

NOTHING = 1e-9
BLOCK_CELLS = 2_000_000  # worked on at once by a core
TILE = 512  # cells along a side, of which most tiles of files have a multiple or a share
ACROSS = 4 * TILE  # columns worked on at once
KEPT_CELLS = 100_000_000  # up to which the difference itself is held in memory


@dataclass(frozen=True)
class VolumeError:
    """How far a volume may be off (95 %), m³: `independent` if the errors of cells have nothing to do with each other,
    `alike` if all of them are off by the same."""

    independent: float
    alike: float


@dataclass(frozen=True)
class ChangeUncertainty:
    """How far a difference can be believed. `accuracies` are the standard errors of A and B, `detection` the level of
    detection (95 %): a smaller difference may be none; both in units of the values. `left_out` are the volumes, m³, of
    rises and falls that are too small to count."""

    accuracies: tuple[float, float]
    detection: float
    risen: VolumeError
    fallen: VolumeError
    net: VolumeError
    left_out: tuple[float, float]


@dataclass(frozen=True, eq=False)
class GridDifference:
    """B minus A on A's grid. Areas in m², volumes in m³ where values are metres.

    `difference` is None where it is too large to be held. `threshold` is the change, up or down, from which a cell
    counts as risen or fallen: the one that was asked for, or the level of detection if that is larger; net and mean are
    over all compared cells. `resampled` says whether B had to be put onto A's grid. `cell_area` is that of a middle
    cell, as those of a geographic grid differ.
    """

    difference: Grid | None
    threshold: float
    compared_cells: int
    cell_area: float
    risen_area: float
    fallen_area: float
    risen_volume: float
    fallen_volume: float
    net_volume: float
    mean: float
    minimum: float
    maximum: float
    resampled: bool
    on_ellipsoid: bool = False
    uncertainty: ChangeUncertainty | None = None


def detection_level(accuracies: tuple[float, float]) -> float:
    """Return the difference that two surfaces with these standard errors must have to be one (95 %).

    Source: Brasington, J., Langham, J. and Rumsby, B. (2003), "Methodological sensitivity of morphometric estimates of
    coarse fluvial sediment transport", Geomorphology 53, 299-316: errors are propagated as the root of their squares.
    """
    return SURE * float(np.hypot(*accuracies))


def change_between(
    before: RasterPart,
    after: RasterPart,
    *,
    threshold: float = 0.0,
    bands: tuple[int, int] = (1, 1),
    accuracies: tuple[float, float] | None = None,
    within: shapely.Geometry | None = None,
    check: Callable[[float], None] = lambda share: None,
) -> GridDifference:
    """Return what changed from `before` to `after` where both have data, read block by block.

    `bands` are those of A and of B. B is read onto A's grid: its own cells where the two grids coincide, otherwise
    interpolated. With `accuracies`, the standard errors of both, changes below the level of detection do not count, and
    the volumes have errors. `within`, a shape in A's CRS, leaves out cells whose middle lies outside it. Cells of a
    geographic CRS have their areas on the ellipsoid.
    Raises AtlasError where the two do not overlap, or areas are unknown.
    """
    a = before.facts
    if a.crs is None or (is_geographic(a.crs) and not a.lattice.is_upright):
        raise AtlasError(
            before.ref, tr("areas and volumes need a projected CRS"), tr("Export the grid in a projected CRS first.")
        )
    reason = unlike_heights(a, after.facts)
    if reason:
        raise AtlasError(tr("{name} and {ref_name}", name=before.ref.name, ref_name=after.ref.name),
                         tr("they can't be subtracted: {reason}", reason=reason),
                         tr("Bring both to one vertical datum first."))  # fmt: skip
    window = common_window(before, after, Extent.of(within.bounds, a.crs) if within is not None else None)
    lattice = a.lattice.within(window)
    limit = max(threshold, detection_level(accuracies) if accuracies else 0.0, NOTHING)
    rows, columns = window.shape
    kept = rows * columns <= KEPT_CELLS
    delta = np.empty((rows, columns) if kept else (1, 1), np.float32)
    areas = cell_areas(lattice)
    one_band = (bands[:1], bands[1:])
    aligned = coincide(before, after)
    tops = _begins(window.first_row, rows, max(TILE, BLOCK_CELLS // max(1, columns) // TILE * TILE))
    lefts = _begins(window.first_column, columns, ACROSS)

    def piece(first: int, last: int, left: int, right: int) -> ChangeSums:
        x, y = window.first_column, window.first_row
        one, two, _ = sides_in(CellWindow(x + left, y + first, x + right, y + last), before, after, one_band)
        valid = one.valid & two.valid
        if within is not None:
            valid &= _inside(one.lattice, within)
        into = delta[first:last, left:right] if kept else delta
        return ChangeSums(
            *change_sums(_floats(one.values[0]), _floats(two.values[0]), valid, areas[first:last], limit, into, kept)
        )

    def stripe(first: int, last: int) -> list[ChangeSums]:
        """Return the sums of some rows, which one thread goes along, as files may be stored in whole rows."""
        return [piece(first, last, *edges) for edges in pairwise([*lefts, columns])]

    with ThreadPoolExecutor(CORES if aligned else 1, "change") as pool:  # what is resampled shares its own work
        found: list[ChangeSums] = []
        for number, sums in enumerate(pool.map(stripe, tops, [*tops[1:], rows])):
            found += sums
            try:
                check(0.95 * (number + 1) / len(tops))
            except BaseException:
                pool.shutdown(wait=False, cancel_futures=True)
                raise
    whole = _together(found)
    if not whole.cells:
        raise AtlasError(
            after.ref, tr("no cell has data both here and in {name}", name=before.ref.name), tr("Choose other grids.")
        )
    return GridDifference(
        difference=Grid(delta[None], np.isfinite(delta), lattice) if kept else None,
        threshold=max(threshold, detection_level(accuracies) if accuracies else 0.0),
        compared_cells=whole.cells,
        cell_area=float(areas[len(areas) // 2]),
        risen_area=whole.risen_area,
        fallen_area=whole.fallen_area,
        risen_volume=whole.risen_volume,
        fallen_volume=whole.fallen_volume,
        net_volume=whole.volume,
        mean=whole.total / whole.cells,
        minimum=whole.low,
        maximum=whole.high,
        resampled=not aligned,
        on_ellipsoid=is_geographic(a.crs),
        uncertainty=_uncertainty(whole, accuracies) if accuracies else None,
    )


def _begins(offset: int, count: int, step: int) -> list[int]:
    """Return where pieces of a window begin, one after another, so that further ones begin with a tile of the file."""
    return [0, *range(step - offset % step, count, step)]


def _floats(values: np.ndarray) -> np.ndarray:
    """Return values as one of the two types that the compiled pass is made for."""
    return np.ascontiguousarray(values) if values.dtype == np.float32 else np.ascontiguousarray(values, np.float64)


def _inside(lattice: Lattice, shape: shapely.Geometry) -> np.ndarray:
    """Return (rows, cols) bool of the cells whose middle lies in a shape of the same CRS."""
    from affine import Affine
    from rasterio.features import geometry_mask

    return np.asarray(
        geometry_mask(
            [shape], (lattice.rows, lattice.columns), Affine(*lattice.transform), invert=True, all_touched=False
        )
    )


def _together(found: list[ChangeSums]) -> ChangeSums:
    """Return the sums of all blocks."""
    summed = np.array(found, float).sum(axis=0)
    return ChangeSums(*(int(n) for n in summed[:3]), *map(float, summed[3:]))._replace(
        low=min(each.low for each in found), high=max(each.high for each in found)
    )


def _uncertainty(whole: ChangeSums, accuracies: tuple[float, float]) -> ChangeUncertainty:
    """Return how far the volumes may be off.

    Source: Lane, S.N., Westaway, R.M. and Hicks, D.M. (2003), "Estimation of erosion and deposition volumes in a large,
    gravel-bed, braided river using synoptic remote sensing", Earth Surface Processes and Landforms 28, 249-271: the
    error of a sum of cells with independent errors grows with the root of their number, of alike ones with the number.
    """
    sigma = float(np.hypot(*accuracies))

    def error(weight: float, extent: float) -> VolumeError:
        return VolumeError(SURE * sigma * float(np.sqrt(weight)), SURE * sigma * extent)

    return ChangeUncertainty(
        accuracies,
        detection_level(accuracies),
        error(whole.risen_weight, whole.risen_area),
        error(whole.fallen_weight, whole.fallen_area),
        error(whole.weight, whole.area),
        (whole.faint_risen, whole.faint_fallen),
    )


def unlike(a: Band, b: Band) -> str:
    """Return why two bands measure different things, so that their difference means nothing; "" where they may be
    compared."""
    if a.unit and b.unit and a.unit != b.unit:
        return tr("{name} is in {unit}, {b_name} in {unit2}", name=a.name, unit=a.unit, b_name=b.name, unit2=b.unit)
    if (a.centre_um is None) != (b.centre_um is None):
        light, other = (b, a) if a.centre_um is None else (a, b)
        return tr(
            "{name} measures light at {centre_um:g} µm, {other_name} does not",
            name=light.name,
            centre_um=light.centre_um,
            other_name=other.name,
        )
    return ""
