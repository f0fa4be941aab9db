"""Boat survey lines around the island in the MGD77 exchange format.

Layout of the 120-byte data record and the 24-card header: MGD77 exchange format, version 1 (1977).
"""

from __future__ import annotations

from pathlib import Path

import numpy as np
from pyproj import Transformer

from .grids import seafloor
from .ground import CRS, SUMMIT, bilinear, rng

TO_DEGREES = Transformer.from_crs(CRS, 4326, always_xy=True)
LINES = (  # survey id, what it measured, way points
    ("TSO2901", "dgm", [(497_000, 5_763_500), (521_000, 5_763_500)]),
    ("TSO2902", "dgm", [(520_500, 5_764_000), (520_500, 5_780_500)]),
    ("TSO2903", "dm", [(520_000, 5_781_000), (497_000, 5_781_000)]),
    ("TSO2904", "dg", [(496_500, 5_780_500), (496_500, 5_764_000)]),
    ("TSO2905", "d", [(502_500, 5_764_800), (514_800, 5_764_800), (516_500, 5_768_000), (516_300, 5_776_000),
                      (513_000, 5_778_400), (503_000, 5_778_200), (501_200, 5_774_000), (501_200, 5_767_000)]),
    ("TSO2906", "dgm", [(499_000, 5_762_500), (499_000, 5_782_000)]),
    ("TSO2907", "dgm", [(518_500, 5_782_000), (518_500, 5_762_500)]),
    ("TSO2908", "dm", [(495_500, 5_770_000), (508_000, 5_762_300)]),
    ("TSO2909", "dgm", [(505_000, 5_782_000), (505_000, 5_777_600), (508_500, 5_777_600), (508_500, 5_782_000)]),
)  # fmt: skip
LEVELS = {  # of instruments that were not set to the same: added to what was measured, m, mGal, nT
    "TSO2906": {"depth": 6.0, "free_air": -3.5, "field": 24.0},
    "TSO2907": {"depth": -4.0, "free_air": 2.0, "field": -31.0},
    "TSO2908": {"depth": 9.0, "field": 12.0},
    "TSO2909": {"depth": -2.5, "free_air": 5.0, "field": 40.0},
}
SPIKE = ("TSO2907", 60, 380.0)  # line, record from 0, metres added to its depth
OUTLIER = ("TSO2908", 40, 12_345.6)  # the depth itself
ASTRAY = ("TSO2909", 50, 0.02)  # degrees added to a latitude


def survey(code: str) -> dict[str, np.ndarray]:
    """Return one line's fixes: seconds, lon, lat, depth (m), gravity and free-air (mGal), field (nT)."""
    what, points = next((w, p) for c, w, p in LINES if c == code)
    random = rng(code)
    points = np.array(points, float)
    legs = np.r_[0, np.cumsum(np.hypot(*np.diff(points, axis=0).T))]
    along = np.arange(0, legs[-1], 130.0)
    x, y = (np.interp(along, legs, points[:, i]) + 18 * np.sin(along / 900 + i) for i in (0, 1))
    lon, lat = TO_DEGREES.transform(x, y)
    lons, lats, floor = seafloor()
    elevation = bilinear(floor, (lon - lons[0]) / (lons[1] - lons[0]), (lat - lats[0]) / (lats[1] - lats[0]))
    away = np.hypot(x - SUMMIT[0], y - SUMMIT[1])
    smooth = np.convolve(np.pad(elevation, 8, "edge"), np.ones(17) / 17, "valid")
    free_air = 0.0419 * 1.64 * (smooth + 2600) + 34 * np.exp(-((away / 9000) ** 2)) + random.normal(0, 0.5, x.size)
    normal = 978032.53359 * (
        1 + 0.0052790414 * np.sin(np.radians(lat)) ** 2 + 0.0000232718 * np.sin(np.radians(lat)) ** 4
    )
    body = 260 * np.exp(-(((away - 6500) / 2500) ** 2)) * np.cos(np.arctan2(y - SUMMIT[1], x - SUMMIT[0]))
    field = 31_240 + 0.09 * (elevation + 2600) + body + random.normal(0, 4, x.size)
    levels = LEVELS.get(code, {})
    free_air = free_air + levels.get("free_air", 0.0)
    field = field + levels.get("field", 0.0)
    depth = -elevation + random.normal(0, 1.5, x.size) + levels.get("depth", 0.0)
    if code == SPIKE[0]:
        depth[SPIKE[1]] += SPIKE[2]
    if code == OUTLIER[0]:
        depth[OUTLIER[1]] = OUTLIER[2]
    if code == ASTRAY[0]:
        lat[ASTRAY[1]] += ASTRAY[2]
    nothing = np.full(x.size, np.nan)
    gap = (np.abs(along / legs[-1] - 0.62) < 0.03) & ("m" in what)
    return dict(seconds=along / 4.6, lon=lon, lat=lat, depth=depth,
                gravity=normal + free_air if "g" in what else nothing, free_air=free_air if "g" in what else nothing,
                field=np.where(gap, np.nan, field) if "m" in what else nothing)  # fmt: skip


