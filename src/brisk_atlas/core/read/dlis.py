"""Well logs in DLIS (API RP 66 V1) through dlisio: each frame of each logical file is a table, its index first."""

from __future__ import annotations

import threading
from collections.abc import Iterator
from dataclasses import dataclass, replace
from pathlib import Path
from typing import Any

import dlisio
import numpy as np
import pyarrow as pa

from brisk_atlas.core.model import CannotRead, DataKind, DataRef, Dataset, Facts, FeatureQuery, Field
from brisk_atlas.core.model.language import tr

from .answer import ArrowTable, batches_of
from .table import table_dataset

MOST_COLUMNS = 64  # of a channel that has several values a depth, beyond which it is left out
LENGTHS_M = {"m": 1.0, "ft": 0.3048, "0.1 in": 0.00254, "in": 0.0254, "cm": 0.01, "mm": 0.001}
ABSENT = (-999.25, -9999.0, -999.0)
_LOCK = threading.Lock()  # the library's settings are of the whole process


@dataclass(frozen=True)
class DlisFrame(ArrowTable):
    """The channels of one frame; those with several values a depth become several columns."""

    def batches(self, query: FeatureQuery) -> Iterator[pa.RecordBatch]:
        with _LOCK, dlisio.dlis.load(str(self.ref.path)) as files:
            frame = _frame_called(files, self.facts.name, self.ref)
            table, _ = _table(frame)
        yield from batches_of(table)


def open_dataset(ref: DataRef) -> Dataset:
    """Return the dataset of a DLIS file. Raises CannotRead."""
    parts, remarks = [], []
    try:
        with _LOCK, dlisio.dlis.load(str(ref.path)) as files:
            for name, logical, frame in _frames(files):
                fields, left_out = _fields(frame)
                if left_out:
                    remarks.append(
                        tr(
                            "{name}: {left_out} have too many values a depth, and are left out",
                            name=name,
                            left_out=", ".join(left_out),
                        )
                    )
                facts = Facts(name, DataKind.TABLE, _count(frame), None, fields, notes=_notes(logical))
                parts.append(DlisFrame(ref.with_part(name), facts))
    except (RuntimeError, OSError, ValueError, KeyError) as error:
        why = str(error).splitlines()[0][:120] if str(error) else type(error).__name__
        raise CannotRead(
            ref, tr("it is not a whole DLIS file ({why})", why=why), tr("The copy may have been cut short.")
        ) from error
    if not parts:
        raise CannotRead(ref, tr("no frame with channels is in it"), tr("Ask for the file again."))
    dataset = table_dataset(ref, "DLIS log", tuple(parts))
    return replace(dataset, warnings=(*dataset.warnings, *remarks))


def _frames(files: Any) -> Iterator[tuple[str, Any, Any]]:
    """Yield the name, logical file and frame of each frame that has channels."""
    several = len(files) > 1
    for number, logical in enumerate(files):
        well = str(getattr(logical.origins[0], "well_name", "") or "") if logical.origins else ""
        frames = [frame for frame in logical.frames if frame.channels]
        for frame in frames:
            words = [well or Path(str(logical.fileheader.id if logical.fileheader else "")).stem.strip()]
            words += [frame.name] if len(frames) > 1 else []
            words += [f"file {number + 1}"] if several else []
            yield " ".join(word for word in words if word) or f"frame {frame.name}", logical, frame


def _frame_called(files: Any, name: str, ref: DataRef) -> Any:
    for each, _, frame in _frames(files):
        if each == name:
            return frame
    raise CannotRead(ref, tr("it has no frame {name}", name=name), tr("The file changed; open it again."))


def _count(frame: Any) -> int:
    return len(frame.curves())


def _notes(logical: Any) -> dict[str, str]:
    origin = logical.origins[0] if logical.origins else None
    stated = {"well": "well_name", "field": "field_name", "company": "company", "producer": "producer_name",
              "created": "creation_time", "run": "run_nr"}  # fmt: skip
    found = {words: str(getattr(origin, name, "") or "") for words, name in stated.items()} if origin else {}
    found |= {p.long_name or p.name: ", ".join(map(str, p.values)) for p in logical.parameters if len(p.values)}
    return {words: value for words, value in found.items() if value}


def _widths(frame: Any) -> Iterator[tuple[Any, str, int]]:
    """Yield each channel with the name of its column in the frame and how many values a depth it has."""
    names = [name for name in frame.dtype().names if name != "FRAMENO"]
    for channel, name in zip(frame.channels, names):
        yield channel, name, int(np.prod(channel.dimension)) if channel.dimension else 1


def _fields(frame: Any) -> tuple[tuple[Field, ...], list[str]]:
    fields, left_out = [], []
    for channel, name, width in _widths(frame):
        if width > MOST_COLUMNS:
            left_out.append(name)
            continue
        kind = frame.dtype()[name].base
        text = "string" if kind.kind in "OUS" else "double"
        names = [name] if width == 1 else [f"{name} {n + 1}" for n in range(width)]
        fields += [Field(each, text, channel.units or "", channel.long_name or "") for each in names]
    return tuple(fields), left_out


def _table(frame: Any) -> tuple[pa.Table, list[str]]:
    curves = frame.curves()
    columns: dict[str, pa.Array] = {}
    left_out = []
    for channel, name, width in _widths(frame):
        if width > MOST_COLUMNS:
            left_out.append(channel.name)
            continue
        values = curves[name].reshape(len(curves), -1)
        for number in range(width):
            own = values[:, number]
            label = name if width == 1 else f"{name} {number + 1}"
            if own.dtype.kind in "OUS":
                columns[label] = pa.array(
                    [str(each) if each is not None else None for each in own.tolist()], pa.string()
                )
            else:
                numbers = own.astype(float)
                columns[label] = pa.array(numbers, mask=np.isnan(numbers) | np.isin(numbers, ABSENT))
    return pa.table(columns), left_out
