"""One large grid or cloud as many tasks of a batch.

Of a grid the windows of the result are computed, each by itself, then the file is written from them. The points of a
cloud are sorted into squares of the map, some runs of points at a time, then each square goes through the steps. What
a task leaves is moved into place when it is whole: one that dies, or is done twice, loses and doubles nothing.
"""

from __future__ import annotations

import json
from collections.abc import Iterator, Mapping
from dataclasses import dataclass, replace
from math import ceil
from pathlib import Path
from typing import Any
from urllib.parse import quote

import laspy
import numpy as np

from brisk_atlas.core.model import CellWindow, DataRef
from brisk_atlas.core.model.grid import Grid
from brisk_atlas.core.system.atomic_write import write_whole, written_beside

from .flows import PIECE, Flow, GridFlow, PointFlow
from .formats.grids import PIECE as WINDOW
from .point_runs import Run, record_of
from .recipe import INPUT, Branch, Recipe
from .run_recipe import RecipeRun
from .sources import FileSources
from .steps.points import TilePoints
from .steps.write import WriteStep

SIDE = 2 * WINDOW  # cells along each side of a window that is a task; computed in the windows in which all would be
RUN_POINTS = 5_000_000  # that a task sorts into squares
SQUARE_POINTS = 5_000_000  # about how many a square has
ALIKE = 1e-9  # by how much of it a size may be off from a multiple of another

Piece = dict[str, Any]  # what a task does, as JSON holds it


@dataclass(frozen=True)
class TiledInput:
    """What an input is divided into: pieces that come first, in any order, and the folder of their results."""

    folder: Path
    first: tuple[Piece, ...]

    def then(self) -> list[Piece]:
        """Return the pieces of what is written, once all that come first are done."""
        squares = sorted(path.name for path in self.folder.glob("square *"))
        if squares:
            return [{"do": "square", "folder": str(self.folder), "name": name} for name in squares]
        return [{"do": "join", "folder": str(self.folder)}]


def tiled_input(recipe: Recipe, values: Mapping[str, Any], base: Path | None, folder: Path) -> TiledInput | None:
    """Return what an input is divided into, None where it is too small for that or must stay together.

    folder : where the results of pieces lie meanwhile. Raises AtlasError.
    """
    with RecipeRun(recipe, FileSources(base), values) as run:
        first: list[Piece] = []
        writing = [branch for branch in recipe.branches if run.write_steps(branch)]
        for branch in writing:
            flow = run.flow(branch.name)
            if isinstance(flow, GridFlow) and max(flow.lattice.columns, flow.lattice.rows) > SIDE:
                first += [{"do": "cells", "folder": str(folder), "branch": branch.name, "window": list(window)}
                          for window in flow.windows(SIDE)]  # fmt: skip
        if not first and len(writing) == 1:
            first = _runs_of_points(run, writing[0], folder)
    return TiledInput(folder, tuple(first)) if len(first) > 1 else None


def _runs_of_points(run: RecipeRun, branch: Branch, folder: Path) -> list[Piece]:
    """Return the pieces of a cloud whose tiles can be made each by itself."""
    if branch.source != INPUT or any(each.source == INPUT for each in run.recipe.branches if each is not branch):
        return []
    steps = [each.made(run.values) for each in branch.steps if not each.off]
    before = [step for step in steps if not isinstance(step, WriteStep)]
    tiles = [step for step in before if isinstance(step, TilePoints)]
    squares = [step.square for step in before]
    flow = run.sources.flow(run.values["input"], sampled=False)
    if not tiles or None in squares or not isinstance(flow, PointFlow) or las_file(flow) is None:
        return []
    size, extent, count = tiles[-1].size, flow.extent, flow.count or 0
    ratios = [size / square for square in squares if square]
    if extent is None or count <= SQUARE_POINTS or any(abs(r - round(r)) > ALIKE * r for r in ratios):
        return []
    wanted = (extent.width * extent.height * SQUARE_POINTS / count) ** 0.5
    side = size * max(1, round(wanted / size))
    return [{"do": "points", "folder": str(folder), "start": start, "side": side}
            for start in range(0, count, RUN_POINTS)]  # fmt: skip


def las_file(flow: PointFlow) -> Path | None:
    """Return the file of LAS or LAZ whose runs of points a flow is, None where it comes from elsewhere."""
    ref = flow.source
    return ref.path if ref is not None and ref.is_local and ref.suffix in (".las", ".laz") else None


def do_piece(run: RecipeRun, piece: Piece) -> list[dict[str, Any]]:
    """Do one piece of a run's input; returns what `BranchRun.as_json` gives of what wrote. Raises AtlasError."""
    folder = Path(piece["folder"])
    match piece["do"]:
        case "cells":
            _compute_cells(run, piece["branch"], CellWindow(*piece["window"]), folder)
        case "points":
            _sort_points(run, piece["start"], piece["side"], folder)
        case "join":
            run.ended = lambda name, flow: _joined(name, flow, folder)
            return [each.as_json() for each in run.write()]
        case "square":
            run.sources = _OneSquare(run, folder / piece["name"])
            return [each.as_json() for each in run.write()]
    return []


# Cells


def _part(folder: Path, branch: str, window: CellWindow) -> tuple[Path, Path]:
    stem = f"{quote(branch, safe=' ')} {window.first_column} {window.first_row}"
    return folder / f"{stem} values.npy", folder / f"{stem} valid.npy"


