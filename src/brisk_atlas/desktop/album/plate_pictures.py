"""Pictures of plates: the map drawn sharp as a plate has it, and what a widget shows, as WebP."""

from __future__ import annotations

import time
from collections.abc import Callable
from io import BytesIO
from typing import TYPE_CHECKING

from PyQt6.QtCore import QBuffer
from PyQt6.QtGui import QImage
from PyQt6.QtWidgets import QWidget

from brisk_atlas.core.draw import View
from brisk_atlas.core.draw.png import PAPER
from brisk_atlas.core.draw.whole_frame import LOOK_S, WAIT_S
from brisk_atlas.core.workspace.comparison import Way
from brisk_atlas.core.workspace.plates import PlateView
from brisk_atlas.core.workspace.stacks import stacks_of, subtracted
from brisk_atlas.core.workspace.work import Work, WorkState

from ..panes.renderer import Wish, drawn_wish
from ..session import Session

if TYPE_CHECKING:
    import numpy as np

DENSITY = 2.0  # pixels of a plate for one of the screen
LOSSLESS_BYTES = 1_500_000  # up to which a picture is stored as it is
QUALITY = 94


def map_pictures(session: Session, view: PlateView, check: Callable[[], None]) -> tuple[bytes, bytes]:
    """Return the map of a plate, and side B where two sides are compared, "" for none. `check` may raise to stop."""
    work = Work()
    comparison = view.comparison
    if comparison is not None and comparison.way is Way.TWIN:
        comparison = comparison._replace(way=Way.CURTAIN)  # both sides in one place
    work.state = WorkState(view.layers, view.subject, view.crs, comparison, view.groups)
    sharp = View(
        view.x, view.y, view.resolution / DENSITY, round(view.width * DENSITY), round(view.height * DENSITY), view.crs,
        DENSITY, view.turn,
    )  # fmt: skip
    wish = Wish(stacks_of(work), sharp, None, view.grid, subtracted(work))
    until = time.monotonic() + WAIT_S
    frames, _ = drawn_wish(session, wish, check)
    while any(frame.coming for frame in frames) and time.monotonic() < until:
        check()
        time.sleep(LOOK_S)
        frames, _ = drawn_wish(session, wish, check)
    pictures = [_webp(frame.image) for frame in frames]
    return pictures[0], pictures[1] if len(pictures) > 1 else b""


def _webp(image: np.ndarray) -> bytes:
    """Return (rows, cols, 4) uint8 premultiplied RGBA on paper as WebP: as it is where that is small, else nearly."""
    from PIL import Image

    picture = Image.fromarray(image, "RGBa").convert("RGBA")
    paper = Image.new("RGB", picture.size, PAPER)
    paper.paste(picture, mask=picture.getchannel("A"))
    return _encoded(paper)


def _encoded(picture: object) -> bytes:
    from PIL import Image

    assert isinstance(picture, Image.Image)
    out = BytesIO()
    picture.save(out, "WEBP", lossless=True, quality=20, method=1)
    if out.tell() > LOSSLESS_BYTES:
        out = BytesIO()
        picture.save(out, "WEBP", quality=QUALITY, method=2)
    return out.getvalue()


def widget_image(widget: QWidget) -> QImage:
    """Return what a widget shows."""
    return widget.grab().toImage()


def image_webp(image: QImage) -> bytes:
    """Return a picture as WebP."""
    from PIL import Image

    stored = QBuffer()
    stored.open(QBuffer.OpenModeFlag.WriteOnly)
    image.save(stored, "PNG")
    with Image.open(BytesIO(bytes(stored.data().data()))) as found:
        return _encoded(found.convert("RGB"))


def file_webp(data: bytes) -> bytes:
    """Return a picture of a file as WebP, turned as its camera stood. Raises OSError for what is no picture."""
    from PIL import Image, ImageOps

    with Image.open(BytesIO(data)) as found:
        return _encoded(ImageOps.exif_transpose(found).convert("RGB"))
