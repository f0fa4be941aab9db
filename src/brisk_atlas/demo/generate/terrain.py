"""The land before the eruption, the lava that ran over it, and the land after."""

from __future__ import annotations

from dataclasses import dataclass
from functools import cache

import numpy as np
from scipy.ndimage import binary_opening, distance_transform_edt, gaussian_filter, label, zoom
from scipy.special import expit

from brisk_atlas.core.system.compiled import njit

from .ground import CELL, HARROW_BAY, NORTH, SUMMIT, WEST, centres, rng, smooth_noise

COARSE = 20.0  # metres; erosion and lava are worked out on this grid
CRATER_RADIUS = 430.0
STEP = 1 / 16  # metres; heights are multiples of it, which also packs well
MIN_LAVA = 0.5  # metres; thinner lava is not mapped


@dataclass(frozen=True)
class Lava:
    """One eruption's lava: `thickness` in metres and `unit` (0 none, 1.. by vent), both at 10 m."""

    year: int
    thickness: np.ndarray
    unit: np.ndarray


@dataclass(frozen=True)
class MadeTerrain:
    """Elevations in metres above mean sea level, (rows, cols) at 10 m, row 0 in the north."""

    before: np.ndarray
    after: np.ndarray
    lava: tuple[Lava, ...]  # oldest first; the last is that of 2031
    collapse: np.ndarray  # metres that the crater rim dropped, 0 elsewhere


@njit(cache=True)
def _erode(height, order, cell, uplift_free_below, strength):
    """One step of stream-power incision (detachment-limited) down the steepest of 8 neighbours."""
    rows, columns = height.shape
    area = np.full(rows * columns, cell * cell)
    cut = np.zeros(rows * columns)
    flat = height.ravel()
    for k in range(order.size - 1, -1, -1):  # from the highest cell down
        i = order[k]
        r, c = i // columns, i % columns
        best, target = 0.0, -1
        for dr in range(-1, 2):
            for dc in range(-1, 2):
                rr, cc = r + dr, c + dc
                if (dr or dc) and 0 <= rr < rows and 0 <= cc < columns:
                    slope = (flat[i] - flat[rr * columns + cc]) / (cell * np.sqrt(dr * dr + dc * dc))
                    if slope > best:
                        best, target = slope, rr * columns + cc
        if target >= 0:
            area[target] += area[i]
            if flat[i] > uplift_free_below:
                drop = strength * np.sqrt(area[i]) * best
                cut[i] = min(drop, 0.6 * (flat[i] - flat[target]))
    return cut


@njit(cache=True)
def _pour(ground, vent_cells, vent_unit, rate, steps, yield_drop):
    """Let lava run as a yield-strength fluid: it leaves a cell only where the surface drop exceeds
    `yield_drop` (metres a cell). Returns thickness and the unit that arrived first."""
    rows, columns = ground.shape
    lava = np.zeros((rows, columns))
    unit = np.zeros((rows, columns), np.uint8)
    for step in range(steps):
        for k in range(vent_cells.shape[0]):
            r, c = vent_cells[k]
            lava[r, c] += rate[k] * (1.0 - 0.6 * step / steps)
            if unit[r, c] == 0:
                unit[r, c] = vent_unit[k]
        new = lava.copy()
        for r in range(1, rows - 1):
            for c in range(1, columns - 1):
                if lava[r, c] <= 0.35:
                    continue
                total = 0.0
                here = ground[r, c] + lava[r, c]
                for dr in range(-1, 2):
                    for dc in range(-1, 2):
                        drop = here - ground[r + dr, c + dc] - lava[r + dr, c + dc] - yield_drop
                        if drop > 0:
                            total += drop
                if total <= 0:
                    continue
                out = min(lava[r, c] - 0.35, 0.22 * total) * 0.5
                new[r, c] -= out
                for dr in range(-1, 2):
                    for dc in range(-1, 2):
                        drop = here - ground[r + dr, c + dc] - lava[r + dr, c + dc] - yield_drop
                        if drop > 0:
                            new[r + dr, c + dc] += out * drop / total
                            if unit[r + dr, c + dc] == 0:
                                unit[r + dr, c + dc] = unit[r, c]
        lava = new
    return lava, unit


