"""Writing a table that is held: CSV, Parquet or a workbook."""

from __future__ import annotations

from collections.abc import Callable
from pathlib import Path

import numpy as np
import pyarrow as pa

from brisk_atlas.core.model import CannotWrite
from brisk_atlas.core.model.language import tr
from brisk_atlas.core.system.scratch import ScratchFolder

from .formats import FORMATS as ALL
from .sources import held_flow
from .step import StepContext
from .steps.write import WriteStep

FORMATS = {name: (ALL[name].endings[0], ALL[name].about) for name in ("CSV", "Parquet", "XLSX")}


def hand_over_table(
    table: pa.Table, path: Path, format_: str, rows: np.ndarray | None, fields: tuple[str, ...] | None
) -> int:
    """Write rows and fields of a table; returns how many rows. Raises CannotWrite."""
    suffix = FORMATS[format_][0]
    path = path if path.suffix.lower() == suffix else path.with_name(path.name + suffix)
    chosen = table.select(list(table.column_names if fields is None else fields))
    chosen = chosen if rows is None else chosen.take(pa.array(rows))
    if not chosen.num_rows:
        raise CannotWrite(path, tr("the choice leaves no row"), tr("Widen the filter."))
    write_table(chosen, path, format_)
    return chosen.num_rows


def write_table(table: pa.Table, path: Path, format_: str, check: Callable[[], None] = lambda: None) -> None:
    """Write a table through a temporary sibling. Raises CannotWrite; `check` may stop it."""
    with ScratchFolder() as scratch:
        context = StepContext(lambda name: held_flow("", table, None, None), scratch, check)
        flow = held_flow(path.stem, table, None, None)
        WriteStep(str(path), format_, empty=True).write(flow, context)
