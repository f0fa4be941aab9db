"""What the desktop is told of the application follows its standards, and goes where it is looked for."""

from __future__ import annotations

import configparser
import shutil
import subprocess

import pytest
from lxml import etree

from brisk_atlas import desktop_entry
from brisk_atlas.cli import main
from brisk_atlas.cli.manual import bash_completion, manual_page
from brisk_atlas.core.operations import COMMANDS


@pytest.fixture
def installed(tmp_path, monkeypatch, capsys):
    monkeypatch.setenv("XDG_DATA_HOME", str(tmp_path / "share"))
    assert main(["desktop", "install"]) == 0
    paths = capsys.readouterr().out.split()
    assert len(paths) == 6
    return tmp_path / "share"


def test_the_entry_starts_this_application_and_knows_its_kinds_of_files(installed):
    entry = configparser.ConfigParser(interpolation=None)
    entry.optionxform = str
    entry.read(installed / "applications" / "brisk-atlas.desktop")
    section = entry["Desktop Entry"]
    assert section["Exec"].endswith("-m brisk_atlas %U") and section["Icon"] == "brisk-atlas"
    types = section["MimeType"].strip(";").split(";")
    assert "x-scheme-handler/brisk-atlas" in types and "application/geopackage+sqlite3" in types
    kinds = etree.parse(installed / "mime" / "packages" / "brisk-atlas.xml")
    named = {each.get("type") for each in kinds.iter("{*}mime-type")}
    assert {"application/vnd.brisk-atlas.project+json", "application/vnd.las"} <= named <= set(types)
    icon = etree.parse(installed / "icons" / "hicolor" / "scalable" / "apps" / "brisk-atlas.svg")
    assert icon.getroot().get("viewBox") == "0 0 128 128"


def test_what_was_installed_is_removed_and_a_folder_that_can_not_be_is_refused(installed, tmp_path, capsys):
    assert main(["desktop", "remove"]) == 0
    assert not [path for path in installed.rglob("*brisk*") if path.is_file()]
    blocked = tmp_path / "blocked"
    blocked.write_text("")
    assert main(["desktop", "install", "--prefix", str(blocked)]) == 1
    assert "can't be made" in capsys.readouterr().err


@pytest.mark.skipif(shutil.which("appstreamcli") is None, reason="appstreamcli is not here")
def test_the_description_is_valid_appstream():
    file = desktop_entry.HERE / "brisk-atlas.metainfo.xml"
    done = subprocess.run(
        ["appstreamcli", "validate", "--no-net", str(file)], capture_output=True, text=True, check=False
    )
    assert done.returncode == 0, done.stdout


def test_the_manual_names_every_command_and_is_read_by_roff(tmp_path):
    text = manual_page()
    assert all(f".B {name}".replace("-", "\\-") in text for name in (*COMMANDS, "facts", "record", "depot"))
    reader = shutil.which("groff")
    if reader:
        done = subprocess.run(
            [reader, "-man", "-Tutf8", "-ww", "-z"], input=text, capture_output=True, text=True, check=True
        )
        assert not done.stderr


def test_the_shell_completes_commands_and_their_options(tmp_path):
    script = tmp_path / "completion"
    script.write_text(bash_completion())

    def completed(*words):
        asked = (f"source {script}; COMP_WORDS=({' '.join(words)}); COMP_CWORD={len(words) - 1}; _brisk_atlas; "
                 'echo "${COMPREPLY[@]}"')  # fmt: skip
        return subprocess.run(["bash", "-c", asked], capture_output=True, text=True, check=True).stdout.split()

    assert "trust" in completed("brisk-atlas", "tr")
    assert completed("brisk-atlas", "trust", "--re") == ["--record"]
    assert {"show", "check"} <= set(completed("brisk-atlas", "record", "''"))
    assert completed("brisk-atlas", "desktop", "rem") == ["remove"]
