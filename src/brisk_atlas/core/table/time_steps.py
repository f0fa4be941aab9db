"""The times of a field as steps that can be gone through: years, days, hours, whatever gives few enough."""

from __future__ import annotations

from collections.abc import Sequence
from typing import Any, NamedTuple

import pyarrow as pa
import pyarrow.compute as pc

MOST_STEPS = 120
UNITS = (  # the finest first; how many of which unit of time are a step, and how its begin is written
    (1, "second", "%Y-%m-%d %H:%M:%S"), (1, "minute", "%Y-%m-%d %H:%M"), (1, "hour", "%Y-%m-%d %H:00"),
    (1, "day", "%Y-%m-%d"), (1, "month", "%Y-%m"), (1, "year", "%Y"), (10, "year", "%Ys"), (100, "year", "%Ys"),
)  # fmt: skip
FINEST_OF_DAYS = 3  # of `UNITS`


class TimeStep(NamedTuple):
    """Rows of one stretch of time: when it begins, seconds since 1970-01-01 00:00, as a text, the first and the last
    value in it, and how many rows it has."""

    seconds: float
    text: str
    first: Any
    last: Any
    rows: int


def time_steps(values: pa.ChunkedArray, most: int = MOST_STEPS) -> list[TimeStep]:
    """Return the steps of a column of dates or times, by the finest unit that gives no more than `most`; none without
    a value. Times with a zone are parted by the days and hours of that zone.

    >>> [(step.text, step.rows) for step in time_steps(pa.chunked_array([[None]], pa.date32()))]
    []
    """
    kind = values.type
    if pa.types.is_date64(kind):
        values = values.cast(pa.date32())
    elif pa.types.is_timestamp(kind) and kind.unit == "ns":  # finer than filters are
        values = values.cast(pa.timestamp("us", kind.tz), safe=False)
    known = values.drop_null()
    begins, form = _begins(known, UNITS[FINEST_OF_DAYS if pa.types.is_date(kind) else 0 :], most)
    parts = pa.table({"begin": begins, "value": known}).group_by("begin").aggregate(
        [("value", "min"), ("value", "max"), ("value", "count")]
    )  # fmt: skip
    parts = parts.sort_by("begin")
    starts = parts["begin"].cast(pa.timestamp("s", getattr(kind, "tz", None)), safe=False)
    ends = (parts[name].to_pylist() for name in ("value_min", "value_max", "value_count"))
    texts = pc.strftime(starts, format=form).to_pylist()
    return [TimeStep(float(start), *rest) for start, *rest in zip(starts.cast(pa.int64()).to_pylist(), texts, *ends)]


def _begins(known: pa.ChunkedArray, units: Sequence[tuple[int, str, str]], most: int) -> tuple[pa.ChunkedArray, str]:
    """Return when the step of each value begins, by the finest unit that gives few enough, and how that is written."""
    for multiple, unit, form in units:
        begins = pc.floor_temporal(known, multiple, unit)
        if pc.count_distinct(begins).as_py() <= most:
            return begins, form
    return begins, form
