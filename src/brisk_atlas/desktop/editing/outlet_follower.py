"""Showing what changes in outlets that are only read, without being asked."""

from __future__ import annotations

import logging

from PyQt6.QtCore import QObject, QTimer

from brisk_atlas.core.model import DataRef
from brisk_atlas.core.model.language import tr
from brisk_atlas.core.system.jobs import Lane

from ..reading_again import read_in_place
from ..session import Session

log = logging.getLogger(__name__)
EVERY_MS = 2000


class OutletFollower(QObject):
    """Asks the servers of open layers that state what changed, every other second."""

    def __init__(self, session: Session, parent: QObject) -> None:
        super().__init__(parent)
        self.session = session
        self._cursors: dict[DataRef, str] = {}
        self._asking: set[DataRef] = set()
        self._timer = QTimer(self)
        self._timer.setInterval(EVERY_MS)
        self._timer.timeout.connect(self.look)
        session.work_changed.connect(lambda what: self._begin_or_end() if what in ("layers", "file") else None)

    def _addresses(self) -> dict[DataRef, str]:
        """Return where the layers that state their changes do so."""
        from brisk_atlas.core.read.feature_service import ServiceLayer

        found = {}
        for layer in self.session.work.layers:
            dataset = self.session.dataset_of(layer) if layer.ref.protocol == "ogcapi" else None
            part = dataset.parts[0] if dataset is not None and dataset.parts else None
            if isinstance(part, ServiceLayer) and part.source.changes:
                found[layer.ref.whole] = part.source.changes
        return found

    def _begin_or_end(self) -> None:
        if any(layer.ref.protocol == "ogcapi" for layer in self.session.work.layers):
            if not self._timer.isActive():
                self._timer.start()
        else:
            self._timer.stop()

    def look(self) -> None:
        """Ask each server once what changed."""
        for place, address in self._addresses().items():
            if place not in self._asking:
                self._asking.add(place)
                self._ask(place, address)

    def _ask(self, place: DataRef, address: str) -> None:
        from brisk_atlas.core.connect.ogcapi import changed_since

        known = self._cursors.get(place, "")

        def done(cursor: str) -> None:
            self._asking.discard(place)
            self._cursors[place] = cursor
            if known and cursor != known:
                layers = [each for each in self.session.work.layers if each.ref.whole == place]
                read_in_place(self.session, layers)

        def failed(error: BaseException) -> None:
            self._asking.discard(place)
            log.info("%s: %s", place, error)

        self.session.run(
            tr("Looking for changes"), lambda job: changed_since(place, address, known), done, shown=False,
            lane=Lane.BATCH, failed=failed,
        )  # fmt: skip
