"""Photographs of core, read no larger than they are shown."""

from __future__ import annotations

import logging

from PIL import Image, ImageOps, UnidentifiedImageError

from brisk_atlas.core.connect import localise
from brisk_atlas.core.model import AtlasError, DataRef

log = logging.getLogger(__name__)

MOST_PIXELS = 200_000_000


def photograph(ref: DataRef, longest: int) -> Image.Image | None:
    """Return a photograph upright, its longer side about as many pixels as asked for and not larger than it is stored;
    None where it can't be read."""
    try:
        with Image.open(localise(ref).path) as picture:
            if picture.width * picture.height > MOST_PIXELS:
                return None
            picture.draft("RGB", (longest, longest))  # a JPEG is decoded at a fraction of its size
            small = ImageOps.exif_transpose(picture)
            small.thumbnail((longest, longest))
            return small.convert("RGB")
    except (AtlasError, OSError, UnidentifiedImageError, ValueError, Image.DecompressionBombError) as error:
        log.info("the photograph %s can't be read: %s", ref, error)
        return None
