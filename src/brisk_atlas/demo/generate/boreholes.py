"""Geothermal boreholes: collars, intervals of rock and age, LAS 2.0 logs, core photos, descriptions."""

from __future__ import annotations

import csv
from functools import cache
from pathlib import Path

import lasio
import numpy as np
from PIL import Image
from scipy.ndimage import gaussian_filter, gaussian_filter1d

from .ground import rng, sample
from .terrain import terrain

HOLES = (("TG-1", (509_050, 5_770_350), 620.0), ("TG-2", (508_350, 5_770_050), 480.0),
         ("TG-3", (507_450, 5_771_150), 540.0), ("TG-4", (510_500, 5_771_700), 410.0),
         ("TG-5", (508_700, 5_772_300), 460.0), ("TG-6", (509_900, 5_770_100), 350.0),
         ("TG-7", (507_900, 5_770_600), 180.0))  # fmt: skip
NO_PHOTOS, NO_WORDS, NO_LOG = ("TG-5", "TG-6", "TG-7"), ("TG-6", "TG-7"), ("TG-7",)
DEVIATED = ("TG-5", 240.0, 120.0, 320.0, 38.0)  # hole, azimuth, where the arc begins and ends, and its inclination
METHODS = {"TG-7": "percussion"}  # the others are cored
DRILLED = {"TG-5": "2031-09-02", "TG-6": "2031-10-11", "TG-7": "2031-11-05"}
ROCKS = {  # name: gamma API, resistivity ohm m, density g/cm3, sonic us/ft, grey, words
    "ash and soil": (38, 25, 1.55, 150, (150, 132, 110), "loose brown ash, roots in the top metre"),
    "basalt flow": (22, 420, 2.78, 58, (74, 76, 80), "dark, fine, vesicles drawn out along the flow"),
    "scoria": (26, 60, 1.95, 118, (112, 62, 52), "red-brown clinker, loose to welded"),
    "lapilli tuff": (52, 38, 2.15, 96, (139, 124, 98), "graded lapilli in pale ash, few lithics"),
    "andesite": (64, 260, 2.66, 62, (104, 102, 104), "grey, feldspar to 4 mm, platy joints"),
    "clay alteration": (78, 6, 2.28, 92, (166, 158, 132), "soft pale clay after lava, pyrite, veins of quartz"),
    "dyke": (20, 700, 2.86, 54, (54, 56, 60), "chilled margins, no vesicles, steep contacts"),
}
STEP = 0.5  # metres between log samples


@cache
def intervals() -> tuple[dict, ...]:
    """Return the logged layers of all holes, top down without gaps; age in thousands of years."""
    rows = []
    for hole, _, depth in HOLES:
        random = rng(f"hole {hole}")
        top, age, previous = 0.0, 0.0, ""
        while top < depth:
            deep = top / depth
            if top == 0:
                rock, thick = "ash and soil", random.uniform(3, 9)
            else:
                odds = {"basalt flow": 1.3 - deep, "scoria": 0.8 - 0.7 * deep, "lapilli tuff": 0.7, "andesite": 0.2 + deep,
                        "clay alteration": max(0.0, 1.6 * deep - 0.6), "dyke": 0.12}  # fmt: skip
                odds.pop(previous, None)
                share = np.clip(list(odds.values()), 0, None)
                rock = str(random.choice(list(odds), p=share / share.sum()))
                thick = random.gamma(3, {"dyke": 1.2, "scoria": 4}.get(rock, 10))
            base = depth if depth - top - thick < 4 else round(top + max(thick, 1.5), 1)
            young = age
            age = round(age + (base - top) * random.uniform(0.15, 0.6) + 0.1, 1)
            rows.append(dict(hole_id=hole, from_m=round(top, 1), to_m=round(base, 1), rock=rock, age_ka_young=young,
                             age_ka_old=age, recovery_percent=int(random.integers(62, 100))))  # fmt: skip
            top, previous = base, rock
    return tuple(rows)


def logs(hole: str) -> dict[str, np.ndarray]:
    """Return the logs of one hole against depth in metres; they follow the layers."""
    depth_end = next(d for h, _, d in HOLES if h == hole)
    random = rng(f"log {hole}")
    depth = np.arange(0, depth_end + STEP / 2, STEP)
    layers = [row for row in intervals() if row["hole_id"] == hole]
    which = np.searchsorted([row["to_m"] for row in layers], depth, side="left").clip(0, len(layers) - 1)
    table = np.array([ROCKS[row["rock"]][:4] for row in layers], float)[which]
    soft = gaussian_filter1d(table, 0.8, axis=0)
    gamma = soft[:, 0] + random.normal(0, 2.2, depth.size)
    resistivity = np.exp(gaussian_filter1d(np.log(table[:, 1]), 0.8) + random.normal(0, 0.08, depth.size))
    density = soft[:, 2] + random.normal(0, 0.018, depth.size)
    sonic = soft[:, 3] + random.normal(0, 1.6, depth.size)
    temperature = 13 + 0.31 * depth + 26 * (1 - np.exp(-depth / 160)) + np.cumsum(random.normal(0, 0.04, depth.size))
    caliper = 8.5 + np.where(table[:, 2] < 2.0, 1.4, 0.2) * np.abs(random.normal(0, 0.5, depth.size))
    gamma[(depth > 0.4 * depth_end) & (depth < 0.4 * depth_end + 6)] = np.nan  # the tool was pulled past
    return dict(DEPT=depth, GR=gamma, RES=resistivity, RHOB=density, DT=sonic, TEMP=temperature, CALI=caliper)


