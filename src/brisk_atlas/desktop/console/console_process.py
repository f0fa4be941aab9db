"""The process behind a console: Python that the window talks to over sockets in a private folder, and can stop."""

from __future__ import annotations

import sys
from pathlib import Path
from signal import SIGKILL
from subprocess import DEVNULL
from tempfile import TemporaryDirectory

from jupyter_client.kernelspec import KernelSpec
from qtconsole.client import QtKernelClient
from qtconsole.manager import QtKernelManager


class ConsoleProcess(QtKernelManager):
    """Runs `brisk-atlas console` on a project file that the window writes: `project`. It ends with the window."""

    def __init__(self) -> None:
        self._folder = TemporaryDirectory(prefix="brisk-atlas-console-", ignore_cleanup_errors=True)
        folder = Path(self._folder.name)  # for the user alone
        self.project = folder / "layers.brisk.json"
        super().__init__(transport="ipc", ip=str(folder / "line"), connection_file=str(folder / "connection.json"))
        program = [sys.executable, "-m", "brisk_atlas", "console"]
        program += [str(self.project), "--connection", "{connection_file}"]
        self._kernel_spec = KernelSpec(argv=program, display_name="Python", language="python")
        self._client: QtKernelClient | None = None

    def begin(self, where: Path) -> QtKernelClient:
        """Start the process in a folder, and return what talks to it."""
        self.start_kernel(cwd=str(where), stdout=DEVNULL, stderr=DEVNULL)
        self._client = self.client()
        self._client.start_channels()
        return self._client

    def stop(self) -> None:
        """End the process with all that it holds; `clear_away` does the rest a moment later."""
        if self.has_kernel:
            self.stop_restarter()
            self.signal_kernel(SIGKILL)

    def clear_away(self) -> None:
        """Remove what a process that was stopped leaves behind; a second call does nothing."""
        client, self._client = self._client, None
        if client is not None:
            client.stop_channels()
            self.shutdown_kernel(now=True)
        self._folder.cleanup()
