"""A stand-in for services, shared by the tests of a file."""

from __future__ import annotations

import pytest

from brisk_atlas.core.connect import fetching
from brisk_atlas.core.model import passwords
from brisk_atlas.core.read.permissions import allow
from brisk_atlas.core.read.tile_store import TILES
from stand_in import demo_server


@pytest.fixture(scope="module")
def served():
    with demo_server() as found:
        yield found


@pytest.fixture
def well_behaved(served, home, monkeypatch):
    """Each test begins with a server that behaves, and with nothing stored."""
    _, server = served
    allow(("127.0.0.1",))
    monkeypatch.setattr(fetching, "BACK_OFF_S", 0.01)
    TILES.forget()
    yield
    for name, value in vars(type(server.behaviour)()).items():
        setattr(server.behaviour, name, value)
    fetching.set_offline(False)
    passwords.forget_all()
