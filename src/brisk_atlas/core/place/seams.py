"""Features in another CRS: long edges followed, and what crosses the edge of its map cut there.

Paths are clipped in degrees of longitude and latitude, unrolled so that a path runs on across 180 degrees, by half
planes, as in I. E. Sutherland and G. W. Hodgman (1974), "Reentrant polygon clipping", Comm. ACM 17(1); the outline
of a polygon that was cut leaves the cut out.
"""

from __future__ import annotations

from collections.abc import Callable
from dataclasses import dataclass, replace
from math import sqrt

import numpy as np

from brisk_atlas.core.model.shapes import AREA, LINE, POINT, POLYGON, Shapes, bounds_of

from .crs import METRES_PER_DEGREE, is_geographic, metres_per_unit, same_crs, transform
from .domain import Domain, angle_from, domain_of

TOLERANCE_M = 0.05  # of a followed edge: a tenth of a pixel at two pixels a metre
SHORT_M = 700.0  # an edge up to this length leaves the straight by less, where the map is stretched too
ADDED = 1_500_000  # vertices that following edges may add
ROUNDS = 12  # of halving an edge
AROUND_POLE_DEG = 1e-7
CIRCLE_STEP_DEG = 1.0
SMALL_M = 100_000.0  # across: a feature whose middle says where it lies


@dataclass(frozen=True, eq=False)
class Paths:
    """Runs of vertices on their way: xyz (n, 3) with z NaN where there is none, starts (paths + 1,), kinds (paths,)
    and the feature of each path. Rings end where they began."""

    xyz: np.ndarray
    starts: np.ndarray
    kinds: np.ndarray
    features: np.ndarray

    @property
    def of_vertex(self) -> np.ndarray:
        """Return the path of each vertex."""
        return np.repeat(np.arange(len(self.kinds)), np.diff(self.starts))

    def only(self, wanted: np.ndarray) -> Paths:
        """Return the paths where (paths,) bool is set."""
        sizes = np.diff(self.starts)
        starts = np.concatenate([[0], np.cumsum(sizes[wanted])]).astype(np.int64)
        return Paths(self.xyz[np.repeat(wanted, sizes)], starts, self.kinds[wanted], self.features[wanted])

    def shifted(self, by: float) -> Paths:
        """Return the paths moved by some degrees of longitude."""
        return replace(self, xyz=self.xyz + np.array([by, 0.0, 0.0]))

    @classmethod
    def joined(cls, some: list[Paths]) -> Paths:
        """Return several runs of paths as one."""
        sizes = np.concatenate([np.diff(p.starts) for p in some])
        return cls(
            np.concatenate([p.xyz for p in some]),
            np.concatenate([[0], np.cumsum(sizes)]).astype(np.int64),
            np.concatenate([p.kinds for p in some]),
            np.concatenate([p.features for p in some]),
        )


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
    paths = _paths_of(shapes)
    theirs = cut[paths.features]
    whole, parted = paths.only(~theirs), paths.only(theirs)
    pieces = [_cut(parted, source, target, domain, tolerance_m)]
    if len(whole.kinds):
        pieces.append(_followed(whole, lambda xy: transform(xy, source, target), source, target, tolerance_m))
    return _shapes_of(Paths.joined(pieces), len(shapes), has_z=shapes.z is not None)


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


def _paths_of(shapes: Shapes) -> Paths:
    z = np.full(len(shapes.xy), np.nan) if shapes.z is None else shapes.z
    features = np.repeat(np.arange(len(shapes)), np.diff(shapes.feature_starts))
    return Paths(np.column_stack([shapes.xy, z]), shapes.path_starts, shapes.path_kinds, features)


def _shapes_of(paths: Paths, count: int, *, has_z: bool) -> Shapes:
    """Return paths, put in the order of their features, as shapes."""
    order = np.argsort(paths.features, kind="stable")
    sizes = np.diff(paths.starts)[order]
    starts = np.concatenate([[0], np.cumsum(sizes)]).astype(np.int64)
    take = np.repeat(paths.starts[:-1][order] - starts[:-1], sizes) + np.arange(starts[-1])
    xyz = paths.xyz[take]
    feature_starts = np.searchsorted(paths.features[order], np.arange(count + 1)).astype(np.int64)
    xy, z = np.ascontiguousarray(xyz[:, :2]), np.ascontiguousarray(xyz[:, 2]) if has_z else None
    return Shapes(xy, z, starts, paths.kinds[order], feature_starts, bounds_of(xy, starts, feature_starts))


