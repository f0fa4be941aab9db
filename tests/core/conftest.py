"""A stand-in for services, shared by the tests of a file, and what a Depot stores its rows in."""

from __future__ import annotations

from itertools import count

import pytest

from brisk_atlas.core.connect import fetching
from brisk_atlas.core.depot.postings.postgres_store import PostgresStore
from brisk_atlas.core.model import passwords
from brisk_atlas.core.read.permissions import allow
from brisk_atlas.core.read.tile_store import TILES
from database_server import running
from stand_in import demo_server

NUMBERS = count()  # of databases


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


@pytest.fixture(scope="session")
def depot_server():
    """A database server for Depots."""
    with running() as found:
        yield found


@pytest.fixture(scope="session")
def new_database(depot_server):
    """What makes another database on the server of Depots, and returns its address with the password."""

    def made():
        name = f"depot_{next(NUMBERS)}"
        with depot_server.connect_to("postgres") as link:
            link.execute(f"CREATE DATABASE {name} TEMPLATE survey")
        return depot_server.address_of(name)

    return made


@pytest.fixture(params=["folder", "server"])
def place(request, tmp_path):
    """What gives where a Depot stores its rows, as each process opens it: a folder, and a database on a server."""
    if request.param == "folder":
        return lambda: tmp_path / "depot"
    address = request.getfixturevalue("new_database")()
    return lambda: PostgresStore(address, tmp_path / "files")
