"""The window that runs opens what another start was asked for."""

from __future__ import annotations

import os
import subprocess
import sys
import tempfile

import pytest

from brisk_atlas import demo
from brisk_atlas.core.system.one_instance import socket_path
from brisk_atlas.desktop.app import _open_all
from brisk_atlas.desktop.one_window import OneWindow


@pytest.fixture
def listening(driver, tmp_path, monkeypatch):
    monkeypatch.setenv("BRISK_ATLAS_HOME", str(tmp_path / "home"))
    with tempfile.TemporaryDirectory() as short:  # as the path of a socket must be
        monkeypatch.setenv("XDG_RUNTIME_DIR", short)
        one = OneWindow(driver.window, lambda places: _open_all(driver.window, places))
        assert socket_path().exists()
        yield driver
        one.close()


def test_a_second_start_opens_its_files_in_the_window_that_runs(listening, qtbot):
    driver = listening
    driver.window.showMinimized()
    start = [sys.executable, "-m", "brisk_atlas", "vents.kml"]
    with subprocess.Popen(start, env=os.environ.copy(), cwd=demo.DATA) as other:
        try:
            qtbot.waitUntil(lambda: bool(driver.work.layers), timeout=60_000)
            assert other.wait(20) == 0
        finally:
            other.kill()
    assert driver.work.layers[0].ref.path == demo.DATA / "vents.kml"
    assert not driver.window.isMinimized()


def test_a_second_window_that_can_not_listen_goes_on(listening):
    second = OneWindow(listening.window, lambda places: None)
    second.close()
    assert socket_path().exists()  # the first still listens
