"""Large pictures in parts: a browser that decoded one whole would need a gigabyte, and would show a tenth of it."""

from __future__ import annotations

from collections.abc import Iterator
from dataclasses import dataclass
from io import BytesIO
from math import ceil
from typing import TYPE_CHECKING

if TYPE_CHECKING:
    from PIL.Image import Image

MOST_WHOLE_PX = 8_000_000  # of a picture that is shown as one
SIDE_PX = 512  # of a tile
OVERVIEW_PX = 2048  # at most, the longer side of what is shown first
QUALITY = 92


@dataclass(frozen=True)
class PictureLevel:
    """A picture at one size, in tiles of `SIDE_PX` pixels row by row; those at its right and lower edge are smaller."""

    width: int
    height: int
    tiles: tuple[bytes, ...]


@dataclass(frozen=True)
class TiledPicture:
    """A picture at several sizes, each twice the one before and the last its own, all JPEG."""

    overview: bytes
    levels: tuple[PictureLevel, ...]

    media_type = "image/jpeg"


def tiled(data: bytes, side: int = SIDE_PX, most: int = MOST_WHOLE_PX) -> TiledPicture | None:
    """Return a picture in tiles, None for one that is small enough to be shown as one of at most `most` pixels."""
    from PIL import Image

    with Image.open(BytesIO(data)) as found:
        width, height = found.size
        if width * height <= most:
            return None
        whole = found.convert("RGB")
    times = [0]
    while max(width, height) / 2 ** times[-1] > OVERVIEW_PX:
        times.append(times[-1] + 1)
    levels: list[PictureLevel] = []
    shown = whole
    for halved in times:
        size = (ceil(width / 2**halved), ceil(height / 2**halved))
        shown = shown if shown.size == size else shown.resize(size, Image.Resampling.BOX)
        if halved < times[-1]:
            levels.append(PictureLevel(*size, tuple(_jpeg(tile) for tile in _tiles_of(shown, side))))
    return TiledPicture(_jpeg(shown), tuple(reversed(levels)))


def _tiles_of(picture: Image, side: int) -> Iterator[Image]:
    width, height = picture.size
    for top in range(0, height, side):
        for left in range(0, width, side):
            yield picture.crop((left, top, min(left + side, width), min(top + side, height)))


def _jpeg(picture: Image) -> bytes:
    out = BytesIO()
    picture.save(out, "JPEG", quality=QUALITY, subsampling=0)
    return out.getvalue()
