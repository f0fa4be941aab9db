"""Pictures of plates: the map drawn sharp as a plate has it, and what a widget shows, as WebP or JPEG."""

from __future__ import annotations

import time
from collections.abc import Callable, Iterable, Iterator
from concurrent.futures import Future, ThreadPoolExecutor
from io import BytesIO
from typing import TYPE_CHECKING

from PyQt6.QtCore import QBuffer
from PyQt6.QtGui import QImage

from brisk_atlas.core.draw import View
from brisk_atlas.core.draw.png import PAPER
from brisk_atlas.core.draw.whole_frame import LOOK_S, WAIT_S
from brisk_atlas.core.model.language import tr
from brisk_atlas.core.workspace.plate_paper import stacks_in
from brisk_atlas.core.workspace.plates import PlateView

from ..panes.renderer import Wish, drawn_wish
from ..session import Session

if TYPE_CHECKING:
    import numpy as np
    from PIL.Image import Image

    from brisk_atlas.core.draw.frame import Frame

DENSITY = 2.0  # pixels of a plate for one of the screen
LOSSLESS_BITS = 1.0  # a pixel, about what JPEG of that quality takes, up to which a picture is stored as it is
MAP_BITS = 0.3  # the same for maps, of which there are many: it takes a fourth of the time, and shows no difference
QUALITY = 95
WEBP_PX = 16_383  # that a side may have in that format
TRIED_PX = 128  # half a side of the piece that is tried


def map_pictures(session: Session, view: PlateView, check: Callable[[], None]) -> tuple[bytes, bytes]:
    """Return the map of a plate, and side B where two sides are compared, "" for none. `check` may raise to stop."""
    return next(pictures_of_maps(session, [view], check))


def pictures_of_maps(
    session: Session, views: Iterable[PlateView], check: Callable[[], None]
) -> Iterator[tuple[bytes, bytes]]:
    """Yield the map of each plate, and side B, as `map_pictures` does: one is encoded while the next is drawn."""
    with ThreadPoolExecutor(1, "pictures") as encoder:
        before: Future[tuple[bytes, bytes]] | None = None
        for view in views:
            frames = map_frames(session, view, check)
            if before is not None:
                yield before.result()
            before = encoder.submit(_stored_frames, frames)
        if before is not None:
            yield before.result()


def _stored_frames(frames: list[Frame]) -> tuple[bytes, bytes]:
    pictures = [_stored(frame.image) for frame in frames]
    return pictures[0], pictures[1] if len(pictures) > 1 else b""


def map_frames(session: Session, view: PlateView, check: Callable[[], None]) -> list[Frame]:
    """Draw the map of a plate, and side B where two sides are compared, with all that comes from servers."""
    stacks, changed = stacks_in(view)
    sharp = View(
        view.x, view.y, view.resolution / DENSITY, round(view.width * DENSITY), round(view.height * DENSITY), view.crs,
        DENSITY, view.turn,
    )  # fmt: skip
    wish = Wish(stacks, sharp, None, view.grid, changed)
    until = time.monotonic() + WAIT_S
    frames, _ = drawn_wish(session, wish, check)
    while any(frame.coming for frame in frames) and time.monotonic() < until:
        check()
        time.sleep(LOOK_S)
        frames, _ = drawn_wish(session, wish, check)
    return frames


def _stored(image: np.ndarray) -> bytes:
    """Return (rows, cols, 4) uint8 premultiplied RGBA on paper, as it is where that is small, else nearly."""
    import numpy as np
    from PIL import Image

    if image[..., 3].min() == 255:
        return _encoded(Image.fromarray(np.ascontiguousarray(image)), MAP_BITS)  # what is opaque is stored without that
    pixels = np.ascontiguousarray(image[..., :3])
    paper = 255 - image[..., 3].astype(np.uint16)  # how much of it is seen
    for channel, ink in enumerate(PAPER):
        pixels[..., channel] += (paper * ink // 255).astype(np.uint8)
    return _encoded(Image.fromarray(pixels), MAP_BITS)


def _encoded(picture: Image, lossless_bits: float = LOSSLESS_BITS) -> bytes:
    """Return a picture without loss where that takes little room, as a piece of it shows, else as JPEG."""
    width, height = picture.size
    middle = (width // 2 - TRIED_PX, height // 2 - TRIED_PX, width // 2 + TRIED_PX, height // 2 + TRIED_PX)
    is_small = width * height < 16 * TRIED_PX**2
    if max(width, height) <= WEBP_PX and (
        is_small or len(_lossless(picture.crop(middle))) * 8 / (4 * TRIED_PX**2) < lossless_bits
    ):
        return _lossless(picture)
    out = BytesIO()
    picture.convert("RGB").save(out, "JPEG", quality=QUALITY, subsampling=0)
    return out.getvalue()


def _lossless(picture: Image) -> bytes:
    out = BytesIO()
    picture.save(out, "WEBP", lossless=True, quality=0, method=0)
    return out.getvalue()


def stored_image(image: QImage) -> bytes:
    """Return a picture as plates store it."""
    from PIL import Image

    stored = QBuffer()
    stored.open(QBuffer.OpenModeFlag.WriteOnly)
    image.save(stored, "PNG")
    with Image.open(BytesIO(bytes(stored.data().data()))) as found:
        return _encoded(found.convert("RGB"))


def stored_file(data: bytes) -> bytes:
    """Return a picture of a file as plates store it, turned as its camera stood. Raises OSError for no picture, and for
    one that is too large."""
    from PIL import Image, ImageOps

    try:
        with Image.open(BytesIO(data)) as found:
            return _encoded(ImageOps.exif_transpose(found).convert("RGB"))
    except Image.DecompressionBombError as error:
        raise OSError(
            tr("it has more than {count:,} million pixels", count=2 * (Image.MAX_IMAGE_PIXELS or 0) // 10**6)
        ) from error
