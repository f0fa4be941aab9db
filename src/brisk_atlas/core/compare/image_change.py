"""What changed between two pictures: a measure of each cell, a threshold, and the cells beyond it."""

from __future__ import annotations

from collections.abc import Callable, Sequence
from dataclasses import dataclass
from enum import StrEnum
from typing import NamedTuple

import numpy as np
import pyarrow as pa

from brisk_atlas.core.model import AtlasError, Band, CellWindow, RasterPart
from brisk_atlas.core.model.grid import Grid
from brisk_atlas.core.model.language import tr
from brisk_atlas.core.place import is_geographic
from brisk_atlas.core.place.cell_areas import cell_areas
from brisk_atlas.core.table.expression import column_of

from .change import KEPT_CELLS, unlike
from .paired_cells import coincide, common_window, sides_in
from .patches import Patches, patches_of
from .radiometry import Brightness, Normalise, brightness

BLOCK_CELLS = 2_000_000
SAMPLE_SIDE = 500  # cells along a side, of those that brightness is fitted to
BINS = 1024  # of the histogram that a threshold is looked for in
HIGHEST_SHARE = 99.9  # per cent of the changes that the histogram covers
LOSS, GAIN, CHANGED = 1, 2, 3
CLASS_NAMES = {LOSS: "loss", GAIN: "gain", CHANGED: "changed"}


class ChangeMeasure(StrEnum):
    """What of a cell is compared."""

    DIFFERENCE = "difference"
    RATIO = "ratio"
    VEGETATION = "vegetation"
    WATER = "water"
    BURN = "burn"
    SNOW = "snow"
    VECTOR = "vector"
    ANGLE = "angle"
    EXPRESSION = "expression"

    @property
    def has_sign(self) -> bool:
        """Whether it says gain from loss."""
        return self not in (ChangeMeasure.VECTOR, ChangeMeasure.ANGLE)


INDICES = {  # normalised differences, by the roles of the bands: (first - second) / (first + second)
    ChangeMeasure.VEGETATION: ("near infrared", "red"),
    ChangeMeasure.WATER: ("green", "near infrared"),
    ChangeMeasure.BURN: ("near infrared", "shortwave infrared 2"),
    ChangeMeasure.SNOW: ("green", "shortwave infrared 1"),
}


class Limit(StrEnum):
    """How the threshold is found."""

    HAND = "hand"
    OTSU = "otsu"
    DEVIATIONS = "deviations"


@dataclass(frozen=True)
class ImageQuestion:
    """What is asked of two pictures. `bands` are those shown, of A and B, for a difference or a ratio; `expression` is
    SQL over b1, b2 and so on. `level` is the threshold by hand, or how many standard deviations from the mean it is."""

    measure: ChangeMeasure = ChangeMeasure.DIFFERENCE
    normalise: Normalise = Normalise.NONE
    limit: Limit = Limit.OTSU
    level: float = 2.0
    minimum_m2: float = 0.0
    bands: tuple[int, int] = (1, 1)
    expression: str = ""


class UsedBands(NamedTuple):
    """The numbers of the bands of A and of B that are compared, pair by pair."""

    a: tuple[int, ...]
    b: tuple[int, ...]


@dataclass(frozen=True, eq=False)
class PictureChange:
    """What changed. `change`: a grid of one band, or of two where the change has a direction (degrees, 0 to 360,
    between the first two bands); `threshold`: changes so far from `centre`, or farther, count; `classes`: (rows, cols)
    uint8, `CLASS_NAMES`, cleaned; `areas`: m² by class; `histogram`: counts and edges of the distance from `centre`."""

    change: Grid
    threshold: float
    centre: float
    classes: np.ndarray
    patches: Patches
    areas: dict[str, float]
    compared_m2: float
    histogram: tuple[np.ndarray, np.ndarray]
    brightness: tuple[Brightness, ...]
    resampled: bool
    bands: UsedBands


