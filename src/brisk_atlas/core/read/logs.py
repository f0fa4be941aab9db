"""Well logs in LAS 2.0 (log ASCII standard) through lasio: a table with a row a depth."""

from __future__ import annotations

from dataclasses import dataclass, replace
from numbers import Real
from pathlib import Path

import lasio
import numpy as np
import pyarrow as pa
from lasio.exceptions import LASDataError, LASHeaderError

from brisk_atlas.core.model import CannotRead, DataKind, DataRef, Dataset, Facts

from .answer import ParsedTable
from .table import fields_of, table_dataset

QUICK_BYTES = 50_000_000  # up to which the quicker way of reading is tried


def _log(path: Path) -> lasio.LASFile:
    log, why = None, ""
    for engine in ("numpy", "normal") if path.stat().st_size < QUICK_BYTES else ("normal",):
        try:
            log = lasio.read(path, engine=engine, ignore_header_errors=True)
            break
        except (LASDataError, LASHeaderError, ValueError, KeyError, IndexError, AttributeError, TypeError) as error:
            why = str(error).splitlines()[0][:120] if str(error) else type(error).__name__
    if log is None:
        raise CannotRead(path, f"it is not a whole well log ({why})", "Ask for it again.")
    if not len(log.curves) or not len(log.index):
        raise CannotRead(path, "it has no curves or no depths", "The copy may have been cut short.")
    return log


def _remarks(log: lasio.LASFile) -> list[str]:
    """Return what does not fit together in a log: it is shown as far as it goes."""
    end = log.well.STOP.value if "STOP" in log.well else None
    if not isinstance(end, Real) or not np.issubdtype(log.index.dtype, np.number):
        return []
    step = abs(log.index[1] - log.index[0]) if len(log.index) > 1 else 1
    if abs(log.index[-1] - end) <= 1.5 * step or end != end:
        return []
    return [f"it should reach {end:g} and ends at {log.index[-1]:g}; the copy may have been cut short"]


def _table(log: lasio.LASFile) -> pa.Table:
    return pa.table({curve.mnemonic: _column(curve.data) for curve in log.curves})


def _column(data: np.ndarray) -> pa.Array:
    try:
        return pa.array(data, from_pandas=True)
    except (pa.ArrowInvalid, pa.ArrowTypeError):  # numbers and words in one curve
        return pa.array([None if value is None else str(value) for value in data.tolist()])


@dataclass(frozen=True)
class WellLog(ParsedTable):
    """The curves of one log; the first column is depth."""


def open_dataset(ref: DataRef) -> Dataset:
    """Return the dataset of a LAS 2.0 file. Raises CannotRead."""
    log = _log(ref.path)
    table = _table(log)
    notes = {curve.mnemonic: f"{curve.descr} ({curve.unit})" for curve in log.curves}
    well = str(log.well.WELL.value or "") if "WELL" in log.well else ""
    facts = Facts(well or ref.stem, DataKind.TABLE, table.num_rows, None, fields_of(table.schema), notes=notes)
    dataset = table_dataset(ref, "LAS 2.0 log", (WellLog(ref, facts, table),))
    return replace(dataset, warnings=(*dataset.warnings, *_remarks(log)))
