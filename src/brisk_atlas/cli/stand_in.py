"""`brisk-atlas stand-in`: a small server on the loopback that offers a project by the protocols of services."""

from __future__ import annotations

import argparse
import sys
import time
from pathlib import Path

from brisk_atlas.core.depot.behaviour import Behaviour
from brisk_atlas.core.model.language import tr

PATHS = {
    "WMS": "/wms",
    "WMTS": "/wmts",
    "tiles": "/xyz/{layer}/{{z}}/{{x}}/{{y}}.png",
    "vector tiles": "/vectortiles.json",
    "OGC API": "/",
    "WFS": "/wfs",
    "WCS": "/wcs",
    "files": "/files/",
}


def parser() -> argparse.ArgumentParser:
    made = argparse.ArgumentParser(
        prog="brisk-atlas stand-in",
        description=tr("Offer a project on this machine as services would, to try clients on it. It can misbehave."),
    )
    made.add_argument("project", nargs="?", type=Path, help=tr("a project; the demo if none is given"))
    made.add_argument(
        "--also", action="append", default=[], metavar="DATA", help=tr("more data to offer; may be repeated")
    )
    made.add_argument("--port", type=int, default=0, help=tr("the port on the loopback; a free one if not given"))
    made.add_argument("--delay", type=float, default=0.0, metavar="S", help=tr("seconds until each answer begins"))
    made.add_argument("--status", type=int, default=0, help=tr("answer everything with this status"))
    made.add_argument("--fail-every", type=int, default=0, metavar="N", help=tr("answer every Nth question with 503"))
    made.add_argument("--half", action="store_true", help=tr("end answers half way"))
    made.add_argument("--endless", action="store_true", help=tr("answer with 2 GB"))
    made.add_argument("--html", action="store_true", help=tr("answer with a page for people"))
    made.add_argument("--wrong-axes", action="store_true", help=tr("take coordinates in the wrong order"))
    made.add_argument("--wrong-counts", action="store_true", help=tr("state wrong numbers of features"))
    made.add_argument("--login", default="", metavar="USER:PASSWORD", help=tr("want this login"))
    made.add_argument("--with-input", action="store_true", help=tr("end when the standard input does"))
    return made


def main(arguments: list[str]) -> int:
    """Serve until interrupted; returns the exit code."""
    if arguments[:1] == ["cluster"]:
        return _cluster()
    if arguments[:1] == ["openid"]:
        return _openid()
    asked = parser().parse_args(arguments)
    from brisk_atlas.core.depot.offers import Depot
    from brisk_atlas.core.depot.serving import running
    from brisk_atlas.core.model import AtlasError
    from brisk_atlas.core.workspace.workspace import Workspace

    project, also = asked.project, asked.also
    if project is None:
        from brisk_atlas import demo

        project, also = demo.PROJECT, [*also, str(demo.DATA / "sea_temperature.nc")]
    behaviour = Behaviour(
        delay_s=asked.delay, status=asked.status, fail_every=asked.fail_every, half=asked.half, endless=asked.endless,
        html=asked.html, wrong_axes=asked.wrong_axes, wrong_counts=asked.wrong_counts, password=asked.login,
    )  # fmt: skip
    with Workspace() as workspace:
        try:
            faults = workspace.open_project(project)
            for fault in faults:
                print(fault, file=sys.stderr)
            layers = [*workspace.work.layers]
            for each in also:
                layers += workspace.open(each)
            depot = Depot(f"{project.name.partition('.')[0]} stand-in", workspace.cache, layers, project.parent)
        except AtlasError as error:
            print(error, file=sys.stderr)
            return 1
        with running(depot, behaviour, asked.port) as server:
            first = next(iter(depot.offers), "layer")
            for name, path in PATHS.items():
                print(f"{name}: {server.address}{path.format(layer=first)}", flush=True)
            try:
                if asked.with_input:
                    sys.stdin.read()
                else:
                    while True:
                        time.sleep(3600)
            except KeyboardInterrupt:
                pass
    return 0


def _openid() -> int:
    """Run a provider of accounts on the loopback until interrupted; returns the exit code."""
    from brisk_atlas.core.depot.openid_stand_in import CLIENT, SECRET, OpenIdStandIn
    from brisk_atlas.core.depot.serving import LOOPBACK, free_port

    server = OpenIdStandIn().server(LOOPBACK, free_port())
    print(f"http://{LOOPBACK}:{server.config.port}", f"client {CLIENT}, secret {SECRET!r}", sep="\n", flush=True)
    server.run()
    return 0


def _cluster() -> int:
    """Run a scheduler with two workers on the loopback until interrupted; returns the exit code."""
    from distributed import LocalCluster

    with LocalCluster(n_workers=2, threads_per_worker=1, dashboard_address=None, host="127.0.0.1") as cluster:
        print(cluster.scheduler_address, flush=True)
        try:
            while True:
                time.sleep(1.0)
        except KeyboardInterrupt:
            return 0
