"""Features in another CRS: long edges followed, and what crosses the edge of its map cut there.

Paths are clipped in degrees of longitude and latitude, unrolled so that a path runs on across 180 degrees, by half
planes; the outline of a polygon that was cut leaves the cut out.
"""

from __future__ import annotations

from dataclasses import replace

import numpy as np

from brisk_atlas.core.model.shapes import AREA, LINE, POINT, POLYGON, Shapes

from .crs import METRES_PER_DEGREE, is_geographic, metres_per_unit, same_crs, transform
from .disc_clip import in_disc
from .domain import Domain, angle_from, domain_of
from .followed_edges import TOLERANCE_M, followed, long_edges
from .paths import Paths, broken, clipped_paths, paths_of, shapes_of_paths, unrolled

AROUND_POLE_DEG = 1e-7
FARTHEST_DEG = 1080.0  # a longitude, in either direction
SMALL_M = 100_000.0  # across: a feature whose middle says where it lies


def shapes_across(shapes: Shapes, source: str | None, target: str | None, tolerance_m: float = TOLERANCE_M) -> Shapes:
    """Return geometry in another CRS, edges followed to a tolerance, cut where the CRS's map ends.

    An edge is straight in `source`. In degrees, one that spans more than half the Earth goes the other, short way,
    unless it is the edge of a polygon along a parallel. A polygon that was cut is filled by AREA paths and outlined
    by LINE paths. Raises CannotPlace where no transformation is known.
    """
    domain = domain_of(target)
    if is_as_stored(shapes, source, target):
        return shapes
    if domain is None or source is None:
        return shapes.moved(transform(shapes.xy, source, target))
    cut = _needs_cutting(shapes, source, domain)
    if not cut.any():
        return _followed_whole(shapes, source, target, tolerance_m)
    paths = paths_of(shapes)
    theirs = cut[paths.features]
    whole, parted = paths.only(~theirs), paths.only(theirs)
    pieces = [_cut(parted, source, target, domain, tolerance_m)]
    if len(whole.kinds):
        pieces.append(followed(whole, lambda xy: transform(xy, source, target), source, target, tolerance_m))
    return shapes_of_paths(Paths.joined(pieces), len(shapes), has_z=shapes.z is not None)


def is_as_stored(shapes: Shapes, source: str | None, target: str | None) -> bool:
    """Return whether geometry is the same in another CRS: where that is its own, and nothing of it is cut."""
    if not same_crs(source, target):
        return False
    domain = domain_of(target)
    if domain is None or source is None or not is_geographic(source):
        return True  # what is stated in a projection is drawn as it is stated
    return not _needs_cutting(shapes, source, domain).any()


def _needs_cutting(shapes: Shapes, source: str, domain: Domain) -> np.ndarray:
    """Return (features,) bool: which may reach the edge of the map."""
    if not is_geographic(source):
        return _projected_need(shapes, source, domain)
    west, south, east, north = shapes.bounds.T
    turn = np.floor((west - domain.west) / 360.0)
    need = (east - west > 180.0) | (south < domain.south) | (north > domain.north)
    if same_crs(source, domain.geographic) and domain.world == 360.0:  # degrees stay degrees
        return np.asarray(need | (turn != 0) | (east > domain.east))
    margin = 0.0 if same_crs(source, domain.geographic) else 0.01
    closing = (west <= -180.0 + AROUND_POLE_DEG) | (east >= 180.0 - AROUND_POLE_DEG)  # edges that closed a cut
    need |= closing | (south <= -90.0 + AROUND_POLE_DEG) | (north >= 90.0 - AROUND_POLE_DEG)
    if domain.is_disc:
        return np.asarray(need | _leaves_disc(shapes.bounds, domain))
    low, high = west - 360.0 * turn, east - 360.0 * turn
    return np.asarray(need | (low < domain.west + margin) | (high > domain.east - margin))


def _leaves_disc(bounds: np.ndarray, domain: Domain) -> np.ndarray:
    """Return (features,) bool: whose extent in degrees may reach beyond a disc."""
    margin = 1.0
    corners = [angle_from(np.column_stack([bounds[:, i], bounds[:, j]]), domain.centre) for i in (0, 2) for j in (1, 3)]
    far = np.max(corners, axis=0) + (bounds[:, 2] - bounds[:, 0] + bounds[:, 3] - bounds[:, 1]) / 2
    return np.asarray(far > domain.radius - margin)


