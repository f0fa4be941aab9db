"""Pictures as PNG."""

from __future__ import annotations

from io import BytesIO

import numpy as np

PAPER = (255, 253, 248)


def png_bytes(image: np.ndarray, paper: tuple[int, int, int] = PAPER) -> bytes:
    """Return (rows, cols, 4) uint8 premultiplied RGBA on paper as PNG."""
    from PIL import Image

    drawn = image.astype("float32")
    seen = 255 - drawn[..., 3:]  # how much of the paper
    pixels = (drawn[..., :3] + seen / 255 * paper).clip(0, 255).astype("uint8")
    out = BytesIO()
    Image.fromarray(pixels).save(out, "PNG", optimize=True)
    return out.getvalue()
