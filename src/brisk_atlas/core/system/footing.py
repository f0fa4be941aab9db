"""What libraries take for granted and end the process without: a working folder, and files that may be opened."""

from __future__ import annotations

import os
from contextlib import ExitStack
from pathlib import Path

from brisk_atlas.core.model import AtlasError
from brisk_atlas.core.model.language import tr

SPARE = 16  # descriptors that a query may need
ENOUGH = 65_536  # open files


def check_footing() -> None:
    """Leave a working folder that is gone. Raises AtlasError where no more files can be opened."""
    try:
        Path.cwd()
    except OSError:
        os.chdir("/")
    try:
        with ExitStack() as opened:
            for _ in range(SPARE):
                opened.enter_context(open(os.devnull, "rb"))  # noqa: PTH123
    except OSError as error:
        remedy = tr("Close layers, or raise the limit of open files (ulimit -n).")
        raise AtlasError(
            tr("Brisk Atlas"), tr("too many files are open ({strerror})", strerror=error.strerror), remedy
        ) from error


def may_open_many() -> None:
    """Raise the limit of open files towards what the system allows this process; never lower it."""
    import resource

    soft, hard = resource.getrlimit(resource.RLIMIT_NOFILE)
    wanted = ENOUGH if hard == resource.RLIM_INFINITY else min(hard, ENOUGH)
    if soft != resource.RLIM_INFINITY and soft < wanted:
        resource.setrlimit(resource.RLIMIT_NOFILE, (wanted, hard))
