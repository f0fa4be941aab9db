"""Measuring with the hand: distances, bearings, areas, and the surface along a line."""

from __future__ import annotations

from dataclasses import dataclass

import numpy as np

from brisk_atlas.core.cache import DataCache
from brisk_atlas.core.model import Layer
from brisk_atlas.core.model.language import tr
from brisk_atlas.core.model.length_units import area_text, length_text
from brisk_atlas.core.model.style import shown_band
from brisk_atlas.core.place import transform, unit_of
from brisk_atlas.core.place.geodesy import Leg, has_plane, legs, plane_area, ring_area

from .cell import along
from .statistics import LINE_STEPS

FEWEST_STEPS = 2


@dataclass(frozen=True, eq=False)
class Surface:
    """Heights along a line. `distance` (n,) m on the ellipsoid from its begin; `height` (n,) in `unit`,
    NaN where the grid has none. `length` is along the surface, m, over the steps with heights at both
    ends; `covered` the share of the line that has them."""

    grid: str
    distance: np.ndarray
    height: np.ndarray
    unit: str
    length: float
    covered: float

    @property
    def climb(self) -> tuple[float, float]:
        """Return how far it goes up and down, in `unit`."""
        step = np.diff(self.height[np.isfinite(self.height)])
        return float(step[step > 0].sum()), float(-step[step < 0].sum())


@dataclass(frozen=True, eq=False)
class Measured:
    """What was measured along (n, 2) positions; areas where there are three or more."""

    xy: np.ndarray
    crs: str | None
    legs: tuple[Leg, ...]
    area_ellipsoid: float | None = None
    area_plane: float | None = None
    surface: Surface | None = None

    @property
    def on_ellipsoid(self) -> float:
        """The length in m, or the area in m², on the ellipsoid."""
        return float(sum(leg.on_ellipsoid for leg in self.legs))

    @property
    def in_plane(self) -> float:
        """The length, or the area, in the plane of the CRS, in its units."""
        return float(sum(leg.in_plane for leg in self.legs))

    @property
    def lines(self) -> tuple[tuple[str, str], ...]:
        """Return what was measured as (label, text), each kind named."""
        unit = unit_of(self.crs)
        found = []
        if self.crs is not None:
            found.append((tr("distance, ellipsoid"), length_text(self.on_ellipsoid)))
        if has_plane(self.crs):
            found.append((tr("distance, plane"), length_text(self.in_plane, unit)))
        if self.legs:
            last = self.legs[-1]
            which = tr("last bearing") if len(self.legs) > 1 else "bearing"
            if np.isfinite(last.azimuth):
                found.append((tr("{which}, true", which=which), f"{last.azimuth:.2f}°"))
            if np.isfinite(last.grid_bearing):
                found.append((tr("{which}, grid", which=which), f"{last.grid_bearing:.2f}°"))
            if len(self.legs) > 1:
                found.append(
                    (
                        tr("last leg"),
                        length_text(last.on_ellipsoid if self.crs else last.in_plane, "m" if self.crs else unit),
                    )
                )
        if self.area_ellipsoid is not None:
            found.append((tr("area, ellipsoid"), area_text(self.area_ellipsoid)))
        if self.area_plane is not None:
            found.append((tr("area, plane"), area_text(self.area_plane, unit)))
        if self.surface is not None:
            up, down = self.surface.climb
            u = self.surface.unit
            found.append((tr("over the surface"), length_text(self.surface.length)))
            found.append((tr("up and down"), tr("{up:,.1f} {u} up, {down:,.1f} {u} down", up=up, u=u, down=down)))
            known = self.surface.height[np.isfinite(self.surface.height)]
            found.append(
                (
                    "heights",
                    tr(
                        "{known:,.1f} to {known2:,.1f} {u}, {listed:,.1f} to {listed2:,.1f}",
                        known=known[0],
                        known2=known[-1],
                        u=u,
                        listed=known.min(),
                        listed2=known.max(),
                    ),
                )
            )
            if self.surface.covered < 1:
                found.append(
                    (
                        "",
                        tr(
                            "{covered:.0%} of the line has heights in {grid}",
                            covered=self.surface.covered,
                            grid=self.surface.grid,
                        ),
                    )
                )
        return tuple(found)


def measure(
    cache: DataCache, xy: np.ndarray, crs: str | None, *, closed: bool = False, heights: Layer | None = None
) -> Measured:
    """Return what is measured along positions. `closed` adds the area inside; `heights` is an elevation
    layer that the surface is followed on."""
    ring = closed and len(xy) > 2
    found = tuple(legs(np.vstack([xy, xy[:1]]) if ring else xy, crs)) if len(xy) > 1 else ()
    on_ellipsoid = ring_area(xy, crs) if ring and crs is not None else None
    in_plane = plane_area(xy) if ring and has_plane(crs) else None
    surface = surface_along(cache, xy, crs, heights) if heights is not None and len(xy) > 1 and not ring else None
    return Measured(xy, crs, found, on_ellipsoid, in_plane, surface)


def surface_along(cache: DataCache, xy: np.ndarray, crs: str | None, layer: Layer) -> Surface | None:
    """Return the heights of a grid along positions, one step about a cell long; None where it has none."""
    part = cache.raster(layer.ref)
    facts = part.facts
    assert facts.grid is not None
    band = shown_band(layer.style)
    own = transform(xy, crs, facts.crs)
    if not np.isfinite(own).all():
        return None
    run = np.concatenate([[0.0], np.cumsum(np.hypot(*np.diff(own, axis=0).T))])
    steps = int(min(max(run[-1] / min(facts.grid.resolution), FEWEST_STEPS), 10 * LINE_STEPS)) + 1
    at = np.unique(np.concatenate([np.linspace(0.0, run[-1], steps), run]))
    places = np.column_stack([np.interp(at, run, own[:, 0]), np.interp(at, run, own[:, 1])])
    height = along(part, places, facts.crs, band)
    if np.isfinite(height).sum() < FEWEST_STEPS:
        return None
    between = legs(places, facts.crs)
    flat = np.array([leg.on_ellipsoid if facts.crs else leg.in_plane for leg in between])
    unit = facts.grid.bands[band - 1].unit or unit_of(facts.crs)
    rise = np.diff(height) * _metres(unit)
    known = np.isfinite(rise)
    length = float(np.hypot(flat[known], rise[known]).sum())
    covered = float(flat[known].sum() / flat.sum()) if flat.sum() > 0 else 0.0
    return Surface(layer.name, np.concatenate([[0.0], np.cumsum(flat)]), height, unit, length, covered)


def _metres(unit: str) -> float:
    """Return how many metres a unit of height is; one that is not known counts as a metre."""
    return {"ft": 0.3048, "km": 1000.0, "cm": 0.01}.get(unit, 1.0)


__all__ = ["Measured", "Surface", "measure", "surface_along"]
