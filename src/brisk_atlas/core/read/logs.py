"""Well logs in LAS (log ASCII standard) 1.2, 2.0 and 3.0: a table with a row a depth, and of 3.0 one a section."""

from __future__ import annotations

from dataclasses import dataclass, replace
from numbers import Real
from pathlib import Path

import lasio
import numpy as np
import pyarrow as pa
from lasio.exceptions import LASDataError, LASHeaderError

from brisk_atlas.core.model import CannotRead, DataKind, DataRef, Dataset, Facts, Field

from .answer import ParsedTable
from .las_sections import is_version_three, read_sections
from .table import table_dataset

QUICK_BYTES = 50_000_000  # up to which the quicker way of reading is tried
WELL_NOTES = ("COMP", "FLD", "LOC", "DATE", "SRVC", "UWI", "API", "PROV", "CNTY", "STAT", "CTRY")


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


def _column(data: np.ndarray) -> pa.Array:
    try:
        return pa.array(data, from_pandas=True)
    except (pa.ArrowInvalid, pa.ArrowTypeError):  # numbers and words in one curve
        return pa.array([None if value is None else str(value) for value in data.tolist()])


@dataclass(frozen=True)
class WellLog(ParsedTable):
    """The curves of one log; the first column is depth."""


def open_dataset(ref: DataRef) -> Dataset:
    """Return the dataset of a LAS file. Raises CannotRead."""
    if is_version_three(ref.path):
        return _version_three(ref)
    log = _log(ref.path)
    table = pa.table({curve.mnemonic: _column(curve.data) for curve in log.curves})
    fields = tuple(
        Field(name, str(table.schema.field(name).type), str(curve.unit or ""), str(curve.descr or ""))
        for name, curve in zip(table.column_names, log.curves)
    )
    notes = {item.descr or item.mnemonic: str(item.value) for item in log.well
             if item.original_mnemonic.upper() in WELL_NOTES and str(item.value or "").strip()}  # fmt: skip
    notes |= {
        item.descr or item.mnemonic: f"{item.value} {item.unit}".strip() for item in log.params if str(item.value)
    }
    well = str(log.well.WELL.value or "") if "WELL" in log.well else ""
    facts = Facts(well or ref.stem, DataKind.TABLE, table.num_rows, None, fields, notes=notes)
    version = str(log.version.VERS.value) if "VERS" in log.version else "2.0"
    form = "LAS 1.2 log" if version.startswith("1") else "LAS 2.0 log"
    dataset = table_dataset(ref, form, (WellLog(ref, facts, table),))
    return replace(dataset, warnings=(*dataset.warnings, *_remarks(log)))


def _version_three(ref: DataRef) -> Dataset:
    """Return the dataset of a LAS 3.0 file: the log, then a table for each other section of data."""
    found = read_sections(ref)
    parts = []
    for section in found.sections:
        table = section.table
        fields = tuple(
            Field(name, str(table.schema.field(name).type), line.unit, line.about)
            for name, line in zip(table.column_names, section.columns)
        )
        name = (found.well or ref.stem) if section.name == "log" else section.name
        facts = Facts(name, DataKind.TABLE, table.num_rows, None, fields, notes=found.notes)
        parts.append(WellLog(ref.with_part(name), facts, table))
    dataset = table_dataset(ref, "LAS 3.0 log", tuple(parts))
    return replace(dataset, warnings=(*dataset.warnings, *found.remarks))
