"""Scratch folders: gone with their process, and gone after one that was ended hard."""

from __future__ import annotations

import os
import stat
import subprocess
import sys
import tempfile
import time
from collections.abc import Iterator
from pathlib import Path
from threading import Lock

import pytest

from brisk_atlas.core.system import scratch
from brisk_atlas.core.system.scratch import PREFIX, ScratchFolder, delete_abandoned

MAKE = """
import sys
from brisk_atlas.core.system.scratch import ScratchFolder
folder = ScratchFolder()
(folder.path / "large.bin").write_bytes(bytes(1000))
print(folder.path, flush=True)
sys.stdin.read()
"""


@pytest.fixture(autouse=True)
def _room(tmp_path: Path, monkeypatch: pytest.MonkeyPatch) -> None:
    monkeypatch.setattr(tempfile, "tempdir", str(tmp_path))
    monkeypatch.setattr(scratch, "_first", Lock())


@pytest.fixture
def other(tmp_path: Path) -> Iterator[tuple[subprocess.Popen[str], Path]]:
    """Another process that has a scratch folder."""
    env = {**os.environ, "TMPDIR": str(tmp_path)}
    with subprocess.Popen([sys.executable, "-c", MAKE], stdin=-1, stdout=-1, text=True, env=env) as process:
        assert process.stdout is not None
        yield process, Path(process.stdout.readline().strip())
        process.kill()


def test_a_folder_is_private_and_goes_with_its_use_or_its_owner() -> None:
    with ScratchFolder() as folder:
        assert stat.S_IMODE(folder.stat().st_mode) == 0o700
        (folder / "part").mkdir()
        (folder / "part" / "rows.parquet").write_bytes(b"x")
    assert not folder.exists()
    forgotten = ScratchFolder()
    left = forgotten.path
    del forgotten
    assert not left.exists()


def test_what_a_killed_process_left_is_deleted_with_the_first_folder_of_the_next(
    other: tuple[subprocess.Popen[str], Path],
) -> None:
    process, folder = other
    delete_abandoned()
    assert (folder / "large.bin").exists()  # it lives
    process.kill()
    process.wait()
    assert folder.exists()
    with ScratchFolder() as mine:
        until = time.monotonic() + 60
        while folder.exists() and time.monotonic() < until:  # another thread does it, as it may be much
            time.sleep(0.01)
        assert not folder.exists() and mine.exists()


def test_a_process_that_ends_by_itself_leaves_nothing(other: tuple[subprocess.Popen[str], Path]) -> None:
    process, folder = other
    process.communicate("")
    assert not folder.exists()


def test_links_files_and_folders_of_other_machines_are_left_alone(tmp_path: Path) -> None:
    elsewhere, far = tmp_path / "elsewhere", tmp_path / f"{PREFIX}elsewhere.example-12-34-abc"
    elsewhere.mkdir()
    far.mkdir()
    (elsewhere / "mine.txt").write_text("stays")
    here = scratch.own_mark().rsplit("-", 2)[0]
    (tmp_path / f"{PREFIX}{here}-1-1-link").symlink_to(elsewhere)
    (tmp_path / f"{PREFIX}{here}-1-1-file").write_text("stays")
    (tmp_path / f"{PREFIX}{here}-1-1-gone").mkdir()
    delete_abandoned()
    left = {path.name for path in tmp_path.iterdir()}
    assert left == {"elsewhere", far.name, f"{PREFIX}{here}-1-1-link", f"{PREFIX}{here}-1-1-file"}
    assert (elsewhere / "mine.txt").read_text() == "stays"


def test_an_emptied_folder_is_there_and_holds_nothing(tmp_path: Path) -> None:
    elsewhere = tmp_path / "elsewhere"
    elsewhere.mkdir()
    (elsewhere / "stays").write_text("")
    with ScratchFolder() as folder:
        made = ScratchFolder()
        (made.path / "rows").mkdir()
        (made.path / "rows" / "1").write_text("")
        (made.path / "link").symlink_to(elsewhere)
        made.empty()
        assert made.path.is_dir() and not any(made.path.iterdir()) and folder.is_dir()
    assert (elsewhere / "stays").exists()
