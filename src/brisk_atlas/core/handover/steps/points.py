"""The points of a cloud: which ones, in tiles, heights above ground, colours, and grids of them."""

from __future__ import annotations

from collections.abc import Iterator
from copy import deepcopy
from dataclasses import dataclass, replace
from typing import ClassVar

import laspy
import numpy as np

from brisk_atlas.core.model import Band, CellWindow, Extent, Lattice
from brisk_atlas.core.model.argument import Source, argument
from brisk_atlas.core.model.cloud import POINT_CLASSES
from brisk_atlas.core.model.grid import Grid
from brisk_atlas.core.model.language import tr
from brisk_atlas.core.place import transform

from ..cube_kernels import SeenCubes
from ..flows import Flow, GridFlow, PointFlow
from ..point_runs import Run, chosen_points, record_of
from ..step import POINTS, Step, StepContext, step
from .cells import band_number

GROUND = 2
HEIGHT = "height_above_ground"
MOST_CELLS = 400_000_000


@step
@dataclass(frozen=True)
class ChooseClasses(Step):
    """Leave the points of some classes, or those of all others."""

    word: ClassVar = "classes"
    label: ClassVar = tr("Classes of points")
    group: ClassVar = tr("Points")
    takes: ClassVar = POINTS

    classes: tuple[int, ...] = argument(tr("the numbers of the classes, such as 2 for ground"))
    others: bool = argument(tr("leave all others instead"), False)

    @property
    def summary(self) -> str:
        names = ", ".join(POINT_CLASSES.get(each, str(each)) for each in self.classes)
        return tr("all but {names}", names=names) if self.others else names

    @property
    def square(self) -> float | None:
        return 0.0

    def flow(self, flow: Flow, context: StepContext) -> PointFlow:
        cloud = self.points(flow)

        def chosen(run: Run) -> np.ndarray:
            found = np.isin(np.asarray(run["classification"]), self.classes)
            return ~found if self.others else found

        return chosen_points(cloud, chosen, context)


@step
@dataclass(frozen=True)
class ThinPoints(Step):
    """Leave one point of each cube of a size: the first one. Or one in so many."""

    word: ClassVar = "thin"
    label: ClassVar = tr("Thin points")
    group: ClassVar = tr("Points")
    takes: ClassVar = POINTS

    size: float = argument(tr("the size of the cubes in units of the CRS"), 0.0)
    every: int = argument(tr("leave one point in so many instead"), 0)

    @property
    def summary(self) -> str:
        return (
            tr("one in {every:,}", every=self.every)
            if self.every
            else tr("one in each cube of {size:g}", size=self.size)
        )

    @property
    def square(self) -> float | None:
        return self.size or None

    def flow(self, flow: Flow, context: StepContext) -> PointFlow:
        cloud = self.points(flow)
        if (self.size > 0) == (self.every > 0):
            raise self.refused(tr("it needs a size, or how many"), tr("Give one of the two, above 0."))
        if self.every:
            return self._every(cloud, context)

        def runs() -> Iterator[Run]:
            header = cloud.header
            seen = SeenCubes(np.asarray(header.scales), np.asarray(header.offsets), self.size)
            for run in cloud.runs():
                context.check()
                first = seen.first_in_cube(run.array["X"], run.array["Y"], run.array["Z"])
                if first.any():
                    yield record_of(run.array[first], cloud)

        return replace(cloud, runs=runs, count=None)

    def _every(self, cloud: PointFlow, context: StepContext) -> PointFlow:
        def runs() -> Iterator[Run]:
            skip = 0
            for run in cloud.runs():
                context.check()
                yield record_of(run.array[skip :: self.every], cloud)
                skip = (skip - len(run)) % self.every

        return replace(cloud, runs=runs, count=None)