def _compute_cells(run: RecipeRun, branch: str, window: CellWindow, folder: Path) -> None:
    """Store the values of a window, (bands, rows, columns), and which are valid, of each band by itself."""
    flow = run.flow(branch)
    assert isinstance(flow, GridFlow)
    values_path, valid_path = _part(folder, branch, window)
    if valid_path.exists():
        return
    bands = tuple(range(1, len(flow.bands) + 1))
    values = np.empty((len(bands), *window.shape), flow.dtype)
    valid = np.empty(values.shape, bool)
    for row in range(window.first_row, window.last_row, WINDOW):
        for column in range(window.first_column, window.last_column, WINDOW):
            run.check()
            part = CellWindow(column, row, min(column + WINDOW, window.last_column), min(row + WINDOW, window.last_row))
            place = slice(None), *_place(part, window)
            found = flow.read(part, bands)
            values[place], valid[place] = found.values, found.valid
            if len(bands) > 1 and not found.valid.all():  # a band may have data where another has none
                for number in bands:
                    alone = flow.read(part, (number,))
                    values[place][number - 1], valid[place][number - 1] = alone.values[0], alone.valid
    for path, array in ((values_path, values), (valid_path, valid)):  # the second says that both are there
        with written_beside(path) as there, there.open("wb") as file:
            np.save(file, array)


def _joined(branch: str, flow: Flow, folder: Path) -> Flow:
    """Return a grid whose cells are those of the windows that were computed."""
    if not isinstance(flow, GridFlow) or not _part(folder, branch, CellWindow(0, 0, 0, 0))[1].exists():
        return flow

    def read(window: CellWindow, bands: tuple[int, ...]) -> Grid:
        values = np.empty((len(bands), *window.shape), flow.dtype)
        valid = np.empty(window.shape, bool)
        at = np.array(bands) - 1
        for row in range(window.first_row // SIDE, ceil(window.last_row / SIDE)):
            for column in range(window.first_column // SIDE, ceil(window.last_column / SIDE)):
                there = CellWindow(column * SIDE, row * SIDE, (column + 1) * SIDE, (row + 1) * SIDE)
                cut = CellWindow(*map(max, window[:2], there[:2]), *map(min, window[2:], there[2:]))
                mine, theirs = _place(cut, window), _place(cut, there)
                stored_values, stored_valid = (np.load(path, mmap_mode="r") for path in _part(folder, branch, there))
                values[(slice(None), *mine)] = stored_values[(slice(None), *theirs)][at]
                valid[mine] = stored_valid[(slice(None), *theirs)][at].all(axis=0)
        return Grid(values, valid, flow.lattice.within(window))

    return replace(flow, read=read)


def _place(part: CellWindow, window: CellWindow) -> tuple[slice, slice]:
    """Return the rows and columns of a window that are those of a part of it."""
    top, left = part.first_row - window.first_row, part.first_column - window.first_column
    return slice(top, top + part.shape[0]), slice(left, left + part.shape[1])


# Points


def _sort_points(run: RecipeRun, start: int, side: float, folder: Path) -> None:
    """Store some of the points of the input by the square that each lies in."""
    done = folder / f"sorted {start}.json"
    if done.exists():
        return
    flow = run.sources.flow(run.values["input"], sampled=False)
    assert isinstance(flow, PointFlow)
    path = las_file(flow)
    assert path is not None
    squares: dict[tuple[int, int], list[np.ndarray]] = {}
    with laspy.open(path) as source:
        source.seek(start)
        left = min(RUN_POINTS, source.header.point_count - start)
        while left > 0:
            run.check()
            points = source.read_points(min(PIECE, left))
            left -= len(points)
            columns, rows = (np.floor(np.asarray(each) / side).astype(np.int64) for each in (points.x, points.y))
            order = np.lexsort((columns, rows))
            ends = np.flatnonzero((np.diff(columns[order]) != 0) | (np.diff(rows[order]) != 0)) + 1
            for those in np.split(order, ends):
                key = int(columns[those[0]]), int(rows[those[0]])
                squares.setdefault(key, []).append(points.array[np.sort(those)])
    for (column, row), found in squares.items():
        place = folder / f"square {column} {row}"
        place.mkdir(exist_ok=True)
        with written_beside(place / f"{start:015}.points") as there, there.open("wb") as file:
            for array in found:
                array.tofile(file)
    write_whole(done, json.dumps(sorted(map(list, squares))).encode())


class _OneSquare(FileSources):
    """The sources of a run, but for its input: of that the points of one square, in the order of the file."""

    def __init__(self, run: RecipeRun, square: Path) -> None:
        assert isinstance(run.sources, FileSources)
        super().__init__(run.sources.folder)
        self._input, self._square = self.ref(run.values["input"]), square

    def flow(self, source: str | DataRef, *, sampled: bool = False) -> Flow:
        flow = super().flow(source, sampled=sampled)
        if not isinstance(flow, PointFlow) or self.ref(source) != self._input:
            return flow
        like, dtype = flow, flow.header.point_format.dtype()
        files = sorted(self._square.glob("*.points"))

        def runs() -> Iterator[Run]:
            for file in files:
                stored = np.memmap(file, dtype, "r")
                for start in range(0, len(stored), PIECE):
                    yield record_of(np.array(stored[start : start + PIECE]), like)

        count = sum(file.stat().st_size for file in files) // dtype.itemsize
        return replace(flow, runs=runs, count=count)
