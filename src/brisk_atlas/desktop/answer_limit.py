"""How much of what services answered may be stored, as the analyst chose."""

from __future__ import annotations

from PyQt6.QtCore import QSettings

KEY = "stored_answers_mb"
MB = 1_000_000
MIN_MB, MAX_MB = 10, 1_000_000


def take_limit(settings: QSettings) -> None:
    """Use the limit that was chosen before."""
    stored = str(settings.value(KEY, ""))
    if stored.isdecimal():
        from brisk_atlas.core.connect.stored_answers import ANSWERS

        ANSWERS.limit = min(max(int(stored), MIN_MB), MAX_MB) * MB


def choose_limit(settings: QSettings, megabytes: int) -> None:
    """Use another limit, and remember it."""
    from brisk_atlas.core.connect.stored_answers import ANSWERS

    ANSWERS.limit = megabytes * MB
    settings.setValue(KEY, megabytes)
