"""A profile as a table."""

from __future__ import annotations

import numpy as np
import pyarrow as pa

from .profile import Profile


def table_of(profile: Profile) -> pa.Table:
    """Return a row a place: its distance, position, time where there is one, and the values, null where there are none.
    Fields of a layer have
    their names, grids their units too; names that occur twice get a number."""
    columns: dict[str, pa.Array] = {
        "distance_m" if profile.unit == "m" else "distance": pa.array(profile.distance),
        "x": pa.array(profile.xy[:, 0]), "y": pa.array(profile.xy[:, 1]),
    }  # fmt: skip
    if profile.rows is not None:
        columns["row"] = pa.array(profile.rows + 1)
    if profile.time is not None:
        columns["time"] = pa.array(profile.time.astype("datetime64[ms]"))
    for trace in profile.traces:
        name = f"{trace.name} ({trace.unit})" if trace.unit and profile.rows is None else trace.name
        number, free = 2, name
        while free in columns:
            number, free = number + 1, f"{name} {number}"
        columns[free] = pa.array(trace.values, mask=~np.isfinite(trace.values))
    return pa.table(columns)
