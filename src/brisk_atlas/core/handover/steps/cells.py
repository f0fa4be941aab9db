"""The cells of a grid: their size, several grids as one, bands, numbers made of numbers, classes, gaps."""

from __future__ import annotations

from collections.abc import Callable
from dataclasses import dataclass, replace
from itertools import pairwise
from typing import ClassVar

import numpy as np
import pyarrow as pa
from rasterio.enums import Resampling
from rasterio.fill import fillnodata

from brisk_atlas.core.model import Band, CellWindow, Extent, Lattice
from brisk_atlas.core.model.argument import Source, argument
from brisk_atlas.core.model.grid import Grid
from brisk_atlas.core.model.language import tr
from brisk_atlas.core.place import same_crs
from brisk_atlas.core.table.expression import evaluate, narrowed, prepare

from ..flows import Flow, GridFlow
from ..moved_grid import grid_on, read_beyond, reprojected_grid
from ..step import GRID, Step, StepContext, step

HOW = {
    "nearest": Resampling.nearest,
    "between cells": Resampling.bilinear,
    "cubic": Resampling.cubic,
    "mean": Resampling.average,
    "mode": Resampling.mode,
    "minimum": Resampling.min,
    "maximum": Resampling.max,
}
SAMPLE = 1500  # cells along each side that percentiles are worked out from


@step
@dataclass(frozen=True)
class ResampleCells(Step):
    """Give a grid cells of another size, or those of another grid; its first row is in the north."""

    word: ClassVar = "resample"
    label: ClassVar = tr("Resample")
    group: ClassVar = tr("Cells")
    takes: ClassVar = GRID

    resolution: float | None = argument(tr("the cell size in units of the CRS; about as it is if not given"), None)
    like: Source | None = argument(tr("another grid whose cells are taken: a branch, an open layer or a dataset"), None)
    how: str = argument(tr("how cells are made; by what fits if not given"), "", choices=("", *HOW))

    @property
    def summary(self) -> str:
        return f"{self.resolution:g}" if self.resolution else tr("as another grid") if self.like is not None else ""

    def flow(self, flow: Flow, context: StepContext) -> GridFlow:
        cells = self.grid(flow)
        if self.how and self.how not in HOW:
            raise self.refused(tr("there is no {how}", how=self.how), tr("There are: {how}.", how=", ".join(HOW)))
        if self.resolution is not None and not self.resolution > 0:
            raise self.refused(tr("cells have no size"), tr("Give a number above 0."))
        if self.like is not None:
            return grid_on(cells, self.grid(context.flow_of(self.like)).lattice, how=HOW.get(self.how))
        if self.how or cells.crs is None:
            return grid_on(cells, _north_up(cells.lattice, self.resolution), how=HOW.get(self.how))
        return reprojected_grid(cells, cells.crs, self.resolution, None)


def _north_up(lattice: Lattice, resolution: float | None) -> Lattice:
    """Return the grid over the extent of a lattice with cells of a size, the first row in the north."""
    width, height = (resolution, resolution) if resolution else lattice.cell
    e = lattice.extent
    columns, rows = max(1, round(e.width / width)), max(1, round(e.height / height))
    return Lattice(width, 0.0, e.xmin, 0.0, -height, e.ymax, columns, rows, lattice.crs)


PRIORITIES = ("first", "last", "minimum", "maximum", "mean")


