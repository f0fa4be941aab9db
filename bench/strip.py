"""Lines of surveys and strip logs: against pandas and plain Matplotlib, a naive pass, and the log library's own reader."""

from __future__ import annotations

import json
import os
import shutil
import statistics
import subprocess
import sys
import time
from collections.abc import Iterator
from pathlib import Path

import numpy as np

from . import data
from .case import Case, Measured, peak_mb, timed

LINES, RECORDS = 500, 4_000
CURVES, SAMPLES = 120, 200_000
FRAME_S, FIRST_S, GAP_S = 1 / 60, 1.0, 0.1
READ_MOST = 1.5  # times what the library takes
PHOTOS = 240
NAIVE_PAIRS = 24
SIZE = (900, 700)
_WINDOW = "from bench.strip import window_log; window_log()"
_PHOTOS = "from bench.strip import window_photos; window_photos()"


def run() -> Iterator[Case]:
    yield _lines()
    yield _crossovers()
    yield _reading()
    for alone, cases in ((_WINDOW, _window_cases), (_PHOTOS, _photo_cases)):
        done = subprocess.run([sys.executable, "-c", alone], capture_output=True, text=True, cwd=_root())
        if done.returncode:
            raise RuntimeError(done.stderr[-2000:])
        yield from cases(json.loads(done.stdout.splitlines()[-1]))


def _root() -> Path:
    return Path(__file__).parents[1]


def surveys() -> Path:
    """Return a folder of 500 surveys in MGD77 with 4,000 records each."""

    def make(folder: Path) -> None:
        import pyarrow as pa

        from brisk_atlas.core.handover.mgd77 import write_survey

        folder.mkdir()
        xy = data.wandering_lines(LINES, RECORDS, 4.0, 4.0, 0.0012, 7) + (-22.0, -40.0)
        random = np.random.default_rng(8)
        begin = np.datetime64("2029-01-01T00:00:00", "ms")
        for number in range(LINES):
            times = begin + np.timedelta64(number, "D") + (np.arange(RECORDS) * 20_000).astype("timedelta64[ms]")
            depth = 2500 + np.cumsum(random.normal(0, 4, RECORDS))
            nothing = pa.nulls(RECORDS, pa.float64())
            table = pa.table({
                "time": pa.array(times), "lat": pa.array(xy[number, :, 1]), "lon": pa.array(xy[number, :, 0]),
                "depth_m": pa.array(depth),
                "magnetic_total_nt": pa.array(31_000 + random.normal(0, 30, RECORDS)) if number % 2 else nothing,
                "gravity_mgal": pa.array(980_000 + random.normal(0, 5, RECORDS)) if number % 3 else nothing,
            })  # fmt: skip
            write_survey(table, folder / f"l{number:04d}.mgd77", name=f"L{number:04d}")

    return data.made("strip-surveys", make)


WIDTHS = [1, 8, 3, 14, 1, 8, 9, 1, 6, 6, 2, 1, 6, 6, 6, 1, 5, 6, 7, 6, 5, 5, 6, 1]


def _lines() -> Case:
    """Read 500 lines with 2,000,000 records, list what each measured, those with magnetics and gravity of a month, and
    draw these on a map and one as a profile."""
    folder = surveys()
    _ours(folder)  # a first run of each is not counted, but the peer's takes a minute
    ours_peak = peak_mb()
    ours = [timed(lambda: _ours(folder)) for _ in range(2)]
    theirs = timed(lambda: _pandas(folder))
    ours += [timed(lambda: _ours(folder)) for _ in range(2)]  # a slow spell of the machine meets both
    return Case("strip", f"{LINES} lines with {LINES * RECORDS:,} records: read, listed, filtered, drawn",
                "pandas.read_fwf, groupby, and Matplotlib (once)", Measured(statistics.median(ours), ours_peak),
                Measured(theirs, peak_mb()), 10.0)  # fmt: skip