def _followed_whole(shapes: Shapes, source: str, target: str | None, tolerance_m: float) -> Shapes:
    """Return shapes in another CRS none of which is cut; as they are, moved, where no edge is long."""
    if not _long_edges(shapes.xy, shapes.path_starts, source, tolerance_m).any():
        return shapes.moved(transform(shapes.xy, source, target))
    followed = _followed(_paths_of(shapes), lambda xy: transform(xy, source, target), source, target, tolerance_m)
    return _shapes_of(followed, len(shapes), has_z=shapes.z is not None)


def _long_edges(xy: np.ndarray, starts: np.ndarray, crs: str, tolerance_m: float) -> np.ndarray:
    """Return (vertices,) bool: whether the edge from a vertex to the next of its path is long enough to bend."""
    per_unit = METRES_PER_DEGREE if is_geographic(crs) else metres_per_unit(crs)
    short = SHORT_M * sqrt(tolerance_m / TOLERANCE_M) / per_unit
    long = np.zeros(len(xy), bool)
    if len(xy) > 1:
        with np.errstate(invalid="ignore"):
            long[:-1] = np.abs(np.diff(xy, axis=0)).max(axis=1) > short
        long[starts[1:-1] - 1] = False
    return long


def _followed(
    paths: Paths,
    place: Callable[[np.ndarray], np.ndarray],
    source: str,
    target: str | None,
    tolerance_m: float,
    budget: int = ADDED,
) -> Paths:
    """Return paths placed in another CRS, with vertices added where a long edge is not straight there."""
    per_metre = 1.0 / (METRES_PER_DEGREE if target is None or is_geographic(target) else metres_per_unit(target))
    there = place(paths.xyz[:, :2])
    z = paths.xyz[:, 2]
    edges = np.flatnonzero(_long_edges(paths.xyz[:, :2], paths.starts, source, tolerance_m))
    if not edges.size:
        return replace(paths, xyz=np.column_stack([there, z]))
    # An edge in question: where it begins and ends as shares of the whole one, and both ends in both CRS.
    of, low, high = edges, np.zeros(len(edges)), np.ones(len(edges))
    first, last = there[edges], there[edges + 1]
    added: list[tuple[np.ndarray, np.ndarray, np.ndarray]] = []
    for _ in range(ROUNDS):
        middle = (low + high) / 2
        here = paths.xyz[of, :2] + (paths.xyz[of + 1, :2] - paths.xyz[of, :2]) * middle[:, None]
        spot = place(here)
        with np.errstate(invalid="ignore"):
            bent = np.abs(spot - (first + last) / 2).max(axis=1) > tolerance_m * per_metre
        budget -= int(bent.sum())
        if not bent.any() or budget < 0:
            break
        of, low, middle, high = of[bent], low[bent], middle[bent], high[bent]
        first, spot, last = first[bent], spot[bent], last[bent]
        added.append((of, middle, spot))
        of = np.concatenate([of, of])
        low, high = np.concatenate([low, middle]), np.concatenate([middle, high])
        first, last = np.concatenate([first, spot]), np.concatenate([spot, last])
    if not added:
        return replace(paths, xyz=np.column_stack([there, z]))
    of, share = np.concatenate([a[0] for a in added]), np.concatenate([a[1] for a in added])
    more = np.concatenate([a[2] for a in added])
    order = np.lexsort((share, of))
    of, share, more = of[order], share[order], more[order]
    heights = z[of] + (z[of + 1] - z[of]) * share
    xyz = np.insert(np.column_stack([there, z]), of + 1, np.column_stack([more, heights]), axis=0)
    return replace(paths, xyz=xyz, starts=paths.starts + np.searchsorted(of, paths.starts, side="left"))


