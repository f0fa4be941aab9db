"""Serving a Depot from the window: a process of its own, which ends with it."""

from __future__ import annotations

import sys
from pathlib import Path

from PyQt6.QtCore import QObject, QProcess, QTimer, pyqtSignal

from brisk_atlas.core.depot.served_addresses import address_in
from brisk_atlas.core.model.language import tr

PORT = 8720
END_MS = 3000


class DepotService(QObject):
    """Starts and ends `brisk-atlas depot serve` for a folder.

    Signals:
        changed(): it began to serve, or ended.
        failed(str): why it can't serve.
    """

    changed = pyqtSignal()
    failed = pyqtSignal(str)

    def __init__(self, parent: QObject) -> None:
        super().__init__(parent)
        self.address = ""  # where it serves, "" while it does not
        self.join = ""  # where the owner chooses a name and a password, "" once that was done
        self._process: QProcess | None = None
        self._ending = False

    @property
    def begun(self) -> bool:
        """Whether it serves, or is about to."""
        return self._process is not None

    def start(self, store: Path, title: str, host: str = "127.0.0.1", port: int = PORT) -> None:
        """Serve a folder from now on."""
        if self._process is not None:
            return
        process = self._process = QProcess(self)
        self._ending = False
        process.readyReadStandardOutput.connect(self._read)
        process.finished.connect(lambda code, status: self._ended())
        arguments = ["-m", "brisk_atlas", "depot", "serve", "--store", str(store), "--host", host, "--port", str(port),
                     "--title", title]  # fmt: skip
        process.start(sys.executable, arguments)

    def _read(self) -> None:
        assert self._process is not None
        while self._process.canReadLine():
            address, is_owners = address_in(self._process.readLine().data().decode("utf-8", "replace"))
            if is_owners:
                self.join = address
            elif address:
                self.address = address
                self.changed.emit()

    def _ended(self) -> None:
        process, self._process = self._process, None
        self.address = self.join = ""
        if process is not None and not self._ending:
            lines = process.readAllStandardError().data().decode("utf-8", "replace").strip().splitlines()
            self.failed.emit(lines[-1][:300] if lines else tr("the server ended"))
        self.changed.emit()

    def stop(self) -> None:
        """Serve no longer; `changed` says when it has ended."""
        process = self._process
        if process is None:
            return
        self._ending = True
        process.terminate()
        QTimer.singleShot(END_MS, process.kill)  # which does nothing to one that has ended

    def shut(self) -> None:
        """Serve no longer, and wait for its end, as the window closes."""
        process = self._process
        self.stop()
        if process is not None and not process.waitForFinished(END_MS):
            process.kill()
            process.waitForFinished(END_MS)
