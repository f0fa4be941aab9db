"""A relief: its windows of heights and pictures, and the picture of it that an eye has."""

from __future__ import annotations

from collections.abc import Callable, Sequence
from contextlib import ExitStack
from dataclasses import dataclass, replace
from enum import StrEnum
from typing import NamedTuple

import numpy as np
import shapely

from brisk_atlas.core.draw import View
from brisk_atlas.core.draw.bands import in_bands
from brisk_atlas.core.system.shares import CORES, in_pieces

from . import cast_kernels, paint_kernels
from .bodies import ReliefBodies
from .drape_windows import DrapeWindows
from .eye import Eye, GroundSpot
from .light import Lighting
from .points import ReliefPoints
from .rays import SIDE_BY_SIDE, UNDIVIDED, Division, Drape, Ground, Look, Rays
from .space import Space, WindowPlace
from .standing_things import StandingThings
from .window_store import StoredWindow, WindowStore

SIDE = 2048  # samples a side that a window has at most; a power of two
TIERS = SIDE.bit_length() - 1
GROUND_SLOTS, DRAPE_SLOTS = 9, 12  # of which two are free while a window is read
BASE = 1024  # samples a side of the window that covers the whole ground
FINEST_DRAPE = -8  # level; 1/256 of what lies between the finest samples
STRIPES = CORES * 8
FOOTPRINT = 25  # columns of a picture, by which what is seen is outlined
OUTLINE = 48  # points along the longer side, by which all of a ground is brought into sight
SAMPLED = 160  # rays along the longer side of a picture by which windows are chosen
MARGIN = 0.2  # by which a window is wider than what is seen of it


class WindowKind(StrEnum):
    """What a window has."""

    HEIGHTS = "heights"
    DRAPE = "drape"


class Wanted(NamedTuple):
    """A window that a picture lacks."""

    kind: WindowKind
    place: WindowPlace
    side: int = 0


@dataclass(frozen=True, eq=False)
class ReliefPicture:
    """What an eye sees: image (rows, cols, 4) uint8 red, green, blue, 255; depth (rows, cols) float32 metres to the
    ground, inf for none; which (rows, cols) int8 the window that was met. `size` is the columns and rows of the picture
    at rest, which this one may be coarser than. `nearest` and `owner` (rows, cols) say which point of which cloud is
    seen, or which row of which layer that stands, counted after the clouds; -1 for none. `twin` is the same place with
    the drape of side B, where the two are seen side by side."""

    image: np.ndarray
    depth: np.ndarray
    which: np.ndarray
    eye: Eye
    rays: Rays
    size: tuple[int, int]
    nearest: np.ndarray | None = None
    owner: np.ndarray | None = None
    twin: np.ndarray | None = None

    def thing(self, col: float, row: float) -> tuple[int, int] | None:
        """Return which cloud and which of its points is seen at a place of the picture at rest, or which layer that
        stands and which of its rows; None for none."""
        rows, cols = self.depth.shape
        i, j = int(col * cols / self.size[0]), int(row * rows / self.size[1])
        if self.nearest is None or self.owner is None or not (0 <= i < cols and 0 <= j < rows):
            return None
        return (int(self.owner[j, i]), int(self.nearest[j, i])) if self.nearest[j, i] >= 0 else None

    def spot(self, col: float, row: float) -> GroundSpot | None:
        """Return the spot of the ground at a place of the picture at rest, pixels from its upper left corner; None for
        the sky."""
        rows, cols = self.depth.shape
        i, j = int(col * cols / self.size[0]), int(row * rows / self.size[1])
        if not (0 <= i < cols and 0 <= j < rows) or not np.isfinite(self.depth[j, i]):
            return None
        way = (self.eye.direction(i + 0.5, j + 0.5, cols, rows) * float(self.depth[j, i])).tolist()
        return GroundSpot(self.eye.east + way[0], self.eye.north + way[1], self.eye.up + way[2])

    def height_at(self, spot: GroundSpot) -> float:
        """Return the height of a spot that is seen, metres: not exaggerated, and without the bend of the Earth."""
        away = (spot.east - self.eye.east) ** 2 + (spot.north - self.eye.north) ** 2
        return (spot.up + self.rays.bend * away) / self.eye.exaggeration

    def footprint(self) -> np.ndarray:
        """Return (n, 2) metres east and north, the corners of about what is seen of the ground; none for the sky."""
        rows, cols = self.depth.shape
        columns = np.linspace(0, cols - 1, FOOTPRINT).round().astype(int)
        seen = np.isfinite(self.depth[:, columns])
        there = np.flatnonzero(seen.any(axis=0))
        lowest = rows - 1 - np.argmax(seen[::-1, there], axis=0)
        highest = np.argmax(seen[:, there], axis=0)
        i = np.concatenate([columns[there], columns[there][::-1]])
        j = np.concatenate([lowest, highest[::-1]])
        ways = _directions(self.eye, i + 0.5, j + 0.5, cols, rows) * self.depth[j, i].astype(float)[:, None]
        found = ways[:, :2] + (self.eye.east, self.eye.north)
        if (self.which >= 0).any() or len(found) < 3:
            return found
        # points by themselves: single ones high above the others would make spikes of an outline by columns
        hull = shapely.get_coordinates(shapely.convex_hull(shapely.multipoints(found)))
        return hull[:-1] if len(hull) > 3 else found


