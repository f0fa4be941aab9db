"""Albums: forty plates that are drawn, stored and written as one page, against drawing them alone."""

from __future__ import annotations

import os
import statistics
import tempfile
from collections.abc import Iterator
from pathlib import Path

from .case import Case, Measured, timed

PLATES, RUNS = 40, 3
SHARE = 1 / 1.2  # of the time of all, that drawing takes at least
SIZE = (1000, 640)


def run() -> Iterator[Case]:
    os.environ.setdefault("QT_QPA_PLATFORM", "offscreen")
    from brisk_atlas import demo
    from brisk_atlas.core.operations import WriteAlbum
    from brisk_atlas.core.workspace.plate_sources import sources_of_each
    from brisk_atlas.core.workspace.plates import Album, Plate, PlateKind, PlateView
    from brisk_atlas.desktop.album.plate_pictures import map_frames, pictures_of_maps
    from brisk_atlas.desktop.app import make_application
    from brisk_atlas.desktop.session import Session

    application = make_application()
    session = Session()
    session.workspace.open_project(demo.PROJECT)
    state = session.work.state
    base = PlateView(state.layers, state.groups, state.subject, "EPSG:32727", None, 510_380, 5_769_700, 4.0, 0.0, *SIZE)
    views = [replace_place(base, number) for number in range(PLATES)]
    drawn, whole = [], []
    with tempfile.TemporaryDirectory() as folder:

        def fresh() -> Iterator[PlateView]:
            for view in views:
                session.painter.forget()
                yield view

        def write() -> None:
            plates = []
            pictures = pictures_of_maps(session, fresh(), lambda: None)
            sources = sources_of_each([view.shown for view in views])
            for number, (view, (picture, other)) in enumerate(zip(views, pictures)):
                plates.append(Plate(f"{number}", f"Plate {number}", PlateKind.MAP, view, picture, other, 2.0,
                                    sources=sources[number]))  # fmt: skip
            session.work.change_album("album", Album("Album", "", tuple(plates)))
            WriteAlbum(Path(folder) / "album.html").run(session.workspace)

        def draw() -> None:
            for view in fresh():
                map_frames(session, view, lambda: None)

        draw()
        for _ in range(RUNS):
            drawn.append(timed(draw))
            whole.append(timed(write))
        size = (Path(folder) / "album.html").stat().st_size / 1e6
    del application
    yield Case(
        "album", f"{PLATES} plates drawn, stored and written as one page", "drawing them",
        Measured(statistics.median(whole), 0.0), Measured(statistics.median(drawn), 0.0), round(SHARE, 3),
        f"{size:.0f} MB",
    )  # fmt: skip


def replace_place(view, number: int):  # type: ignore[no-untyped-def]
    """Return a view of another place at another scale."""
    across, along = number % 8 - 4, number // 8 - 2
    return view._replace(x=view.x + 900 * across, y=view.y + 900 * along, resolution=2.0 + 0.5 * (number % 5))
