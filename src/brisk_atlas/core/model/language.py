"""The language that the application speaks: English as it stands in the code, or what a catalogue has for it.

Texts are looked up when their module loads or when they are shown, so the language is chosen before either: by
`BRISK_ATLAS_LANGUAGE`, or by the variables of the desktop. What goes into files (names of fields, records, reports
for others) is not translated. A server speaks the language of whoever asks: what it shows is looked up within
`speaking`, and texts that are named in a module are marked there by `untranslated`.
"""

from __future__ import annotations

import os
from collections.abc import Iterator, Mapping
from contextlib import contextmanager
from contextvars import ContextVar
from functools import cache
from pathlib import Path
from typing import Protocol

from .digit_groups import filled, groups_for, use_groups_of

CATALOGUES = Path(__file__).parents[2] / "languages"
DOMAIN = "brisk-atlas"
CHOICE = "BRISK_ATLAS_LANGUAGE"
VARIABLES = (CHOICE, "LANGUAGE", "LC_ALL", "LC_MESSAGES", "LANG")  # the first that is set decides, as for gettext
LANGUAGES = {"en": "English", "de": "Deutsch"}


class TextCatalogue(Protocol):
    """What has texts in another language, such as `gettext.GNUTranslations`."""

    def gettext(self, message: str) -> str: ...

    def ngettext(self, one: str, many: str, count: int) -> str: ...


def wanted_languages(environment: Mapping[str, str]) -> list[str]:
    """Return the languages that are asked for, the first one first.

    >>> wanted_languages({"LANG": "de_AT.UTF-8"}), wanted_languages({"LANGUAGE": "gd:de", "LANG": "C"})
    (['de'], ['gd', 'de'])
    """
    stated = next((environment[name] for name in VARIABLES if environment.get(name)), "")
    return [each.split(".")[0].split("@")[0].split("_")[0].lower() for each in stated.split(":") if each]


def language_of(environment: Mapping[str, str]) -> str:
    """Return the first language that is asked for and that there is, English where there is none."""
    return next((each for each in wanted_languages(environment) if each in LANGUAGES), "en")


@cache
def _read(language: str) -> TextCatalogue | None:
    if language == "en":
        return None
    import gettext  # a window in English needs none of it

    return gettext.translation(DOMAIN, CATALOGUES, [language])


_language = language_of(os.environ)
use_groups_of(_language)
_catalogue: TextCatalogue | None = _read(_language)
_reader: ContextVar[str | None] = ContextVar("language of the reader", default=None)


def language_in_use() -> str:
    """Return the language that is spoken, such as "de"."""
    return _reader.get() or _language


@contextmanager
def speaking(language: str) -> Iterator[None]:
    """Speak one of LANGUAGES within the block, in this thread and in those that it hands its work to."""
    before = _reader.set(language)
    try:
        with groups_for(language):
            yield
    finally:
        _reader.reset(before)


def _catalogue_in_use() -> TextCatalogue | None:
    language = _reader.get()
    return _catalogue if language is None else _read(language)


def use_language(language: str) -> None:
    """Speak one of LANGUAGES, in modules that load from now on and in processes that begin from now on."""
    global _language
    _language = os.environ[CHOICE] = language
    use_groups_of(language)
    use_catalogue(_read(language))


def use_catalogue(catalogue: TextCatalogue | None) -> None:
    """Take texts from another catalogue, those of modules that load from now on; None for English."""
    global _catalogue
    _catalogue = catalogue


def untranslated(text: str) -> str:
    """Return a text as it is; what shows it translates it then."""
    return text


def tr(text: str, /, **values: object) -> str:
    """Return a text in the language of the application, with values in the places that it names.

    >>> tr("{rows:,} rows of {layer}", rows=1200, layer="lava")
    '1,200 rows of lava'
    """
    catalogue = _catalogue_in_use()
    found = catalogue.gettext(text) if catalogue is not None and text else text
    return filled(found, values) if values else found


def trn(one: str, many: str, count: int, /, **values: object) -> str:
    """Return the text for one or for several of something; `{count}` is how many.

    >>> trn("{count:,} row", "{count:,} rows", 1), trn("{count:,} row", "{count:,} rows", 2500)
    ('1 row', '2,500 rows')
    """
    catalogue = _catalogue_in_use()
    if catalogue is not None:
        found = catalogue.ngettext(one, many, count)
    else:
        found = one if count == 1 else many
    return filled(found, {"count": count, **values})
