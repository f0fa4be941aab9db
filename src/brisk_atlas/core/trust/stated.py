"""Values against what is stated of them: those that a field or a band of classes may have, by records and formats."""

from __future__ import annotations

from collections.abc import Callable, Iterator, Mapping

import numpy as np
import pyarrow as pa
import pyarrow.compute as pc

from brisk_atlas.core.model import number_text
from brisk_atlas.core.model.facts import Band
from brisk_atlas.core.model.grid import Grid
from brisk_atlas.core.model.language import tr, trn
from brisk_atlas.core.read.field_meanings import FieldMeaning
from brisk_atlas.core.record.checks import Severity

from .trust_finding import MOST_PLACES, NO_PLACES, TrustFinding, cells_text, rows_text

TEST = "values as stated"
MOSTLY = 0.5  # of the rows: a list that has fewer of them may be one of special values alone
SHOWN = 3  # values of those that are not stated
Check = Callable[[], None]


def stated_findings(
    table: pa.Table, stated: Mapping[str, FieldMeaning], places: np.ndarray | None, check: Check
) -> Iterator[TrustFinding]:
    """Yield values of a table that are neither among those listed for their field nor within its ranges. `places`
    (n, 2) are where its rows lie, None without geometry."""
    for name, meaning in stated.items():
        check()
        if name in table.column_names and meaning.limits_values:
            yield from _values(name, table.column(name), meaning, places)


def _values(
    name: str, column: pa.ChunkedArray, meaning: FieldMeaning, places: np.ndarray | None
) -> Iterator[TrustFinding]:
    if pa.types.is_nested(column.type):
        return
    different = pc.unique(column.drop_null() if not pa.types.is_dictionary(column.type) else column.cast(pa.string()))
    wrong = [
        value for value in different.to_pylist() if value == value and value is not None and not meaning.allows(value)
    ]
    if not wrong:
        return
    plain = column if column.type == different.type else column.cast(different.type)
    rows = np.flatnonzero(pc.is_in(plain, value_set=pa.array(wrong, different.type)).to_numpy(zero_copy_only=False))
    shown = ", ".join(f"“{value[:30]}”" if isinstance(value, str) else number_text(value) for value in wrong[:SHOWN])
    others = len(wrong) - SHOWN
    more = trn(" and {count:,} other value", " and {count:,} other values", others) if others > 0 else ""
    where = NO_PLACES if places is None else places[rows[:MOST_PLACES]]
    yield TrustFinding(
        Severity.FAULT if len(rows) < MOSTLY * len(column) else Severity.CAUTION,
        TEST,
        tr(
            "{name} is {shown}{more} in {counted}, which is none of the values stated for it",
            name=name,
            shown=shown,
            more=more,
            counted=rows_text(len(rows)),
        ),
        "domainConsistency",
        len(rows),
        len(column),
        "rows",
        rows.astype(np.int64),
        where[np.isfinite(where).all(axis=1)],
    )


def class_findings(grid: Grid, band: Band) -> Iterator[TrustFinding]:
    """Yield classes of a band, the first of `grid`, that its file does not name."""
    values, valid = grid.values[0], grid.valid.astype(bool)
    found = np.unique(values[valid])
    unknown = found[~np.isin(found, [number for number, _, _ in band.classes])]
    if not unknown.size:
        return
    where = valid & np.isin(values, unknown)
    shown = ", ".join(f"{float(value):g}" for value in unknown[:SHOWN]) + (
        tr(" and others") if unknown.size > SHOWN else ""
    )
    rows, columns = np.nonzero(where)
    yield TrustFinding(
        Severity.FAULT,
        TEST,
        tr(
            "{name} is {shown} in {counted}, a class that the file does not name",
            name=band.name,
            shown=shown,
            counted=cells_text(len(rows)),
        ),
        "thematicClassificationCorrectness",
        len(rows),
        int(valid.sum()),
        "cells",
        places=np.column_stack(grid.lattice.to_map(columns[:MOST_PLACES] + 0.5, rows[:MOST_PLACES] + 0.5)),
    )
