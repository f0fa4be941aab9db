"""The Depot: requests a second of 50 clients against a bare handler that returns the same bytes, how long the slowest
hundredth waits, and a posting of five million rows: its first page and the memory of its server."""

from __future__ import annotations

import asyncio
import statistics
import subprocess
import sys
import tempfile
import time
from collections.abc import Iterator
from contextlib import contextmanager
from pathlib import Path
from urllib.parse import quote

from .case import Case, Measured, MemoryCase
from .data import made

CLIENTS, REQUESTS = 50, 3000
RUNS = 3
P99_S, PAGE_S, MEMORY_MB = 0.2, 0.05, 500.0
ROWS, SMALL = 5_000_000, 20_000
TILE = "/services/xyz/readings/11/905/1258.png"
ITEMS = "/collections/readings/items?limit=100"
FILTERED = "/collections/readings/items?limit=100&filter=" + quote("depth < 20 AND village = 'v7'")
BARE = """
import sys, uvicorn
from starlette.applications import Starlette
from starlette.responses import Response
from starlette.routing import Route
body = open(sys.argv[2], "rb").read()
async def answer(request): return Response(body, media_type=sys.argv[3])
uvicorn.run(Starlette(routes=[Route("/{path:path}", answer)]), port=int(sys.argv[1]), log_level="error", access_log=False)
"""


def run() -> Iterator[Case]:
    small, large = _store(SMALL), _store(ROWS)
    with _served(small) as (address, _):
        for name, path, kind in (
            ("cached tiles", TILE, "image/png"), ("pages of items", ITEMS, "application/geo+json"),
            ("filtered pages", FILTERED, "application/geo+json"),
        ):  # fmt: skip
            body = asyncio.run(_bodies(address, path, 1, 1))[1]
            with _bare(body, kind) as bare:
                ours, theirs, worst = [], [], []
                for _ in range(RUNS):
                    seconds, _, waits = asyncio.run(_bodies(address, path, CLIENTS, REQUESTS))
                    ours.append(seconds)
                    worst.append(sorted(waits)[int(len(waits) * 0.99)])
                    theirs.append(asyncio.run(_bodies(bare, path, CLIENTS, REQUESTS))[0])
            rate = REQUESTS / statistics.median(ours)
            yield Case("depot", f"{REQUESTS:,} {name} for {CLIENTS} clients ({rate:,.0f} a second)", "a bare handler",
                       Measured(statistics.median(ours), 0.0), Measured(statistics.median(theirs), 0.0), 0.333)  # fmt: skip
            yield Case("depot", f"{name}: the slowest hundredth waits", "200 ms",
                       Measured(statistics.median(worst), 0.0), Measured(P99_S, 0.0), 1.0)  # fmt: skip
    with _served(large) as (address, server):
        asyncio.run(_bodies(address, "/", 1, 1))
        pages = [asyncio.run(_bodies(address, f"{ITEMS}&n={n}".replace("&n", "&offset"), 1, 1))[0] for n in range(1, 8)]
        yield Case(
            "depot",
            f"a first page of {ROWS:,} rows",
            "50 ms",
            Measured(statistics.median(pages), 0.0),
            Measured(PAGE_S, 0.0),
            1.0,
        )
        for path in ("/collections", "/pages/readings", TILE, FILTERED):
            asyncio.run(_bodies(address, path, 1, 1))
        peak = _peak_mb(server)
        yield MemoryCase(
            "depot",
            f"memory of the server of {ROWS:,} rows",
            "500 MB",
            Measured(0.0, peak),
            Measured(0.0, MEMORY_MB),
            1.0,
        )


def _store(rows: int) -> Path:
    """Return the folder of a Depot with a posting of so many rows, made once."""
    return made(f"depot_{rows}", lambda folder: _post(folder, rows))


