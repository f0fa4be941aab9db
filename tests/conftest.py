"""What the tests share: the shipped survey, its truth, and a home of their own."""

from __future__ import annotations

import os
import sys

os.environ.setdefault("QT_QPA_PLATFORM", "offscreen")  # before Qt is loaded
os.environ |= {"BRISK_ATLAS_LANGUAGE": "en", "BRISK_ATLAS_DIGIT_GROUPS": "comma"}  # whatever the machine speaks

import pytest
from hypothesis import HealthCheck, settings

from brisk_atlas import demo
from brisk_atlas.core.cache import DataCache
from made_files import at

FETCHING = "brisk_atlas.core.connect.fetching"
settings.register_profile("steady", deadline=None, suppress_health_check=[HealthCheck.too_slow])  # busy machines
settings.load_profile("steady")


def pytest_collection_modifyitems(items):
    """Begin with the tests that take longest, so that no process waits for them at the end."""
    items.sort(key=lambda item: "test_attack" not in item.nodeid)


@pytest.fixture(autouse=True)
def home(tmp_path_factory, monkeypatch):
    """No test reads or writes what the user keeps."""
    folder = tmp_path_factory.mktemp("home")
    monkeypatch.setenv("BRISK_ATLAS_HOME", str(folder))
    return folder


@pytest.fixture(autouse=True)
def online():
    """A test of all commands may have switched servers off for the process that it ran in."""
    if FETCHING in sys.modules:
        sys.modules[FETCHING].set_offline(False)


@pytest.fixture(scope="session")
def data():
    return demo.DATA


@pytest.fixture(scope="session")
def truth():
    return demo.truth()


@pytest.fixture(scope="session")
def cache():
    held = DataCache()
    yield held
    held.clear()


@pytest.fixture(scope="session")
def before(cache, data):
    return cache.raster(at(data / "elevation_2029.tif", "elevation_2029"))


@pytest.fixture(scope="session")
def after(cache, data):
    return cache.raster(at(data / "elevation_2031.tif", "elevation_2031"))


@pytest.fixture(scope="session")
def lava(cache, data):
    return cache.features(at(data / "tolvane_survey.gpkg", "lava_flows"))


@pytest.fixture(scope="session")
def zones(cache, data):
    return cache.features(at(data / "tolvane_survey.gpkg", "closed_zones"))
