"""The demo's connections: a server of this machine that starts when one of them is first used."""

from __future__ import annotations

import socket
import subprocess
import sys
import time
from collections.abc import Callable
from pathlib import Path
from typing import TYPE_CHECKING

from brisk_atlas.core.model import AtlasError, DataRef
from brisk_atlas.core.model.language import tr

if TYPE_CHECKING:
    from .session import Session

LOOPBACK, USUAL_PORT = "127.0.0.1", 47031
START_S = 60.0
LOOK_S = 0.05  # between two looks whether it answers
OFFERED = (  # name, protocol, path
    (tr("Island maps"), "wms", "/wms"),
    (tr("Island tiles"), "wmts", "/wmts"),
    (tr("Island API"), "ogcapi", "/"),
    (tr("Island features"), "wfs", "/wfs"),
    (tr("Island vector tiles"), "vectortiles", "/vectortiles.json"),
    (tr("Island files"), "", "/files/"),
)


class StandInProcess:
    """A process that serves a project and some more data, ended with this one."""

    def __init__(self, project: Path, also: list[Path], port: int) -> None:
        self.project, self.also, self.port = project, also, port
        self._process: subprocess.Popen[bytes] | None = None

    def ensure(self, check: Callable[[], None] = lambda: None) -> None:
        """Start the server if it does not run, and wait until it answers. Raises AtlasError."""
        if self._process is None or self._process.poll() is not None:
            command = [sys.executable, "-m", "brisk_atlas", "stand-in", str(self.project)]
            for each in self.also:
                command += ["--also", str(each)]
            self._process = subprocess.Popen(
                [*command, "--port", str(self.port), "--with-input"],
                stdin=subprocess.PIPE, stdout=subprocess.DEVNULL, stderr=subprocess.DEVNULL,
            )  # fmt: skip
        until = time.monotonic() + START_S
        while time.monotonic() < until and self._process.poll() is None:
            check()
            with socket.socket() as spot:
                spot.settimeout(1.0)
                if spot.connect_ex((LOOPBACK, self.port)) == 0:
                    return
            time.sleep(LOOK_S)
        raise AtlasError(tr("the stand-in"), tr("it did not start"), tr("Run `brisk-atlas stand-in` to see why."))

    def stop(self) -> None:
        """End the server."""
        if self._process is not None and self._process.stdin is not None:
            self._process.stdin.close()  # by which it ends
            self._process.terminate()


def offer_stand_in(session: Session, project: Path, also: list[Path]) -> StandInProcess:
    """Put connections to a server of a project and more data on the shelf, which starts when one is first used."""
    from brisk_atlas.core.find.connections import Connection
    from brisk_atlas.core.find.shelves import PASSING
    from brisk_atlas.core.read.permissions import allow

    server = StandInProcess(project, also, _free_port())
    found = []
    for name, protocol, path in OFFERED:
        address = f"http://{LOOPBACK}:{server.port}{path}"
        ref = DataRef.service(protocol, address) if protocol else DataRef.parse(address)
        session.starters[ref.place] = server.ensure
        found.append(Connection(ref, name, PASSING))
    session.shelves.connections = [*session.shelves.connections, *found]
    allow((LOOPBACK,))
    return server


def _free_port() -> int:
    """Return the usual port, or another one where that is taken."""
    with socket.socket() as spot:
        spot.setsockopt(socket.SOL_SOCKET, socket.SO_REUSEADDR, 1)
        try:
            spot.bind((LOOPBACK, USUAL_PORT))
        except OSError:
            spot.bind((LOOPBACK, 0))
        return int(spot.getsockname()[1])
