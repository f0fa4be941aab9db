"""Folders for what does not fit in memory. They go with their process; what one that was ended hard left, the next one
deletes."""

from __future__ import annotations

import os
import shutil
import tempfile
from pathlib import Path
from threading import Lock, Thread
from weakref import finalize

from .processes import is_running, own_mark

PREFIX = "brisk-atlas-scratch-"
_first = Lock()  # taken for ever by who makes the first folder of this process


class ScratchFolder:
    """A new folder for this user alone, deleted at the end of a `with`, by `delete`, or with this object. Raises
    OSError where none can be made."""

    def __init__(self) -> None:
        if _first.acquire(blocking=False):
            Thread(target=delete_abandoned, name="delete abandoned scratch", daemon=True).start()
        self.path = Path(tempfile.mkdtemp(prefix=f"{PREFIX}{own_mark()}-"))
        self._delete = finalize(self, shutil.rmtree, self.path, ignore_errors=True)

    def __enter__(self) -> Path:
        return self.path

    def __exit__(self, *_: object) -> None:
        self.delete()

    def empty(self) -> None:
        """Delete what it holds."""
        for path in self.path.iterdir():
            if path.is_dir() and not path.is_symlink():
                shutil.rmtree(path, ignore_errors=True)
            else:
                path.unlink(missing_ok=True)

    def delete(self) -> None:
        """Delete it with all that it holds. A second time does nothing."""
        self._delete()


def delete_abandoned() -> None:
    """Delete the folders of this user whose process is gone."""
    with os.scandir(tempfile.gettempdir()) as scan:
        found = [item for item in scan if item.name.startswith(PREFIX) and item.is_dir(follow_symlinks=False)]
    for item in found:
        mark = item.name.removeprefix(PREFIX).rpartition("-")[0]
        if not is_running(mark):
            shutil.rmtree(item.path, ignore_errors=True)