def _ours(folder: Path) -> None:
    from dataclasses import replace

    from brisk_atlas.core.draw import View
    from brisk_atlas.core.kinds import painter_for
    from brisk_atlas.core.model import OpenOptions, VectorStyle
    from brisk_atlas.core.strip.line_list import LineFilter, fitting, list_lines, table_of_lines
    from brisk_atlas.core.strip.profile import thinned
    from brisk_atlas.core.workspace import Workspace

    with Workspace() as workspace:
        (layer,) = workspace.open(folder, OpenOptions())  # without the look that Find takes first, in another process
        layer = replace(layer, style=VectorStyle(fill="#1C7C7D", size=2.0, width=0.0))  # dots, as the peer draws
        listed = list_lines(workspace.cache, [layer], layer)
        chosen = fitting(listed, LineFilter(("magnetics", "gravity"), "2029-03-01", "2029-03-31"))
        assert table_of_lines(listed, chosen.tolist()).num_rows == len(chosen) > 5
        frame = painter_for(workspace.cache).frame([layer], View(-20.0, -38.0, 0.006, *SIZE, "EPSG:4326"))
        assert frame.image.any()
        profile = listed.lines.profile(int(chosen[0]))
        for trace in profile.traces:
            thinned(profile.distance, trace.values, 0.0, profile.length, SIZE[0])


def _pandas(folder: Path) -> None:
    import matplotlib
    import pandas as pd

    matplotlib.use("Agg")
    import matplotlib.pyplot as plt

    names = [f"c{n}" for n in range(len(WIDTHS))]
    frames = [
        pd.read_fwf(path, widths=WIDTHS, names=names, skiprows=24, dtype=str) for path in sorted(folder.iterdir())
    ]
    whole = pd.concat(frames)
    numbers = whole[["c5", "c6", "c9", "c12", "c18"]].astype(float)
    whole = pd.DataFrame({"line": whole.c1, "lat": numbers.c5 / 1e5, "lon": numbers.c6 / 1e5, "depth": numbers.c9 / 10,
                          "mag": numbers.c12.where(numbers.c12 < 999_999), "gravity": numbers.c18.where(numbers.c18 < 9_999_999),
                          "day": whole.c3.str[:8]})  # fmt: skip
    listed = whole.groupby("line").agg({"depth": "count", "mag": "count", "gravity": "count", "day": ["min", "max"]})
    assert len(listed) == LINES
    figure, (above, below) = plt.subplots(2, 1, figsize=(9, 7))
    above.plot(whole.lon, whole.lat, ".", markersize=2)
    one = whole[whole.line == whole.line.iloc[-1]]
    below.plot(one.depth)
    figure.canvas.draw()
    plt.close(figure)


def _crossovers() -> Case:
    """All crossovers among 500 lines, against testing each pair of lines segment by segment as one array."""
    from brisk_atlas.core.strip.crossovers import crossovers_of
    from brisk_atlas.core.strip.survey_lines import line_set
    from brisk_atlas.core.workspace import Workspace

    with Workspace() as workspace:
        (layer,) = workspace.open(surveys())
        lines = line_set(workspace.cache, layer)
        found: list[int] = []
        ours = [timed(lambda: found.append(len(crossovers_of(lines)))) for _ in range(3)]
        ours_peak = peak_mb()
        random = np.random.default_rng(3)
        pairs = random.choice(LINES, (NAIVE_PAIRS, 2))
        each = [timed(lambda p=pair: _naive(lines, *p.tolist())) for pair in pairs]  # type: ignore[misc]
    whole = statistics.mean(each) * LINES * (LINES - 1) / 2
    note = (
        f"{found[0]:,} crossovers; the pass is measured on {NAIVE_PAIRS} of {LINES * (LINES - 1) // 2:,} pairs of lines"
    )
    return Case("strip", f"all crossovers among {LINES} lines", "each pair of lines as one array, by NumPy",
                Measured(statistics.median(ours), ours_peak), Measured(whole, peak_mb()), 20.0, note)  # fmt: skip


