"""The coarser grids inside a file, made while its cells go by, each half as fine as the one before."""

from __future__ import annotations

from collections.abc import Iterator
from contextlib import ExitStack, contextmanager
from pathlib import Path
from typing import Any

import numpy as np
import rasterio
import rasterio.shutil
from lxml import etree
from numpy.typing import NDArray
from rasterio.windows import Window

from brisk_atlas.core.model import CellWindow

SMALLEST = 512  # cells a side that the coarsest has at most


def halvings(columns: int, rows: int, most: int) -> list[int]:
    """Return by how much coarser the grids are that a grid needs, 2, 4, 8 and so on up to `most`."""
    factors, factor = [], 2
    while max(columns, rows) > SMALLEST * factor // 2 and factor <= most:
        factors.append(factor)
        factor *= 2
    return factors


def halved(values: np.ndarray, nodata: float | None, *, smooth: bool) -> np.ndarray:
    """Return cells (bands, rows, columns) of twice the size: the mean of four of those that have data, or the first of
    them. At the end of an odd row the last cell counts for both."""
    if not smooth:
        return values[:, ::2, ::2]
    odd = (0, values.shape[1] % 2), (0, values.shape[2] % 2)
    if odd != ((0, 0), (0, 0)):
        values = np.pad(values, ((0, 0), *odd), mode="edge")
    four = [values[:, r::2, c::2] for r in (0, 1) for c in (0, 1)]
    exact = values.dtype.itemsize > (4 if values.dtype.kind == "f" else 2)  # more digits than float32 has
    wide: list[NDArray[np.floating]] = [each.astype(np.float64 if exact else np.float32) for each in four]
    gaps = [np.isnan(each) if nodata is None or np.isnan(nodata) else each == nodata for each in four]
    if nodata is None or not any(gap.any() for gap in gaps):
        return _as_stored((wide[0] + wide[1] + wide[2] + wide[3]) / 4, values.dtype)
    total = sum(np.where(gap, 0, each) for each, gap in zip(wide, gaps))
    count = 4 - np.sum(gaps, axis=0, dtype=np.uint8)
    mean = _as_stored(total / np.maximum(count, 1), values.dtype)
    return np.where(count == 0, np.asarray(nodata).astype(values.dtype), mean)


def _as_stored(values: NDArray[np.floating], dtype: np.dtype) -> np.ndarray:
    return (np.rint(values) if dtype.kind in "iu" else values).astype(dtype, copy=False)


class Overviews:
    """Files of coarser grids in a folder: `add` gives them the windows of the finest, which begin at multiples of the
    coarsest factor; `described` joins them with it."""

    def __init__(self, files: list[tuple[int, rasterio.io.DatasetWriter]], nodata: float | None, smooth: bool) -> None:
        self._files, self._nodata, self._smooth = files, nodata, smooth

    def add(self, window: CellWindow, values: np.ndarray) -> None:
        """Write the cells of a window, (bands, rows, columns), to each of the coarser grids."""
        for factor, file in self._files:
            values = halved(values, self._nodata, smooth=self._smooth)
            place = Window(window.first_column // factor, window.first_row // factor, values.shape[2], values.shape[1])
            file.write(values, window=place)


@contextmanager
def overviews_in(
    folder: Path, factors: list[int], shape: tuple[int, int], nodata: float | None, *, smooth: bool, **profile: Any
) -> Iterator[Overviews]:
    """Yield the overviews of a grid of a shape (rows, columns), files `by_2.tif` and so on of a folder."""
    with ExitStack() as stack:
        files = []
        for factor in factors:
            rows, columns = (-(-side // factor) for side in shape)
            made = rasterio.open(folder / f"by_{factor}.tif", "w", driver="GTiff", width=columns, height=rows,
                                 nodata=nodata, **profile)  # fmt: skip
            files.append((factor, stack.enter_context(made)))
        yield Overviews(files, nodata, smooth)


def with_overviews(whole: Path, factors: list[int]) -> Path:
    """Return a virtual grid of a file and the overviews in its folder."""
    path = whole.with_suffix(".vrt")
    rasterio.shutil.copy(whole, path, driver="VRT")
    tree = etree.parse(path)
    for band in tree.iterfind("VRTRasterBand"):
        for factor in factors:
            overview = etree.SubElement(band, "Overview")
            etree.SubElement(overview, "SourceFilename", relativeToVRT="1").text = f"by_{factor}.tif"
            etree.SubElement(overview, "SourceBand").text = band.get("band")
    tree.write(path)
    return path