def _original_cone() -> np.ndarray:
    """The volcano before rain and sea worked on it, at the coarse grid."""
    random = rng("terrain")
    x, y = centres(COARSE)
    dx, dy = x - SUMMIT[0], y - SUMMIT[1]
    bearing, distance = np.arctan2(dy, dx), np.hypot(dx, dy)
    reach = 3350 + 420 * np.cos(bearing - 2.6) + 260 * np.cos(2 * bearing + 0.7)
    reach += 130 * np.cos(3 * bearing + 1.9) + 70 * np.cos(5 * bearing + 0.3)
    bay = np.arctan2(HARROW_BAY[1] - SUMMIT[1], HARROW_BAY[0] - SUMMIT[0])
    reach -= 330 * np.exp(-((np.angle(np.exp(1j * (bearing - bay))) / 0.16) ** 2))
    reach += 170 * smooth_noise(random, x.shape, 34, octaves=5)
    fall = distance / reach
    height = 1240 * (np.exp(-2.35 * fall) - np.exp(-2.35)) / (1 - np.exp(-2.35))
    height = np.where(fall > 1, -150 * (fall - 1) - 40 * (fall - 1) ** 2, height)
    for east, north, size, rise in (
        (506_350, 5_773_050, 230, 150),
        (507_150, 5_770_250, 190, 120),
        (510_350, 5_773_150, 170, 105),
        (509_450, 5_774_100, 140, 70),
    ):
        away = np.hypot(x - east, y - north)
        height += rise * np.exp(-((away / size) ** 2)) - 0.5 * rise * np.exp(-((away / size * 3) ** 2))
    return height + np.where(height > 5, 9, 2) * smooth_noise(random, x.shape, 22, octaves=5, gain=0.6)


@cache
def _before_coarse() -> np.ndarray:
    height = _original_cone()
    for _ in range(70):
        order = np.argsort(height, axis=None, kind="stable")
        height -= _erode(height, order, COARSE, 1.0, 0.0042).reshape(height.shape)
        height = np.where(height > 1, 0.985 * height + 0.015 * gaussian_filter(height, 1), height)
    x, y = centres(COARSE)
    away = np.hypot(x - SUMMIT[0], (y - SUMMIT[1]) * 1.12)
    wobble = 1 + 0.07 * np.cos(3 * np.arctan2(y - SUMMIT[1], x - SUMMIT[0]) + 0.8)
    ring = away / (CRATER_RADIUS * wobble)
    rim = np.median(height[np.abs(ring - 1) < 0.06])
    floor = rim - 175 + 14 * np.cos(ring * 5)
    bowl = floor + (rim + 12 - floor) * np.clip((ring - 0.42) / 0.58, 0, 1) ** 0.8
    crater = np.where(ring < 1, np.minimum(bowl, rim + 12), height + 20 * np.exp(-(((ring - 1) / 0.12) ** 2)))
    blend = expit((1.03 - ring) / 0.02)
    height = crater * blend + (height + 20 * np.exp(-(((ring - 1) / 0.12) ** 2))) * (1 - blend)
    cliff = np.clip(height / 6, 0, 1)  # the sea has cut a low cliff all round
    return np.where(height > 0, height + 7 * cliff * np.exp(-height / 40), height)


def _fine(coarse: np.ndarray, order: int = 3) -> np.ndarray:
    return zoom(coarse, COARSE / CELL, order=order, mode="nearest", grid_mode=True)


def _at_vents(places) -> np.ndarray:
    return np.array([[int((NORTH - y) / COARSE), int((x - WEST) / COARSE)] for x, y in places])


