"""The places that data comes from: pinned folders and what was opened lately."""

from __future__ import annotations

import json
import os
from dataclasses import dataclass, field
from pathlib import Path

from platformdirs import user_config_path

RECENT_KEPT = 12


def shelf_file() -> Path:
    """Return where the shelves are remembered."""
    home = os.environ.get("BRISK_ATLAS_HOME")
    return (Path(home) if home else user_config_path("brisk-atlas")) / "shelves.json"


@dataclass
class Shelves:
    """Pinned folders and recent datasets of one user, remembered between runs."""

    file: Path = field(default_factory=shelf_file)
    pinned: list[Path] = field(default_factory=list)
    recent: list[Path] = field(default_factory=list)

    def load(self) -> None:
        """Read what was remembered; a damaged file counts as nothing remembered."""
        try:
            told = json.loads(self.file.read_text("utf-8"))
            self.pinned = [Path(p) for p in told.get("pinned", [])]
            self.recent = [Path(p) for p in told.get("recent", [])]
        except (OSError, ValueError, AttributeError, TypeError):
            return

    def _save(self) -> None:
        try:
            self.file.parent.mkdir(parents=True, exist_ok=True)
            told = {"pinned": [str(p) for p in self.pinned], "recent": [str(p) for p in self.recent]}
            beside = self.file.with_suffix(".new")
            beside.write_text(json.dumps(told, indent=1), encoding="utf-8")
            beside.replace(self.file)
        except OSError:
            return  # shelves are a comfort; a read-only home must not stop the work

    def pin(self, folder: Path) -> None:
        if folder not in self.pinned:
            self.pinned.append(folder)
            self._save()

    def unpin(self, folder: Path) -> None:
        if folder in self.pinned:
            self.pinned.remove(folder)
            self._save()

    def opened(self, path: Path) -> None:
        """Note a dataset as the latest opened."""
        self.recent = [path, *(p for p in self.recent if p != path)][:RECENT_KEPT]
        self._save()
