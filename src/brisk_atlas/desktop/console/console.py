"""The console of a window: starts at its first opening, has the layers of the window, and shows what it is asked to."""

from __future__ import annotations

import os
from collections.abc import Callable
from pathlib import Path
from typing import TYPE_CHECKING

from PyQt6.QtCore import QTimer

from brisk_atlas.core.model.language import tr

if TYPE_CHECKING:
    from brisk_atlas.core.system.jobs import Job

    from ..window import AtlasWindow
    from .console_process import ConsoleProcess
    from .console_window import ConsoleWindow

ENDED_MS = 300  # after which a process that was stopped has ended


class Console:
    """Python in a process of its own, so that nothing that runs there holds up the window."""

    def __init__(self, window: AtlasWindow) -> None:
        self.window, self.session = window, window.session
        self.panel: ConsoleWindow | None = None
        self._process: ConsoleProcess | None = None
        self._loading: Job | None = None

    def open(self) -> None:
        """Show the console; its libraries load in the background at the first time."""
        if self.panel is not None:
            self.panel.show()
            self.panel.raise_()
            self.panel.activateWindow()
        elif self._loading is None or self._loading.finished:
            os.environ.setdefault("QT_API", "pyqt6")  # for the library that draws it
            self._loading = self.session.run(tr("Starting the console"), _load, lambda loaded: self._begin())

    def _begin(self) -> None:
        from .console_window import ConsoleWindow

        panel = self.panel = ConsoleWindow(lambda: self.window.theme, self.window)
        panel.text.show_wanted.connect(self.session.open_files)
        panel.text.exit_requested.connect(lambda asked: panel.close())
        panel.stop_wanted.connect(self._interrupt)
        panel.restart_wanted.connect(self._restart)
        panel.refresh_wanted.connect(self._refresh)
        panel.closed.connect(self.end)
        self.session.work_changed.connect(self._work_changed)
        self.window.ended.connect(self._end_with_window)
        panel.begin()
        panel.show()
        self._begin_process()

    def _begin_process(self) -> None:
        from .console_process import ConsoleProcess

        self._process = ConsoleProcess()
        self._store(self._connect)

    def _connect(self) -> None:
        panel, process = self.panel, self._process
        assert panel is not None and process is not None
        file = self.session.work.file
        panel.text.kernel_manager = process
        panel.text.kernel_client = process.begin(file.parent if file is not None else Path.home())
        panel.text.setFocus()

    def _store(self, then: Callable[[], object]) -> None:
        """Write the layers as they are now to where the process reads them; `then` is left out where that has ended."""
        work, process = self.session.work, self._process
        assert process is not None
        state, place, readings = work.state, work.place, dict(self.session.cache.options)

        def write(job: Job) -> None:
            from brisk_atlas.core.system.atomic_write import write_whole
            from brisk_atlas.core.workspace.project_file import project_bytes

            write_whole(process.project, project_bytes(state, place, readings, process.project.parent))

        def stored(nothing: object) -> None:
            if self._process is process:
                then()

        self.session.run(tr("Handing the layers to the console"), write, stored, shown=False)

    def _work_changed(self, what: str) -> None:
        if self.panel is not None and what != "picks":
            self.panel.refresh.setEnabled(True)

    def _refresh(self) -> None:
        def take() -> None:
            if self.panel is not None:
                self.panel.refresh.setEnabled(False)
                self.panel.text.execute("refresh()")

        self._store(take)

    def _restart(self) -> None:
        """End the process, and start another in its place."""
        if self.panel is not None and self._process is not None:
            self._leave_process()
            self.panel.begin()
            self._begin_process()

    def _interrupt(self) -> None:
        if self._process is not None:
            self._process.interrupt_kernel()

    def end(self) -> None:
        """End the process, with all that its Python holds."""
        panel, self.panel = self.panel, None
        if panel is not None:
            self.session.work_changed.disconnect(self._work_changed)
            self.window.ended.disconnect(self._end_with_window)
            panel.hide()
            panel.deleteLater()
        self._leave_process()

    def _end_with_window(self) -> None:
        process = self._process
        self.end()
        if process is not None:  # no later moment comes
            process.clear_away()

    def _leave_process(self) -> None:
        process, self._process = self._process, None
        if process is not None:
            process.stop()
            QTimer.singleShot(ENDED_MS, process.clear_away)


def _load(job: Job) -> None:
    from . import console_window  # noqa: F401
    from .console_process import ConsoleProcess  # noqa: F401