def _post(folder: Path, rows: int) -> None:
    import numpy as np
    import shapely

    from brisk_atlas.core.depot.postings.depot_store import DepotStore
    from brisk_atlas.core.depot.postings.outlet import Outlet, OutletField
    from brisk_atlas.core.depot.postings.posted_rows import RowBatch
    from brisk_atlas.core.depot.postings.posting import FieldType, PostedField, Posting
    from brisk_atlas.core.depot.postings.rights import EVERYBODY, Right

    fields = (PostedField("id", FieldType.INTEGER), PostedField("village", FieldType.TEXT),
              PostedField("depth", FieldType.NUMBER, "m"), PostedField("secret", FieldType.TEXT))  # fmt: skip
    rng = np.random.default_rng(1)
    xy, depth = rng.uniform((500_000, 5_760_000), (520_000, 5_780_000), (rows, 2)), rng.uniform(0, 100, rows).round(2)

    def content() -> Iterator[RowBatch]:
        for begin in range(0, rows, 100_000):
            shapes = shapely.to_wkb(shapely.points(xy[begin : begin + 100_000])).tolist()
            numbers = range(begin, begin + len(shapes))
            depths = depth[begin : begin + len(shapes)].tolist()
            yield RowBatch([(at, f"v{at % 97}", deep, "s") for at, deep in zip(numbers, depths)], shapes)

    store = DepotStore(folder)
    posting = store.post_batches(Posting("", 0, "Readings", "bench", fields, "EPSG:32727", "Point"), content())
    shown = tuple(OutletField(each.name, each.name) for each in fields[:3])
    store.offer(Outlet("readings", posting.id, "Readings", shown, ((EVERYBODY, frozenset({Right.READ})),)), by="bench")
    store.close()


@contextmanager
def _served(store: Path) -> Iterator[tuple[str, subprocess.Popen[str]]]:
    from brisk_atlas.core.depot.serving import free_port

    port = free_port()
    command = [sys.executable, "-m", "brisk_atlas", "depot", "serve", "--store", str(store), "--port", str(port)]
    with subprocess.Popen(command, stdout=subprocess.PIPE, text=True) as server:
        assert server.stdout is not None
        while "OGC API" not in server.stdout.readline():
            pass
        _wait(port)
        try:
            yield f"127.0.0.1:{port}", server
        finally:
            server.terminate()


@contextmanager
def _bare(body: bytes, kind: str) -> Iterator[str]:
    from brisk_atlas.core.depot.serving import free_port

    port = free_port()
    with tempfile.NamedTemporaryFile() as file:
        file.write(body)
        file.flush()
        with subprocess.Popen([sys.executable, "-c", BARE, str(port), file.name, kind]) as server:
            _wait(port)
            try:
                yield f"127.0.0.1:{port}"
            finally:
                server.terminate()


def _wait(port: int) -> None:
    import socket

    until = time.monotonic() + 30
    while time.monotonic() < until:
        try:
            socket.create_connection(("127.0.0.1", port), 1).close()
            return
        except OSError:
            time.sleep(0.05)


async def _bodies(address: str, path: str, clients: int, requests: int) -> tuple[float, bytes, list[float]]:
    """Return how long some clients take to be answered so many times together, an answer, and how long each waited."""
    host, _, port = address.partition(":")
    question = f"GET {path} HTTP/1.1\r\nHost: {address}\r\nAccept: */*\r\n\r\n".encode()
    left, waits, body = requests, list[float](), b""

    async def client() -> None:
        nonlocal left, body
        reader, writer = await asyncio.open_connection(host, int(port))
        while left > 0:
            left -= 1
            began = time.perf_counter()
            writer.write(question)
            head = await reader.readuntil(b"\r\n\r\n")
            assert head.startswith(b"HTTP/1.1 200"), head
            length = int(head.lower().partition(b"content-length:")[2].partition(b"\r\n")[0])
            body = await reader.readexactly(length)
            waits.append(time.perf_counter() - began)
        writer.close()

    began = time.perf_counter()
    await asyncio.gather(*(client() for _ in range(clients)))
    return time.perf_counter() - began, body, waits


def _peak_mb(server: subprocess.Popen[str]) -> float:
    for line in Path(f"/proc/{server.pid}/status").read_text().splitlines():
        if line.startswith("VmHWM:"):
            return int(line.split()[1]) / 1024
    return float("nan")
