"""Levelling of lines: one shift a line, so that what lines measured differs as little as can be where they cross."""

from __future__ import annotations

from collections.abc import Sequence
from dataclasses import dataclass

import numpy as np
import pyarrow as pa
from scipy.sparse import coo_matrix
from scipy.sparse.csgraph import connected_components
from scipy.sparse.linalg import lsqr

from brisk_atlas.core.table.asking import quoted

from .crossovers import Crossovers, CrossoverSummary, crossover_summary
from .survey_lines import LineSet


@dataclass(frozen=True, eq=False)
class Levelling:
    """shifts : (lines,) float64 to be added to what each line measured, in its units, NaN for a line that crosses no
    other; their sum is 0 in each group of lines that hang together, so that the mean level stays. `before` and `after`
    are the measures of the differences."""

    quantity: str
    shifts: np.ndarray
    groups: int
    before: CrossoverSummary
    after: CrossoverSummary


def level(found: Crossovers, quantity: int) -> Levelling:
    """Return the shifts that make the sum of squares of the differences at crossovers smallest.

    Each crossover of two lines i and j with a difference d gives the equation shift_j - shift_i = d; of all solutions
    of least squares the one of the smallest length, which sums to 0 in each connected group. Source: Crossover
    adjustment as in Wessel, P. (1989), "XOVER: a cross-over error detector for track data", Computers & Geosciences 15,
    333-346, with a constant for each line.
    """
    differences = found.differences(quantity)
    of_two = np.isfinite(differences) & (found.lines[:, 0] != found.lines[:, 1])
    first, second, d = found.lines[of_two, 0], found.lines[of_two, 1], differences[of_two]
    count = len(found.of)
    shifts, groups = np.full(count, np.nan), 0
    if d.size:
        rows = np.arange(d.size)
        matrix = coo_matrix(
            (np.concatenate([np.ones(d.size), -np.ones(d.size)]), (np.tile(rows, 2), np.concatenate([second, first]))),
            shape=(d.size, count),
        ).tocsr()
        # What crosses nothing stays 0, and lsqr begun at 0 gives the solution of the smallest length.
        solved = lsqr(matrix, d, atol=1e-13, btol=1e-13, iter_lim=20 * count + 200)[0]
        joined = np.unique(np.concatenate([first, second]))
        shifts[joined] = solved[joined]
        links = coo_matrix((np.ones(d.size), (first, second)), shape=(count, count))
        labels = connected_components(links, directed=False)[1]
        groups = len(np.unique(labels[joined]))
    after = d + shifts[first] - shifts[second]
    return Levelling(found.of.quantities[quantity][0], shifts, groups, crossover_summary(d), crossover_summary(after))


def levelled_expression(levelling: Levelling, found: Crossovers, layer_id: str) -> str:
    """Return the SQL of the field of a layer with the shifts of its lines added: what it was for lines that cross no
    other."""
    lines, name = found.of, quoted(levelling.quantity)
    shifts = [
        (lines.names[n], lines.layers[n].field, shift) for n, shift in enumerate(levelling.shifts.tolist())
        if lines.layers[n].id == layer_id and np.isfinite(shift)
    ]  # fmt: skip
    if not shifts:
        return name
    field = shifts[0][1]
    if not field:
        return f"{name} + ({shifts[0][2]:.6g})"
    cases = " ".join(f"WHEN {_text(line)} THEN {shift:.6g}" for line, _, shift in shifts)
    return f"{name} + CASE CAST({quoted(field)} AS VARCHAR) {cases} ELSE 0 END"


def _text(value: str) -> str:
    return "'" + value.replace("'", "''") + "'"


def table_of_levels(found: Sequence[Levelling], lines: LineSet) -> pa.Table:
    """Return a row a line and a quantity: the shift to be added, null for a line that crosses no other."""
    rows = [
        {"quantity": each.quantity, "line": lines.names[n], "shift": shift if np.isfinite(shift) else None}
        for each in found for n, shift in enumerate(each.shifts.tolist())
    ]  # fmt: skip
    schema = pa.schema([("quantity", pa.string()), ("line", pa.string()), ("shift", pa.float64())])
    return pa.Table.from_pylist(rows, schema)
