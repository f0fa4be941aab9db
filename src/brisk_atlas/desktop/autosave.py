"""Stores unsaved work from time to time, and offers what an earlier run left behind."""

from __future__ import annotations

from functools import partial

from PyQt6.QtCore import QObject

from brisk_atlas.core.model.language import tr
from brisk_atlas.core.system.jobs import Job

from .later import Later
from .notice import Notice
from .session import Session

LATER_MS = 5_000  # after a change; later changes within this time are stored together


class Autosave(QObject):
    """Belongs to one window; deletes what it stored when the work is saved or the window closed."""

    def __init__(self, session: Session) -> None:
        super().__init__()
        self.session = session
        self._timer = Later(self, LATER_MS, self.store)
        self._stored = False
        session.work_changed.connect(self._changed)

    def _changed(self, what: str) -> None:
        if what == "picks":
            return
        if self.session.work.changed and self.session.work.layers:
            if not self._timer.isActive():
                self._timer.start()
        else:
            self._timer.stop()
            self.discard()

    def store(self) -> None:
        """Store the work as it is now, in the background."""
        work = self.session.work
        state, place, file, past = work.state, work.place, work.file, work.past
        readings = dict(self.session.cache.options)
        self._stored = True

        def write(job: Job) -> None:
            from brisk_atlas.core.workspace.autosave import store

            store(state, place, readings, file, past)

        self.session.run(tr("Storing unsaved work"), write, shown=False)

    def discard(self) -> None:
        """Delete what was stored of this window's work."""
        if self._stored:
            from brisk_atlas.core.workspace.autosave import discard, own_autosave

            discard(own_autosave())
            self._stored = False

    def offer_left_behind(self, notice: Notice) -> None:
        """Ask whether the latest unsaved work of a run that ended without its window being closed is wanted."""
        from brisk_atlas.core.workspace.autosave import left_behind

        left = left_behind()
        if not left:
            return
        latest = left[0]
        words = (
            tr("An earlier run ended before its work of {name} was saved.", name=latest.file.name)
            if latest.file
            else tr("An earlier run ended before its work was saved.")
        )
        notice.offer(
            words,
            [
                (tr("Restore it"), partial(self.session.restore, latest)),
                (tr("Discard it"), partial(self.session.discard_unsaved, [each.stored for each in left])),
            ],
        )