def bands_for(question: ImageQuestion, a: Sequence[Band], b: Sequence[Band]) -> UsedBands:
    """Return which bands of two pictures a question needs. Raises AtlasError where one has none of a role."""
    if question.measure in INDICES:
        numbers, roles = [], INDICES[question.measure]
        for side, bands in (("A", a), ("B", b)):
            found = {band.role: band.index for band in reversed(bands)}
            missing = [role for role in roles if role not in found]
            if missing:
                raise AtlasError(tr("side {side}", side=side),
                                 tr("it has no band whose role is {missing}", missing=' or '.join(missing)),
                                 tr("Choose another measure, or open the scene with its metadata."))  # fmt: skip
            numbers.append(tuple(found[role] for role in roles))
        return UsedBands(*numbers)
    if question.measure in (ChangeMeasure.VECTOR, ChangeMeasure.ANGLE):
        shared = [band.role for band in a if band.role and any(other.role == band.role for other in b)]
        if len(shared) > 1:
            return UsedBands(*(tuple(next(band.index for band in bands if band.role == role) for role in shared)
                               for bands in (a, b)))  # fmt: skip
        if len(a) == len(b) and len(a) > 1:
            return UsedBands(tuple(band.index for band in a), tuple(band.index for band in b))
        raise AtlasError(
            tr("these pictures"),
            tr("one has {count} bands, the other {count2}, and no roles are the same", count=len(a), count2=len(b)),
            tr("Compare by the difference of one band."),
        )
    if question.measure is ChangeMeasure.EXPRESSION:
        return UsedBands(tuple(band.index for band in a), tuple(band.index for band in b))
    reason = unlike(a[question.bands[0] - 1], b[question.bands[1] - 1])
    if reason:
        raise AtlasError(
            tr("these bands"), tr("they can't be compared: {reason}", reason=reason), tr("Choose like bands.")
        )
    return UsedBands(question.bands[:1], question.bands[1:])


def measured(question: ImageQuestion, a: np.ndarray, b: np.ndarray) -> list[np.ndarray]:
    """Return the change of each cell, and its direction where it has one, (rows, cols) each, NaN where it has none.

    a, b : (bands, rows, cols) float64, NaN without data

    Source of the change vector: Malila, W.A. (1980), "Change vector analysis: an approach for detecting forest changes
    with Landsat", Proc. Machine Processing of Remotely Sensed Data, 326-335; of the spectral angle: Kruse, F.A. et al.
    (1993), "The spectral image processing system (SIPS)", Remote Sensing of Environment 44, 145-163.
    """
    with np.errstate(divide="ignore", invalid="ignore"):
        match question.measure:
            case ChangeMeasure.DIFFERENCE:
                return [b[0] - a[0]]
            case ChangeMeasure.RATIO:  # as a logarithm, so that twice and half are as far from no change
                return [_finite(np.log2(b[0] / a[0]))]
            case ChangeMeasure.VEGETATION | ChangeMeasure.WATER | ChangeMeasure.BURN | ChangeMeasure.SNOW:
                return [_finite((b[0] - b[1]) / (b[0] + b[1]) - (a[0] - a[1]) / (a[0] + a[1]))]
            case ChangeMeasure.VECTOR:
                off = b - a
                return [np.sqrt((off**2).sum(axis=0)), np.degrees(np.arctan2(off[1], off[0])) % 360.0]
            case ChangeMeasure.ANGLE:
                across = (a * b).sum(axis=0) / np.sqrt((a**2).sum(axis=0) * (b**2).sum(axis=0))
                return [np.degrees(np.arccos(np.clip(across, -1.0, 1.0)))]
            case ChangeMeasure.EXPRESSION:
                return [_finite(_expressed(question.expression, b) - _expressed(question.expression, a))]


def _finite(values: np.ndarray) -> np.ndarray:
    return np.where(np.isfinite(values), values, np.nan)


def _expressed(expression: str, bands: np.ndarray) -> np.ndarray:
    """Return (rows, cols) what an SQL expression makes of bands, which it calls b1, b2 and so on."""
    table = pa.table({f"b{number + 1}": band.ravel() for number, band in enumerate(bands)})
    found = column_of(table, expression).cast(pa.float64(), safe=False)
    return np.asarray(found.to_numpy(zero_copy_only=False), float).reshape(bands.shape[1:])


def otsu_threshold(counts: np.ndarray, edges: np.ndarray) -> float:
    """Return the value that parts a histogram best into two.

    counts : (n,); edges : (n + 1,)

    Source: Otsu, N. (1979), "A threshold selection method from gray-level histograms", IEEE Trans. Systems, Man and
    Cybernetics 9(1), 62-66: the variance between the two parts is largest; in the middle of a stretch without cells.
    """
    middles = (edges[:-1] + edges[1:]) / 2
    below, total = np.cumsum(counts), counts.sum()
    sums = np.cumsum(counts * middles)
    with np.errstate(divide="ignore", invalid="ignore"):
        between = (sums[-1] * below / total - sums) ** 2 / (below * (total - below))
    between = np.nan_to_num(between[:-1], nan=-1.0, posinf=-1.0)
    best = np.flatnonzero(between >= between.max() * (1 - 1e-12))
    return float((edges[best[0] + 1] + edges[best[-1] + 1]) / 2)


