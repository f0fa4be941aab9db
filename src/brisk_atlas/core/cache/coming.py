"""Features that a service hands out page by page: read once, on a thread of their own, and drawn by all views while
they come."""

from __future__ import annotations

import threading
from collections.abc import Callable, Iterator

from brisk_atlas.core.model import CannotRead, VectorPart
from brisk_atlas.core.model.language import tr
from brisk_atlas.core.model.shapes import Features

LOOK_S = 0.1  # between two looks at whether who waits was cancelled


class ComingFeatures:
    """All features of a part, as far as they have come. Safe for threads; the reading begins at once."""

    def __init__(self, part: VectorPart) -> None:
        self._part = part
        self._news = threading.Condition()
        self._found: Features | None = None
        self._is_all = False
        self._error: Exception | None = None
        self._given_up = False
        threading.Thread(target=self._read, name="pages", daemon=True).start()

    def _read(self) -> None:
        try:
            for found, is_all in self._part.read_growing(check=self._check):
                with self._news:
                    self._found, self._is_all = found, is_all
                    self._news.notify_all()
        except Exception as error:
            with self._news:
                self._error = error
                self._news.notify_all()

    def _check(self) -> None:
        if self._given_up:
            raise CannotRead(self._part.ref, tr("its layer was closed while it was read"), tr("Open it again."))

    @property
    def failed(self) -> bool:
        """Whether no more will come, though not all did."""
        return self._error is not None

    def give_up(self) -> None:
        """Ask for no further page: nothing needs the features any more."""
        self._given_up = True

    def states(self, check: Callable[[], None] = lambda: None) -> Iterator[tuple[Features, bool]]:
        """Yield what is there, and whether it is all, each time more has come. `check` may raise to wait no longer.
        Raises CannotRead."""
        shown = -1
        while True:
            check()
            with self._news:
                if self._error is None and (self._found is None or len(self._found) <= shown) and not self._is_all:
                    self._news.wait(LOOK_S)
                    continue
                found, is_all, error = self._found, self._is_all, self._error
            if error is not None:
                raise error
            assert found is not None
            shown = len(found)
            yield found, is_all
            if is_all:
                return

    def whole(self) -> Features:
        """Return all of them once they have come. Raises CannotRead."""
        *_, (found, _) = self.states()
        return found
