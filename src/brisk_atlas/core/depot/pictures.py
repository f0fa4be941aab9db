"""Pictures of offers: any rectangle in any CRS, and tiles."""

from __future__ import annotations

from collections.abc import Sequence
from functools import partial
from io import BytesIO

import numpy as np
from PIL import Image

from brisk_atlas.core.draw.kernels.pixels import NORMAL, blend
from brisk_atlas.core.draw.view import View
from brisk_atlas.core.model import Extent, Layer
from brisk_atlas.core.system.shares import CORES, in_pieces

from .offers import Depot

MAX_SIDE = 4096  # pixels
SQUARE = 1e-6  # pixels may differ in width and height by that share and count as square


def draw(depot: Depot, layers: Sequence[Layer], extent: Extent, width: int, height: int) -> np.ndarray:
    """Return (height, width, 4) uint8 premultiplied RGBA of layers over an extent, the last one on top."""
    across, along = extent.width / width, extent.height / height
    resolution = min(across, along)
    columns, rows = width, height
    if abs(across - along) > SQUARE * resolution:
        columns, rows = (min(MAX_SIDE, round(length / resolution)) for length in (extent.width, extent.height))
    x, y = extent.centre
    view = View(x, y, extent.width / columns, columns, rows, extent.crs)
    image = np.zeros((rows, columns, 4), np.uint8)
    for layer in layers:
        above = np.zeros_like(image)
        painter = depot.painter.painters[layer.kind]
        painter.paint(depot.cache, layer, above, view, lambda: None, lambda: None)
        in_pieces(rows, CORES, partial(blend, image, above, layer.opacity, NORMAL))
    if (rows, columns) == (height, width):
        return image
    sized = Image.fromarray(image, "RGBa").resize((width, height), Image.Resampling.BILINEAR)
    return np.asarray(sized)


def encoded(image: np.ndarray, media_type: str = "image/png") -> bytes:
    """Return premultiplied RGBA as PNG, or on white as JPEG."""
    picture, out = Image.fromarray(image, "RGBa").convert("RGBA"), BytesIO()
    if media_type == "image/jpeg":
        paper = Image.new("RGB", picture.size, "white")
        paper.paste(picture, mask=picture.getchannel("A"))
        paper.save(out, "JPEG", quality=90)
    else:
        picture.save(out, "PNG", compress_level=1)
    return out.getvalue()
