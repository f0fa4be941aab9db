"""Cells that can't be trusted: holes without data, stand-ins, spikes, stripes, and steps between tiles."""

from __future__ import annotations

from collections.abc import Callable, Iterator

import numpy as np
from scipy import ndimage

from brisk_atlas.core.model import number_text
from brisk_atlas.core.model.grid import Grid
from brisk_atlas.core.model.language import tr, trn
from brisk_atlas.core.record.checks import Severity

from .fields import MAD, STAND_INS
from .spike_kernel import away_from_eight
from .trust_finding import MOST_PLACES, NO_PLACES, TrustFinding, cells_text

TESTS = (
    "cells with data",
    "no holes",
    "values that differ",
    "no stand-ins for missing",
    "no spikes",
    "no stripes",
    "no steps between tiles",
    "values within range",
)
SPIKE = 25.0  # standard deviations of the differences to the eight around
STEEP = 3.0  # times the range of the eight around, which is large at a cliff
SAMPLE = 1_000_000  # cells, of which the usual difference is taken
FEWEST_ALIKE = 0.01  # of the range, that a spike is off
STRIPE, STRIPE_SHARE = 10.0, 0.1  # deviations of a row from its two neighbours; of rows, above which it is the ground
SATURATED = 0.02  # of cells, at an end of what the type holds
WHOLE = 0.8  # of the cells of a line that step alike
ACROSS = 1_000  # cells of a line, about, that are looked at for that
FEWEST = 24  # rows and columns, for stripes
Check = Callable[[], None]


def cell_findings(
    grid: Grid, name: str, check: Check, *, is_classes: bool = False, is_picture: bool = False
) -> Iterator[TrustFinding]:
    """Yield what is strange in one band of a grid, the first of `grid`; of classes only what is missing, and of
    pictures, where a house is a single bright cell, no spikes."""
    values, valid = grid.values[0], grid.valid
    total = int(values.size)
    if valid.dtype != bool:
        valid = valid.astype(bool)
    if values.dtype.kind == "f":
        valid = valid & np.isfinite(values)
    known = values[valid]
    if not known.size:
        yield TrustFinding(
            Severity.FAULT,
            "cells with data",
            tr("{name} has no cell with data", name=name),
            "completenessOmission",
            total,
            total,
            "cells",
        )
        return
    yield from _holes(grid, valid, name)
    check()
    low, high = float(known.min()), float(known.max())
    if low == high:
        yield TrustFinding(
            Severity.CAUTION,
            "values that differ",
            tr("{name} is {low} in every cell", name=name, low=number_text(low)),
            "domainConsistency",
            int(known.size),
            total,
            "cells",
        )
        return
    if is_classes:
        return
    stand_in = valid & np.isin(values, np.array(STAND_INS))
    rest = known[~np.isin(known, np.array(STAND_INS))]
    if stand_in.any() and rest.size:
        for value in np.unique(values[stand_in]):
            if not rest.min() <= value <= rest.max():
                where = values == value
                text = trn(
                    "{name} is {value:g} in {count:,} cell, which stands for no value and is not stated as nodata",
                    "{name} is {value:g} in {count:,} cells, which stands for no value and is not stated as nodata",
                    int(where.sum()), name=name, value=float(value),
                )  # fmt: skip
                yield _found(Severity.FAULT, "no stand-ins for missing", text, "domainConsistency", where & valid, grid)
                valid = valid & ~where
    check()
    yield from _saturated(grid, valid, name)
    numbers = np.where(valid, values, np.nan).astype(np.float64)
    if not is_picture:
        yield from _spikes(grid, valid, name)
    check()
    for along, word in ((1, "row"), (0, "column")):
        yield from _stripes(grid, numbers, along, word, name)
        check()


def _found(severity: Severity, test: str, text: str, quality: str, where: np.ndarray, grid: Grid) -> TrustFinding:
    rows, columns = np.nonzero(where)
    return TrustFinding(
        severity,
        test,
        text,
        quality,
        len(rows),
        int(where.size),
        "cells",
        places=_on_map(grid, rows[:MOST_PLACES], columns[:MOST_PLACES]),
    )


def _on_map(grid: Grid, rows: np.ndarray, columns: np.ndarray) -> np.ndarray:
    if not len(rows):
        return NO_PLACES
    return np.column_stack(grid.lattice.to_map(columns + 0.5, rows + 0.5))


