"""Where the application stores what is its own. BRISK_ATLAS_HOME puts all of it into one folder."""

from __future__ import annotations

import os
from pathlib import Path

from platformdirs import user_cache_path, user_config_path, user_data_path, user_state_path

NAME = "brisk-atlas"
PRIVATE = 0o700


def _home() -> Path | None:
    home = os.environ.get("BRISK_ATLAS_HOME")
    return Path(home) if home else None


def config_folder() -> Path:
    """Return where the user's choices are stored."""
    return _home() or user_config_path(NAME)


def cache_folder(room: str = "") -> Path:
    """Return where something is stored that can be made again, in a room of its own."""
    home = _home()
    return (home / "cache" if home else user_cache_path(NAME)) / room


def data_folder(room: str) -> Path:
    """Return where data is stored that was computed for the user."""
    return (_home() or user_data_path(NAME)) / room


def state_folder(room: str) -> Path:
    """Return where the log and unsaved work are stored."""
    home = _home()
    return (home / "state" if home else user_state_path(NAME)) / room


def make_private(folder: Path) -> Path:
    """Make a folder, and those above it that are ours, which nobody else may look into. Raises OSError."""
    if not folder.is_dir():
        make_private(folder.parent) if not folder.parent.is_dir() else None
        folder.mkdir(mode=PRIVATE, exist_ok=True)
    elif folder.stat().st_mode & 0o077 and folder.stat().st_uid == os.getuid() and _is_ours(folder):
        folder.chmod(PRIVATE)  # as earlier versions left it
    return folder


def _is_ours(folder: Path) -> bool:
    roots = (config_folder(), cache_folder(), data_folder(""), state_folder(""))
    return any(folder == root or root in folder.parents for root in roots)
