"""Pictures as pages hold them: exactly where that is small, else as JPEG of high quality."""

from __future__ import annotations

import io
from typing import TYPE_CHECKING

import numpy as np

if TYPE_CHECKING:
    from PIL.Image import Image

EXACT_BYTES = 3_000_000  # of pixels, up to which a picture is stored exactly
FEW_COLOURS = 256  # of a picture of classes, which is stored exactly, and is small
SAMPLED = 7  # every so many pixels are looked at
QUALITY = 95


def shown_image(image: np.ndarray) -> Image:
    """Return (rows, cols, 4) uint8 premultiplied RGBA as an image, without an alpha where all is opaque."""
    from PIL import Image

    if image[..., 3].min() == 255:
        return Image.fromarray(np.ascontiguousarray(image[..., :3]))
    return Image.fromarray(image, "RGBa").convert("RGBA")


def is_photo(image: np.ndarray) -> bool:
    """Return whether a picture is better stored as JPEG: large, without holes, and of many colours."""
    if image.nbytes <= EXACT_BYTES or image[..., 3].min() < 255:
        return False
    sample = np.ascontiguousarray(image[::SAMPLED, ::SAMPLED]).view(np.uint32)
    return len(np.unique(sample)) > FEW_COLOURS


def jpeg_of(shown: Image) -> io.BytesIO:
    """Return an image as JPEG."""
    out = io.BytesIO()
    shown.save(out, "JPEG", quality=QUALITY, subsampling=0)
    out.seek(0)
    return out
