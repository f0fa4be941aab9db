"""The laser-scan strip flown over Harrow Bay after the eruption (LAZ 1.4)."""

from __future__ import annotations

from datetime import date
from pathlib import Path

import laspy
import numpy as np
from pyproj import CRS as ProjCRS
from shapely import contains_xy, union_all

from .grids import ash_thickness, scene_numbers
from .ground import CRS, EPOCHS, rng, sample
from .terrain import terrain
from .vectors import buildings

COUNT = 300_000
START, ALONG, LENGTH, WIDTH = (509_950.0, 5_769_480.0), 0.25, 1350.0, 520.0
GROUND, HIGH_VEGETATION, BUILDING, NOISE, WATER = 2, 5, 6, 7, 9


def strip() -> laspy.LasData:
    """Return the strip: three flight lines that overlap, returns in the order they were measured."""
    random = rng("laser")
    along = np.sort(random.uniform(0, LENGTH, COUNT))
    across = (np.arange(COUNT) % 521) / 520 * WIDTH + random.normal(0, 0.25, COUNT)
    x = START[0] + along * np.cos(ALONG) - (across - WIDTH / 2) * np.sin(ALONG)
    y = START[1] + along * np.sin(ALONG) + (across - WIDTH / 2) * np.cos(ALONG)
    both = terrain()
    ground = sample(both.after, x, y)
    lava = sample(both.lava[-1].thickness, x, y)
    cls = np.full(COUNT, GROUND, np.uint8)
    z = ground + random.normal(0, 0.05, COUNT)
    z += np.where(lava > 0.5, np.abs(random.normal(0, 0.35, COUNT)), 0)
    wet = ground <= 0
    cls[wet], z[wet] = WATER, random.normal(0.05, 0.08, wet.sum())
    clumps = np.sin(x / 17.0) * np.sin(y / 23.0) + 0.5 * np.sin(x / 7.1 + y / 9.7)
    tree = ~wet & (lava < 0.3) & (ground > 4) & (clumps > 0.45) & (random.uniform(size=COUNT) < 0.75)
    cls[tree], z[tree] = (
        HIGH_VEGETATION,
        z[tree] + 7.5 * np.sqrt(random.uniform(0.1, 1, tree.sum())) * np.clip(clumps[tree], 0.4, 1),
    )
    houses = [row["geometry"] for row in buildings()]
    roof = contains_xy(union_all(houses), x, y) & ~wet
    cls[roof], z[roof] = BUILDING, ground[roof] + 4.2 + random.normal(0, 0.04, roof.sum())
    bad = random.choice(COUNT, 60, replace=False)
    cls[bad], z[bad] = NOISE, z[bad] + random.uniform(60, 180, 60)

    numbers = scene_numbers("after")
    header = laspy.LasHeader(point_format=7, version="1.4")
    header.offsets, header.scales = np.array([510_000.0, 5_769_000.0, 0.0]), np.array([0.01, 0.01, 0.01])
    header.system_identifier, header.generating_software = "Kite laser 2", "Tolvane strip builder 1"
    header.creation_date = date.fromisoformat(EPOCHS["after"])
    header.add_crs(ProjCRS.from_user_input(CRS))
    header.add_extra_dim(laspy.ExtraBytesParams("ash_mm", "uint16", "modelled ash, mm"))
    las = laspy.LasData(header)
    las.x, las.y, las.z = x, y, z
    las.classification = cls
    las.number_of_returns = np.where(cls == HIGH_VEGETATION, 2 + (along * 7 % 2).astype(int), 1).astype(np.uint8)
    las.return_number = np.where(cls == HIGH_VEGETATION, 1, las.number_of_returns).astype(np.uint8)
    bright = {GROUND: 24_000, HIGH_VEGETATION: 34_000, BUILDING: 41_000, NOISE: 3_000, WATER: 5_000}
    intensity = np.vectorize(bright.get)(cls) * np.where(lava > 0.5, 0.35, 1.0)
    las.intensity = (np.clip(intensity * random.normal(1, 0.08, COUNT), 0, 65535) // 256 * 256).astype(np.uint16)
    for name, band in (("red", "B3"), ("green", "B2"), ("blue", "B1")):
        shade = (sample(numbers[band].astype(float), x, y, 30.0) * 2e-5 - 0.1) / 0.22
        shade = np.where(cls == HIGH_VEGETATION, shade * 0.8, np.where(cls == BUILDING, shade + 0.35, shade))
        setattr(las, name, (np.clip(shade, 0, 1) * 255).astype(np.uint16) * 257)
    las.gps_time = 1_466_000_000 - 1_000_000_000 + np.round(along / 62.0, 4)
    las.point_source_id = np.full(COUNT, 31, np.uint16)
    las.scan_angle = np.round((across / WIDTH - 0.5) * 40 / 0.006 / 50).astype(np.int16) * 50
    las["ash_mm"] = np.clip(np.round(ash_thickness(x, y)), 0, 65535).astype(np.uint16)
    return las


def write_laser(folder: Path) -> None:
    strip().write(folder / "harrow_bay_2031.laz")