def _projected_need(shapes: Shapes, source: str, domain: Domain) -> np.ndarray:
    """Return which features of a projected CRS may reach the edge of another's map, from places around each."""
    b = shapes.bounds
    need = np.zeros(len(b), bool)
    known = np.flatnonzero(np.isfinite(b[:, 0]))
    if not known.size:
        return need
    whole = np.concatenate([b[known, :2].min(axis=0), b[known, 2:].max(axis=0)])
    if _inside(whole[None], source, domain)[0]:
        return need
    small = np.maximum(b[known, 2] - b[known, 0], b[known, 3] - b[known, 1]) < SMALL_M / metres_per_unit(source)
    need[known[small]] = ~_far_inside(b[known[small]], source, domain)
    need[known[~small]] = ~_inside(b[known[~small]], source, domain)
    return need


def _far_inside(bounds: np.ndarray, source: str, domain: Domain) -> np.ndarray:
    """Return (n,) bool: which small rectangles lie within a domain with certainty, by their middles."""
    degrees = transform((bounds[:, :2] + bounds[:, 2:]) / 2, source, domain.geographic)
    lon, lat = degrees.T
    off = (lon - (domain.west + domain.east) / 2 + 180) % 360 - 180
    room = 2 * SMALL_M / METRES_PER_DEGREE
    fine = (lat < min(domain.north, 85.0) - room) & (lat > max(domain.south, -85.0) + room)
    if domain.is_disc:
        return np.asarray(fine & (angle_from(degrees, domain.centre) < domain.radius - room))
    across = room / np.cos(np.radians(np.clip(lat, -85.0, 85.0)))
    return np.asarray(fine & (np.abs(off) + across < (domain.east - domain.west) / 2))


def _inside(bounds: np.ndarray, source: str, domain: Domain) -> np.ndarray:
    """Return (n,) bool: whose rectangles lie within a domain with certainty, by a net of places in each."""
    at = np.linspace(0.0, 1.0, 5)
    u, v = (g.ravel() for g in np.meshgrid(at, at))
    x = bounds[:, :1] + (bounds[:, 2:3] - bounds[:, :1]) * u
    y = bounds[:, 1:2] + (bounds[:, 3:] - bounds[:, 1:2]) * v
    degrees = transform(np.column_stack([x.ravel(), y.ravel()]), source, domain.geographic)
    lon, lat = degrees[:, 0].reshape(x.shape), degrees[:, 1].reshape(x.shape)
    middle = (domain.west + domain.east) / 2
    off = (lon - middle + 180) % 360 - 180
    half = (domain.east - domain.west) / 2
    step = np.ptp(lat, axis=1) + 0.01  # what lies between the places of the net may reach this much further
    wide = np.ptp(off, axis=1)
    fine = np.isfinite(off).all(axis=1) & (wide < 150) & (step < 60)
    fine &= (np.abs(off).max(axis=1) + wide / 4 + 0.01 < half) & (lat.max(axis=1) + step / 4 < min(domain.north, 89.0))
    fine &= lat.min(axis=1) - step / 4 > max(domain.south, -89.0)
    if domain.is_disc:
        far = angle_from(degrees, domain.centre).reshape(x.shape).max(axis=1)
        fine = np.isfinite(off).all(axis=1) & (far + step < domain.radius)
        fine &= np.abs(lat).max(axis=1) + step < 89.0
    return np.asarray(fine)


def _followed_whole(shapes: Shapes, source: str, target: str | None, tolerance_m: float) -> Shapes:
    """Return shapes in another CRS none of which is cut; as they are, moved, where no edge is long."""
    if not long_edges(shapes.xy, shapes.path_starts, source, tolerance_m).any():
        return shapes.moved(transform(shapes.xy, source, target))
    paths = followed(paths_of(shapes), lambda xy: transform(xy, source, target), source, target, tolerance_m)
    return shapes_of_paths(paths, len(shapes), has_z=shapes.z is not None)


