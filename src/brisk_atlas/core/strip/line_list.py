"""Which lines there are: what each measured, when, on which vessel; and those that fit a filter."""

from __future__ import annotations

from collections.abc import Callable, Sequence
from dataclasses import dataclass

import numpy as np
import pyarrow as pa

from brisk_atlas.core.cache import DataCache
from brisk_atlas.core.model import AtlasError, Layer
from brisk_atlas.core.model.language import tr
from brisk_atlas.core.read.survey_header import SurveyHeader, headers_of

from .survey_lines import LineSet, joined, line_field_of, line_set

KINDS = {  # what is measured with one instrument goes by one word
    "depth_m": "depth", "travel_time_s": "depth", "magnetic_total_nt": "magnetics", "magnetic_total_2_nt": "magnetics",
    "magnetic_residual_nt": "magnetics", "diurnal_nt": "magnetics", "magnetic_sensor_m": "magnetics",
    "gravity_mgal": "gravity", "eotvos_mgal": "gravity", "free_air_mgal": "gravity",
}  # fmt: skip


@dataclass(frozen=True, eq=False)
class LineList:
    """Lines with their headers; `headers` has one a line, None where there is none."""

    lines: LineSet
    headers: tuple[SurveyHeader | None, ...]

    def __len__(self) -> int:
        return len(self.lines)

    def vessel(self, line: int) -> str:
        """Return the vessel of a line, "" where none is stated."""
        header = self.headers[line]
        return header.stated("vessel") if header is not None else ""

    def measured(self, line: int) -> tuple[str, ...]:
        """Return in words what a line measured."""
        counts = self.lines.counts[line]
        names = (self.lines.quantities[n][0] for n in self.lines.measured if counts[n])
        return tuple(dict.fromkeys(KINDS.get(name, name) for name in names))


@dataclass(frozen=True)
class LineFilter:
    """Which lines are listed: those that measured all of some words, were on the way between two days (both included,
    yyyy-mm-dd, "" for open), have a place in an extent (xmin, ymin, xmax, ymax in the CRS of the lines), and whose name
    or vessel holds a text, whatever the case."""

    measured: tuple[str, ...] = ()
    begin: str = ""
    end: str = ""
    within: tuple[float, float, float, float] | None = None
    text: str = ""


def list_lines(
    cache: DataCache, layers: Sequence[Layer], subject: Layer | None = None, check: Callable[[], None] = lambda: None
) -> LineList:
    """Return the lines of layers of points that have a field for the name of a line, and of the subject, whatever it
    has. Raises AtlasError where there is none."""
    sets, headers = [], []
    for layer in layers:
        check()
        if layer.id != (subject.id if subject is not None else "") and not line_field_of(cache, layer):
            continue
        try:
            found = line_set(cache, layer)
        except AtlasError:
            if layer is subject:
                raise
            continue
        sets.append(found)
        stated = {each.survey: each for each in headers_of(layer.ref)}
        only = next(iter(stated.values())) if len(stated) == 1 and len(found) == 1 else None
        headers += [stated.get(name, only) for name in found.names]
    if not sets:
        raise AtlasError(
            tr("the layers"),
            tr("none is of points along lines"),
            tr("Open a survey, or points with a field for the line."),
        )
    return LineList(joined(sets), tuple(headers))


def fitting(listed: LineList, by: LineFilter) -> np.ndarray:
    """Return the numbers of the lines that a filter lets through. A line without dates is not between any. Raises
    AtlasError for a date that is none."""
    lines = listed.lines
    found = np.ones(len(lines), bool)
    if by.measured:
        found &= np.array([set(by.measured) <= set(listed.measured(n)) for n in range(len(lines))], bool)
    if by.begin or by.end:
        begin, end = (_day(text) for text in (by.begin, by.end))
        if lines.dates is None:
            return np.empty(0, np.int64)
        first, last = (each.astype("datetime64[D]") for each in lines.dates)
        found &= ~np.isnat(first)
        found &= (last >= begin) if begin is not None else True
        found &= (first <= end) if end is not None else True
    if by.text:
        words = by.text.casefold()
        texts = [f"{name}\n{listed.vessel(n)}".casefold() for n, name in enumerate(lines.names)]
        found &= np.array([words in text for text in texts], bool)
    if by.within is not None:
        xmin, ymin, xmax, ymax = by.within
        x, y = lines.xy.T
        inside = (x >= xmin) & (x <= xmax) & (y >= ymin) & (y <= ymax)
        found &= np.logical_or.reduceat(inside, lines.starts[:-1])
    return np.flatnonzero(found)


def _day(text: str) -> np.datetime64 | None:
    if not text.strip():
        return None
    try:
        return np.datetime64(text.strip(), "D")
    except ValueError as error:
        raise AtlasError(text, tr("this is no day"), tr("Write it as 2029-04-02.")) from error


def table_of_lines(listed: LineList, numbers: Sequence[int] | None = None) -> pa.Table:
    """Return a row a line: its name, layer, what it measured, first and last time, length, vessel, records."""
    lines = listed.lines
    chosen = list(range(len(lines)) if numbers is None else numbers)
    columns: dict[str, pa.Array] = {
        "line": pa.array([lines.names[n] for n in chosen], pa.string()),
        "layer": pa.array([lines.layers[n].name for n in chosen], pa.string()),
        "measured": pa.array([", ".join(listed.measured(n)) for n in chosen], pa.string()),
    }
    if lines.dates is not None:
        columns["begin"], columns["end"] = (pa.array(each[chosen]) for each in lines.dates)
    length = "length_m" if lines.crs is not None else "length"
    columns[length] = pa.array(lines.lengths[chosen])
    columns["vessel"] = pa.array([listed.vessel(n) or None for n in chosen], pa.string())
    columns["records"] = pa.array(np.diff(lines.starts)[chosen])
    return pa.table(columns)
