"""The child process that looks at datasets, so that a file that brings a library down takes only it along.

Reads a path a line (as JSON) and answers with a line: the row of the dataset, or of what can't be read.
"""

from __future__ import annotations

import json
import os
import resource
import sys
from datetime import UTC, datetime
from importlib import import_module
from pathlib import Path

from brisk_atlas.core.model import AtlasError
from brisk_atlas.core.read import open as open_dataset

from .summary import Summary, faulty, summarise, to_text

MOST_MEMORY_SHARE = 0.6  # of the machine's, for one child


def look(path: Path) -> Summary:
    """Return the row of what is at a path, whatever it is."""
    try:
        return summarise(open_dataset(path))
    except AtlasError as error:
        return _faulty(path, error.reason, error.remedy)
    except MemoryError:
        return _faulty(path, "it needs more memory than there is", "It may be damaged, or far larger than it seems.")
    except Exception as error:
        return _faulty(path, f"it can't be read ({type(error).__name__}: {error})", "Ask for the file again.")


def _faulty(path: Path, reason: str, remedy: str) -> Summary:
    try:
        stat = path.stat()
        changed = datetime.fromtimestamp(stat.st_mtime, UTC).isoformat(timespec="seconds")
        return faulty(path, reason, remedy, stat.st_size, changed)
    except (OSError, ValueError):
        return faulty(path, reason, remedy, 0, "")


def main() -> None:
    answers = os.fdopen(os.dup(1), "w", encoding="utf-8", errors="surrogateescape", buffering=1)
    os.dup2(2, 1)  # libraries that print must not print into the answers
    whole = os.sysconf("SC_PAGE_SIZE") * os.sysconf("SC_PHYS_PAGES")
    most = int(whole * MOST_MEMORY_SHARE)
    resource.setrlimit(resource.RLIMIT_AS, (most, most))
    resource.setrlimit(resource.RLIMIT_CORE, (0, 0))
    for module in ("vector", "raster", "table"):  # most files need one of them
        import_module(f"brisk_atlas.core.read.{module}")
    for line in sys.stdin:
        summary = look(Path(json.loads(line)))
        answers.write(to_text(summary) + "\n")


if __name__ == "__main__":
    main()