def _holes(grid: Grid, valid: np.ndarray, name: str) -> Iterator[TrustFinding]:
    """Yield gaps without data that data surrounds; what reaches the edge is where the data ends."""
    if valid.all():
        return
    labels, count = ndimage.label(~valid)
    edge = np.unique(np.concatenate([labels[0], labels[-1], labels[:, 0], labels[:, -1]]))
    inner = np.setdiff1d(np.arange(1, count + 1), edge)
    if not inner.size:
        return
    sizes = np.bincount(labels.ravel(), minlength=count + 1)[inner]
    largest = inner[np.argsort(-sizes)][:MOST_PLACES]
    first = ndimage.find_objects(labels)
    rows, columns = (
        np.array([(first[number - 1][axis].start + first[number - 1][axis].stop - 1) / 2 for number in largest])
        for axis in (0, 1)
    )
    text = trn(
        "{name} has {count:,} hole without data, {cells} in all, the largest of {largest:,}",
        "{name} has {count:,} holes without data, {cells} in all, the largest of {largest:,}",
        len(inner), name=name, cells=cells_text(int(sizes.sum())), largest=int(sizes.max()),
    )  # fmt: skip
    yield TrustFinding(
        Severity.CAUTION,
        "no holes",
        text,
        "completenessOmission",
        int(sizes.sum()),
        int(valid.size),
        "cells",
        places=_on_map(grid, rows, columns),
    )


def _saturated(grid: Grid, valid: np.ndarray, name: str) -> Iterator[TrustFinding]:
    values = grid.values[0]
    if values.dtype.kind not in "iu":
        return
    ends = np.iinfo(values.dtype)
    for end in (ends.min, ends.max):
        if end == 0:
            continue
        where = valid & (values == end)
        share = where.sum() / max(1, valid.sum())
        if share > SATURATED:
            text = tr(
                "{name} is {end:,}, the end of what its type holds, in {share:.0%} of its cells: they may be cut off",
                name=name, end=end, share=share,
            )  # fmt: skip
            yield _found(Severity.NOTE, "values within range", text, "domainConsistency", where, grid)


def _spikes(grid: Grid, valid: np.ndarray, name: str) -> Iterator[TrustFinding]:
    """Yield single cells far from the eight around them."""
    values = grid.values[0]
    away, span = (np.full(values.shape, np.nan, np.float32) for _ in range(2))
    away_from_eight(values, valid, away, span)
    step = max(1, int(np.sqrt(values.size / SAMPLE)))
    some, sampled = away[::step, ::step], values[::step, ::step][valid[::step, ::step]]
    if not np.isfinite(some).any():
        return
    usual = float(np.nanmedian(some)) * MAD
    low, high = np.percentile(sampled.astype(np.float64), (1, 99))
    with np.errstate(invalid="ignore"):
        spikes = (away > max(SPIKE * usual, FEWEST_ALIKE * (high - low))) & (away > STEEP * span)
    count = int(spikes.sum())
    if usual > 0 and 0 < count <= 0.001 * valid.sum() + 1:
        row, column = np.unravel_index(int(np.argmax(np.where(spikes, away, 0))), away.shape)
        value = float(values[row, column])
        near = values[row - 1 : row + 2, column - 1 : column + 2].astype(np.float64).ravel()
        around = number_text(float(np.median(np.delete(near, 4))))
        text = trn(
            "{name} has {count:,} spike, such as {value} among {around}",
            "{name} has {count:,} spikes, such as {value} among {around}",
            count, name=name, value=number_text(value), around=around,
        )  # fmt: skip
        yield _found(Severity.CAUTION, "no spikes", text, "domainConsistency", spikes, grid)


