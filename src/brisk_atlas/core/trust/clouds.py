"""Points that can't be trusted: there twice, far above or below those around, without classes, wrongly returned."""

from __future__ import annotations

from collections.abc import Callable, Iterator

import numpy as np

from brisk_atlas.core.model.cloud import Points
from brisk_atlas.core.model.language import tr, trn
from brisk_atlas.core.record.checks import Severity

from .fields import MAD
from .trust_finding import MOST_PLACES, TrustFinding

TESTS = ("points once", "no spikes", "classified", "returns that can be", "no holes")
NOISE = (7, 18)  # the classes of low and high noise of LAS
A_CELL = 24  # points in a cell, about
SPIKE, FEWEST_UNITS = 15.0, 5.0  # standard deviations of heights in a cell, and units of height at the same time
FEWEST = 8  # points in a cell with a spike
MOST_WITHOUT, SHOWN = 0.5, 3  # a share of points without a class in a cloud with classes; classes that are named
HOLE_CELLS = 3  # across, of a hole
PRIMES = np.array([0x9E3779B185EBCA87, 0xC2B2AE3D27D4EB4F, 0x165667B19E3779F9], np.uint64)
Check = Callable[[], None]


def cloud_findings(points: Points, check: Check) -> Iterator[TrustFinding]:
    """Yield what is strange in a point cloud."""
    total = len(points)
    if not total:
        return
    xyz = points.xyz
    yield from _twice(xyz)
    check()
    yield from _spikes(xyz, points.dimensions.get("classification"))
    check()
    classes = points.dimensions.get("classification")
    if classes is not None:
        without = int(np.isin(classes, (0, 1)).sum())
        if without == total:
            yield TrustFinding(
                Severity.NOTE, "classified", tr("no point has a class"), "completenessOmission", total, total, "points"
            )
        elif without > MOST_WITHOUT * total:
            share, others = without / total, _shares(classes)
            text = tr("{share:.0%} of the points have no class; {others}", share=share, others=others)
            yield TrustFinding(Severity.CAUTION, "classified", text, "completenessOmission", without, total, "points")
        noise = int(np.isin(classes, NOISE).sum())
        if noise:
            text = trn("{count:,} point is classified as noise, and still there",
                       "{count:,} points are classified as noise, and still there", noise)  # fmt: skip
            yield TrustFinding(
                Severity.NOTE,
                "classified",
                text,
                "domainConsistency",
                noise,
                total,
                "points",
                places=xyz[np.isin(classes, NOISE)][:MOST_PLACES, :2],
            )
    number, of = points.dimensions.get("return_number"), points.dimensions.get("number_of_returns")
    if number is not None and of is not None:
        wrong = (number > of) | (number == 0)
        count = int(wrong.sum())
        if count:
            text = trn("{count:,} point is a return beyond the number of its pulse",
                       "{count:,} points are a return beyond the number of its pulse", count)  # fmt: skip
            yield TrustFinding(
                Severity.CAUTION,
                "returns that can be",
                text,
                "conceptualConsistency",
                count,
                total,
                "points",
                places=xyz[wrong][:MOST_PLACES, :2],
            )


def _shares(classes: np.ndarray) -> str:
    """Return the shares of the classes in words, the largest first."""
    numbers, counts = np.unique(classes[~np.isin(classes, (0, 1))], return_counts=True)
    order = np.argsort(-counts)[:SHOWN]
    shares = ((counts[at] / len(classes), numbers[at]) for at in order)
    return ", ".join(tr("{share:.1%} are of class {number}", share=share, number=number) for share, number in shares)


