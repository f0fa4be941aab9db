"""The window that runs takes what another start of the application was asked to open."""

from __future__ import annotations

import logging
import os
from collections.abc import Callable, Sequence
from typing import TYPE_CHECKING

from PyQt6.QtCore import QSocketNotifier, Qt
from PyQt6.sip import voidptr

from brisk_atlas.core.system.one_instance import TOKEN, InstanceListener

if TYPE_CHECKING:
    from .window import AtlasWindow


class OneWindow:
    """Listens for other starts; `open_all` opens what they were asked for. A window that can't listen goes on."""

    def __init__(self, window: AtlasWindow, open_all: Callable[[Sequence[str]], None]) -> None:
        self._window, self._open_all = window, open_all
        self._listener: InstanceListener | None = None
        try:
            self._listener = InstanceListener()
        except OSError as error:  # another window of this user listens, or there is no place for it
            logging.getLogger(__name__).info("other starts open windows of their own: %s", error)
            return
        self._notifier = QSocketNotifier(voidptr(self._listener.fileno()), QSocketNotifier.Type.Read, window)
        self._notifier.activated.connect(self._take)

    def _take(self) -> None:
        assert self._listener is not None
        taken = self._listener.take()
        if taken is None:
            return
        places, token = taken
        if token:
            os.environ[TOKEN] = token  # with which the window may come to the front
        self._window.setWindowState(self._window.windowState() & ~Qt.WindowState.WindowMinimized)
        self._window.raise_()
        self._window.activateWindow()
        self._open_all(places)

    def close(self) -> None:
        """Stop listening."""
        if self._listener is not None:
            self._notifier.setEnabled(False)
            self._listener.close()