def _cut(paths: Paths, source: str, target: str | None, domain: Domain, tolerance_m: float) -> Paths:
    """Return paths in the target CRS, clipped to what it shows."""
    degrees = domain.geographic
    if not same_crs(source, degrees):
        paths = _followed(paths, lambda xy: transform(xy, source, degrees), source, degrees, tolerance_m)
    paths = paths.only(_known(paths))
    paths = _unrolled(paths, planar=is_geographic(source))
    points, lines = paths.only(paths.kinds == POINT), paths.only(paths.kinds == LINE)
    rings = paths.only(np.isin(paths.kinds, (POLYGON, AREA)))
    outlines = _without_cuts(replace(rings, kinds=np.full_like(rings.kinds, LINE)), geographic=is_geographic(source))
    areas = replace(_closed_at_poles(rings), kinds=np.full_like(rings.kinds, AREA))
    all_lines = Paths.joined([lines, outlines])
    clip = _in_disc if domain.is_disc else _in_window
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

    return _followed(whole, place, degrees, target, tolerance_m)


def _known(paths: Paths) -> np.ndarray:
    """Return (paths,) bool: which have a place for each vertex, and any vertex."""
    sizes = np.diff(paths.starts)
    good = np.isfinite(paths.xyz[:, :2]).all(axis=1)
    bad = np.bincount(paths.of_vertex[~good], minlength=len(sizes)) > 0
    return np.asarray((sizes > 0) & ~bad)


def _unrolled(paths: Paths, *, planar: bool) -> Paths:
    """Return paths whose longitudes run on, so that no edge spans more than half the Earth.

    planar : whether edges are as a file of degrees states them, so that a polygon's edge along a parallel stays,
        unless the polygon goes around a pole with it
    """
    lon, lat = paths.xyz[:, 0], paths.xyz[:, 1]
    step = np.zeros(len(lon))
    step[1:] = np.diff(lon)
    step[paths.starts[:-1]] = 0.0
    turns = np.round(step / 360.0)
    if planar:
        flat = np.zeros(len(lon), bool)
        flat[1:] = np.diff(lat) == 0
        winding = np.add.reduceat(step - 360.0 * turns, paths.starts[:-1])
        stays = np.isin(paths.kinds, (POLYGON, AREA)) & (np.abs(winding) < 180.0)
        turns[flat & stays[paths.of_vertex]] = 0.0
    whole = np.cumsum(turns)
    whole -= np.repeat(whole[paths.starts[:-1]], np.diff(paths.starts))
    xyz = paths.xyz.copy()
    xyz[:, 0] -= 360.0 * whole
    return replace(paths, xyz=xyz)


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
    return _broken(outlines, closing)


def _broken(paths: Paths, before: np.ndarray) -> Paths:
    """Return paths that end before some vertices and begin anew there; what has one vertex alone is left out."""
    if not len(paths.xyz):
        return paths
    begins = before.copy()
    begins[paths.starts[:-1]] = True
    starts = np.concatenate([np.flatnonzero(begins), [len(paths.xyz)]]).astype(np.int64)
    of = paths.of_vertex[starts[:-1]]
    parts = Paths(paths.xyz, starts, paths.kinds[of], paths.features[of])
    return parts.only(np.diff(starts) > 1)


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
            here = _clipped(here, here.xyz[:, axis] - low_limit)
            here = _clipped(here, high_limit - here.xyz[:, axis])
        found.append(here)
    return Paths.joined(found)


def _clipped(paths: Paths, inside: np.ndarray) -> Paths:
    """Return the parts of paths where a value of each vertex, linear along edges, is not negative."""
    if not len(paths.kinds) or (inside >= 0).all():
        return paths
    is_in = inside >= 0
    of = paths.of_vertex
    next_in, same = np.zeros(len(is_in), bool), np.zeros(len(is_in), bool)
    next_in[:-1], same[:-1] = is_in[1:], of[1:] == of[:-1]
    crossing = same & (is_in != next_in)
    at = np.flatnonzero(crossing)
    share = inside[at] / (inside[at] - inside[at + 1])
    edge = paths.xyz[at] + (paths.xyz[at + 1] - paths.xyz[at]) * share[:, None]
    counts = is_in.astype(np.int64) + crossing
    place = np.concatenate([[0], np.cumsum(counts)])
    xyz = np.empty((int(place[-1]), 3))
    xyz[place[:-1][is_in]] = paths.xyz[is_in]
    xyz[place[at] + is_in[at]] = edge
    owner = np.repeat(of, counts)
    entering = np.zeros(len(xyz), bool)
    entering[(place[at] + is_in[at])[~is_in[at]]] = True  # where a line comes in
    starts = np.searchsorted(owner, np.arange(len(paths.kinds) + 1)).astype(np.int64)
    out = Paths(xyz, starts, paths.kinds, paths.features)
    lines = out.only((out.kinds == LINE) & (np.diff(starts) > 0))
    rest = out.only((out.kinds != LINE) & (np.diff(starts) > 0))
    if len(lines.kinds):
        lines = _broken(lines, entering[(paths.kinds == LINE)[owner]])
    return Paths.joined([_reclosed(rest), lines])


