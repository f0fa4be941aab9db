"""Bringing copies of outlets up to date with what others do, without being asked."""

from __future__ import annotations

import logging
import time
from datetime import datetime

from PyQt6.QtCore import QObject, QTimer, pyqtSignal

from brisk_atlas.core.model import DataRef
from brisk_atlas.core.model.errors import NotReached
from brisk_atlas.core.model.language import tr
from brisk_atlas.core.system.jobs import Lane
from brisk_atlas.core.working_copy.draft_refs import with_draft

from ..reading_again import read_in_place
from ..session import Session

log = logging.getLogger(__name__)
EVERY_MS = 1000
AWAY_S = 5.0  # between two tries while a Depot can't be reached


class CopyFollower(QObject):
    """Asks the Depots of all open copies every second.

    Signals:
        about_to_change(object): the place of a copy whose rows will be read anew.
        changed(object): the place of a copy that has rows of others now.
        state_known(object, str): the place of a copy, and how it stands with its Depot, in words.
    """

    about_to_change = pyqtSignal(object)
    changed = pyqtSignal(object)
    state_known = pyqtSignal(object, str)

    def __init__(self, session: Session, parent: QObject) -> None:
        super().__init__(parent)
        self.session = session
        self.states: dict[DataRef, str] = {}
        self._asking: set[DataRef] = set()
        self._not_before: dict[DataRef, float] = {}
        self._timer = QTimer(self)
        self._timer.setInterval(EVERY_MS)
        self._timer.timeout.connect(self.look)
        session.work_changed.connect(lambda what: self._begin_or_end() if what in ("layers", "file") else None)

    def _places(self) -> set[DataRef]:
        return {with_draft(layer.ref.whole, 0) for layer in self.session.work.layers if layer.ref.is_copy}

    def _begin_or_end(self) -> None:
        if self._places():
            if not self._timer.isActive():
                self._timer.start()
        else:
            self._timer.stop()

    def look(self, *, now: bool = False) -> None:
        """Ask each Depot what others changed; those that were away a moment ago only where `now`."""
        for place in self._places() - self._asking:
            if now or time.monotonic() >= self._not_before.get(place, 0.0):
                self._asking.add(place)
                self._ask(place)

    def _ask(self, place: DataRef) -> None:
        from brisk_atlas.core.connect.copy import refresh

        self.session.run(
            tr("Looking for edits of others"), lambda job: refresh(place, job.check),
            lambda any_taken: self._known(place, any_taken), shown=False, lane=Lane.BATCH,
            failed=lambda error: self._failed(place, error),
        )  # fmt: skip

    def _known(self, place: DataRef, any_taken: bool) -> None:
        self._asking.discard(place)
        self._say(place, tr("Up to date at {now:%H:%M:%S}.", now=datetime.now()))
        if any_taken:
            self.reread(place)

    def reread(self, place: DataRef) -> None:
        """Read the layers of a copy anew; what was read before is shown until then."""
        layers = [each for each in self.session.work.layers if with_draft(each.ref.whole, 0) == place]
        if not layers:
            return
        self.about_to_change.emit(place)
        read_in_place(self.session, layers, lambda: self.changed.emit(place))

    def _failed(self, place: DataRef, error: BaseException) -> None:
        self._asking.discard(place)
        self._not_before[place] = time.monotonic() + AWAY_S
        if isinstance(error, NotReached):
            self._say(place, tr("The Depot can't be reached. Edits are stored here until it can."))
        else:
            log.info("%s: %s", place, error)
            self._say(place, tr("The Depot does not answer as it should: {error}", error=error))

    def _say(self, place: DataRef, words: str) -> None:
        self.states[place] = words
        self.state_known.emit(place, words)
