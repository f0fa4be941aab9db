"""Well logs in LAS 2.0 (log ASCII standard) through lasio: a table with a row a depth."""

from __future__ import annotations

from dataclasses import dataclass
from pathlib import Path

import lasio
import pyarrow as pa
from lasio.exceptions import LASDataError, LASHeaderError

from brisk_atlas.core.model import CannotRead, Dataset, Facts, TablePart

from .table import fields_of, table_dataset


def _log(path: Path) -> lasio.LASFile:
    try:
        log = lasio.read(path, engine="numpy" if path.stat().st_size < 50_000_000 else "normal")
    except (LASDataError, LASHeaderError, ValueError, KeyError, OSError, IndexError) as error:
        raise CannotRead(
            path, f"it is not a whole well log ({str(error).splitlines()[0][:120]})", "Ask for it again."
        ) from error
    if not len(log.curves) or not len(log.index):
        raise CannotRead(path, "it has no curves or no depths", "The copy may have been cut short.")
    end = log.well.STOP.value if "STOP" in log.well else None
    if isinstance(end, int | float) and abs(log.index[-1] - end) > 1.5 * abs(
        log.index[1] - log.index[0] if len(log.index) > 1 else 1
    ):
        raise CannotRead(
            path, f"it should reach {end:g} and ends at {log.index[-1]:g}", "The copy may have been cut short."
        )
    return log


def _table(log: lasio.LASFile) -> pa.Table:
    return pa.table({curve.mnemonic: pa.array(curve.data, from_pandas=True) for curve in log.curves})


@dataclass(frozen=True)
class WellLog(TablePart):
    """The curves of one log; the first column is depth."""

    def read(self) -> pa.Table:
        return _table(_log(self.path))


def open_dataset(path: Path) -> Dataset:
    """Return the dataset of a LAS 2.0 file. Raises CannotRead."""
    log = _log(path)
    table = _table(log)
    notes = {curve.mnemonic: f"{curve.descr} ({curve.unit})" for curve in log.curves}
    facts = Facts(
        str(log.well.WELL.value or path.stem), "table", table.num_rows, None, fields_of(table.schema), notes=notes
    )
    return table_dataset(path, "LAS 2.0 log", (WellLog(path, facts),))
