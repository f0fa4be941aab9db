"""Well logs in LAS (log ASCII standard) 1.2, 2.0 and 3.0: a table with a row a depth, and of 3.0 one a section."""

from __future__ import annotations

from dataclasses import dataclass, replace
from itertools import chain
from numbers import Real
from pathlib import Path

import lasio
import numpy as np
import pyarrow as pa
from lasio.exceptions import LASDataError, LASHeaderError

from brisk_atlas.core.model import CannotRead, DataKind, DataRef, Dataset, Facts, Field
from brisk_atlas.core.model.language import tr

from .answer import ParsedTable
from .las_sections import is_version_three, read_sections
from .table import table_dataset

WELL_NOTES = ("COMP", "FLD", "LOC", "DATE", "SRVC", "UWI", "API", "PROV", "CNTY", "STAT", "CTRY")


FAULTS = (LASDataError, LASHeaderError, ValueError, KeyError, IndexError, AttributeError, TypeError)


def _log(path: Path) -> lasio.LASFile:
    """Return a log with its numbers: by the quick way where its data are plain numbers, else by the library's own."""
    try:
        quick = _plain_numbers(path)
    except FAULTS:
        quick = None
    if quick is not None:
        return quick
    log, why = None, ""
    for engine in ("numpy", "normal"):
        try:
            log = lasio.read(path, engine=engine, ignore_header_errors=True)
            break
        except FAULTS as error:
            why = str(error).splitlines()[0][:120] if str(error) else type(error).__name__
    if log is None:
        raise CannotRead(path, tr("it is not a whole well log ({why})", why=why), tr("Ask for it again."))
    if not len(log.curves) or not len(log.index):
        raise CannotRead(path, tr("it has no curves or no depths"), tr("The copy may have been cut short."))
    return log


def _plain_numbers(path: Path) -> lasio.LASFile | None:
    """Return a log whose data are plain numbers divided by blanks, one line a depth; None for another.

    The header is the library's; its numbers take ten times as long there as by NumPy's own reader.
    """
    log = lasio.read(path, ignore_data=True, ignore_header_errors=True)
    wrapped = str(log.version.WRAP.value).upper() if "WRAP" in log.version else "YES"
    delimiter = str(log.version.DLM.value or "SPACE").upper() if "DLM" in log.version else "SPACE"
    if wrapped != "NO" or delimiter != "SPACE" or not log.curves:
        return None
    with path.open("rb") as file:
        for line in file:
            if line.lstrip()[:2].upper() == b"~A":
                break
        else:
            return None
        first = next((line for line in file if line.strip() and not line.lstrip().startswith(b"#")), b"")
        if len(first.split()) != len(log.curves):
            return None
        numbers = np.loadtxt(chain([first], file), ndmin=2, encoding="latin-1")  # refuses words, and ragged lines
    null = log.well.NULL.value if "NULL" in log.well else None
    if isinstance(null, Real):
        numbers[:, 1:][numbers[:, 1:] == null] = np.nan
    for curve, column in zip(log.curves, np.asfortranarray(numbers).T):
        curve.data = column
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


def _filled(column: pa.Array, length: int) -> pa.Array:
    """Return a column with nulls at its end, where it is shorter."""
    return column if len(column) == length else pa.concat_arrays([column, pa.nulls(length - len(column), column.type)])


@dataclass(frozen=True)
class WellLog(ParsedTable):
    """The curves of one log; the first column is depth."""


def open_dataset(ref: DataRef) -> Dataset:
    """Return the dataset of a LAS file. Raises CannotRead."""
    if is_version_three(ref.path):
        return _version_three(ref)
    log = _log(ref.path)
    columns = {curve.mnemonic: _column(curve.data) for curve in log.curves}
    longest = max(map(len, columns.values()))  # a damaged line can leave the last curves shorter
    table = pa.table({name: _filled(column, longest) for name, column in columns.items()})
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
