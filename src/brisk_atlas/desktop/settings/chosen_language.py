"""The language of the window: what was chosen in the settings, else what the desktop speaks."""

from __future__ import annotations

import os
from collections.abc import Mapping

from PyQt6.QtCore import QCoreApplication, QSettings

from brisk_atlas.core.model.digit_groups import grouped
from brisk_atlas.core.model.language import CHOICE, LANGUAGES, language_in_use, use_language

LANGUAGE = "language"
NUMBERS = ("LC_ALL", "LC_NUMERIC", "LANG")  # the first that is set decides how Qt writes numbers
WRITTEN_ALIKE = ("", "C", "POSIX", "en_US", "en_GB")


def stored_language(settings: QSettings) -> str:
    """Return the language that was chosen, "" for that of the desktop."""
    stored = str(settings.value(LANGUAGE, ""))
    return stored if stored in LANGUAGES else ""


def take_language(settings: QSettings, environment: Mapping[str, str] = os.environ) -> None:
    """Speak the chosen language from now on, before the rest of the window loads; one that the environment names by
    itself stays."""
    chosen = stored_language(settings)
    if chosen and not environment.get(CHOICE):
        use_language(chosen)


def writes_numbers_alike(environment: Mapping[str, str]) -> bool:
    """Return whether Qt writes numbers as the rest of the window does, whatever the language: 1,234.5.

    >>> writes_numbers_alike({"LANG": "en_GB.UTF-8"}), writes_numbers_alike({"LANG": "de_DE.UTF-8"})
    (True, False)
    """
    stated = next((environment[name] for name in NUMBERS if environment.get(name)), "")
    return stated.split(".")[0].split("@")[0] in WRITTEN_ALIKE


def translate_qt(app: QCoreApplication, environment: Mapping[str, str] = os.environ) -> None:
    """Have what Qt shows by itself, such as its dialogs, speak the language too, and write numbers as the window; in
    its boxes digits are not parted where the window has another sign than a comma."""
    in_commas = grouped(1000) == "1,000"
    if not (in_commas and writes_numbers_alike(environment)):
        from PyQt6.QtCore import QLocale  # its many names take time that a start can do without

        plain = QLocale.c()
        if not in_commas:
            plain.setNumberOptions(plain.numberOptions() | QLocale.NumberOption.OmitGroupSeparator)
        QLocale.setDefault(plain)
    language = language_in_use()
    if language != "en":
        from PyQt6.QtCore import QLibraryInfo, QTranslator

        translator = QTranslator(app)
        if translator.load(f"qtbase_{language}", QLibraryInfo.path(QLibraryInfo.LibraryPath.TranslationsPath)):
            app.installTranslator(translator)
