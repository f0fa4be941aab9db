"""The files of a store: what postings without rows are, and were."""

from __future__ import annotations

import secrets
import shutil
from collections.abc import Iterable
from pathlib import Path

from brisk_atlas.core.system.atomic_write import written_beside

from .posted_rows import ROW_BYTES, BadRow


class StoredFiles:
    """A folder of files under random names; None where there can be none."""

    def __init__(self, folder: Path | None) -> None:
        self._folder = folder

    @property
    def folder(self) -> Path:
        """The folder. Raises BadRow where there is none."""
        if self._folder is None:
            raise BadRow("this Depot has a database alone, and no folder for files; --store states one")
        return self._folder

    def add(self, path: Path) -> str:
        """Copy a file into the store, whole or not at all; returns its name there. Raises BadRow, OSError."""
        ending = ".copc.laz" if path.name.lower().endswith(".copc.laz") else path.suffix.lower()
        name = f"{secrets.token_hex(ROW_BYTES)}{ending}"
        self.folder.mkdir(parents=True, mode=0o700, exist_ok=True)
        with written_beside(self.folder / name) as there:
            shutil.copyfile(path, there)
            there.chmod(0o600)
        return name

    def path(self, name: str) -> Path:
        """Return where a file lies."""
        return self.folder / Path(name).name

    def remove(self, names: Iterable[str]) -> None:
        """Remove files, with those that were made of parts of them."""
        for name in names:
            for path in self.folder.glob(f"{Path(name).name.partition('.')[0]}.*"):
                path.unlink(missing_ok=True)
