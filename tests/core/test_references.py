"""Files that point at others, at services and at hosts: nothing is reached unasked."""

from __future__ import annotations

import json
import os
import re
import shutil
import socket
import subprocess
import sys
import threading

import numpy as np
import pytest
from affine import Affine

from brisk_atlas.core import read
from brisk_atlas.core.cache import DataCache
from brisk_atlas.core.find.scan_pool import ScanPool
from brisk_atlas.core.model import CannotRead, NeedsPermission
from brisk_atlas.core.read.permissions import allow
from brisk_atlas.core.system.workers import WorkerPool
from made_files import at, write_grid_file

GRID = '<VRTDataset rasterXSize="2" rasterYSize="2">{extra}<VRTRasterBand dataType="Byte" band="1">{band}</VRTRasterBand></VRTDataset>'
SOURCE = '<SimpleSource><SourceFilename relativeToVRT="{relative}">{name}</SourceFilename><SourceBand>1</SourceBand></SimpleSource>'
RAW = '<SourceFilename relativeToVRT="0">{name}</SourceFilename><ImageOffset>0</ImageOffset><PixelOffset>1</PixelOffset><LineOffset>2</LineOffset>'
LAYERS = (
    '<OGRVRTDataSource><OGRVRTLayer name="a"><SrcDataSource>{name}</SrcDataSource></OGRVRTLayer></OGRVRTDataSource>'
)
SERVICE = '<GDAL_WMS><Service name="TMS"><ServerUrl>{url}/${{z}}</ServerUrl></Service></GDAL_WMS>'


def hostile(folder, url):
    """Write files that point at an address, and some at a secret of this machine; returns their paths."""
    secret = folder.parent / "secret.txt"
    secret.write_text("the secret " * 10)
    inline = SERVICE.format(url=url).replace("<", "&lt;").replace(">", "&gt;")
    texts = {
        "remote.vrt": GRID.format(extra="", band=SOURCE.format(relative=0, name=f"/vsicurl/{url}/a.tif")),
        "plain_address.vrt": GRID.format(extra="", band=SOURCE.format(relative=0, name=f"{url}/a.tif")),
        "wms.vrt": GRID.format(extra="", band=SOURCE.format(relative=0, name=f"WMS:{url}?")),
        "inline.vrt": GRID.format(extra="", band=SOURCE.format(relative=0, name=inline)),
        "streamed.vrt": GRID.format(extra="", band=SOURCE.format(relative=0, name=f"/vsigzip//vsicurl/{url}/a.gz")),
        "overview.vrt": GRID.format(extra=f'<OverviewFile>{url}/a.ovr</OverviewFile>', band=SOURCE.format(relative=1, name="grid.tif")),
        "passwords.vrt": GRID.format(extra="", band=RAW.format(name=secret)).replace('band="1"', 'band="1" subClass="VRTRawRasterBand"'),
        "climbing.vrt": GRID.format(extra="", band=SOURCE.format(relative=1, name="../secret.txt")),
        "wfs.vrt": LAYERS.format(name=f"WFS:{url}"),
        "vector.vrt": LAYERS.format(name=f"{url}/a.geojson"),
        "nested.vrt": GRID.format(extra="", band=SOURCE.format(relative=1, name="remote.vrt")),
        "disguised.vrt": GRID.format(extra="", band=SOURCE.format(relative=1, name="service.tif")),
        "service.tif": SERVICE.format(url=url),
        "service.asc": SERVICE.format(url=url),
        "pipeline.json": json.dumps({"type": "gdal_streamed_alg", "command_line": f"gdal vector pipeline ! read {url}/a ! write x"}),
        "linked.geojson": json.dumps({"type": "FeatureCollection", "features": [], "crs": {"type": "link", "properties": {"href": f"{url}/crs", "type": "esriwkt"}}}),
        "schema.gml": f'<FeatureCollection xmlns="http://www.opengis.net/gml" xmlns:xsi="http://www.w3.org/2001/XMLSchema-instance" xsi:schemaLocation="{url} {url}/a.xsd"/>',
        "entity.xml": f'<!DOCTYPE metadata [<!ENTITY x SYSTEM "{url}/x">]><metadata><idinfo>&x;</idinfo></metadata>',
        "context.jsonld": json.dumps({"@context": f"{url}/context", "@type": "dcat:Dataset"}),
        "scene.json": json.dumps({"stac_version": "1.0.0", "type": "Feature", "assets": {"b": {"href": f"{url}/b.tif", "eo:bands": [{"name": "b"}]}}}),
    }  # fmt: skip
    write_grid_file(folder / "grid.tif", np.ones((2, 2), "uint8"), Affine(1, 0, 0, 0, -1, 0))
    (folder / "grid.tif.aux.xml").write_text(
        f'<PAMDataset><Metadata domain="OVERVIEWS"><MDI key="OVERVIEW_FILE">{url}/o.tif</MDI></Metadata></PAMDataset>'
    )
    for name, text in texts.items():
        (folder / name).write_text(text)
    return [folder / name for name in (*texts, "grid.tif")]


