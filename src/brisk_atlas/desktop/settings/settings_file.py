"""Where the choices of the window are stored; loads nothing else, so that a choice can count before the rest does."""

from __future__ import annotations

import os
from pathlib import Path

from PyQt6.QtCore import QSettings


def window_settings() -> QSettings:
    """Return what was chosen for the window on this machine, or in the folder that BRISK_ATLAS_HOME names."""
    home = os.environ.get("BRISK_ATLAS_HOME")
    if home:
        return QSettings(str(Path(home) / "window.ini"), QSettings.Format.IniFormat)
    return QSettings("brisk-atlas", "brisk-atlas")