@step
@dataclass(frozen=True)
class TilePoints(Step):
    """Write a file for each square tile; the name of the file gets the column and the row of the tile."""

    word: ClassVar = "tile"
    label: ClassVar = tr("Tiles of points")
    group: ClassVar = tr("Points")
    takes: ClassVar = POINTS

    size: float = argument(tr("the size of a tile in units of the CRS"))

    @property
    def summary(self) -> str:
        return f"{self.size:g}"

    @property
    def square(self) -> float | None:
        return self.size

    def flow(self, flow: Flow, context: StepContext) -> PointFlow:
        if not self.size > 0:
            raise self.refused(tr("tiles have no size"), tr("Give a number above 0."))
        return replace(self.points(flow), tile_size=self.size)


@step
@dataclass(frozen=True)
class HeightAboveGround(Step):
    """Add the height above the points of the ground, between which it is linear; beyond them above the nearest one."""

    word: ClassVar = "above-ground"
    label: ClassVar = tr("Height above ground")
    group: ClassVar = tr("Points")
    takes: ClassVar = POINTS
    gathers: ClassVar = True

    ground: tuple[int, ...] = argument(tr("the classes that are ground"), (GROUND,))
    replace_heights: bool = argument(tr("put it in the place of the heights, not into a dimension of its own"), False)

    def flow(self, flow: Flow, context: StepContext) -> PointFlow:
        cloud = self.points(flow)
        header = deepcopy(cloud.header)
        if not self.replace_heights and HEIGHT not in set(header.point_format.dimension_names):
            header.add_extra_dims([laspy.ExtraBytesParams(HEIGHT, np.float32, "above ground, m")])

        def runs() -> Iterator[Run]:
            from scipy.interpolate import LinearNDInterpolator, NearestNDInterpolator

            whole = cloud.whole(context.check)
            xy = np.column_stack([np.asarray(whole.x), np.asarray(whole.y)])
            z = np.asarray(whole.z)
            ground = np.isin(np.asarray(whole["classification"]), self.ground)
            if ground.sum() < 3:
                raise self.refused(
                    tr("it has fewer than three points of the ground"), tr("Name the classes that are ground.")
                )
            middle = xy.mean(axis=0)
            between = LinearNDInterpolator(xy[ground] - middle, z[ground])
            nearest = NearestNDInterpolator(xy[ground] - middle, z[ground])
            context.check()
            level = between(xy - middle)
            beyond = ~np.isfinite(level)
            level[beyond] = nearest(xy[beyond] - middle) if beyond.any() else 0.0
            out = laspy.ScaleAwarePointRecord.zeros(len(whole), header=header)
            out.copy_fields_from(whole)
            if self.replace_heights:
                out.z = z - level
            else:
                out[HEIGHT] = (z - level).astype(np.float32)
            yield out

        return replace(cloud, header=header, runs=runs)