def _stripes(grid: Grid, numbers: np.ndarray, along: int, word: str, name: str) -> Iterator[TrustFinding]:
    """Yield rows, or columns, that are off their two neighbours as a whole, and lines along which values step.

    What differs from slopes is the second difference of lines: it is small where the ground is smooth, +1, -2, +1
    times the offset around a line that is off by itself, and +1, -1 times the step where all that follows is off.
    """
    lines = numbers if along == 1 else numbers.T
    lines = lines[:, :: max(1, lines.shape[1] // ACROSS)]  # a line that is off is off all along
    if min(lines.shape) < FEWEST:
        return
    steps = np.diff(lines, axis=0)
    enough = np.isfinite(steps).sum(axis=1) >= lines.shape[1] / 4
    step = np.full(len(steps), np.nan)
    step[enough] = np.nanmedian(steps[enough], axis=1)
    bend = np.diff(step)  # its number k is that of the line k + 1
    strange = np.flatnonzero(_strange(bend))
    alone = [k for k in strange.tolist() if _is_peak(bend, k)]
    whole = lambda k: _is_whole(steps[k], float(step[k]))  # noqa: E731
    rows = np.array([k + 1 for k in alone if whole(k) and whole(k + 1)], int)
    if rows.size and rows.size <= STRIPE_SHARE * len(lines):
        text = _stripes_text(name, len(rows), of_rows=along == 1)
        places = _line_places(grid, rows, along)
        yield TrustFinding(
            Severity.CAUTION, "no stripes", text, "domainConsistency", len(rows), len(lines), f"{word}s", places=places
        )
    near = {k + by for k in alone for by in (-1, 0, 1)}
    others = [k for k in strange.tolist() if not {k, k + 1} & near and _is_jump(bend, k)]
    jumps = np.array([k + 1 for k in others if whole(k + 1)], int)
    if jumps.size and jumps.size <= STRIPE_SHARE * len(lines) / 2:
        text = _steps_text(name, len(jumps), of_rows=along == 1)
        places = _line_places(grid, jumps, along)
        yield TrustFinding(
            Severity.CAUTION,
            "no steps between tiles",
            text,
            "domainConsistency",
            len(jumps),
            len(lines),
            f"{word}s",
            places=places,
        )


def _stripes_text(name: str, count: int, *, of_rows: bool) -> str:
    if of_rows:
        return trn("{name} has {count:,} row that is off as a whole: stripes",
                   "{name} has {count:,} rows that are off as a whole: stripes", count, name=name)  # fmt: skip
    return trn("{name} has {count:,} column that is off as a whole: stripes",
               "{name} has {count:,} columns that are off as a whole: stripes", count, name=name)  # fmt: skip


def _steps_text(name: str, count: int, *, of_rows: bool) -> str:
    if of_rows:
        return trn(
            "{name} steps along {count:,} whole row, as where tiles or scenes meet",
            "{name} steps along {count:,} whole rows, as where tiles or scenes meet",
            count, name=name,
        )  # fmt: skip
    return trn(
        "{name} steps along {count:,} whole column, as where tiles or scenes meet",
        "{name} steps along {count:,} whole columns, as where tiles or scenes meet",
        count, name=name,
    )  # fmt: skip


def _is_peak(bend: np.ndarray, k: int) -> bool:
    """Return whether a line is off by itself: its bend is twice those of the lines beside it, the other way."""
    if not 0 < k < len(bend) - 1:
        return False
    beside = np.array([bend[k - 1], bend[k + 1]]) / -bend[k]
    return bool(((beside > 0.25) & (beside < 0.75)).all())


def _is_jump(bend: np.ndarray, k: int) -> bool:
    """Return whether all that follows a line is off: two bends alike, one this way and the next that way."""
    return k < len(bend) - 1 and 0.5 < -bend[k + 1] / bend[k] < 2.0


def _is_whole(steps: np.ndarray, usual: float) -> bool:
    """Return whether nearly all cells of a line step as their median does."""
    known = steps[np.isfinite(steps)]
    return float(np.mean(known * np.sign(usual) > abs(usual) / 4)) > WHOLE


def _strange(values: np.ndarray) -> np.ndarray:
    """Return which of the numbers are far from the others, by the median of deviations; not a number is not."""
    known = np.isfinite(values)
    if known.sum() < FEWEST:
        return np.zeros(len(values), bool)
    away = np.abs(values - np.median(values[known]))
    usual = np.median(away[known]) * MAD
    return known & (away > STRIPE * usual) & (usual > 0)


def _line_places(grid: Grid, numbers: np.ndarray, along: int) -> np.ndarray:
    middle = np.full(len(numbers), grid.values.shape[2 if along == 1 else 1] / 2)
    return _on_map(grid, numbers, middle) if along == 1 else _on_map(grid, middle, numbers)
