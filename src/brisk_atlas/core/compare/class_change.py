"""From which class to which: the matrix of two grids of classes, or of two coverages of polygons."""

from __future__ import annotations

from collections import defaultdict
from collections.abc import Callable
from dataclasses import dataclass

import numpy as np

from brisk_atlas.core.model import AtlasError, Band, CellWindow, RasterPart
from brisk_atlas.core.model.language import tr
from brisk_atlas.core.place import is_geographic
from brisk_atlas.core.place.cell_areas import cell_areas

from .paired_cells import coincide, common_window, sides_in

BLOCK_CELLS = 4_000_000
MOST_CLASSES = 500  # of each side; more are measures rather than classes
MOST_PAIRS = 1_000_000  # of numbers between the smallest and the largest class of both, counted in one table


@dataclass(frozen=True, eq=False)
class ClassMatrix:
    """What each class of A became in B. `classes`: names, in order, of rows (A) and columns (B) alike; `areas`:
    (n, n) m²; `counts`: (n, n) cells or pieces; `colours` by name, `#rrggbb`, where stated."""

    classes: tuple[str, ...]
    areas: np.ndarray
    counts: np.ndarray
    colours: dict[str, str]
    resampled: bool = False
    numbers: tuple[int, ...] = ()

    @property
    def total(self) -> float:
        """The area that was compared, m²."""
        return float(self.areas.sum())

    @property
    def agreement(self) -> float:
        """The share of the area whose class is the same."""
        return float(np.trace(self.areas)) / self.total

    @property
    def kappa(self) -> float:
        """How much of the agreement is beyond chance: 1 for all of it, 0 for none; NaN where chance explains all.

        Source: Cohen, J. (1960), "A coefficient of agreement for nominal scales", Educational and Psychological
        Measurement 20(1), 37-46.
        """
        shares = self.areas / self.total
        chance = float((shares.sum(axis=0) * shares.sum(axis=1)).sum())
        return (self.agreement - chance) / (1 - chance) if chance < 1 - 1e-12 else float("nan")

    @property
    def before(self) -> np.ndarray:
        """(n,) m² of each class in A."""
        return self.areas.sum(axis=1)

    @property
    def after(self) -> np.ndarray:
        """(n,) m² of each class in B."""
        return self.areas.sum(axis=0)

    def largest_changes(self, count: int) -> list[tuple[str, str, float]]:
        """Return the largest changes from one class to another, with their areas in m²."""
        found = [
            (self.classes[a], self.classes[b], float(self.areas[a, b]))
            for a, b in zip(*np.nonzero(self.areas)) if a != b
        ]  # fmt: skip
        return sorted(found, key=lambda each: -each[2])[:count]


def class_matrix(
    before: RasterPart,
    after: RasterPart,
    bands: tuple[int, int] = (1, 1),
    check: Callable[[float], None] = lambda share: None,
) -> ClassMatrix:
    """Return what became of each class where both grids have data, read block by block; B has the class of its nearest
    cell where the cells do not coincide.

    Raises AtlasError where they do not overlap, hold fractions, or have too many different numbers to be classes.
    """
    a, b = before.facts, after.facts
    if a.crs is None or (is_geographic(a.crs) and not a.lattice.is_upright):
        raise AtlasError(before.ref, tr("areas need a CRS"), tr("State its CRS, or export it in a projected one."))
    window = common_window(before, after)
    rows, cols = window.shape
    areas = cell_areas(a.lattice.within(window))
    cells: dict[tuple[int, int], int] = defaultdict(int)
    sums: dict[tuple[int, int], float] = defaultdict(float)
    height = max(1, BLOCK_CELLS // cols)
    for top in range(0, rows, height):
        end = min(rows, top + height)
        piece = CellWindow(window.first_column, window.first_row + top, window.last_column, window.first_row + end)
        one, two, _ = sides_in(piece, before, after, (bands[:1], bands[1:]), smooth=False)
        both = one.valid & two.valid
        weights = np.broadcast_to(areas[top:end, None], both.shape)[both]
        pairs = [_whole(part, grid.values[0][both]) for part, grid in ((before, one), (after, two))]
        for pair, count, area in _counted(pairs[0], pairs[1], weights):
            cells[pair] += count
            sums[pair] += area
        if any(len({pair[side] for pair in cells}) > MOST_CLASSES for side in (0, 1)):
            raise AtlasError(
                before.ref,
                tr(
                    "it or {name} has more than {most_classes} different numbers",
                    name=after.ref.name,
                    most_classes=MOST_CLASSES,
                ),
                tr("Those are measures rather than classes; compare them by their difference."),
            )
        check(end / rows)
    if not cells:
        raise AtlasError(
            after.ref, tr("no cell has data both here and in {name}", name=before.ref.name), tr("Choose other grids.")
        )
    numbers = sorted({number for pair in cells for number in pair})
    place = {number: at for at, number in enumerate(numbers)}
    matrix, counts = np.zeros((len(numbers),) * 2), np.zeros((len(numbers),) * 2, np.int64)
    for (first, second), count in cells.items():
        at = place[first], place[second]
        counts[at], matrix[at] = count, sums[first, second]
    named = _names(b.grid.bands[bands[1] - 1] if b.grid else None) | _names(
        a.grid.bands[bands[0] - 1] if a.grid else None
    )
    names = tuple(named[number][0] if number in named else str(number) for number in numbers)
    if len(set(names)) < len(names):
        names = tuple(f"{number} {name}" for number, name in zip(numbers, names))
    colours = {name: named[number][1] for number, name in zip(numbers, names) if number in named}
    return ClassMatrix(names, matrix, counts, colours, not coincide(before, after), tuple(numbers))


def _names(band: Band | None) -> dict[int, tuple[str, str]]:
    """Return the names and colours of a band's classes by their numbers."""
    return {number: (name or str(number), colour) for number, colour, name in band.classes} if band is not None else {}


def _whole(part: RasterPart, values: np.ndarray) -> np.ndarray:
    """Return values as whole numbers. Raises AtlasError for fractions."""
    if values.dtype.kind in "iu":
        return values.astype(np.int64)
    whole = np.rint(values)
    if (whole != values).any():
        raise AtlasError(part.ref, tr("it holds fractions, which are no classes"), tr("Compare it by its difference."))
    return whole.astype(np.int64)


def _counted(a: np.ndarray, b: np.ndarray, weights: np.ndarray) -> list[tuple[tuple[int, int], int, float]]:
    """Return each pair of numbers of two arrays, how often it comes, and the sum of its weights."""
    if not a.size:
        return []
    low_a, low_b = int(a.min()), int(b.min())
    wide_a, wide_b = int(a.max()) - low_a + 1, int(b.max()) - low_b + 1
    if wide_a * wide_b <= MOST_PAIRS:
        codes = (a - low_a) * wide_b + (b - low_b)
        counts, sums = np.bincount(codes), np.bincount(codes, weights)
        found = np.flatnonzero(counts)
        firsts, seconds = found // wide_b + low_a, found % wide_b + low_b
    else:
        every, codes = np.unique(np.stack([a, b], axis=1), axis=0, return_inverse=True)
        codes = codes.ravel()
        counts, sums = np.bincount(codes), np.bincount(codes, weights)
        found = np.arange(len(every))
        firsts, seconds = every.T
    return [((int(x), int(y)), int(counts[at]), float(sums[at])) for x, y, at in zip(firsts, seconds, found)]
