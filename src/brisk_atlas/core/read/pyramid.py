"""Overviews for rasters that come without, made once in the background and stored in the user's cache.

The file is read through once, a strip of rows at a time and spread over the whole height first, so
that a coarse picture of all of it can be had early. Only strips that are done say anything.
"""

from __future__ import annotations

import hashlib
import os
import shutil
import threading
from collections.abc import Callable
from math import ceil
from pathlib import Path

import numpy as np

from brisk_atlas.core.model import Level, RasterPart
from brisk_atlas.core.system import folders

from .kernels import reduce_mean, reduce_nearest

MANY_CELLS = 9_000_000  # a band whose coarsest stored level has more cells than this gets coarser ones
STRIP = 512  # rows of the file read at a time; every level's factor divides it
FIRST_FACTOR = 4
SMALLEST = 400  # cells on the longer side of the coarsest level
KEPT_BYTES = 6_000_000_000  # of all pyramids; the longest unused go first
_DONE = "done"
_PROGRESS: dict[Path, tuple[np.ndarray, threading.Lock]] = {}
_PROGRESS_LOCK = threading.Lock()


def cache_folder() -> Path:
    """Return the folder for overviews in the user's cache."""
    return folders.cache_folder("overviews")


def needs_pyramid(part: RasterPart, band: int) -> bool:
    """Return whether pictures of all of a band would have to read too much of its file."""
    return min(level.width * level.height for level in part.levels(band)) > MANY_CELLS


class Pyramid:
    """Coarser grids of one band of a file, on disk. `nearest` keeps classes; otherwise means."""

    def __init__(self, part: RasterPart, band: int, file: Path, *, nearest: bool) -> None:
        known = file.stat()
        text = f"{file.absolute()}|{known.st_size}|{known.st_mtime_ns}|{band}|{part.facts.name}|{nearest}"
        self.folder = cache_folder() / hashlib.sha256(text.encode()).hexdigest()[:32]
        self.part, self.band, self.nearest = part, band, nearest
        width, height = part.levels(band)[0].width, part.levels(band)[0].height
        self.levels: list[Level] = []
        factor = FIRST_FACTOR
        while True:
            w, h = ceil(width / factor), ceil(height / factor)
            self.levels.append(Level(float(factor), float(factor), w, h, -factor))
            if max(w, h) <= SMALLEST or factor >= STRIP:
                break
            factor *= 2
        self.strips = ceil(height / STRIP)
        with _PROGRESS_LOCK:  # shared by all that look at the same file
            self.done, self._building = _PROGRESS.setdefault(
                self.folder, (np.zeros(self.strips, bool), threading.Lock())
            )
        if (self.folder / _DONE).exists():
            self.done[:] = True
            os.utime(self.folder)

    @property
    def complete(self) -> bool:
        """Whether all of its levels are made."""
        return bool(self.done.all())

    def _file(self, level: Level) -> Path:
        return self.folder / f"{int(level.factor_x)}.f32"

    def cells(self, level: Level, window: tuple[int, int, int, int]) -> np.ndarray:
        """Return (rows, cols) float32 cells of a level, NaN without data and where not made yet."""
        c0, r0, c1, r1 = window
        if not self._file(level).exists():
            return np.full((r1 - r0, c1 - c0), np.nan, np.float32)
        whole = np.memmap(self._file(level), np.float32, "r", shape=(level.height, level.width))
        out = np.array(whole[r0:r1, c0:c1])
        strip = np.arange(r0, r1) * int(level.factor_y) // STRIP
        out[~self.done[strip]] = np.nan
        return out

    def build(self, report: Callable[[float], None]) -> None:
        """Make what is missing. `report` takes the share done and may raise to stop; what is done stays."""
        with self._building:
            if self.complete:
                return
            folders.make_private(self.folder)
            width, height = self.part.levels(self.band)[0].width, self.part.levels(self.band)[0].height
            files = [self._file(level).open("r+b" if self._file(level).exists() else "w+b") for level in self.levels]
            reduce = reduce_nearest if self.nearest else reduce_mean
            try:
                for file, level in zip(files, self.levels):
                    file.truncate(level.width * level.height * 4)
                for count, strip in enumerate(_spread(self.strips)):
                    report(count / self.strips)
                    top, bottom = strip * STRIP, min(height, (strip + 1) * STRIP)
                    cells = self.part.cells(self.band, self.part.levels(self.band)[0], (0, top, width, bottom))
                    step = FIRST_FACTOR
                    for file, level in zip(files, self.levels):
                        coarse = np.empty((ceil(cells.shape[0] / step), level.width), np.float32)
                        reduce(cells, step, coarse)
                        file.seek(top // int(level.factor_y) * level.width * 4)
                        file.write(coarse.tobytes())
                        file.flush()
                        cells, step = coarse, 2
                    self.done[strip] = True
                (self.folder / _DONE).touch()
            finally:
                for file in files:
                    file.close()
        prune()


def _spread(count: int) -> list[int]:
    """Return 0 to count - 1 in an order that is spread over the whole at any time."""
    bits = max(1, (count - 1).bit_length())
    return [k for i in range(1 << bits) if (k := int(f"{i:0{bits}b}"[::-1], 2)) < count]


def prune(limit: int = KEPT_BYTES) -> None:
    """Delete the pyramids unused for longest until the rest takes no more than `limit` bytes."""
    folder = cache_folder()
    if not folder.is_dir():
        return
    total = 0
    for each in sorted(folder.iterdir(), key=lambda f: f.stat().st_mtime, reverse=True):
        total += sum(f.stat().st_size for f in each.iterdir())
        if total > limit:
            shutil.rmtree(each, ignore_errors=True)
            with _PROGRESS_LOCK:
                _PROGRESS.pop(each, None)
