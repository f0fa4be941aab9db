"""Databases and services: reading a large table against the plain driver with shapely, and against limits: tiles that are
in memory, a list of many tables, and the window while a server does not answer."""

from __future__ import annotations

import os
import statistics
import sys
import tempfile
import time
from collections.abc import Iterator
from pathlib import Path

from .case import Case, Measured, in_turn, peak_mb, timed

ROWS, TABLES = 2_000_000, 2_000
WINDOW = (540_000.0, 5_740_000.0, 552_000.0, 5_752_000.0)
RUNS, PICTURES = 3, 9
FRAME_S, LIST_S, GAP_S = 0.030, 1.0, 0.1
SLOW_S = 10.0
PANS = 60
MADE = f"""
CREATE TABLE parcels AS SELECT i AS id, 'parcel ' || i AS name, i %% 7 AS class, i * 0.5 AS area,
  ST_Buffer(ST_SetSRID(ST_Point(500000 + (i %% 2000) * 50, 5700000 + (i / 2000) * 50), 32727), 10 + i %% 12, 3) AS geom
  FROM generate_series(1, {ROWS}) AS i
""".replace("%%", "%")


def run() -> Iterator[Case]:
    sys.path.insert(0, str(Path(__file__).parents[1] / "tests"))  # the servers are those of the tests
    os.environ["BRISK_ATLAS_HOME"] = tempfile.mkdtemp()
    os.environ["QT_QPA_PLATFORM"] = "offscreen"
    yield from _database()
    yield from _services()


def _database() -> Iterator[Case]:
    import psycopg
    import shapely

    from brisk_atlas.core.cache import DataCache
    from brisk_atlas.core.connect import connector_for
    from brisk_atlas.core.connect.table_names import table_ref
    from brisk_atlas.core.draw.view import View
    from brisk_atlas.core.kinds import first_style, painter_for
    from brisk_atlas.core.model import DataKind, DataRef, Extent, Layer
    from brisk_atlas.core.read import open as open_dataset
    from brisk_atlas.core.read.permissions import allow
    from database_server import running

    with running() as server:
        with server.connect() as link:
            link.execute(MADE)
            link.execute("ALTER TABLE parcels ADD PRIMARY KEY (id)")
            link.execute("CREATE INDEX ON parcels USING gist (geom)")
            link.execute("CREATE SCHEMA many")
            for number in range(TABLES):
                link.execute(f"CREATE TABLE many.layer_{number} (id int, geom geometry(Point, 32727))")
            link.execute("ANALYZE")
        allow(("127.0.0.1",))
        ref = table_ref(DataRef.parse(server.address_with_password), "public", "parcels").with_part("parcels")
        view = View.fitting(Extent(*WINDOW, "EPSG:32727"), 1280, 800)

        def picture() -> None:
            cache = DataCache()
            layer = Layer("a", "parcels", ref, DataKind.VECTOR, first_style(cache.part(ref).facts, 0))
            frame = painter_for(cache).frame([layer], view)
            assert frame.image.any(), frame.faults

        def rows(condition: str) -> None:
            with psycopg.connect(server.address_with_password) as link:
                found = link.execute(
                    f"SELECT id, name, class, area, ST_AsBinary(geom) FROM parcels {condition}"
                ).fetchall()
            shapely.get_coordinates(shapely.from_wkb([row[-1] for row in found]))

        x0, y0, x1, y1 = view.extent.bounds  # which is wider than what has to be in it
        where = f"WHERE geom && ST_MakeEnvelope({x0}, {y0}, {x1}, {y1}, 32727)"
        ours, theirs = in_turn(picture, lambda: rows(where), PICTURES)
        yield Case("connect", f"first picture of a window of {ROWS:,} rows, the facts included",
                   "psycopg and shapely reading the same window", ours, theirs, 3.0)  # fmt: skip

        def whole() -> None:
            open_dataset(ref.whole).parts[0].read()  # type: ignore[attr-defined]

        ours, theirs = in_turn(whole, lambda: rows("ORDER BY id"), 1)
        yield Case("connect", f"{ROWS:,} rows into arrays that can be drawn", "psycopg, shapely and its coordinates",
                   ours, theirs, 4.0)  # fmt: skip
        place = table_ref(ref, "many")
        times = [timed(lambda: connector_for(place).list(place)) for _ in range(RUNS + 1)][1:]
        yield Case("connect", f"listing {TABLES:,} tables", "the limit of 1 s", Measured(statistics.median(times), peak_mb()),
                   Measured(LIST_S, 0), 1.0)  # fmt: skip


def _services() -> Iterator[Case]:
    from brisk_atlas.core.draw.view import View
    from brisk_atlas.core.draw.whole_frame import whole_frame
    from brisk_atlas.core.read.permissions import allow
    from brisk_atlas.core.workspace.workspace import Workspace
    from stand_in import demo_server

    allow(("127.0.0.1",))
    with demo_server() as (depot, server):
        workspace = Workspace()
        layer = workspace.open(f"wmts+{server.address}/wmts#elevation_2029")[0]
        extent = depot.offers["elevation_2029"].extent_in("EPSG:32727")
        view = View.fitting(extent, 1280, 800)
        near = View(view.x, view.y, view.resolution / 2, 1280, 800, view.crs)
        views = [
            View(near.x + step * 3 * near.resolution, near.y, near.resolution, 1280, 800, near.crs)
            for step in range(PANS)
        ]
        for each in (views[0], views[-1]):
            whole_frame(workspace.painter, [layer], each)
        times = [timed(lambda each=each: workspace.painter.frame([layer], each)) for each in views]  # type: ignore[misc]
        yield Case("connect", "a pan frame of tiles in memory, in another CRS", "the limit of 30 ms",
                   Measured(statistics.median(times), peak_mb()), Measured(FRAME_S, 0), 1.0)  # fmt: skip
        yield from _slow(server)


def _slow(server: object) -> Iterator[Case]:
    from brisk_atlas.desktop.app import make_application, make_window, settle
    from brisk_atlas.desktop.warm_up import warm_later

    from .stall import READY_S, Heartbeat

    app = make_application()
    window = make_window()
    window.session.asks = False
    window.resize(1280, 800)
    window.show()
    window.find_page.fill_shelves()
    warm_later(window)
    until = time.monotonic() + READY_S
    while time.monotonic() < until:
        app.processEvents()
        time.sleep(0.001)
    window.session.open_files([f"wms+{server.address}/wms#elevation_2029"])  # type: ignore[attr-defined]
    settle(window)
    server.behaviour.delay_s = SLOW_S  # type: ignore[attr-defined]

    def moving() -> None:
        canvas = window.desk.map.canvas
        for step in range(PANS * 2):
            canvas.look(canvas.view.panned(6, 3) if step % 10 else canvas.view.zoomed(1.5, 400, 300))
            end = time.perf_counter() + 0.016
            while time.perf_counter() < end:
                app.processEvents()

    longest, _ = Heartbeat().during(moving)
    yield Case("connect", "longest gap of the window while a server answers after 10 s", "the limit of 100 ms",
               Measured(longest, peak_mb()), Measured(GAP_S, 0), 1.0)  # fmt: skip
    server.behaviour.delay_s = 0.0  # type: ignore[attr-defined]
    window.session.work.load(window.session.work.state, None, None)
    window.close()