FISSURE_2031 = [(509_560, 5_771_240), (509_690, 5_771_130), (509_830, 5_771_060), (509_980, 5_770_930)]
ERUPTIONS = {
    1962: dict(vents=[(506_500, 5_772_950)], rate=6.5, steps=760, yield_drop=1.0),
    1994: dict(vents=[(510_330, 5_773_020), (510_420, 5_773_060)], rate=4.2, steps=560, yield_drop=1.1),
    2007: dict(vents=[(507_220, 5_770_160)], rate=6.0, steps=620, yield_drop=1.1),
    2031: dict(vents=FISSURE_2031, rate=8.2, steps=950, yield_drop=1.1),
}


def _erupt(ground, year) -> Lava:
    plan = ERUPTIONS[year]
    count = len(plan["vents"])
    rate = plan["rate"] * np.linspace(0.7, 1.3, count)
    poured, unit = _pour(
        np.ascontiguousarray(ground), _at_vents(plan["vents"]), np.arange(1, count + 1, dtype=np.uint8),
        rate, plan["steps"], plan["yield_drop"],
    )  # fmt: skip
    thickness = np.clip(_fine(gaussian_filter(poured, 0.6), 1), 0, None)
    rough = 1 + 0.10 * smooth_noise(rng(f"lava {year}"), thickness.shape, 6, octaves=3)
    thickness = np.round(thickness * rough / STEP) * STEP
    mapped = binary_opening(thickness >= MIN_LAVA, np.ones((3, 3)))
    pieces, _ = label(mapped)
    large = np.bincount(pieces.ravel()) >= 12
    large[0] = False
    mapped = large[pieces]
    fine_unit = _fine(unit, 0)
    nearest = distance_transform_edt(fine_unit == 0, return_distances=False, return_indices=True)
    fine_unit = fine_unit[tuple(nearest)]  # where smoothing spread the lava, it is that of the nearest vent
    return Lava(year, np.where(mapped, thickness, 0.0), np.where(mapped, fine_unit, 0).astype(np.uint8))


@cache
def terrain() -> MadeTerrain:
    """Return the island before and after 2031; about ten seconds of work, stored for the process."""
    coarse = _before_coarse()
    lavas = []
    for year in (1962, 1994, 2007):  # old flows: part of the land of 2029 already
        lavas.append(_erupt(coarse, year))
        coarse = coarse + 0.8 * lavas[-1].thickness.reshape(450, 2, 512, 2).mean(axis=(1, 3))
    random = rng("detail")
    before = _fine(coarse)
    detail = smooth_noise(random, before.shape, 9, octaves=4, gain=0.6)
    before = before + np.where(before > 3, 0.9, 0.15) * detail * np.clip(np.abs(before) / 40, 0.1, 1)
    before = np.round(before / STEP) * STEP

    x, y = centres()
    bearing = np.arctan2(y - SUMMIT[1], x - SUMMIT[0])
    away = np.hypot(x - SUMMIT[0], y - SUMMIT[1])
    sector = np.exp(-((np.angle(np.exp(1j * (bearing - 0.75))) / 0.42) ** 4))
    ring = np.exp(-(((away - CRATER_RADIUS) / 95) ** 4))
    ragged = 1 + 0.18 * smooth_noise(random, x.shape, 14, octaves=3)
    collapse = np.round(np.where(sector * ring > 0.08, 74 * sector * ring * ragged, 0) / STEP) * STEP

    lavas.append(_erupt(coarse, 2031))
    collapse = np.where(lavas[-1].thickness > 0, 0.0, np.clip(collapse, 0, None))
    return MadeTerrain(before, before - collapse + lavas[-1].thickness, tuple(lavas), collapse)


def land(height: np.ndarray) -> np.ndarray:
    """Return where the island is: the largest connected part above the sea."""
    pieces, _ = label(height > 0)
    return pieces == 1 + np.argmax(np.bincount(pieces.ravel())[1:])