@pytest.fixture
def listener():
    """A server that notes whoever connects."""
    met = []
    with socket.create_server(("127.0.0.1", 0)) as server:
        server.settimeout(0.2)
        over = threading.Event()

        def serve():
            while not over.is_set():
                try:
                    met.append(server.accept()[1])
                except TimeoutError:
                    continue

        thread = threading.Thread(target=serve)
        thread.start()
        yield f"http://127.0.0.1:{server.getsockname()[1]}", met
        over.set()
        thread.join()


def test_looking_and_opening_reach_nobody_and_no_other_file(tmp_path, listener):
    url, met = listener
    folder = tmp_path / "inbox"
    folder.mkdir()
    paths = hostile(folder, url)
    scan_pool = ScanPool(WorkerPool(1))
    for path in paths:
        row = scan_pool.scan(at(path))
        shown = json.dumps(row)
        assert "the secret" not in shown
        if path.suffix == ".vrt" or path.name in ("grid.tif", "linked.geojson"):
            assert row.fault, path
            with pytest.raises(CannotRead):
                read.open(path)
    scan_pool.pool.close()
    assert met == []


@pytest.mark.skipif(
    shutil.which("strace") is None and os.environ.get("CI") != "true", reason="the system-call trace is not installed"
)
def test_the_system_calls_show_no_connection_and_no_secret(tmp_path):
    folder = tmp_path / "inbox"
    folder.mkdir()
    paths = hostile(folder, "http://127.0.0.1:9")
    code = f"""
from pathlib import Path
from brisk_atlas.core.find.scan_worker import scan
from brisk_atlas.core.model import DataRef
for name in {[str(path) for path in paths]!r}:
    print(bool(scan(DataRef.file(Path(name))).fault))
"""
    trace = tmp_path / "trace"
    command = ["strace", "-f", "-qq", "-e", "trace=connect,openat,open", "-o", str(trace)]
    done = subprocess.run([*command, sys.executable, "-c", code], text=True, capture_output=True, timeout=120)
    if "ptrace" in done.stderr.lower() and os.environ.get("CI") != "true":
        pytest.skip("processes may not be traced here")
    assert len(done.stdout.splitlines()) == len(paths)
    calls = trace.read_text()
    assert "grid.tif" in calls and not re.search(r"connect\(.*AF_INET", calls)
    assert not re.search(r"secret\.txt", calls)


def test_what_lies_in_its_own_folder_is_read_and_the_rest_once_it_is_allowed(tmp_path):
    inside, other = tmp_path / "inbox", tmp_path / "elsewhere"
    for folder in (inside, other):
        folder.mkdir()
        write_grid_file(folder / "grid.tif", np.full((2, 2), 7, "uint8"), Affine(1, 0, 0, 0, -1, 0))
    own, far = inside / "own.vrt", inside / "far.vrt"
    own.write_text(GRID.format(extra="", band=SOURCE.format(relative=1, name="grid.tif")))
    far.write_text(GRID.format(extra="", band=SOURCE.format(relative=1, name="../elsewhere/grid.tif")))
    assert read.open(own).parts[0].native().values.max() == 7
    with pytest.raises(NeedsPermission) as caught:
        read.open(far)
    assert caught.value.places == (str(other),) and "outside its own folder" in str(caught.value)
    allow(caught.value.places)
    assert read.open(far).parts[0].native().values.max() == 7


def test_an_address_in_a_project_is_not_asked_for_until_its_host_is_allowed(listener):
    url, met = listener
    with pytest.raises(NeedsPermission) as caught:
        DataCache().dataset(at(f"{url}/a.tif"))
    assert met == [] and caught.value.places == ("127.0.0.1",)


def test_pipes_and_devices_are_not_opened(tmp_path):
    import os

    os.mkfifo(tmp_path / "pipe.csv")
    for path in (tmp_path / "pipe.csv", "/dev/zero", "/dev/tty"):
        with pytest.raises(CannotRead, match=r"pipe or a device|not one that is known"):
            read.open(path)
    with pytest.raises(CannotRead, match="too long"):
        read.open(tmp_path / ("a" * 5000 + ".tif"))
