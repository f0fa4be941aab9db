"""Photographs of core for the screen: read in the background, as large as they are shown."""

from __future__ import annotations

from collections import OrderedDict
from typing import TYPE_CHECKING

from PyQt6.QtCore import QObject, pyqtSignal
from PyQt6.QtGui import QImage

from brisk_atlas.core.model import DataRef
from brisk_atlas.core.model.language import tr
from brisk_atlas.core.system.jobs import Job

from ..session import Session

if TYPE_CHECKING:
    from PIL import Image

SIZES = (128, 256, 512, 1024, 2048, 4096)  # pixels of the longer side, so that a zoom does not read anew each step
MOST_BYTES = 200_000_000


class LogPhotos(QObject):
    """Gives what it has at once: the size asked for, else another one while that is read.

    Signals:
        arrived(): a photograph can be drawn that could not, or sharper.
    """

    arrived = pyqtSignal()

    def __init__(self, session: Session) -> None:
        super().__init__()
        self.session = session
        self._held: OrderedDict[tuple[DataRef, int], QImage | None] = OrderedDict()
        self._coming: set[tuple[DataRef, int]] = set()

    @property
    def busy(self) -> bool:
        return bool(self._coming)

    def get(self, ref: DataRef, longest: int) -> QImage | None:
        """Return a photograph of about so many pixels, the nearest there is until it is read; None for none."""
        size = next((each for each in SIZES if each >= longest), SIZES[-1])
        if (ref, size) in self._held:
            self._held.move_to_end((ref, size))
            return self._held[ref, size]
        self._read(ref, size)
        return next((image for (other, _), image in reversed(self._held.items()) if other == ref and image), None)

    def _read(self, ref: DataRef, size: int) -> None:
        key = (ref, size)
        if key in self._coming:
            return
        self._coming.add(key)

        def work(job: Job) -> Image.Image | None:
            from brisk_atlas.core.strip.holes.photographs import photograph

            return photograph(ref, size)

        def done(picture: Image.Image | None) -> None:
            self._coming.discard(key)
            self._held[key] = image_of(picture) if picture is not None else None
            while (
                sum(image.sizeInBytes() for image in self._held.values() if image) > MOST_BYTES and len(self._held) > 1
            ):
                self._held.popitem(last=False)
            self.arrived.emit()

        def failed(error: BaseException) -> None:
            self._coming.discard(key)
            self._held[key] = None

        self.session.run(tr("Reading a photograph"), work, done, shown=False, failed=failed)


def image_of(picture: Image.Image) -> QImage:
    """Return a picture as Qt has it."""
    raw = picture.tobytes()
    return QImage(raw, picture.width, picture.height, picture.width * 3, QImage.Format.Format_RGB888).copy()