def _twice(xyz: np.ndarray) -> Iterator[TrustFinding]:
    """Yield points at the very same position: a hash of the three numbers brings them side by side."""
    bits = np.ascontiguousarray(xyz).view(np.uint64)
    hashes = (bits * PRIMES).sum(axis=1, dtype=np.uint64)
    order = np.argsort(hashes ^ (hashes >> np.uint64(29)))
    same = (np.diff(xyz[order], axis=0) == 0).all(axis=1)
    count = int(same.sum())
    if count:
        again = order[1:][same]
        text = trn("{count:,} point is exactly where another is",
                   "{count:,} points are exactly where another is", count)  # fmt: skip
        yield TrustFinding(
            Severity.CAUTION,
            "points once",
            text,
            "completenessCommission",
            count,
            len(xyz),
            "points",
            places=xyz[again][:MOST_PLACES, :2],
        )


def _spikes(xyz: np.ndarray, classes: np.ndarray | None) -> Iterator[TrustFinding]:
    """Yield points far above or below the middle of those in their cell, and holes between cells with points."""
    low, high = xyz[:, :2].min(axis=0), xyz[:, :2].max(axis=0)
    area = float(np.prod(np.maximum(high - low, 1e-9)))
    side = np.sqrt(area / max(1, len(xyz)) * A_CELL)
    columns, rows = (np.floor((xyz[:, axis] - low[axis]) / side).astype(np.int64) for axis in (0, 1))
    wide = int(columns.max()) + 1
    cells = rows * wide + columns
    order = np.lexsort((xyz[:, 2], cells))
    starts = np.flatnonzero(np.diff(cells[order], prepend=-1))
    counts = np.diff(np.append(starts, len(order)))
    z = xyz[order, 2]
    middle = np.repeat(z[starts + counts // 2], counts)
    away = np.abs(z - middle)
    by_cell = np.lexsort((away, np.repeat(np.arange(len(starts)), counts)))
    usual = np.repeat(away[by_cell][starts + counts // 2], counts) * MAD
    strange = (away > np.maximum(SPIKE * usual, FEWEST_UNITS)) & (np.repeat(counts, counts) >= FEWEST)
    found = order[strange]
    if classes is not None and found.size:
        found = found[~np.isin(classes[found], NOISE)]
    if 0 < len(found) <= 0.001 * len(xyz) + 1:
        off = np.zeros(len(xyz))
        off[order] = away
        worst = float(off[found].max())
        text = trn(
            "{count:,} point lies up to {worst:,.1f} units of height above or below those around",
            "{count:,} points lie up to {worst:,.1f} units of height above or below those around",
            len(found), worst=worst,
        )  # fmt: skip
        yield TrustFinding(
            Severity.CAUTION,
            "no spikes",
            text,
            "domainConsistency",
            len(found),
            len(xyz),
            "points",
            places=xyz[found][:MOST_PLACES, :2],
        )
    yield from _holes(cells, wide, int(rows.max()) + 1, low, side)


def _holes(cells: np.ndarray, wide: int, tall: int, low: np.ndarray, side: float) -> Iterator[TrustFinding]:
    from scipy import ndimage

    taken = np.zeros(wide * tall, bool)
    taken[cells] = True
    labels, count = ndimage.label(~taken.reshape(tall, wide))
    edge = np.unique(np.concatenate([labels[0], labels[-1], labels[:, 0], labels[:, -1]]))
    sizes = np.bincount(labels.ravel(), minlength=count + 1)
    inner = np.setdiff1d(np.flatnonzero(sizes >= HOLE_CELLS**2), np.append(edge, 0))
    if inner.size:
        middles = np.array(ndimage.center_of_mass(~taken.reshape(tall, wide), labels, inner))
        places = low + (middles[:, ::-1] + 0.5) * side
        area = float(sizes[inner].sum()) * side**2
        text = trn(
            "{count:,} hole without points, of {area:,.0f} square units in all",
            "{count:,} holes without points, of {area:,.0f} square units in all",
            len(inner), area=area,
        )  # fmt: skip
        yield TrustFinding(
            Severity.NOTE,
            "no holes",
            text,
            "completenessOmission",
            len(inner),
            len(cells),
            "holes",
            places=places[:MOST_PLACES],
        )