def _reclosed(paths: Paths) -> Paths:
    """Return rings that end where they begin, after some of their vertices were left out."""
    ends = paths.starts[1:] - 1
    first = paths.xyz[paths.starts[:-1]]
    open_ = np.flatnonzero((paths.kinds == AREA) & (first[:, :2] != paths.xyz[ends, :2]).any(axis=1))
    if not open_.size:
        return paths
    xyz = np.insert(paths.xyz, ends[open_] + 1, first[open_], axis=0)
    grown = np.diff(paths.starts)
    grown[open_] += 1
    return replace(paths, xyz=xyz, starts=np.concatenate([[0], np.cumsum(grown)]).astype(np.int64))


def _in_disc(paths: Paths, domain: Domain) -> Paths:
    """Return what lies within a distance of the centre; areas follow the rim where they leave it."""
    paths = _divided(paths)
    inside = domain.radius - angle_from(paths.xyz[:, :2], domain.centre)
    areas = paths.kinds == AREA
    if not areas.any():
        return _clipped(paths, inside)
    low = np.minimum.reduceat(inside, paths.starts[:-1])
    high = np.maximum.reduceat(inside, paths.starts[:-1])
    found = [paths.only(low >= 0)]
    for i in np.flatnonzero((low < 0) & (high >= 0)).tolist():  # a few: what crosses the rim
        run = slice(paths.starts[i], paths.starts[i + 1])
        ring = _within_rim(paths.xyz[run], inside[run], domain)
        starts = np.array([0, len(ring)], np.int64)
        found.append(Paths(ring, starts, paths.kinds[i : i + 1], paths.features[i : i + 1]))
    antipode = domain.centre[0] + 180.0, -domain.centre[1]
    around = np.concatenate([_holding(paths.only(high >= 0), antipode), _holding(paths.only(high < 0), domain.centre)])
    if around.size:
        found.append(_rims(around, domain))
    return _unrolled(Paths.joined(found), planar=False)


def _within_rim(ring: np.ndarray, inside: np.ndarray, domain: Domain) -> np.ndarray:
    """Return the part of a closed ring (n, 3) in a disc; where it is outside, the rim is followed as it turns there."""
    first = int(np.argmax(inside >= 0))
    ring = np.roll(ring[:-1], -first, axis=0)
    ring, inside = np.vstack([ring, ring[:1]]), np.append(np.roll(inside[:-1], -first), inside[first])
    bearings = _bearings(ring, domain.centre)
    turned = np.concatenate([[0.0], np.cumsum((np.diff(bearings) + 180.0) % 360.0 - 180.0)])
    is_in = inside >= 0
    at = np.flatnonzero(is_in[1:] != is_in[:-1])
    share = (inside[at] / (inside[at] - inside[at + 1]))[:, None]
    edges = ring[at] + (ring[at + 1] - ring[at]) * share
    pieces, begin = [], 0
    for leaves, comes in zip(range(0, len(at), 2), range(1, len(at), 2)):
        pieces += [ring[begin : at[leaves] + 1], edges[leaves : leaves + 1]]
        a, b = _bearings(edges[[leaves, comes]], domain.centre)
        rough = turned[at[comes] + 1] - turned[at[leaves]]
        turn = b - a + 360.0 * round((rough - (b - a)) / 360.0)
        count = int(abs(turn) / CIRCLE_STEP_DEG)
        arc = _at_bearing(a + turn * np.arange(1, count + 1) / (count + 1), domain)
        pieces += [np.column_stack([arc, np.full(count, edges[leaves, 2])]), edges[comes : comes + 1]]
        begin = at[comes] + 1
    return np.concatenate([*pieces, ring[begin:]])


