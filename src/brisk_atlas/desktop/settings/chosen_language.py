"""The language of the window: what was chosen in the settings, else what the desktop speaks."""

from __future__ import annotations

import os
from collections.abc import Mapping

from PyQt6.QtCore import QCoreApplication, QLibraryInfo, QLocale, QSettings, QTranslator

from brisk_atlas.core.model.language import CHOICE, LANGUAGES, language_in_use, use_language

LANGUAGE = "language"


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


def translate_qt(app: QCoreApplication) -> None:
    """Have the dialogs of Qt speak the language too. Numbers are written alike in all languages, as everywhere in the
    window."""
    QLocale.setDefault(QLocale.c())
    language = language_in_use()
    if language != "en":
        translator = QTranslator(app)
        if translator.load(f"qtbase_{language}", QLibraryInfo.path(QLibraryInfo.LibraryPath.TranslationsPath)):
            app.installTranslator(translator)