@step
@dataclass(frozen=True)
class Mosaic(Step):
    """Make one grid of several. Where they overlap a priority decides, and how far they differ there is stated."""

    word: ClassVar = "mosaic"
    label: ClassVar = tr("Mosaic")
    group: ClassVar = tr("Several sources")
    takes: ClassVar = GRID

    others: tuple[Source, ...] = argument(tr("the other grids: branches of the recipe, open layers or datasets"))
    priority: str = argument(tr("what counts where they overlap"), "first", choices=PRIORITIES)

    @property
    def summary(self) -> str:
        return tr("with {count} more, {priority}", count=len(self.others), priority=self.priority)

    def flow(self, flow: Flow, context: StepContext) -> GridFlow:
        first = self.grid(flow)
        if self.priority not in PRIORITIES:
            raise self.refused(
                tr("there is no priority {priority}", priority=self.priority),
                tr("There are: {priorities}.", priorities=", ".join(PRIORITIES)),
            )
        flows = [first, *(self.grid(context.flow_of(other)) for other in self.others)]
        if any(len(each.bands) != len(first.bands) for each in flows):
            raise self.refused(tr("the grids have different numbers of bands"), tr("Choose bands of each first."))
        if any((each.crs is None) != (first.crs is None) for each in flows):
            raise self.refused(tr("some grids have a CRS and others have none"), tr("State it first."))
        lattice = _around(first.lattice, [_placed(each, first) for each in flows])
        dtype = np.result_type(*(each.dtype for each in flows))
        placed = [grid_on(replace(each, dtype=dtype), lattice) for each in flows]
        extents = [_placed(each, first) for each in flows]
        _report_seams(placed, flows, lattice, context)

        def read(window: CellWindow, bands: tuple[int, ...]) -> Grid:
            here = lattice.within(window).extent
            found = [each.read(window, bands) for each, extent in zip(placed, extents) if _meets(extent, here)]
            return _together(found, self.priority, lattice.within(window), len(bands), dtype)

        alike = all(each.nodata == first.nodata for each in flows)  # else a value of one is no data of another
        nodata = first.nodata if alike else None
        return replace(first, lattice=lattice, dtype=dtype, nodata=nodata, read=read, all_valid=False)


def _placed(flow: GridFlow, first: GridFlow) -> Extent:
    from brisk_atlas.core.place import transform_extent

    own = flow.lattice.extent
    placed = own if same_crs(flow.crs, first.crs) else transform_extent(own, first.crs)
    assert placed is not None
    return placed


def _meets(a: Extent, b: Extent) -> bool:
    return a.xmin < b.xmax and b.xmin < a.xmax and a.ymin < b.ymax and b.ymin < a.ymax


def _around(first: Lattice, extents: list[Extent]) -> Lattice:
    """Return the cells of the first grid, as many more as are needed to hold all extents."""
    upright = first if first.is_north_up else _north_up(first, None)
    width, height = upright.cell
    xmin, ymax = min(e.xmin for e in extents), max(e.ymax for e in extents)
    left = int(np.ceil((upright.c - xmin) / width - 1e-6))
    top = int(np.ceil((ymax - upright.f) / height - 1e-6))
    x, y = upright.c - left * width, upright.f + top * height
    columns = int(np.ceil((max(e.xmax for e in extents) - x) / width - 1e-6))
    rows = int(np.ceil((y - min(e.ymin for e in extents)) / height - 1e-6))
    return Lattice(width, 0.0, x, 0.0, -height, y, columns, rows, first.crs)


def _together(found: list[Grid], priority: str, lattice: Lattice, bands: int, dtype: np.dtype) -> Grid:
    shape = (lattice.rows, lattice.columns)
    values, valid = np.zeros((bands, *shape), dtype), np.zeros(shape, bool)
    if priority == "mean":
        total, count = np.zeros((bands, *shape)), np.zeros(shape)
        for each in found:
            total += np.where(each.valid, each.values, 0)
            count += each.valid
        valid = count > 0
        made = total / np.maximum(count, 1)
        return Grid((np.rint(made) if dtype.kind in "iu" else made).astype(dtype), valid, lattice)
    for each in reversed(found) if priority == "first" else found:
        new = each.valid
        if priority in ("minimum", "maximum"):
            better = np.minimum if priority == "minimum" else np.maximum
            both = valid & new
            values = np.where(both, better(values, each.values), np.where(new, each.values, values))
        else:
            values = np.where(new, each.values, values)
        valid |= new
    return Grid(values.astype(dtype), valid, lattice)