def _naive(lines, one: int, other: int) -> int:  # type: ignore[no-untyped-def]
    a, b = (lines.xy[lines.places(n)] for n in (one, other))
    if (a.min(0) > b.max(0)).any() or (b.min(0) > a.max(0)).any():
        return 0
    u, v = np.diff(a, axis=0)[:, None], np.diff(b, axis=0)[None]
    off = b[None, :-1] - a[:-1, None]
    with np.errstate(divide="ignore", invalid="ignore"):
        turn = u[..., 0] * v[..., 1] - u[..., 1] * v[..., 0]
        s = (off[..., 0] * v[..., 1] - off[..., 1] * v[..., 0]) / turn
        t = (off[..., 0] * u[..., 1] - off[..., 1] * u[..., 0]) / turn
    return int(((s >= 0) & (s < 1) & (t >= 0) & (t < 1)).sum())


def large_log() -> Path:
    """Return a LAS file of 120 curves with 200,000 samples each."""

    def make(path: Path) -> None:
        random = np.random.default_rng(1)
        head = ["~V", " VERS. 2.0 :", " WRAP. NO :", "~W", " STRT.M 0 :", " STOP.M 19999.9 :", " STEP.M 0.1 :",
                " NULL. -999.25 :", " WELL. B-1 :", "~C", " DEPT.M :"]  # fmt: skip
        head += [f" C{n:03d}.GAPI : curve {n}" for n in range(CURVES)]
        with path.open("w") as out:
            out.write("\n".join([*head, "~A", ""]))
            walks = np.cumsum(random.normal(0, 1, (SAMPLES, CURVES)), axis=0) + 100
            np.savetxt(out, np.column_stack([np.arange(SAMPLES) * 0.1, walks]), fmt="%.3f")

    return data.made("strip-log.las", make)


def _reading() -> Case:
    """A log read whole, against the library's own reader."""
    import lasio

    from brisk_atlas.core import read

    path = large_log()
    ours = [timed(lambda: read.open(path).parts[0].rows()) for _ in range(2)]
    ours_peak = peak_mb()
    theirs = timed(lambda: lasio.read(path))
    return Case("strip", f"a log of {CURVES} curves with {SAMPLES:,} samples, read", "lasio.read (once)",
                Measured(statistics.median(ours), ours_peak), Measured(theirs, peak_mb()), 1 / READ_MOST)  # fmt: skip


def _window():  # type: ignore[no-untyped-def]
    """Return the real window once it is at rest, and what settles it."""
    import tempfile

    os.environ["QT_QPA_PLATFORM"], os.environ["BRISK_ATLAS_HOME"] = "offscreen", tempfile.mkdtemp()
    from brisk_atlas.desktop.app import make_application, make_window, settle
    from brisk_atlas.desktop.collector import Collector
    from brisk_atlas.desktop.warm_up import warm_later

    from .stall import READY_S

    app = make_application()
    window = make_window()
    Collector(window).start()
    window.session.asks = False
    window.resize(1280, 800)
    window.show()
    warm_later(window)
    ready = time.perf_counter() + READY_S
    while time.perf_counter() < ready:
        app.processEvents()
        time.sleep(0.001)
    return app, window, settle


