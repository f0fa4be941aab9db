"""Held probes side by side: what differs, by how much, and their spectra."""

from __future__ import annotations

from collections.abc import Mapping, Sequence
from dataclasses import dataclass
from typing import Any

import numpy as np
import pyarrow as pa

from brisk_atlas.core.model import number_text
from brisk_atlas.core.model.digit_groups import grouped
from brisk_atlas.core.model.language import tr

from .finding import ProbeResult, ProbeValue

NO_MAPPING: Mapping[str, str] = {}
PLACE_KEYS = ("x", "y")


@dataclass(frozen=True)
class Held:
    """One held probe: where, of what, and under which name. `number` is that of its disc."""

    number: int
    name: str
    x: float
    y: float
    crs: str | None
    finding: ProbeResult


@dataclass(frozen=True)
class Compared:
    """One line of the comparison. `cells` are the texts by probe, empty where a probe has no such line;
    `differs` says of each probe but the first how it differs from the first, empty where it does not."""

    key: str
    label: str
    cells: tuple[str, ...]
    differs: tuple[str, ...]
    group: str = ""

    @property
    def unequal(self) -> bool:
        """Whether any value differs from that of the first."""
        return any(self.differs)


def compare(held: Sequence[Held], mapping: Mapping[str, str] = NO_MAPPING) -> list[Compared]:
    """Return held probes line by line. Lines belong together by name, whatever the case; `mapping` says
    which other name stands for which (such as AREA_M2 for area_m2)."""
    alike = {name.lower(): own.lower() for name, own in mapping.items()}
    lines: dict[tuple[str, str], list[ProbeValue | None]] = {}
    labels: dict[tuple[str, str], ProbeValue] = {}
    for column, probe in enumerate(held):
        for reading in probe.finding.readings:
            name = reading.name.lower()
            key = _kind(reading), alike.get(name, name)
            row = lines.setdefault(key, [None] * len(held))
            labels.setdefault(key, reading)
            if row[column] is None:
                row[column] = reading
    found = []
    for key, row in lines.items():
        first = row[0]
        differs = tuple("" if i == 0 else difference(first, other) for i, other in enumerate(row))
        cells = tuple("" if r is None else r.shown for r in row)
        found.append(Compared(key[1], _label(labels[key]), cells, differs, labels[key].group))
    return found


def _label(reading: ProbeValue) -> str:
    """Return a label that stands alone; one below a band says of which."""
    return reading.name if reading.label.startswith(" ") else reading.label


def _kind(reading: ProbeValue) -> str:
    """Return what a line is compared with: bands and fields with each other, all else within its group."""
    return "" if reading.group in ("attributes", "bands", "point") else reading.group


def difference(first: ProbeValue | None, other: ProbeValue | None) -> str:
    """Return how a reading differs from the first: a number with its sign and the share, `unequal` for
    text, what is missing; empty where they are equal."""
    if first is None and other is None:
        return ""
    if first is None or other is None:
        return tr("only here") if first is None else tr("not here")
    a, b = first.value, other.value
    if a is None and b is None:
        return ""
    if a is None or b is None:
        return tr("unknown in the first") if a is None else tr("unknown here")
    if _is_number(a) and _is_number(b):
        if a == b:
            return ""
        if first.unit != other.unit:
            return tr("other unit, {unit}", unit=other.unit or "none")
        off = float(b) - float(a)
        share = f" ({off / abs(float(a)):+.1%})" if a else ""
        return f"{grouped(off, '+,.6g')}{share}" if abs(off) < 1e6 else f"{grouped(off, '+,.0f')}{share}"
    return "" if a == b else "unequal"


def _is_number(value: Any) -> bool:
    return isinstance(value, int | float | np.number) and not isinstance(value, bool)


def as_table(held: Sequence[Held], mapping: Mapping[str, str] = NO_MAPPING) -> str:
    """Return the comparison as tab-separated text: a line each, with the differences behind the values."""
    heads = ["", *(f"{h.number} {h.name}" for h in held), *(f"{h.number} less {held[0].number}" for h in held[1:])]
    lines = ["\t".join(heads), "\t".join(["place", *(f"{h.x:.8g} {h.y:.8g} {h.crs or ''}".strip() for h in held)])]
    lines += ["\t".join([row.label, *row.cells, *row.differs[1:]]) for row in compare(held, mapping)]
    return "\n".join(lines) + "\n"


def as_rows(held: Sequence[Held], mapping: Mapping[str, str] = NO_MAPPING) -> pa.Table:
    """Return held probes as rows: number, name, layer, and a column for each line that has values."""
    alike = {name.lower(): own for name, own in mapping.items()}
    columns: dict[str, list[Any]] = {}
    for at, probe in enumerate(held):
        for reading in probe.finding.readings:
            name = alike.get(reading.name.lower(), reading.name).strip()
            known = next((k for k in columns if k.lower() == name.lower()), name)
            values = columns.setdefault(known, [None] * len(held))
            plain = reading.value if isinstance(reading.value, int | float | str | bool | None) else reading.text
            values[at] = plain.item() if isinstance(plain, np.generic) else plain
    table = pa.table(
        {
            "number": pa.array([h.number for h in held], pa.int32()),
            "name": [h.name for h in held],
            "layer": [h.finding.title for h in held],
        }
    )
    for name, values in columns.items():
        if name.lower() in table.column_names:
            continue
        try:
            column = pa.array(values)
        except (pa.ArrowInvalid, pa.ArrowTypeError):
            column = pa.array([None if v is None else number_text(v) for v in values])
        if not pa.types.is_null(column.type):
            table = table.append_column(name, column)
    return table


@dataclass(frozen=True, eq=False)
class Spectrum:
    """Values over wavelength (µm) of one held probe, in order of wavelength. `unit` is that of the values."""

    number: int
    name: str
    wavelength: np.ndarray
    value: np.ndarray
    unit: str


def spectra(held: Sequence[Held]) -> list[Spectrum]:
    """Return the spectra of held probes with bands of known wavelength; reflectance where the bands say
    how they become it, else the numbers as they are."""
    found = []
    for probe in held:
        bands = [r for r in probe.finding.readings if r.wavelength is not None]
        if len({r.wavelength for r in bands}) < 2:
            continue
        rescaled = {r.key: r for r in probe.finding.readings if r.key.endswith(", reflectance")}
        chosen = [rescaled.get(f"{r.name}, reflectance", r) for r in bands] if rescaled else bands
        pairs = [
            (b.wavelength, r) for b, r in zip(bands, chosen) if r.value is not None and (not rescaled or r is not b)
        ]
        pairs.sort(key=lambda pair: pair[0] or 0.0)
        if len(pairs) < 2:
            continue
        unit = "reflectance" if rescaled else pairs[0][1].unit
        waves, values = np.array([w for w, _ in pairs], float), np.array([float(r.value) for _, r in pairs])
        found.append(Spectrum(probe.number, probe.name, waves, values, unit))
    return found
