"""Writing a file so that a crash, a full disk or a change of mind leaves the old one or the new."""

from __future__ import annotations

import errno
import os
import shutil
import tempfile
from collections.abc import Iterator
from contextlib import contextmanager
from pathlib import Path

from brisk_atlas.core.model import CannotWrite


def reason_of(error: BaseException, path: Path) -> CannotWrite:
    """Return the message for a failure to write `path`."""
    code = getattr(error, "errno", None)
    text = str(error).splitlines()[0][:200] if str(error) else type(error).__name__
    if code == errno.ENOSPC or "No space left" in text or "disk is full" in text.lower():
        return CannotWrite(path, "the disk is full", "Free some space or choose another folder; nothing was changed.")
    if code in (errno.EACCES, errno.EPERM, errno.EROFS):
        return CannotWrite(path, "you may not write there", "Choose another folder; nothing was changed.")
    return CannotWrite(path, text, "Nothing was changed.")


@contextmanager
def written_beside(path: Path) -> Iterator[Path]:
    """Give a name in a hidden folder beside `path`; what stands there afterwards is moved into place.

    All files written under that folder move (a Shapefile has several). On any error they are
    removed and `path` is as it was. Raises CannotWrite.
    """
    try:
        room = Path(tempfile.mkdtemp(prefix=".writing-", dir=path.parent))
    except OSError as error:
        raise reason_of(error, path) from error
    try:
        yield room / path.name
        made = sorted(room.iterdir(), key=lambda p: p.name == path.name)  # the file itself comes last
        if not any(p.name == path.name for p in made):
            raise CannotWrite(path, "nothing was written", "Try another format.")
        for file in made:
            with file.open("rb") as written:
                os.fsync(written.fileno())
        for file in made:
            file.replace(path.with_name(file.name))
    except OSError as error:
        raise reason_of(error, path) from error
    finally:
        shutil.rmtree(room, ignore_errors=True)