def window_log() -> None:
    """Show the large log in the real window, in a process of its own: print how long the first strip takes once it is
    read, and frames of the cursor and while it is moved."""
    from brisk_atlas.desktop.panes.log_canvas import LogSpot

    app, window, settle = _window()
    window.session.open_files([large_log()])
    settle(window, 300)
    window.show_page("desk")
    begin = time.perf_counter()
    window.commands.do("strip")
    pane = window.desk.log
    while not pane.canvas.holes:
        app.processEvents()
    pane.canvas.repaint()
    first = time.perf_counter() - begin
    settle(window, 120)
    canvas = pane.canvas
    cursors = [timed(lambda n=n: (canvas.put_cursor(LogSpot(0, 100.0 + 20 * n)), canvas.repaint())) for n in range(60)]  # type: ignore[misc]
    moves = []
    for wide in (20_000.0, 2_000.0, 200.0):
        canvas.see(5_000.0, 5_000.0 + wide)
        canvas.repaint()
        moves += [timed(lambda: (canvas.move_by(0.02), canvas.repaint())) for _ in range(30)]
    found = {"first": first, "cursor": statistics.median(cursors), "move": statistics.median(moves), "peak": peak_mb()}
    print(json.dumps({**found, "worst": max(moves)}))
    window.session.work.load(window.session.work.state, None, None)
    window.close()


def _window_cases(found: dict) -> Iterator[Case]:
    each = f"a hole of {CURVES} curves with {SAMPLES:,} samples"
    for words, key, limit in (("first strip once it is read", "first", FIRST_S), ("a frame of the cursor", "cursor", FRAME_S),
                              ("a frame while it is moved", "move", FRAME_S)):  # fmt: skip
        note = f"longest: {found['worst'] * 1000:.1f} ms" if key == "move" else ""
        yield Case("strip", f"{each}: {words}", f"{limit * 1000:.1f} ms", Measured(found[key], found["peak"]),
                   Measured(limit, 0.0), 1.0, note)  # fmt: skip


def photographs() -> Path:
    """Return a folder with a hole of 2,000 m and 200 photographs of 10 MB."""

    def make(folder: Path) -> None:
        from PIL import Image

        folder.mkdir()
        (folder / "collars.csv").write_text("hole,x,y,elevation,depth\nB-1,508000,5770000,10,2000\n")
        random = np.random.default_rng(5)
        noise = random.integers(0, 255, (2600, 3900, 3), np.uint8)
        one = folder / "b-1_0-10m.jpg"
        quality = 88
        Image.fromarray(noise).save(one, quality=quality)
        for number in range(1, PHOTOS):
            shutil.copyfile(one, folder / f"b-1_{number * 10}-{number * 10 + 10}m.jpg")

    return data.made(f"strip-photographs-{PHOTOS}", make)


def window_photos() -> None:
    """Scroll through the photographs in the real window: print how long its thread was away at most."""
    from brisk_atlas.core.model import DataRef, OpenOptions
    from brisk_atlas.core.model.open_options import Columns

    from .stall import Heartbeat

    app, window, settle = _window()
    folder = photographs()
    stated = OpenOptions(crs=data.CRS, columns=Columns("x", "y"))
    window.show_page("desk")
    window.session.open_as(DataRef.file(folder / "collars.csv"), stated)
    settle(window, 120)
    window.commands.do("strip")
    settle(window, 120)
    canvas, heart = window.desk.log.canvas, Heartbeat()
    canvas.see(0.0, 60.0)
    settle(window, 120)

    def scrolling() -> None:
        for _ in range(200):
            canvas.move_by(0.16)
            end = time.perf_counter() + 0.03
            while time.perf_counter() < end:
                app.processEvents()
        settle(window, 120)

    longest, typical = heart.during(scrolling)
    size = sum(path.stat().st_size for path in folder.iterdir()) / 1e9
    print(json.dumps({"longest": longest, "typical": typical, "peak": peak_mb(), "size": size}))
    window.session.work.load(window.session.work.state, None, None)
    window.close()


def _photo_cases(found: dict) -> Iterator[Case]:
    yield Case("strip", f"photographs of {found['size']:.1f} GB scrolled: longest gap of the window", "100 ms",
               Measured(found["longest"], found["peak"]), Measured(GAP_S, 0.0), 1.0,
               f"median of the worst ten: {found['typical'] * 1000:.0f} ms")  # fmt: skip
