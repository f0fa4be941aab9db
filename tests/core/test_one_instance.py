"""A second start gives what it was asked for to the one that runs."""

from __future__ import annotations

import json
import os
import socket
import tempfile
import threading
from pathlib import Path

import pytest

from brisk_atlas.core.system import one_instance
from brisk_atlas.core.system.one_instance import InstanceListener, hand_to_running, socket_path


@pytest.fixture(autouse=True)
def own_folders(tmp_path, monkeypatch):
    monkeypatch.setenv("BRISK_ATLAS_HOME", str(tmp_path / "home"))
    monkeypatch.setattr(one_instance, "PATIENCE_S", 0.5)
    with tempfile.TemporaryDirectory() as short:  # as the path of a socket must be
        monkeypatch.setenv("XDG_RUNTIME_DIR", short)
        yield


def taken_by(listener, places):
    """Return what the listener takes, and whether the other start was answered."""
    answers = []
    other = threading.Thread(target=lambda: answers.append(hand_to_running(places)))
    other.start()
    listener._line.setblocking(True)
    found = listener.take()
    other.join()
    return found, answers[0]


def test_files_are_given_by_their_whole_paths_and_addresses_as_they_are(tmp_path, monkeypatch):
    assert hand_to_running(["a.gpkg"]) is False  # none runs
    (tmp_path / "a.gpkg").touch()
    monkeypatch.chdir(tmp_path)
    monkeypatch.setenv("XDG_ACTIVATION_TOKEN", "token-7")
    listener = InstanceListener()
    found, answer = taken_by(listener, ["a.gpkg", "https://survey.tolvane.example/wms", "brisk-atlas:?x=1"])
    assert found == ([f"{tmp_path}/a.gpkg", "https://survey.tolvane.example/wms", "brisk-atlas:?x=1"], "token-7")
    assert answer is True
    with pytest.raises(OSError):
        InstanceListener()
    listener.close()
    assert not socket_path().exists() and hand_to_running([]) is False


def test_nobody_else_may_enter_and_folders_of_others_are_not_used():
    listener = InstanceListener()
    folder = socket_path().parent
    assert folder.stat().st_mode & 0o777 == 0o700
    listener.close()
    os.chmod(folder, 0o755)  # noqa: PTH101
    with pytest.raises(PermissionError):
        InstanceListener()
    with socket.socket(socket.AF_UNIX, socket.SOCK_STREAM) as another:
        another.bind(str(socket_path()))
        another.listen(1)
        another.settimeout(0.1)
        assert hand_to_running(["secret.gpkg"]) is False
        with pytest.raises(TimeoutError):
            another.accept()  # nothing was sent there


def test_a_runtime_folder_with_a_long_path_gives_way_to_the_temporary_one(tmp_path, monkeypatch):
    long = tmp_path / ("x" * 100)
    long.mkdir()
    monkeypatch.setenv("XDG_RUNTIME_DIR", str(long))
    assert socket_path().parent.parent == Path(tempfile.gettempdir())


def test_a_socket_left_behind_by_a_crash_is_replaced():
    listener = InstanceListener()
    listener._line.close()
    assert socket_path().exists() and hand_to_running([]) is False
    again = InstanceListener()
    assert taken_by(again, ["x"])[1] is True


def test_a_window_that_is_stuck_lets_the_other_open_its_own():
    listener = InstanceListener()
    assert hand_to_running(["a.gpkg"]) is False
    listener.close()


@pytest.mark.parametrize("message", [b"", b"no json\n", b"[]\n", json.dumps({"places": 7}).encode() + b"\n"])
def test_what_is_not_understood_is_not_taken(message):
    listener = InstanceListener()
    with socket.socket(socket.AF_UNIX, socket.SOCK_STREAM) as line:
        line.connect(str(socket_path()))
        line.sendall(message)
        line.shutdown(socket.SHUT_WR)
        listener._line.setblocking(True)
        assert listener.take() is None
    listener.close()