@step
@dataclass(frozen=True)
class ColourPoints(Step):
    """Give points the colours of a picture: of its first three bands, or of three that are named."""

    word: ClassVar = "colour"
    label: ClassVar = tr("Colour points")
    group: ClassVar = tr("Points")
    takes: ClassVar = POINTS

    scene: Source = argument(tr("the picture: a branch of the recipe, an open layer or a dataset"))
    bands: tuple[str, ...] = argument(tr("the bands of red, green and blue"), ("1", "2", "3"))
    low: float | None = argument(tr("the value that becomes black; of 8 bits as it is if not given"), None)
    high: float | None = argument(tr("the value that becomes white"), None)

    @property
    def square(self) -> float | None:
        return 0.0

    def flow(self, flow: Flow, context: StepContext) -> PointFlow:
        cloud, picture = self.points(flow), self.grid(context.flow_of(self.scene))
        if len(self.bands) != 3:
            raise self.refused(tr("colours need three bands"), tr("Name three."))
        numbers = tuple(band_number(self, picture, name) for name in self.bands)
        if (cloud.crs is None) != (picture.crs is None):
            raise self.refused(tr("one of the two has no CRS"), tr("State it first."))
        low, high = self.low, self.high
        if low is None or high is None:
            if picture.dtype != np.uint8:
                raise self.refused(tr("the picture has no 8 bits"), tr("Give the values of black and white."))
            low, high = 0.0, 255.0
        header = deepcopy(cloud.header)
        if "red" not in set(header.point_format.dimension_names):
            wanted = {0: 2, 1: 3, 4: 5, 6: 7, 9: 10}.get(header.point_format.id, 7)
            header = laspy.convert(laspy.LasData(header), point_format_id=wanted).header
            header.scales, header.offsets = cloud.header.scales, cloud.header.offsets

        def runs() -> Iterator[Run]:
            for run in cloud.runs():
                context.check()
                out = laspy.ScaleAwarePointRecord.zeros(len(run), header=header)
                out.copy_fields_from(run)
                xy = np.column_stack([np.asarray(run.x), np.asarray(run.y)])
                values, valid = _values_at(picture, numbers, transform(xy, cloud.crs, picture.crs))
                share = np.clip((values - low) / (high - low), 0.0, 1.0)
                for name, band in zip(("red", "green", "blue"), share):
                    out[name] = np.where(valid, np.rint(band * 65535), 0).astype(np.uint16)
                yield out

        return replace(cloud, header=header, runs=runs)


def _values_at(grid: GridFlow, bands: tuple[int, ...], xy: np.ndarray) -> tuple[np.ndarray, np.ndarray]:
    """Return (bands, points) float64 values of the cells that points lie in, and which have one."""
    column, row = grid.lattice.to_cells(xy[:, 0], xy[:, 1])
    inside = (column >= 0) & (row >= 0) & (column < grid.lattice.columns) & (row < grid.lattice.rows)
    values, valid = np.zeros((len(bands), len(xy))), np.zeros(len(xy), bool)
    if inside.any():
        c, r = np.floor(column[inside]).astype(int), np.floor(row[inside]).astype(int)
        window = CellWindow(int(c.min()), int(r.min()), int(c.max()) + 1, int(r.max()) + 1)
        found = grid.read(window, bands)
        values[:, inside] = found.values[:, r - window.first_row, c - window.first_column]
        valid[inside] = found.valid[r - window.first_row, c - window.first_column]
    return values, valid


WHAT = ("mean", "minimum", "maximum", "density", "triangles")


