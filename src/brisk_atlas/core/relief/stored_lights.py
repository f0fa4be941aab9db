"""Light settings that the analyst stored under names, for all work."""

from __future__ import annotations

import logging
from pathlib import Path

from pydantic import TypeAdapter, ValidationError

from brisk_atlas.core.system.atomic_write import write_whole
from brisk_atlas.core.system.folders import config_folder

from .light import Lighting

log = logging.getLogger(__name__)
_FORM = TypeAdapter(dict[str, Lighting])


class StoredLights:
    """Settings by name, in a file of the user's choices."""

    def __init__(self, file: Path | None = None) -> None:
        self.file = file or config_folder() / "lights.json"

    def all(self) -> dict[str, Lighting]:
        """Return the settings by name; none where the file can't be read."""
        try:
            return _FORM.validate_json(self.file.read_bytes())
        except FileNotFoundError:
            return {}
        except (OSError, ValidationError) as error:
            log.warning("stored light settings can't be read: %s", error)
            return {}

    def store(self, name: str, lighting: Lighting) -> None:
        """Store a setting, in place of one of the same name. Raises CannotWrite."""
        self._write({**self.all(), name: lighting})

    def remove(self, name: str) -> None:
        """Remove a setting. Raises CannotWrite."""
        self._write({key: value for key, value in self.all().items() if key != name})

    def _write(self, settings: dict[str, Lighting]) -> None:
        self.file.parent.mkdir(parents=True, exist_ok=True)
        write_whole(self.file, _FORM.dump_json(settings, indent=1))