def image_change(
    before: RasterPart, after: RasterPart, question: ImageQuestion, check: Callable[[float], None] = lambda share: None
) -> PictureChange:
    """Return what changed between two pictures where both have data, on A's cells.

    Raises AtlasError where they do not overlap, lack the bands, are too large to be held, or nothing can be measured.
    """
    a = before.facts
    if a.crs is None or (is_geographic(a.crs) and not a.lattice.is_upright):
        raise AtlasError(before.ref, tr("areas need a CRS"), tr("State its CRS, or export it in a projected one."))
    assert a.grid is not None and after.facts.grid is not None
    bands = bands_for(question, a.grid.bands, after.facts.grid.bands)
    window = common_window(before, after)
    rows, cols = window.shape
    if rows * cols > KEPT_CELLS:
        raise AtlasError(
            before.ref,
            tr("{rows:,} cells are too many at once", rows=rows * cols),
            tr("Export a smaller extent first."),
        )
    levels = _levels(before, after, bands, window, question.normalise)
    layers = 2 if question.measure is ChangeMeasure.VECTOR else 1
    change = np.full((layers, rows, cols), np.nan, np.float32)
    height = max(1, BLOCK_CELLS // (cols * len(bands.a)))
    resampled = not coincide(before, after)
    for top in range(0, rows, height):
        end = min(rows, top + height)
        piece = CellWindow(window.first_column, window.first_row + top, window.last_column, window.first_row + end)
        one, two, _ = sides_in(piece, before, after, bands)
        both = one.valid & two.valid
        first, second = (np.where(both, each.values.astype(float), np.nan) for each in (one, two))
        second = np.stack([level(band) for level, band in zip(levels, second)])
        for number, found in enumerate(measured(question, first, second)):
            change[number, top:end] = found
        check(0.7 * end / rows)
    known = np.isfinite(change[0])
    if not known.any():
        raise AtlasError(
            after.ref, tr("no cell can be compared with {name}", name=before.ref.name), tr("Choose other pictures.")
        )
    lattice = a.lattice.within(window)
    areas = cell_areas(lattice)
    centre, threshold, histogram = _threshold(change[0][known], question)
    classes = np.zeros((rows, cols), np.uint8)
    off = np.where(known, change[0] - np.float32(centre), np.float32(0))
    if question.measure.has_sign:
        classes[known & (off >= threshold)] = GAIN
        classes[known & (off <= -threshold)] = LOSS
    else:
        classes[known & (off >= threshold)] = CHANGED
    check(0.8)
    patches = patches_of(classes, change[0], areas, question.minimum_m2)
    classes[patches.labels == 0] = 0
    check(1.0)
    return PictureChange(
        Grid(change, known, lattice), threshold, centre, classes, patches,
        {CLASS_NAMES[kind]: float(patches.areas[patches.kinds == kind].sum())
         for kind in ((LOSS, GAIN) if question.measure.has_sign else (CHANGED,))},
        float((known.sum(axis=1) * areas).sum()), histogram, levels, resampled, bands,
    )  # fmt: skip


def _levels(
    before: RasterPart, after: RasterPart, bands: UsedBands, window: CellWindow, how: Normalise
) -> tuple[Brightness, ...]:
    """Return what brings each band of B to A's brightness, by a sample spread over what both share."""
    if how is Normalise.NONE:
        return tuple(brightness(np.empty(0), np.empty(0), how) for _ in bands.a)
    lattice = before.facts.lattice.within(window)
    rows, cols = window.shape
    step = max(1, max(rows, cols) // SAMPLE_SIDE)
    coarse = lattice.thinned(step)
    one, two = before.onto(coarse, bands=bands.a), after.onto(coarse, bands=bands.b)
    both = one.valid & two.valid
    return tuple(brightness(x[both].astype(float), y[both].astype(float), how) for x, y in zip(one.values, two.values))


def _threshold(changes: np.ndarray, question: ImageQuestion) -> tuple[float, float, tuple[np.ndarray, np.ndarray]]:
    """Return the centre of the changes, how far from it they count, and the histogram of how far they are."""
    centre = 0.0
    if question.limit is Limit.DEVIATIONS and question.measure.has_sign:
        centre = float(changes.mean(dtype=float))
    off = np.abs(changes - np.float32(centre)) if question.measure.has_sign else changes
    high = float(np.percentile(off, HIGHEST_SHARE)) or float(off.max()) or 1.0
    counts, edges = np.histogram(np.minimum(off, high), BINS, (0.0, high))
    match question.limit:
        case Limit.HAND:
            level = question.level
        case Limit.OTSU:
            level = otsu_threshold(counts, edges) if off.max() > 0 else 1.0
        case Limit.DEVIATIONS:
            deviation = float(changes.std(dtype=float))
            level = question.level * deviation
            if not question.measure.has_sign:
                level += float(changes.mean(dtype=float))
    return centre, max(level, 1e-9), (counts, edges)