@step
@dataclass(frozen=True)
class SurfaceOfPoints(Step):
    """Make a grid of points: the mean, minimum or maximum height in each cell, how many points a unit of area has, or
    heights between the points on triangles (Delaunay)."""

    word: ClassVar = "surface"
    label: ClassVar = tr("Grid of points")
    group: ClassVar = tr("Points to cells")
    takes: ClassVar = POINTS
    gathers: ClassVar = True

    resolution: float = argument(tr("the cell size in units of the CRS"))
    what: str = argument(tr("what each cell gets"), "mean", choices=WHAT)
    classes: tuple[int, ...] = argument(tr("the classes of points that count; all if not given"), ())

    @property
    def summary(self) -> str:
        return tr("{what}, cells of {resolution:g}", what=self.what, resolution=self.resolution)

    def flow(self, flow: Flow, context: StepContext) -> GridFlow:
        cloud = self.points(flow)
        if self.what not in WHAT:
            raise self.refused(tr("there is no {what}", what=self.what), tr("There are: {what}.", what=", ".join(WHAT)))
        if not self.resolution > 0:
            raise self.refused(tr("cells have no size"), tr("Give a number above 0."))
        lattice = self._lattice(cloud)
        held: list[tuple[np.ndarray, np.ndarray]] = []

        def read(window: CellWindow, bands: tuple[int, ...]) -> Grid:
            if not held:
                held.append(self._surface(cloud, lattice, context))
            values, valid = held[0]
            place = np.s_[window.first_row : window.last_row, window.first_column : window.last_column]
            return Grid(values[place][None], valid[place], lattice.within(window))

        unit = "" if self.what == "density" else "m"
        return GridFlow(cloud.name, lattice, (Band(1, self.what, unit=unit),), np.dtype(np.float32), None, read,
                        cloud.sampled)  # fmt: skip

    def _lattice(self, cloud: PointFlow) -> Lattice:
        low, high = np.asarray(cloud.header.mins)[:2], np.asarray(cloud.header.maxs)[:2]
        if cloud.extent is not None:
            b = cloud.extent.bounds
            low, high = np.array(b[:2]), np.array(b[2:])
        size = self.resolution
        first = np.floor(low / size) * size
        columns, rows = (int(max(1, np.floor((h - f) / size) + 1)) for h, f in zip(high, first))
        if columns * rows > MOST_CELLS:
            raise self.refused(
                tr("it would have {columns:,} cells", columns=columns * rows), tr("Give a larger cell size.")
            )
        extent = Extent(*map(float, first), float(first[0] + columns * size), float(first[1] + rows * size), cloud.crs)  # type: ignore[call-arg, arg-type]
        return Lattice.north_up(extent, (rows, columns))

    def _chosen(self, run: Run) -> np.ndarray:
        if not self.classes:
            return np.ones(len(run), bool)
        return np.isin(np.asarray(run["classification"]), self.classes)

    def _surface(self, cloud: PointFlow, lattice: Lattice, context: StepContext) -> tuple[np.ndarray, np.ndarray]:
        if self.what == "triangles":
            return self._triangles(cloud, lattice, context)
        size = lattice.rows * lattice.columns
        count = np.zeros(size, np.int64)
        made = np.full(size, {"minimum": np.inf, "maximum": -np.inf}.get(self.what, 0.0))
        for run in cloud.runs():
            context.check()
            chosen = self._chosen(run)
            column, row = lattice.to_cells(np.asarray(run.x)[chosen], np.asarray(run.y)[chosen])
            c = np.clip(np.floor(column).astype(np.int64), 0, lattice.columns - 1)
            r = np.clip(np.floor(row).astype(np.int64), 0, lattice.rows - 1)
            at, z = r * lattice.columns + c, np.asarray(run.z)[chosen]
            count += np.bincount(at, minlength=size)
            if self.what == "minimum":
                np.minimum.at(made, at, z)
            elif self.what == "maximum":
                np.maximum.at(made, at, z)
            elif self.what == "mean":
                made += np.bincount(at, z, size)
        there = count > 0
        if self.what == "mean":
            made = made / np.maximum(count, 1)
        elif self.what == "density":
            made, there = count / lattice.cell_area, np.ones(size, bool)
        shape = (lattice.rows, lattice.columns)
        return np.where(there, made, 0.0).astype(np.float32).reshape(shape), there.reshape(shape)

    def _triangles(self, cloud: PointFlow, lattice: Lattice, context: StepContext) -> tuple[np.ndarray, np.ndarray]:
        from scipy.interpolate import LinearNDInterpolator

        whole = cloud.whole(context.check)
        chosen = self._chosen(whole)
        xy = np.column_stack([np.asarray(whole.x)[chosen], np.asarray(whole.y)[chosen]])
        if len(xy) < 3:
            raise self.refused(tr("it has fewer than three points"), tr("Choose other classes."))
        middle = xy.mean(axis=0)
        between = LinearNDInterpolator(xy - middle, np.asarray(whole.z)[chosen])
        values = np.full((lattice.rows, lattice.columns), np.nan)
        columns = np.arange(lattice.columns) + 0.5
        for row in range(lattice.rows):
            context.check()
            x, y = lattice.to_map(columns, row + 0.5)
            values[row] = between(x - middle[0], np.full(len(columns), y) - middle[1])
        valid = np.isfinite(values)
        return np.where(valid, values, 0.0).astype(np.float32), valid