class ReliefScene:
    """Draws a ground whose heights and pictures are read window by window, each as fine as is seen.

    `heights` returns (rows, cols) float32 metres, NaN without data, under the pixels of a view; `drape` (rows, cols, 4)
    uint8 red, green, blue and how much of a picture there is. Both may take their time; drawing never waits for them.
    """

    def __init__(
        self,
        space: Space,
        heights: Callable[[View], np.ndarray],
        drape: Callable[[View], np.ndarray],
        lighting: Lighting,
        exaggeration: float = 1.5,
    ) -> None:
        self.space, self.heights = space, heights
        self.lighting, self._exaggeration = lighting, exaggeration
        self.clouds: tuple[ReliefPoints, ...] = ()
        self.bodies: tuple[ReliefBodies, ...] = ()
        self.base = space.base_level(BASE)
        self._offsets = np.cumsum([0, *((SIDE >> tier) ** 2 for tier in range(TIERS + 1))]).astype(np.int64)
        self._heights = np.empty((GROUND_SLOTS, SIDE, SIDE), np.float32)  # memory is taken as it is written to
        self._mips = np.empty((GROUND_SLOTS, int(self._offsets[-1])), np.float32)
        self._shades = np.empty((GROUND_SLOTS, SIDE, SIDE), np.uint8)
        self._ground_store = WindowStore(GROUND_SLOTS)
        self._drapes = [DrapeWindows(DRAPE_SLOTS, SIDE, drape)]  # of side A, and of B while two are compared
        self._has_ground = False
        self.range = (0.0, 0.0)  # the lowest and the highest of the coarsest window
        self.outline = np.zeros((1, 3))  # some points of the ground, metres, heights as they are
        self._base_shadows: dict[int, np.ndarray] = {}  # by light, how high its shadow lies over the whole ground

    # Windows

    def load(self, wanted: Wanted) -> None:
        """Read a window. Raises what reading raises."""
        view = self.space.view(wanted.place)
        if wanted.kind is WindowKind.DRAPE:
            if wanted.side < len(self._drapes):
                self._drapes[wanted.side].load(wanted.place, view, self.base)
        else:
            self._load_heights(wanted.place, self.heights(view))

    def load_base(self) -> None:
        """Read the coarsest window of heights, which covers the whole ground."""
        self.load(Wanted(WindowKind.HEIGHTS, self.space.whole(self.base)))
        with self._ground_store.reading() as windows:
            whole = next(each for each in windows if each.place.level == self.base)
            heights = self._heights[whole.slot, : whole.place.rows, : whole.place.cols]
            known = np.isfinite(heights)
            self._has_ground = bool(known.any())
            if self._has_ground:
                self.range = float(heights[known].min()), float(heights[known].max())
                self.outline = self._outline_of(whole.place, heights, known)

    def _outline_of(self, place: WindowPlace, heights: np.ndarray, known: np.ndarray) -> np.ndarray:
        x, y, per_x, per_y = self.space.placed(place)
        every = max(1, max(place.cols, place.rows) // OUTLINE)
        j, i = np.nonzero(known[::every, ::every])
        j, i = j * every, i * every
        return np.stack([x + i / per_x, y + j / per_y, heights[j, i]], axis=1)

    def _load_heights(self, place: WindowPlace, values: np.ndarray) -> None:
        with self._ground_store.filling(place, self.base) as slot:
            heights = self._heights[slot]
            heights[: place.rows, : place.cols] = values
            cast_kernels.fill_mips(heights, place.cols, place.rows, self._mips[slot], self._offsets)
            self._shade(StoredWindow(place, slot))

    def _shade(self, window: StoredWindow) -> None:
        place, slot = window
        dx, dy = self.space.step(place.level)
        paint_kernels.fill_shades(
            self._heights[slot], place.cols, place.rows, dx, dy, self._exaggeration, self.lighting.as_rows,
            self.lighting.ambience, self._lit_in(window, dx, dy), self._shades[slot],
        )  # fmt: skip

    def _lit_in(self, window: StoredWindow, dx: float, dy: float) -> np.ndarray:
        """Return (lights, side, side) uint8, how much of each light reaches the samples of a window; without shadows
        (lights, 0, 0)."""
        lights = self.lighting.lights
        if not any(light.shadows for light in lights):
            return np.empty((len(lights), 0, 0), np.uint8)
        place, slot = window
        lit = np.full((len(lights), place.rows, place.cols), 255, np.uint8)
        for number, light in enumerate(lights):
            if light.shadows:
                edge = np.full((place.rows, place.cols), np.nan, np.float32)
                outside = self._shadow_outside(place, number)
                paint_kernels.fill_shadows(
                    self._heights[slot], place.cols, place.rows, dx, dy, self._exaggeration, light.towards, outside,
                    edge, lit[number],
                )  # fmt: skip
                if place.level == self.base:
                    self._base_shadows[number] = edge
        return lit

    def _shadow_outside(self, place: WindowPlace, number: int) -> np.ndarray:
        """Return (rows, cols) float32 how high the shadow of a light lies by the coarsest window; (0, 0) for itself."""
        base = self._base_shadows.get(number)
        if place.level == self.base or base is None:
            return np.empty((0, 0), np.float32)
        step = 2.0 ** (place.level - self.base)
        col = np.clip(((place.col + np.arange(place.cols) + 0.5) * step).astype(int), 0, base.shape[1] - 1)
        row = np.clip(((place.row + np.arange(place.rows) + 0.5) * step).astype(int), 0, base.shape[0] - 1)
        return np.ascontiguousarray(base[np.ix_(row, col)])

    def drape(self, view: View) -> np.ndarray:
        """Return (rows, cols, 4) uint8 of what lies over the ground under a view's pixels: of side A of two."""
        return self._drapes[0].draw(view)

    def show_clouds(self, clouds: Sequence[ReliefPoints]) -> None:
        """Have clouds stand in the relief. Without a ground, they are what is brought into sight as a whole."""
        self.clouds = tuple(clouds)
        if clouds and not self._has_ground:
            self.outline = np.concatenate([cloud.outline for cloud in clouds])

    def ground_up(self, east: float, north: float, exaggeration: float) -> float | None:
        """Return how high the ground is drawn at a place, by the finest window that has it; None for no ground."""
        with self._ground_store.reading() as windows:
            for place, slot in windows:
                x, y, per_x, per_y = self.space.placed(place)
                u, v = (east - x) * per_x, (north - y) * per_y
                i, j = int(np.floor(u)), int(np.floor(v))
                if 0 <= i < place.cols - 1 and 0 <= j < place.rows - 1:
                    corners = self._heights[slot, j : j + 2, i : i + 2].astype(float)
                    fx, fy = u - i, v - j
                    found = float((corners @ (1 - fx, fx)) @ (1 - fy, fy))
                    if np.isfinite(found):
                        return found * exaggeration
        return None

    def slope_at(self, east: float, north: float) -> float | None:
        """Return how steep the ground is at a place, degrees, heights as they are; None where that is not known.

        Source: the gradient between points a finest sample aside, east and west, north and south.
        """
        dx, dy = self.space.step(0)
        around = [self.ground_up(east + x, north + y, 1.0) for x, y in ((-dx, 0), (dx, 0), (0, -dy), (0, dy))]
        west, east_of, south, north_of = around
        if west is None or east_of is None or south is None or north_of is None:
            return None
        return float(np.degrees(np.arctan(np.hypot((east_of - west) / (2 * dx), (north_of - south) / (2 * dy)))))

    def use_light(self, lighting: Lighting, exaggeration: float) -> None:
        """Light the ground in another way, heights exaggerated by a factor."""
        if (lighting, exaggeration) == (self.lighting, self._exaggeration):
            return
        self.lighting, self._exaggeration = lighting, exaggeration
        self._base_shadows.clear()
        with self._ground_store.reading() as windows:
            for window in reversed(windows):  # the coarsest first, whose shadows fall into the others
                self._shade(window)

    def use_drapes(self, *drapes: Callable[[View], np.ndarray]) -> None:
        """Have other pictures over the ground from now on, of one side or of A and B; those before are shown until they
        are read."""
        found = self._drapes[: len(drapes)]
        for windows, drape in zip(found, drapes):
            windows.use(drape)
        found += [DrapeWindows(DRAPE_SLOTS, SIDE, drape) for drape in drapes[len(found) :]]
        self._drapes = found

    def _ground(self, windows: list[StoredWindow], pixel: float) -> Ground:
        return Ground(self._heights, self._mips, self._offsets, *self._described(windows, pixel))

    def _described(self, windows: list[StoredWindow], pixel: float) -> tuple[np.ndarray, ...]:
        places = [each.place for each in windows]
        return (
            np.array([each.slot for each in windows], np.int64),
            np.array([(place.cols, place.rows) for place in places], np.int64).reshape(-1, 2),
            np.array([self.space.placed(place) for place in places], float).reshape(-1, 4),
            np.array([self.space.far(place.level, pixel) for place in places], float),
        )

    # Pictures

    def fine_picture(
        self, eye: Eye, size: tuple[int, int], look: Look, division: Division = UNDIVIDED
    ) -> ReliefPicture:
        """Return what an eye sees, drawn at twice the size and averaged, so that edges are smooth."""
        found = self.picture(eye, size, look, coarser=0.5, division=division)
        depth, which = (np.ascontiguousarray(each[::2, ::2]) for each in (found.depth, found.which))
        nearest, owner = (each[::2, ::2] if each is not None else None for each in (found.nearest, found.owner))
        return replace(
            found, image=_halved(found.image), twin=_halved(found.twin) if found.twin is not None else None,
            depth=depth, which=which, rays=eye.rays(self.space, *size), nearest=nearest, owner=owner,
        )  # fmt: skip

    def picture(
        self, eye: Eye, size: tuple[int, int], look: Look, *, coarser: float = 1.0, division: Division = UNDIVIDED
    ) -> ReliefPicture:
        """Return what an eye sees in a picture of so many columns and rows, or of so many times fewer."""
        cols, rows = (max(8, round(side / coarser)) for side in size)
        rays, look = eye.rays(self.space, cols, rows), look._replace(pen=max(1, round(1 / coarser)))
        pixel = eye.pixel(rows)
        depth, which = np.empty((rows, cols), np.float32), np.empty((rows, cols), np.int8)
        beside = division.way == SIDE_BY_SIDE
        image = np.empty((rows, cols, 4), np.uint8)
        twin = np.empty_like(image) if beside else None
        drapes = list(self._drapes)
        with ExitStack() as reading:
            ground = self._ground(reading.enter_context(self._ground_store.reading()), pixel)
            seen = [Drape(each.pixels, *self._described(reading.enter_context(each.store.reading()), pixel))
                    for each in drapes]  # fmt: skip
            in_pieces(cols, STRIPES, lambda a, b: cast_kernels.cast_columns(ground, rays, depth, which, a, b))

            def paint(into: np.ndarray, drape: Drape, shared: Division) -> None:
                in_bands(
                    rows,
                    lambda a, b: paint_kernels.paint_rows(
                        ground, self._shades, drape, seen[-1], shared, look, rays, depth, which, into, a, b
                    ),
                )

            paint(image, seen[0], division if len(seen) > 1 and not beside else UNDIVIDED)
            if twin is not None:
                paint(twin, seen[-1], UNDIVIDED)
        things = StandingThings(self.clouds, self.bodies, self.lighting, coarser)
        if not things and look.solid >= 1.0:
            return ReliefPicture(image, depth, which, eye, rays, size, twin=twin)
        if twin is not None:
            things.draw(rays, look, depth.copy(), twin)
        nearest, owner = things.draw(rays, look, depth, image)
        return ReliefPicture(image, depth, which, eye, rays, size, nearest, owner, twin)

    def missing(self, picture: ReliefPicture) -> list[Wanted]:
        """Return the windows that a picture at rest would need but has not, the coarsest first; once it has all, others
        are dropped."""
        rows, cols = picture.depth.shape
        every = max(1, max(rows, cols) // SAMPLED)
        j, i = np.mgrid[every // 2 : rows : every, every // 2 : cols : every]
        far = picture.depth[j, i].astype(float)
        seen = np.isfinite(far) & (picture.which[j, i] >= 0)
        if not seen.any():
            return []
        far, way = far[seen], _directions(picture.eye, i[seen] + 0.5, j[seen] + 0.5, cols, rows)
        spots = np.array([picture.eye.east, picture.eye.north]) + far[:, None] * way[:, :2]
        pixel = picture.eye.pixel(picture.size[1])
        slanted = far / np.sqrt(np.maximum(-way[:, 2], paint_kernels.STEEPEST))
        around = np.maximum(far * pixel * every * cols / picture.size[0], 0.0)[:, None]
        ground = self._wanted(spots, far, around, pixel, 0, GROUND_SLOTS)
        drape = self._wanted(spots, slanted, around, pixel, FINEST_DRAPE, DRAPE_SLOTS)
        found = [Wanted(WindowKind.HEIGHTS, place) for need, place in ground if not _has(self._ground_store, need)]
        drapes = list(self._drapes)
        for side, windows in enumerate(drapes):
            found += [Wanted(WindowKind.DRAPE, place, side) for need, place in drape if not _has(windows.store, need)]
        if not found:
            self._ground_store.drop_others({self.base, *(need.level for need, _ in ground)})
            for windows in drapes:
                windows.store.drop_others({self.base, *(need.level for need, _ in drape)})
        return sorted(found, key=lambda each: -each.place.level)

    def _wanted(
        self, spots: np.ndarray, far: np.ndarray, around: np.ndarray, pixel: float, finest: int, slots: int
    ) -> list[tuple[WindowPlace, WindowPlace]]:
        """Return of each level that is seen the window that is needed, and a wider one to be read."""
        levels = np.minimum(self.space.levels_for(far, pixel), self.base)
        # an eye close to the ground sees more levels than there is room for
        levels = np.maximum(levels, max(finest, int(levels.max()) - slots + 4))
        found = []
        for level in np.unique(levels).tolist():
            if level == self.base:
                found.append((self.space.whole(level), self.space.whole(level)))
                continue
            own = levels == level
            low, high = (spots[own] - around[own]).min(axis=0), (spots[own] + around[own]).max(axis=0)
            box = (float(low[0]), float(low[1]), float(high[0]), float(high[1]))
            need, wide = (self.space.window_of(level, box, margin, SIDE) for margin in (0.0, MARGIN))
            found.append((need, wide))
        return found


def no_picture(view: View) -> np.ndarray:
    """Return (rows, cols, 4) uint8 without a picture, for a ground over which nothing is draped yet."""
    return np.zeros((view.height, view.width, 4), np.uint8)


def _halved(image: np.ndarray) -> np.ndarray:
    """Return a picture of half the size, of which each pixel is the mean of four."""
    out = np.empty((image.shape[0] // 2, image.shape[1] // 2, 4), np.uint8)
    in_bands(len(out), lambda a, b: paint_kernels.halve(image, out, a, b))
    return out


def _has(store: WindowStore, place: WindowPlace) -> bool:
    there = store.at(place.level)
    return there is not None and there.contains(place)


def _directions(eye: Eye, col: np.ndarray, row: np.ndarray, cols: int, rows: int) -> np.ndarray:
    """Return (n, 3) unit vectors of the rays through places of a picture."""
    tan_y = np.tan(np.radians(eye.field) / 2)
    px, py = tan_y * cols / rows * (2 * col / cols - 1), tan_y * (1 - 2 * row / rows)
    found = np.array(eye.ahead) + px[:, None] * np.array(eye.right) + py[:, None] * np.array(eye.upward)
    return found / np.linalg.norm(found, axis=1, keepdims=True)
