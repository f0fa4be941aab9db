"""How numbers and dates are written: as was chosen in the settings, else as is usual in the language."""

from __future__ import annotations

import os
from collections.abc import Mapping

from PyQt6.QtCore import QSettings

from brisk_atlas.core.model import date_words, digit_groups
from brisk_atlas.core.model.date_words import DateForm
from brisk_atlas.core.model.digit_groups import DigitGroups

GROUPS, DATES = "digit_groups", "date_form"


def stored_groups(settings: QSettings) -> DigitGroups | None:
    """Return the groups of digits that were chosen, None for those of the language."""
    stored = str(settings.value(GROUPS, ""))
    return DigitGroups(stored) if stored in list(DigitGroups) else None


def stored_dates(settings: QSettings) -> DateForm:
    """Return the form of dates that was chosen."""
    stored = str(settings.value(DATES, ""))
    return DateForm(stored) if stored in list(DateForm) else DateForm.ISO


def take_numbers_and_dates(settings: QSettings, environment: Mapping[str, str] = os.environ) -> None:
    """Write numbers and dates as was chosen, before the rest of the window loads; what the environment names by itself
    stays."""
    groups = stored_groups(settings)
    if groups is not None and not environment.get(digit_groups.CHOICE):
        digit_groups.use_digit_groups(groups)
    if not environment.get(date_words.CHOICE):
        date_words.use_date_form(stored_dates(settings))
