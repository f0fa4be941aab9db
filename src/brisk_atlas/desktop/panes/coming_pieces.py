"""Drawing again when pieces of layers come from servers, and after a while those that did not."""

from __future__ import annotations

from collections.abc import Iterable, Sequence
from dataclasses import replace
from typing import TYPE_CHECKING

from PyQt6.QtCore import QObject, pyqtSignal

from ..later import Later
from ..session import Session

if TYPE_CHECKING:
    from brisk_atlas.core.draw.frame import Frame
    from brisk_atlas.core.model import DataRef, Layer

ARRIVED_MS = 60  # between two pictures of a layer whose pieces come
RETRY_MS = 5000  # until what a server did not give is asked for again


class ComingPieces(QObject):
    """Follows what the frames of a view still lack.

    Signals:
        more(): a new frame would show more.
    """

    more = pyqtSignal()

    def __init__(self, session: Session) -> None:
        super().__init__()
        self._session = session
        self._coming: set[DataRef] = set()
        self._news: set[DataRef] = set()  # of which a piece came since the last frame was asked for
        self._arrival, self._retry = (Later(self, wait, self.more) for wait in (ARRIVED_MS, RETRY_MS))
        session.arrived.connect(self._arrived)

    @property
    def busy(self) -> bool:
        return self._arrival.isActive() or bool(self._coming)

    def begin(self, layers: Iterable[Layer]) -> None:
        """Note that a frame of layers is asked for now."""
        self._news.clear()
        if any(layer.ref.protocol for layer in layers):
            self._session.hear_arrivals()

    def take(self, frames: Sequence[Frame]) -> None:
        """Note what the newest frames lack."""
        self._coming = {source.whole for frame in frames for source in frame.coming}
        if any(self._is_coming(source) for source in self._news):  # it came while this was drawn
            self._arrival.start()
        if any(frame.failing for frame in frames):
            self._retry.start()

    def _arrived(self, source: DataRef) -> None:
        self._news.add(source)
        if self._is_coming(source) and not self._arrival.isActive():
            self._arrival.start()

    def _is_coming(self, source: DataRef) -> bool:
        """Return whether a piece of a layer is waited for; an address alone means the only layer that it has."""
        return any(each in (source, replace(source, inner="")) for each in self._coming)