def _cut(paths: Paths, source: str, target: str | None, domain: Domain, tolerance_m: float) -> Paths:
    """Return paths in the target CRS, clipped to what it shows."""
    degrees = domain.geographic
    if not same_crs(source, degrees):
        paths = followed(paths, lambda xy: transform(xy, source, degrees), source, degrees, tolerance_m)
    paths = paths.only(_known(paths))
    paths = unrolled(paths, planar=is_geographic(source))
    points, lines = paths.only(paths.kinds == POINT), paths.only(paths.kinds == LINE)
    rings = paths.only(np.isin(paths.kinds, (POLYGON, AREA)))
    outlines = _without_cuts(replace(rings, kinds=np.full_like(rings.kinds, LINE)), geographic=is_geographic(source))
    areas = replace(_closed_at_poles(rings), kinds=np.full_like(rings.kinds, AREA))
    all_lines = Paths.joined([lines, outlines])
    clip = in_disc if domain.is_disc else _in_window
    found = [clip(part, domain) for part in (areas, points, all_lines) if len(part.kinds)]
    found = [f for f in found if len(f.kinds)]
    if not found:
        return Paths(np.empty((0, 3)), np.zeros(1, np.int64), np.empty(0, np.uint8), np.empty(0, np.int64))
    whole = Paths.joined(found)
    if same_crs(degrees, target) and domain.world == 360.0:
        return whole

    def place(lonlat: np.ndarray) -> np.ndarray:
        if domain.is_disc:  # where longitudes may have run on around the centre
            lonlat = np.column_stack([(lonlat[:, 0] + 180.0) % 360.0 - 180.0, lonlat[:, 1]])
        return transform(lonlat, degrees, target)

    return followed(whole, place, degrees, target, tolerance_m)


def _known(paths: Paths) -> np.ndarray:
    """Return (paths,) bool: which have a place for each vertex, and any vertex; what is many turns of the Earth away
    has none."""
    sizes = np.diff(paths.starts)
    good = np.isfinite(paths.xyz[:, :2]).all(axis=1) & (np.abs(paths.xyz[:, 0]) <= FARTHEST_DEG)
    bad = np.bincount(paths.of_vertex[~good], minlength=len(sizes)) > 0
    return np.asarray((sizes > 0) & ~bad)


def _closed_at_poles(rings: Paths) -> Paths:
    """Return rings of which those that go around a pole are led to it and back."""
    ends = rings.starts[1:] - 1
    winding = rings.xyz[ends, 0] - rings.xyz[rings.starts[:-1], 0]
    around = np.flatnonzero(np.abs(winding) > 180.0)
    if not around.size:
        return rings
    sums = np.add.reduceat(rings.xyz[:, 1], rings.starts[:-1])
    pole = np.where(sums[around] >= 0, 90.0, -90.0)
    first, last = rings.xyz[rings.starts[around]], rings.xyz[ends[around]]
    more = np.stack([
        np.column_stack([last[:, 0], pole, last[:, 2]]), np.column_stack([first[:, 0], pole, first[:, 2]]), first,
    ], axis=1).reshape(-1, 3)  # fmt: skip
    xyz = np.insert(rings.xyz, np.repeat(ends[around] + 1, 3), more, axis=0)
    grown = np.diff(rings.starts)
    grown[around] += 3
    return replace(rings, xyz=xyz, starts=np.concatenate([[0], np.cumsum(grown)]).astype(np.int64))


def _without_cuts(outlines: Paths, *, geographic: bool) -> Paths:
    """Return outlines without the edges that close a polygon cut at 180 degrees or led to a pole."""
    if not geographic or not len(outlines.xyz):
        return outlines
    lon, lat = outlines.xyz[:, 0], outlines.xyz[:, 1]
    at_seam = np.abs((lon % 360.0) - 180.0) < AROUND_POLE_DEG
    at_pole = np.abs(np.abs(lat) - 90.0) < AROUND_POLE_DEG
    closing = np.zeros(len(lon), bool)  # of the edge that ends at a vertex
    closing[1:] = (at_seam[1:] & at_seam[:-1]) | (at_pole[1:] & at_pole[:-1])
    closing[outlines.starts[:-1]] = False
    if not closing.any():
        return outlines
    return broken(outlines, closing)


def _in_window(paths: Paths, domain: Domain) -> Paths:
    """Return what lies in a window of longitude and latitude, whole turns of the Earth apart."""
    middle = (domain.west + domain.east) / 2
    low = np.minimum.reduceat(paths.xyz[:, 0], paths.starts[:-1])
    high = np.maximum.reduceat(paths.xyz[:, 0], paths.starts[:-1])
    first, last = np.floor((low - middle + 180) / 360), np.floor((high - middle + 180) / 360)
    found = []
    for turn in range(int(first.min()), int(last.max()) + 1):
        here = paths.only((first <= turn) & (turn <= last)).shifted(-360.0 * turn)
        for axis, low_limit, high_limit in ((0, domain.west, domain.east), (1, domain.south, domain.north)):
            here = clipped_paths(here, here.xyz[:, axis] - low_limit)
            here = clipped_paths(here, high_limit - here.xyz[:, axis])
        found.append(here)
    return Paths.joined(found)