def _divided(paths: Paths) -> Paths:
    """Return paths with no edge longer than a degree, so that a circle cuts them where it should."""
    steps = np.zeros(len(paths.xyz))
    steps[:-1] = np.abs(np.diff(paths.xyz[:, :2], axis=0)).max(axis=1)
    steps[paths.starts[1:] - 1] = 0.0
    parts = np.maximum(np.ceil(steps / CIRCLE_STEP_DEG), 1).astype(np.int64)
    of = np.repeat(np.arange(len(parts)), parts)
    begin = np.concatenate([[0], np.cumsum(parts)])
    share = (np.arange(len(of)) - begin[of]) / parts[of]
    step = np.where((share > 0)[:, None], paths.xyz[np.minimum(of + 1, len(paths.xyz) - 1)] - paths.xyz[of], 0.0)
    return replace(paths, xyz=paths.xyz[of] + step * share[:, None], starts=begin[paths.starts])


def _holding(rings: Paths, place: tuple[float, float]) -> np.ndarray:
    """Return the feature of each ring that holds a place, in degrees (even-odd rule)."""
    lon, lat = place[0], min(max(place[1], -90.0 + AROUND_POLE_DEG), 90.0 - AROUND_POLE_DEG)
    if not len(rings.kinds):
        return rings.features
    low = np.minimum.reduceat(rings.xyz[:, 1], rings.starts[:-1])
    high = np.maximum.reduceat(rings.xyz[:, 1], rings.starts[:-1])
    found = []
    for i in np.flatnonzero((low < lat) & (high > lat)).tolist():
        xy = rings.xyz[rings.starts[i] : rings.starts[i + 1], :2]
        x0, y0, x1, y1 = xy[:-1, 0], xy[:-1, 1], xy[1:, 0], xy[1:, 1]
        across = (y0 > lat) != (y1 > lat)
        meets = x0[across] + (lat - y0[across]) * (x1 - x0)[across] / (y1 - y0)[across]
        turns = range(int(np.floor((xy[:, 0].min() - lon) / 360)), int(np.ceil((xy[:, 0].max() - lon) / 360)) + 1)
        if any(int((meets > lon + 360 * k).sum()) % 2 for k in turns):
            found.append(rings.features[i])
    return np.array(found, np.int64)


def _rims(features: np.ndarray, domain: Domain) -> Paths:
    """Return the rim of the map as an area of each feature."""
    around = _at_bearing(np.linspace(0.0, 360.0, 361), domain)
    ring = np.column_stack([around, np.full(len(around), np.nan)])
    count = len(features)
    starts = np.arange(count + 1, dtype=np.int64) * len(ring)
    return Paths(np.tile(ring, (count, 1)), starts, np.full(count, AREA, np.uint8), features)


def _bearings(places: np.ndarray, centre: tuple[float, float]) -> np.ndarray:
    """Return (n,) directions of places (n, 2 or more) from the centre on the sphere, degrees from north."""
    lon, lat, lat0 = np.radians(places[:, 0] - centre[0]), np.radians(places[:, 1]), np.radians(centre[1])
    north = np.cos(lat0) * np.sin(lat) - np.sin(lat0) * np.cos(lat) * np.cos(lon)
    return np.degrees(np.arctan2(np.sin(lon) * np.cos(lat), north))


def _at_bearing(bearings: np.ndarray, domain: Domain) -> np.ndarray:
    """Return (n, 2) places on the rim of a disc, by their direction from the centre."""
    a, r, lat0 = np.radians(bearings), np.radians(domain.radius), np.radians(domain.centre[1])
    sin_lat = np.clip(np.sin(lat0) * np.cos(r) + np.cos(lat0) * np.sin(r) * np.cos(a), -1.0, 1.0)
    lon = np.arctan2(np.sin(a) * np.sin(r), np.cos(lat0) * np.cos(r) - np.sin(lat0) * np.sin(r) * np.cos(a))
    return np.column_stack([domain.centre[0] + np.degrees(lon), np.degrees(np.arcsin(sin_lat))])
