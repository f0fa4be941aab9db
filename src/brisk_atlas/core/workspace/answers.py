"""What the analyst answered when a file was opened, so that nothing is asked twice."""

from __future__ import annotations

import json
from pathlib import Path

from brisk_atlas.core.find.shelves import write_beside
from brisk_atlas.core.model import DataRef, OpenOptions
from brisk_atlas.core.model.open_options import options_from, saved_form
from brisk_atlas.core.system.folders import config_folder

MOST_STORED = 2000


class Answers:
    """The answers by path, remembered between runs; the oldest go first."""

    def __init__(self, file: Path | None = None) -> None:
        self.file = file or config_folder() / "answers.json"
        self._by_path: dict[str, OpenOptions] = {}
        try:
            content = json.loads(self.file.read_text("utf-8"))
            self._by_path = {str(path): options_from(each) for path, each in content.items()}
        except (OSError, ValueError, AttributeError, TypeError, KeyError):
            return

    def get(self, ref: DataRef) -> OpenOptions | None:
        """Return what was answered about a file, None where nothing was."""
        return self._by_path.get(str(ref))

    def store(self, ref: DataRef, reading: OpenOptions) -> None:
        """Store what was answered about a file."""
        self._by_path.pop(str(ref), None)
        self._by_path[str(ref)] = reading
        for old in list(self._by_path)[:-MOST_STORED]:
            del self._by_path[old]
        values = {path: saved_form(each) for path, each in self._by_path.items()}
        write_beside(self.file, json.dumps(values, indent=1))