def _header(code: str, what: str, days: tuple[str, str]) -> list[str]:
    surveyed = "".join("5" if kind in what else "1" for kind in "dmg") + "11"
    cards = {
        1: f"4{code:<8}MGD7700000001    {surveyed}20290420" + "TOLVANE SURVEY OFFICE",
        2: "TOLVANE ISLAND".ljust(18) + "SV PETREL".ljust(21) + "1" + "LAUNCH" + "I. HALVOREN",
        3: "TOLVANE ISLAND SHELF 2029".ljust(58) + "TOLVANE SURVEY OFFICE",
        4: days[0] + "HARROW BAY".ljust(32) + days[1] + "HARROW BAY",
        5: "SATELLITE POSITIONS".ljust(40) + "WGS 84",
        6: "ECHO SOUNDER 12 KHZ",
        7: "PROTON MAGNETOMETER" if "m" in what else "",
        8: "SEA GRAVIMETER" if "g" in what else "",
        10: "A(DATA RECORDS OF 120 CHARACTERS EACH)",
        12: "005BY PING      1500007",
        13: "00505 1500000500088MEAN 31240  TOTAL FIELD LESS 31240 NT" if "m" in what else "",
        14: "005054" + "IAG 1980".ljust(17) + "3" + "IGSN 71" if "g" in what else "",
        24: "MADE-UP SURVEY OF A MADE-UP ISLAND",
    }
    return [f"{cards.get(i, '')[:78]:<78}{i:02d}" for i in range(1, 25)]


def _number(values, scale, width) -> list[str]:
    missing = "9" * width
    return [
        missing if np.isnan(v) else f"{round(v * scale):0{width}d}" if v >= 0 else f"-{round(-v * scale):0{width - 1}d}"
        for v in values
    ]


def crossovers() -> list[tuple[str, str]]:
    """Return which lines cross, a pair a crossover, by testing each segment against each other; those to and from the
    position that is astray are gaps."""
    lines = {code: survey(code) for code, *_ in LINES}
    codes, found = list(lines), []
    for n, one in enumerate(codes):
        for other in codes[n + 1 :]:
            a, b = (np.column_stack([lines[c]["lon"], lines[c]["lat"]]) for c in (one, other))
            u, v = np.diff(a, axis=0)[:, None], np.diff(b, axis=0)[None]
            off = b[None, :-1] - a[:-1, None]
            turn = u[..., 0] * v[..., 1] - u[..., 1] * v[..., 0]
            s = (off[..., 0] * v[..., 1] - off[..., 1] * v[..., 0]) / turn
            t = (off[..., 0] * u[..., 1] - off[..., 1] * u[..., 0]) / turn
            whole = (np.abs(u).max(axis=-1) < ASTRAY[2] / 2) & (np.abs(v).max(axis=-1) < ASTRAY[2] / 2)
            found += [(one, other)] * int((whole & (s >= 0) & (s < 1) & (t >= 0) & (t < 1)).sum())
    return found


def write_marine(folder: Path) -> None:
    home = folder / "boat_lines"
    home.mkdir(exist_ok=True)
    start = np.datetime64("2029-04-02T06:00:00")
    for day, (code, what, _) in enumerate(LINES):
        line = survey(code)
        times = start + np.timedelta64(day * 26, "h") + np.round(line["seconds"]).astype("timedelta64[s]")
        columns = zip(
            _number(line["lat"], 1e5, 8), _number(line["lon"], 1e5, 9), _number(line["depth"], 10, 6),
            _number(line["field"], 10, 6), _number(line["field"] - 31_240, 10, 6), _number(line["gravity"], 10, 7),
            _number(line["free_air"], 10, 5), times.astype("datetime64[s]").tolist(),
        )  # fmt: skip
        records = []
        for lat, lon, depth, field, residual, gravity, free_air, when in columns:
            minutes = f"{round((when.minute + when.second / 60) * 1000):05d}"
            records.append(
                f"5{code:<8}+00{when:%Y%m%d%H}{minutes}{lat}{lon}1{'9' * 6}{depth}991{field}{'9' * 6}{residual}1"
                f"{'9' * 5}{'9' * 6}{gravity}{'9' * 6}{free_air}{'9' * 5}{'9' * 6}9"
            )
        days = tuple(f"{when:%Y%m%d}" for when in (times[0].item(), times[-1].item()))
        text = "\n".join([*_header(code, what, days), *records, ""])
        (home / f"{code.lower()}.mgd77").write_text(text, encoding="ascii")
