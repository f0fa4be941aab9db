"""The stand-in for the tests: the demo's project on the loopback, in this process."""

from __future__ import annotations

import os
import subprocess
import sys
from collections.abc import Iterator
from contextlib import contextmanager

from brisk_atlas import demo
from brisk_atlas.core.depot.behaviour import Behaviour
from brisk_atlas.core.depot.offers import Depot
from brisk_atlas.core.depot.serving import Running, running
from brisk_atlas.core.model import Layer
from brisk_atlas.core.workspace.workspace import Workspace


@contextmanager
def demo_depot() -> Iterator[Depot]:
    """Give a Depot of the demo's project."""
    with Workspace() as workspace:
        assert workspace.open_project(demo.PROJECT) == []
        layers = [*workspace.work.layers, *workspace.open(demo.DATA / "sea_temperature.nc")]
        yield Depot("Tolvane Survey Office", workspace.cache, layers, demo.DATA)


@contextmanager
def demo_server(behaviour: Behaviour | None = None) -> Iterator[tuple[Depot, Running]]:
    """Run a Depot of the demo's project."""
    with demo_depot() as depot, running(depot, behaviour) as server:
        yield depot, server


def opened(text: str, served: tuple[Depot, Running]) -> tuple[Workspace, Layer]:
    """Return a workspace with a layer of the server's, whose address stands for `{}` in a reference."""
    workspace = Workspace()
    return workspace, workspace.open(text.format(served[1].address))[0]


def independently(script: str) -> str:
    """Return what a script prints that uses the general libraries with their own drivers of services, which the
    product switches off."""
    clean = {name: value for name, value in os.environ.items() if not name.startswith(("GDAL", "OGR", "CPL"))}
    done = subprocess.run([sys.executable, "-c", script], capture_output=True, text=True, env=clean, timeout=120)
    assert done.returncode == 0, done.stderr
    return done.stdout
