"""What the analyst chose for the whole application, as it is stored; what is not understood counts as not chosen."""

from __future__ import annotations

import os
from collections.abc import MutableMapping

from PyQt6.QtCore import QSettings

from brisk_atlas.core.workspace import Workspace

SIZES = (80, 90, 100, 110, 125, 150, 175, 200)  # percent, of the whole interface
SIZE, MEMORY, UNITS, CALM = "interface_size", "memory_mb", "length_units", "less_motion"
SCALE = "QT_SCALE_FACTOR"
MIN_MB, MAX_MB, MB = 256, 1_000_000, 1_000_000


def interface_size(settings: QSettings) -> int:
    """Return the size of the interface in percent."""
    stored = str(settings.value(SIZE, ""))
    return int(stored) if stored.isdecimal() and int(stored) in SIZES else 100


def take_interface_size(settings: QSettings, environment: MutableMapping[str, str] = os.environ) -> None:
    """Have the interface that is about to be made at the chosen size; one that the environment names stays."""
    size = interface_size(settings)
    if size != 100:
        environment.setdefault(SCALE, f"{size / 100:g}")


def memory_limit(settings: QSettings) -> int | None:
    """Return how many megabytes what was read may take, None for a share of the machine's memory."""
    stored = str(settings.value(MEMORY, ""))
    return min(max(int(stored), MIN_MB), MAX_MB) if stored.isdecimal() else None


def take_memory_limit(settings: QSettings, workspace: Workspace) -> None:
    """Use the limit that was chosen."""
    limit = memory_limit(settings)
    workspace.use_memory(limit * MB if limit is not None else None)


def take_length_units(settings: QSettings) -> None:
    """Word lengths and areas in the units that were chosen."""
    stored = str(settings.value(UNITS, ""))
    if stored:
        from brisk_atlas.core.model.length_units import LengthUnits, use_length_units

        if stored in {each.value for each in LengthUnits}:
            use_length_units(LengthUnits(stored))


def less_motion(settings: QSettings) -> bool:
    """Return whether nothing is to move or flash by itself."""
    return str(settings.value(CALM, "")) == "yes"