def deviation() -> tuple[dict, ...]:
    """Return the survey of the deviated hole: straight down, along an arc of a circle, straight on."""
    hole, azimuth, begin, end, steepest = DEVIATED
    depth_end = next(d for h, _, d in HOLES if h == hole)
    stations = [*np.arange(0, depth_end, 40.0).tolist(), depth_end]
    return tuple(
        dict(hole_id=hole, depth_m=depth, azimuth_deg=azimuth,
             inclination_deg=round(float(np.clip((depth - begin) / (end - begin), 0, 1)) * steepest, 4))
        for depth in stations
    )  # fmt: skip


def end_of_deviated() -> dict[str, float]:
    """Return where the deviated hole ends from its collar, metres: by the geometry of the circle."""
    hole, azimuth, begin, end, steepest = DEVIATED
    length = next(d for h, _, d in HOLES if h == hole)
    angle = np.radians(steepest)
    radius = (end - begin) / angle
    out = radius * (1 - np.cos(angle)) + (length - end) * np.sin(angle)
    down = begin + radius * np.sin(angle) + (length - end) * np.cos(angle)
    way = np.radians(azimuth)
    return {"east_m": float(out * np.sin(way)), "north_m": float(out * np.cos(way)), "down_m": float(down)}


UNITS = dict(DEPT=("M", "depth below collar"), GR=("GAPI", "natural gamma"), RES=("OHMM", "deep resistivity"),
             RHOB=("G/C3", "bulk density"), DT=("US/F", "sonic travel time"), TEMP=("DEGC", "temperature"),
             CALI=("IN", "caliper"))  # fmt: skip


def _write_log(path: Path, hole: str, place) -> None:
    las = lasio.LASFile()
    las.well.WELL.value, las.well.COMP.value, las.well.FLD.value = hole, "Tolvane Survey Office", "Mount Serrick"
    las.well.LOC.value, las.well.DATE.value, las.well.NULL.value = (
        f"{place[0]} E {place[1]} N, EPSG:32727",
        "2030-02-11",
        -999.25,
    )
    las.params["EREF"] = lasio.HeaderItem(
        "EREF", "M", round(float(sample(terrain().before, *place)), 1), "collar elevation"
    )
    for name, values in logs(hole).items():
        las.append_curve(name, values, unit=UNITS[name][0], descr=UNITS[name][1])
    with path.open("w", encoding="ascii", newline="\n") as out:
        las.write(out, version=2.0, fmt="%.3f", STRT=0.0)


def _photo(path: Path, hole: str, top: float, base: float) -> None:
    """Draw a core box: five rows of core, one below the other, coloured by the logged rock."""
    random = rng(f"photo {hole} {top}")
    rows, width, height = 5, 900, 88
    box = np.full((rows * (height + 14) + 14, width + 40, 3), 186, float)
    layers = [row for row in intervals() if row["hole_id"] == hole]
    for row in range(rows):
        depth = top + (base - top) * (row + np.arange(width) / width) / rows
        which = np.searchsorted([r["to_m"] for r in layers], depth, side="left").clip(0, len(layers) - 1)
        colour = np.array([ROCKS[r["rock"]][4] for r in layers], float)[which]
        grain = gaussian_filter(random.normal(0, 34, (height, width)), 1.1) + gaussian_filter(
            random.normal(0, 90, (height, width)), (2, 7)
        )
        round_ = np.sqrt(1 - np.linspace(-0.96, 0.96, height) ** 2)[:, None]
        core = (colour[None] + grain[..., None]) * (0.42 + 0.62 * round_[..., None])
        for crack in random.integers(0, width, random.integers(5, 12)):
            core[:, crack : crack + 2] *= 0.45
        start = 14 + row * (height + 14)
        box[start : start + height, 20 : 20 + width] = core
    Image.fromarray(np.clip(box, 0, 255).astype(np.uint8)).save(path, quality=82)


def write_boreholes(folder: Path) -> None:
    home = folder / "boreholes"
    (home / "photos").mkdir(parents=True, exist_ok=True)
    collars = []
    for hole, place, depth in HOLES:
        collars.append(dict(hole_id=hole, easting=place[0], northing=place[1], elevation_m=f"{float(sample(terrain().before, *place)):.1f}",
                            depth_m=depth, azimuth_deg=0, dip_deg=-90, drilled=DRILLED.get(hole, "2030-01-20"),
                            method=METHODS.get(hole, "core")))  # fmt: skip
        if hole not in NO_LOG:
            _write_log(home / f"{hole.lower()}.las", hole, place)
        layers = [row for row in intervals() if row["hole_id"] == hole]
        words = [f"{hole}: core description, Tolvane Survey Office", ""]
        words += [
            f"{r['from_m']:7.1f} - {r['to_m']:7.1f} m  {r['rock']}: {ROCKS[r['rock']][5]} (recovery {r['recovery_percent']} %)"
            for r in layers
        ]
        if hole not in NO_WORDS:
            (home / f"{hole.lower()}_description.txt").write_text("\n".join(words) + "\n", encoding="utf-8")
        for top in () if hole in NO_PHOTOS else (round(depth * 0.25), round(depth * 0.7)):
            _photo(home / "photos" / f"{hole.lower()}_{top:03d}-{top + 5:03d}m.jpg", hole, top, top + 5)
    for name, rows in (("collars.csv", collars), ("intervals.csv", intervals()), ("deviation.csv", deviation())):
        with (home / name).open("w", newline="", encoding="utf-8") as out:
            writer = csv.DictWriter(out, rows[0].keys(), lineterminator="\n")
            writer.writeheader()
            writer.writerows(rows)
