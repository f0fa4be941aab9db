"""The languages of the application: which one is spoken, and whether the catalogues are whole."""

from __future__ import annotations

import re
import string
import subprocess
import sys
from pathlib import Path

import pytest
from babel.messages.pofile import read_po

from brisk_atlas.core.model import language
from brisk_atlas.core.model.language import language_of, tr, trn, use_catalogue

ROOT = Path(__file__).parents[2]
PLACE = re.compile(r"{[^{}]*}")


class Upper:
    """A catalogue that is easy to tell from English."""

    def gettext(self, message):
        return PLACE.sub(
            lambda found: found[0],
            "".join(p if p[0] == "{" else p.upper() for p in re.split(r"({[^{}]*})", message) if p),
        )

    def ngettext(self, one, many, count):
        return self.gettext(one if count == 1 else many)


@pytest.fixture
def upper():
    use_catalogue(Upper())
    yield
    use_catalogue(None)


def german():
    path = language.CATALOGUES / "de" / "LC_MESSAGES" / "brisk-atlas.po"
    with path.open("rb") as file:
        return [message for message in read_po(file, locale="de") if message.id]


@pytest.mark.parametrize(
    ("environment", "spoken"),
    [
        ({}, "en"),
        ({"LANG": "C.UTF-8"}, "en"),
        ({"LANG": "de_DE.UTF-8"}, "de"),
        ({"LANG": "de_CH"}, "de"),
        ({"LANG": "de_DE.UTF-8", "LC_ALL": "fr_FR.UTF-8"}, "en"),
        ({"LANGUAGE": "gd:de:en", "LANG": "en_GB"}, "de"),
        ({"BRISK_ATLAS_LANGUAGE": "en", "LANG": "de_DE"}, "en"),
        ({"LANG": "../../etc"}, "en"),
    ],
)
def test_the_variables_of_the_desktop_choose_the_language(environment, spoken):
    assert language_of(environment) == spoken


def test_texts_come_from_the_catalogue_with_their_values(upper):
    assert tr("{count:,} rows of {layer}", count=1200, layer="lava") == "1,200 ROWS OF lava"
    assert trn("{count} row", "{count} rows", 1) == "1 ROW"
    assert trn("{count} row of {layer}", "{count} rows of {layer}", 3, layer="lava") == "3 ROWS OF lava"
    assert tr("") == ""  # a catalogue has its head under the empty text


def test_the_catalogues_have_all_texts_of_the_code_and_are_compiled():
    done = subprocess.run(
        [sys.executable, str(ROOT / "tools" / "translate"), "--check"], capture_output=True, text=True, check=False
    )
    assert (done.returncode, done.stdout) == (0, "")


def test_a_translation_names_the_values_of_its_text():
    def names(text):
        return sorted(name for _, name, _, _ in string.Formatter().parse(text) if name is not None)

    for message in german():
        ids = message.id if isinstance(message.id, tuple) else (message.id,)
        for text in message.string if isinstance(message.string, tuple) else (message.string,):
            assert names(text) == names(ids[-1]), ids
            assert (text[:1].isspace(), text[-1:].isspace()) == (ids[0][:1].isspace(), ids[0][-1:].isspace()), ids


def test_a_german_desktop_gets_german_answers(tmp_path):
    missing = tmp_path / "nothing.tif"
    environment = {"BRISK_ATLAS_LANGUAGE": "de", "BRISK_ATLAS_HOME": str(tmp_path), "PATH": ""}
    done = subprocess.run(
        [sys.executable, "-m", "brisk_atlas", "facts", str(missing)], capture_output=True, text=True, check=False, env=environment,
    )  # fmt: skip
    assert done.returncode == 1
    assert f"{missing}: es gibt keine solche Datei" in done.stderr
