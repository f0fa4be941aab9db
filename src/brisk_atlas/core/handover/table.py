"""Handing over rows of a table."""

from __future__ import annotations

from pathlib import Path

import numpy as np
import pyarrow as pa
import pyarrow.csv as arrow_csv
import pyarrow.parquet as pq

from brisk_atlas.core.model import CannotWrite

from .target import written_beside

FORMATS = {"CSV": (".csv", "Types are lost; numbers and dates become text."), "Parquet": (".parquet", "")}


def hand_over_table(
    table: pa.Table, path: Path, format_: str, rows: np.ndarray | None, fields: tuple[str, ...] | None
) -> int:
    """Write rows and fields of a table; returns how many rows. Raises CannotWrite."""
    suffix = FORMATS[format_][0]
    path = path if path.suffix.lower() == suffix else path.with_name(path.name + suffix)
    chosen = table if rows is None else table.take(pa.array(rows))
    chosen = chosen if fields is None else chosen.select(list(fields))
    if not chosen.num_rows:
        raise CannotWrite(path, "the choice leaves no row", "Widen the filter.")
    with written_beside(path) as beside:
        (arrow_csv.write_csv if format_ == "CSV" else pq.write_table)(chosen, beside)
    return chosen.num_rows