def _report_seams(placed: list[GridFlow], flows: list[GridFlow], lattice: Lattice, context: StepContext) -> None:
    """Note how far the first bands of grids that overlap differ there, on at most SAMPLE² cells of each overlap."""
    extents = [_placed(each, flows[0]) for each in flows]
    for i in range(len(flows)):
        for j in range(i + 1, len(flows)):
            cut = extents[i].intersection(extents[j])
            if cut is None or not (cut.width > 0 and cut.height > 0):
                continue
            window = lattice.window_of(cut)
            step_ = max(1, -(-max(window.shape) // SAMPLE))
            piece = lattice.within(window).thinned(step_)
            a, b = (grid_on(placed[k], piece, how=Resampling.nearest).whole((1,)) for k in (i, j))
            both = a.valid & b.valid
            if both.any():
                off = b.values[0][both].astype(float) - a.values[0][both].astype(float)
                context.warn(
                    tr(
                        "{name} less {name2} where both have data: mean {mean:.4g}, standard deviation {std:.4g}, at "
                        "most {listed:.4g}",
                        name=flows[j].name,
                        name2=flows[i].name,
                        mean=off.mean(),
                        std=off.std(),
                        listed=np.abs(off).max(),
                    )
                )


@step
@dataclass(frozen=True)
class ChooseBands(Step):
    """Leave some bands, in the order in which they are named."""

    word: ClassVar = "bands"
    label: ClassVar = tr("Choose bands")
    group: ClassVar = tr("Cells")
    takes: ClassVar = GRID

    bands: tuple[str, ...] = argument(tr("the bands by name, or by number from 1 on"))

    @property
    def summary(self) -> str:
        return ", ".join(self.bands)

    def flow(self, flow: Flow, context: StepContext) -> GridFlow:
        cells = self.grid(flow)
        numbers = tuple(band_number(self, cells, name) for name in self.bands)
        if not numbers:
            raise self.refused(tr("no band is named"), tr("Name at least one."))
        bands = tuple(replace(cells.bands[n - 1], index=i) for i, n in enumerate(numbers, 1))
        read = cells.read

        def chosen(window: CellWindow, wanted: tuple[int, ...]) -> Grid:
            return read(window, tuple(numbers[w - 1] for w in wanted))

        return replace(cells, bands=bands, read=chosen)


def band_number(step_: Step, flow: GridFlow, name: str) -> int:
    """Return the number of a band from 1 on, by its name or number. Raises BadStep."""
    names = [band.name for band in flow.bands]
    if name in names:
        return names.index(name) + 1
    if name.isdigit() and 1 <= int(name) <= len(names):
        return int(name)
    raise step_.refused(tr("there is no band {name}", name=name), tr("There are: {names}.", names=", ".join(names)))


@step
@dataclass(frozen=True)
class ComputeCells(Step):
    """Make one band by an SQL expression over the bands, called b1, b2 and so on, or by their names."""

    word: ClassVar = "cell-expression"
    label: ClassVar = tr("Compute cells")
    group: ClassVar = tr("Cells")
    takes: ClassVar = GRID

    expression: str = argument(tr("an SQL expression, such as (b4 - b3) / (b4 + b3)"))
    name: str = argument(tr("the name of the band that is made"), "computed")
    unit: str = argument(tr("the unit of its values"), "")

    @property
    def summary(self) -> str:
        return self.expression

    def flow(self, flow: Flow, context: StepContext) -> GridFlow:
        cells = self.grid(flow)
        names = [f"b{i}" for i in range(1, len(cells.bands) + 1)]
        known = {name.lower() for name in names}
        names += [band.name for band in cells.bands if band.name.lower() not in known]
        prepared = prepare(self.expression, names, measured=False)
        if prepared.windowed:
            raise self.refused(tr("it looks at other cells"), tr("Use the values of one cell."))
        by_name = {band.name: i for i, band in enumerate(cells.bands, 1)}
        by_name |= {f"b{i}": i for i in range(1, len(cells.bands) + 1)}
        needed = tuple(sorted({by_name[name] for name in prepared.fields})) or (1,)
        read = cells.read

        def made(window: CellWindow, wanted: tuple[int, ...]) -> Grid:
            context.check()
            found = read(window, needed)
            wide = (
                found.values.astype(np.int64) if cells.dtype.kind in "iu" and cells.dtype.itemsize < 8 else found.values
            )
            columns = {  # so wide that no sum of two numbers of a band is too large for its type
                name: pa.array(wide[needed.index(by_name[name])].ravel(), mask=~found.valid.ravel())
                for name in prepared.fields
            }
            size = found.valid.size
            table = pa.table(columns) if columns else pa.table({"__none": pa.nulls(size)})
            column = evaluate(narrowed(table, prepared.fields), prepared.sql, self.expression, context.check, "DOUBLE")
            values = column.to_numpy().astype(float).reshape(found.valid.shape)
            valid = np.isfinite(values) & found.valid
            return Grid(np.where(valid, values, 0.0).astype(np.float32)[None], valid, found.lattice)

        band = Band(1, self.name, unit=self.unit)
        return replace(cells, bands=(band,), dtype=np.dtype(np.float32), nodata=None, read=made, all_valid=False)


@step
@dataclass(frozen=True)
class ClassifyCells(Step):
    """Make classes of numbers: by limits, 1 below the first and one more from each on; or number by number."""

    word: ClassVar = "classify"
    label: ClassVar = tr("Classify")
    group: ClassVar = tr("Cells")
    takes: ClassVar = GRID

    breaks: tuple[float, ...] = argument(tr("the limits, each the lower one of a class"), ())
    values: tuple[str, ...] = argument(tr("which number becomes which, as 3=1 or 3=1:name; others become nodata"), ())

    @property
    def summary(self) -> str:
        return ", ".join(f"{each:g}" for each in self.breaks) or ", ".join(self.values)

    def flow(self, flow: Flow, context: StepContext) -> GridFlow:
        cells = self.grid(flow)
        if bool(self.breaks) == bool(self.values):
            raise self.refused(tr("it needs limits, or numbers"), tr("Give one of the two."))
        if len(self.breaks) > 253 or list(self.breaks) != sorted(set(self.breaks)):
            raise self.refused(tr("the limits do not rise"), tr("Give up to 253 rising numbers."))
        classify, names = self._by_breaks() if self.breaks else self._by_values()
        read = cells.read

        def made(window: CellWindow, wanted: tuple[int, ...]) -> Grid:
            context.check()
            found = read(window, (1,))
            classes = classify(found.values[0])
            valid = found.valid & (classes > 0)
            return Grid(np.where(valid, classes, 0).astype(np.uint8)[None], valid, found.lattice)

        inks = _class_inks(len(names))
        classes = tuple((number, ink, name) for (number, name), ink in zip(names, inks))
        band = Band(1, cells.bands[0].name, classes=classes)
        return replace(cells, bands=(band,), dtype=np.dtype(np.uint8), nodata=0, read=made, all_valid=False)

    def _by_breaks(self) -> tuple[Callable[[np.ndarray], np.ndarray], list[tuple[int, str]]]:
        limits = np.array(self.breaks)
        names = [(1, f"below {limits[0]:g}")]
        names += [(i + 2, f"{low:g} to {high:g}") for i, (low, high) in enumerate(pairwise(limits.tolist()))]
        names.append((len(limits) + 1, tr("{limits:g} and above", limits=limits[-1])))
        return (lambda values: np.digitize(values, limits) + 1), names

    def _by_values(self) -> tuple[Callable[[np.ndarray], np.ndarray], list[tuple[int, str]]]:
        pairs: list[tuple[float, int]] = []
        names: dict[int, str] = {}
        for text in self.values:
            old, _, rest = text.partition("=")
            new, _, name = rest.partition(":")
            try:
                pairs.append((float(old), int(new)))
            except ValueError:
                raise self.refused(
                    tr("“{text}” is no pair of numbers", text=text), tr("Write such as 3=1 or 3=1:forest.")
                ) from None
            if not 1 <= pairs[-1][1] <= 254:
                raise self.refused(tr("the class {new} is out of range", new=new), tr("Classes are 1 to 254."))
            names.setdefault(pairs[-1][1], name or new)
        pairs.sort()
        olds, news = np.array([p[0] for p in pairs]), np.array([p[1] for p in pairs])

        def classify(values: np.ndarray) -> np.ndarray:
            at = np.clip(np.searchsorted(olds, values), 0, len(olds) - 1)
            return np.where(olds[at] == values, news[at], 0)

        return classify, sorted(names.items())


def _class_inks(count: int) -> list[str]:
    """Return colours of classes, `#rrggbb`, along a ramp."""
    from brisk_atlas.core.draw.ramps import hex_of, ramp

    inks = ramp("tide")
    return [hex_of(inks[round(at)]) for at in np.linspace(0, len(inks) - 1, count)]


@step
@dataclass(frozen=True)
class FillGaps(Step):
    """Fill cells without data from those around them, by inverse distance."""

    word: ClassVar = "fill-gaps"
    label: ClassVar = tr("Fill gaps")
    group: ClassVar = tr("Cells")
    takes: ClassVar = GRID

    distance: int = argument(tr("how many cells away values are searched for"), 20)
    smoothing: int = argument(tr("how often what was filled is smoothed"), 0)

    @property
    def summary(self) -> str:
        return tr("from up to {distance} cells away", distance=self.distance)

    def flow(self, flow: Flow, context: StepContext) -> GridFlow:
        cells = self.grid(flow)
        if not 1 <= self.distance <= 2000:
            raise self.refused(tr("the distance is out of range"), tr("Give 1 to 2,000 cells."))
        around = self.distance + self.smoothing + 1

        def made(window: CellWindow, bands: tuple[int, ...]) -> Grid:
            context.check()
            first = cells.read(window, bands)
            if first.valid.all():
                return first
            found = grown(cells, window, bands, around)
            filled = [
                fillnodata(v.astype(np.float64), found.valid, self.distance, self.smoothing) for v in found.values
            ]
            reached = fillnodata(np.ones(found.valid.shape, np.float32), found.valid, self.distance) > 0.5
            inner = np.s_[around : around + window.shape[0], around : around + window.shape[1]]
            values = np.stack([f[inner] for f in filled])
            values = np.rint(values) if cells.dtype.kind in "iu" else values
            valid = first.valid | (reached[inner] & _reached(found.valid, self.distance)[inner])
            return Grid(np.where(valid, values, 0).astype(cells.dtype), valid, first.lattice)

        return replace(cells, read=made)


def _reached(valid: np.ndarray, distance: int) -> np.ndarray:
    """Return (rows, cols) bool: which cells have one with data so near."""
    from scipy import ndimage

    if not valid.any():
        return np.zeros(valid.shape, bool)
    return ndimage.distance_transform_edt(~valid) <= distance


def grown(flow: GridFlow, window: CellWindow, bands: tuple[int, ...], by: int) -> Grid:
    """Return a window with cells around it, beyond the grid too, where there is no data."""
    return read_beyond(flow, CellWindow(window[0] - by, window[1] - by, window[2] + by, window[3] + by), bands)


@step
@dataclass(frozen=True)
class StretchTo8Bits(Step):
    """Make numbers from 1 to 255 of those between two percentiles, or two values; 0 has no data."""

    word: ClassVar = "stretch"
    label: ClassVar = tr("Stretch to 8 bits")
    group: ClassVar = tr("Cells")
    takes: ClassVar = GRID

    low_percent: float = argument(tr("the percentile that becomes 1"), 2.0)
    high_percent: float = argument(tr("the percentile that becomes 255"), 98.0)
    low: float | None = argument(tr("the value that becomes 1, in place of the percentile"), None)
    high: float | None = argument(tr("the value that becomes 255, in place of the percentile"), None)

    def flow(self, flow: Flow, context: StepContext) -> GridFlow:
        cells = self.grid(flow)
        count = len(cells.bands)
        low, high = self.low, self.high
        limits = [(low, high)] * count if low is not None and high is not None else None
        held: list[list[tuple[float, float]]] = []

        def ends() -> list[tuple[float, float]]:
            if not held:
                held.append(limits or self._percentiles(cells, context))
            return held[0]

        def made(window: CellWindow, bands: tuple[int, ...]) -> Grid:
            context.check()
            found = cells.read(window, bands)
            out = np.zeros(found.values.shape, np.uint8)
            for place, band in enumerate(bands):
                low, high = ends()[band - 1]
                share = (found.values[place].astype(float) - low) / (high - low if high > low else 1.0)
                out[place] = np.where(found.valid, 1 + np.rint(254 * np.clip(share, 0.0, 1.0)), 0)
            return Grid(out, found.valid, found.lattice)

        bands = tuple(replace(band, unit="", classes=()) for band in cells.bands)
        return replace(cells, bands=bands, dtype=np.dtype(np.uint8), nodata=0, read=made)

    def _percentiles(self, cells: GridFlow, context: StepContext) -> list[tuple[float, float]]:
        step_ = max(1, -(-max(cells.lattice.columns, cells.lattice.rows) // SAMPLE))
        few = grid_on(cells, cells.lattice.thinned(step_), how=Resampling.nearest) if step_ > 1 else cells
        found = []
        for band in range(1, len(cells.bands) + 1):
            context.check()
            seen = few.whole((band,))
            known = seen.values[0][seen.valid]
            low, high = np.percentile(known, (self.low_percent, self.high_percent)) if known.size else (0.0, 1.0)
            found.append(
                (float(low if self.low is None else self.low), float(high if self.high is None else self.high))
            )
        if step_ > 1:
            context.warn(tr("percentiles are of one cell in {step_:,}", step_=step_ * step_))
        return found
