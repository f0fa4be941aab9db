"""Folders of servers that tests start: gone when they end, and with the next server where a run was ended hard."""

from __future__ import annotations

import os
import shutil
import signal
import tempfile
from collections.abc import Iterator
from contextlib import contextmanager, suppress
from pathlib import Path

from brisk_atlas.core.system.processes import is_running, own_mark

OWNER = "owner"  # a file in each folder, with the mark of the process that runs the server


@contextmanager
def server_folder(prefix: str, room: Path) -> Iterator[Path]:
    """Give a new folder in a room, deleted at the end. What earlier runs left there goes first, servers included."""
    for old in room.glob(f"{prefix}*"):
        with suppress(OSError):
            if not is_running((old / OWNER).read_text()):
                _end_servers_in(old)
                shutil.rmtree(old, ignore_errors=True)
    folder = Path(tempfile.mkdtemp(prefix=prefix, dir=room))
    (folder / OWNER).write_text(own_mark())
    try:
        yield folder
    finally:
        shutil.rmtree(folder, ignore_errors=True)


def _end_servers_in(folder: Path) -> None:
    for process in Path("/proc").glob("[0-9]*"):
        with suppress(OSError):
            if str(folder).encode() in (process / "cmdline").read_bytes():
                os.kill(int(process.name), signal.SIGKILL)
