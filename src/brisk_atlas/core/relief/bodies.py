"""Features that stand in a relief as themselves: lifted lines and points, raised polygons, walls, boreholes."""

from __future__ import annotations

from collections.abc import Callable
from dataclasses import dataclass, replace

import numpy as np
import shapely

from brisk_atlas.core.cache import DataCache
from brisk_atlas.core.draw.row_looks import RowLooks, row_looks
from brisk_atlas.core.model import AtlasError, Layer
from brisk_atlas.core.model.language import tr
from brisk_atlas.core.model.shapes import POINT, POLYGON, Shapes
from brisk_atlas.core.model.standing import Foot, Standing, StandingWay
from brisk_atlas.core.place import height_unit_of, transform
from brisk_atlas.core.place.length_units import METRES_A_UNIT
from brisk_atlas.core.table import rows_of

from .boreholes import StickLegend, numbers_in, sticks_of
from .rays import Bodies
from .space import Space

MOST_VERTICES = 3_000_000  # of a layer that stands; more are left out, which is reported
ALONG_STEPS = 400  # of the ground's longer side, between vertices of what follows the ground
MOST_PARTS = 10_000  # that an edge is followed in
FAR_APART = 10.0  # times the usual distance: points of another stretch begin another wall
POINT_STEM_PX = 1.5

Heights = Callable[[np.ndarray], np.ndarray]  # (n, 2) metres east and north -> (n,) metres, NaN without ground


@dataclass(frozen=True, eq=False)
class ReliefBodies:
    """What stands in a relief of one layer. `note` says what is not shown of it, and why; `legend` what the colours of
    boreholes mean."""

    layer_id: str
    bodies: Bodies
    note: str = ""
    legend: StickLegend = ()


@dataclass(frozen=True, eq=False)
class _Paths:
    """xyz : (vertices, 3) metres, z NaN without its own; owners : (vertices,) the row of the layer of each; starts :
    (paths + 1,) the first vertices of paths; closed : (paths,) bool, whether they are rings."""

    xyz: np.ndarray
    owners: np.ndarray
    starts: np.ndarray
    closed: np.ndarray

    @property
    def edges(self) -> np.ndarray:
        """(n,) the vertices that have a next one on their path."""
        inner = np.ones(len(self.xyz), bool)
        inner[self.starts[1:] - 1] = False
        return np.flatnonzero(inner)


def bodies_of(cache: DataCache, layer: Layer, space: Space, ground: Heights) -> ReliefBodies:
    """Return what stands of a layer. Raises AtlasError where its fields can't be read or are none of numbers."""
    features = cache.features(layer.ref)
    if len(features.shapes.xy) > MOST_VERTICES:
        raise AtlasError(
            layer.name,
            tr(
                "it has {count:,} vertices, more than {most_vertices:,}",
                count=len(features.shapes.xy),
                most_vertices=MOST_VERTICES,
            ),
            tr("Have it draped, or filter it."),
        )
    looks, standing = row_looks(cache, layer), layer.standing
    shapes = _shapes_in_metres(cache, layer, space)
    heights = _heights(cache, layer, standing)
    match standing.way:
        case StandingWay.RAISED:
            found = _raised(cache, layer, space, ground, looks, heights)
        case StandingWay.WALL:
            paths = _in_order(shapes, looks, space)
            if standing.foot is Foot.GROUND and paths.closed.size and not (shapes.path_kinds == POINT).all():
                paths = _followed(paths, space.longer / ALONG_STEPS)
            found = _walls(paths, standing, _feet(cache, layer), heights, ground, looks)
        case StandingWay.BOREHOLES:
            points = _of_kind(shapes, looks, space, points=True)
            foot = _foot(points, standing, _feet(cache, layer), ground)
            sticks, legend, note = sticks_of(cache, layer, points.xyz[:, :2], foot, points.owners, heights, looks)
            return ReliefBodies(layer.id, sticks, note, legend)
        case StandingWay.LIFTED:
            found = _lifted(shapes, looks, space, standing, _feet(cache, layer), heights, ground)
        case StandingWay.DRAPED:
            found = bodies()
    known = np.isfinite(found.corners).all(axis=(1, 2)), np.isfinite(found.ends).all(axis=(1, 2))
    lost = int(looks.shown.sum()) - len(np.union1d(found.face_rows[known[0]], found.stroke_rows[known[1]]))
    note = tr("{lost:,} of {count:,} have no height here", lost=lost, count=int(looks.shown.sum())) if lost > 0 else ""
    return ReliefBodies(layer.id, bodies(found.corners[known[0]], found.face_inks[known[0]], found.face_rows[known[0]],
                                         found.ends[known[1]], found.stroke_inks[known[1]], found.widths[known[1]],
                                         found.stroke_rows[known[1]]), note)  # fmt: skip


def _shapes_in_metres(cache: DataCache, layer: Layer, space: Space) -> Shapes:
    """Return the geometry of a layer in the CRS of a space, its own heights in metres."""
    shapes, crs = cache.shapes_in(layer.ref, space.crs), cache.features(layer.ref).crs
    factor = METRES_A_UNIT.get(height_unit_of(crs), 1.0)
    return shapes if shapes.z is None or factor == 1.0 else replace(shapes, z=shapes.z * factor)


def no_bodies(layer: Layer, note: str) -> ReliefBodies:
    """Return nothing of a layer that can't stand, and why."""
    return ReliefBodies(layer.id, bodies(), note)


def bodies(
    corners: np.ndarray | None = None, face_inks: np.ndarray | None = None, face_rows: np.ndarray | None = None,
    ends: np.ndarray | None = None, stroke_inks: np.ndarray | None = None, widths: np.ndarray | None = None,
    stroke_rows: np.ndarray | None = None,
) -> Bodies:  # fmt: skip
    """Return faces and strokes in the types that the kernels take; none of those that are left out."""

    def typed(values: np.ndarray | None, shape: tuple[int, ...], kind: type) -> np.ndarray:
        found = np.empty((0, *shape)) if values is None else values
        return np.ascontiguousarray(found, kind).reshape(-1, *shape)

    return Bodies(typed(corners, (3, 3), float), typed(face_inks, (), np.uint32), typed(face_rows, (), np.int32),
                  typed(ends, (2, 3), float), typed(stroke_inks, (), np.uint32), typed(widths, (), np.float32),
                  typed(stroke_rows, (), np.int32))  # fmt: skip


def _heights(cache: DataCache, layer: Layer, standing: Standing) -> np.ndarray:
    """Return (rows,) metres over the foot, NaN where a field has none."""
    table = rows_of(cache, layer)
    if standing.height_by:
        return numbers_in(table, standing.height_by, layer) * standing.factor
    return np.full(table.num_rows, standing.height * (1 if standing.factor >= 0 else -1))


def _feet(cache: DataCache, layer: Layer) -> np.ndarray | None:
    """Return (rows,) metres of the foot by its field, None where another foot is wanted."""
    standing = layer.standing
    if standing.foot is not Foot.FIELD or not standing.foot_by:
        return None
    return numbers_in(rows_of(cache, layer), standing.foot_by, layer)


def _foot(paths: _Paths, standing: Standing, feet: np.ndarray | None, ground: Heights) -> np.ndarray:
    """Return (vertices,) metres from which heights are counted."""
    match standing.foot:
        case Foot.ZERO:
            return np.zeros(len(paths.xyz))
        case Foot.OWN_Z:
            return paths.xyz[:, 2]
        case Foot.FIELD if feet is not None:
            return feet[paths.owners]
        case _:
            return ground(paths.xyz[:, :2])


def _of_kind(shapes: Shapes, looks: RowLooks, space: Space, *, points: bool) -> _Paths:
    """Return the paths of rows that are shown: those of points, or the others."""
    owners = np.repeat(np.arange(len(shapes)), np.diff(shapes.feature_starts))
    lengths = np.diff(shapes.path_starts)
    wanted = ((shapes.path_kinds == POINT) == points) & looks.shown[owners] & (lengths > 0)
    of_vertex = np.repeat(wanted, lengths)
    xy = (shapes.xy[of_vertex] - np.array(space.middle)) * np.array(space.per_unit)
    z = shapes.z[of_vertex] if shapes.z is not None else np.full(len(xy), np.nan)
    starts = np.concatenate([[0], np.cumsum(lengths[wanted])]).astype(np.int64)
    return _Paths(np.column_stack([xy, z]), np.repeat(owners[wanted], lengths[wanted]), starts,
                  shapes.path_kinds[wanted] == POLYGON)  # fmt: skip


def _in_order(shapes: Shapes, looks: RowLooks, space: Space) -> _Paths:
    """Return the lines, or where there are none points in their order as lines: those that follow each other closely
    on one."""
    lines = _of_kind(shapes, looks, space, points=False)
    if len(lines.xyz):
        return lines
    points = _of_kind(shapes, looks, space, points=True)
    if len(points.xyz) < 2:
        return points
    steps = np.hypot(*np.diff(points.xyz[:, :2], axis=0).T)
    usual = np.median(steps[steps > 0]) if (steps > 0).any() else 1.0
    starts = np.concatenate([[0], np.flatnonzero(steps > FAR_APART * usual) + 1, [len(points.xyz)]])
    return _Paths(points.xyz, points.owners, starts, np.zeros(len(starts) - 1, bool))


def _followed(paths: _Paths, step: float) -> _Paths:
    """Return paths with vertices added so that none lie farther apart than a step, metres."""
    edges = paths.edges
    lengths = np.hypot(*(paths.xyz[edges + 1, :2] - paths.xyz[edges, :2]).T)
    parts = np.ones(len(paths.xyz), np.int64)
    parts[edges] = np.clip(np.ceil(np.nan_to_num(lengths / step)), 1, MOST_PARTS)
    first = np.cumsum(parts) - parts
    begin = np.repeat(np.arange(len(paths.xyz)), parts)
    share = ((np.arange(len(begin)) - first[begin]) / parts[begin])[:, None]
    after = paths.xyz[np.minimum(begin + 1, len(paths.xyz) - 1)]
    xyz = np.where(share > 0, paths.xyz[begin] * (1 - share) + after * share, paths.xyz[begin])
    starts = np.concatenate([first, [len(begin)]])[paths.starts]
    return _Paths(xyz, paths.owners[begin], starts, paths.closed)


def _lifted(
    shapes: Shapes, looks: RowLooks, space: Space, standing: Standing, feet: np.ndarray | None, heights: np.ndarray,
    ground: Heights,
) -> Bodies:  # fmt: skip
    """Return lines, and the edges of polygons, at their heights, and points on stems."""
    lines, points = (_of_kind(shapes, looks, space, points=each) for each in (False, True))
    if standing.foot is Foot.GROUND and len(lines.xyz):
        lines = _followed(lines, space.longer / ALONG_STEPS)
    up = _foot(lines, standing, feet, ground) + heights[lines.owners]
    placed = np.column_stack([lines.xyz[:, :2], up])
    edges, owners = lines.edges, lines.owners
    ends = np.stack([placed[edges], placed[edges + 1]], axis=1)
    foot = _foot(points, standing, feet, ground)
    tops = np.column_stack([points.xyz[:, :2], foot + heights[points.owners]])
    under = ground(points.xyz[:, :2]) if len(points.xyz) else np.empty(0)
    stems = np.stack(
        [np.column_stack([points.xyz[:, :2], np.where(np.isfinite(under), under, tops[:, 2])]), tops], axis=1
    )
    dots = np.stack([tops, tops], axis=1)
    return bodies(
        None, None, None, np.concatenate([ends, stems, dots]),
        np.concatenate([looks.lines[owners[edges]], looks.lines[points.owners], looks.bodies[points.owners]]),
        np.concatenate([np.maximum(looks.widths[owners[edges]], 1.0), np.full(len(stems), POINT_STEM_PX),
                        looks.sizes[points.owners]]),
        np.concatenate([owners[edges], points.owners, points.owners]),
    )  # fmt: skip


def _quads(upper: np.ndarray, lower: np.ndarray, edges: np.ndarray) -> np.ndarray:
    """Return (2 n, 3, 3) corners of faces between an upper and a lower edge, (vertices, 3) each."""
    a, b, c, d = upper[edges], upper[edges + 1], lower[edges + 1], lower[edges]
    return np.stack([np.stack([a, b, c], axis=1), np.stack([a, c, d], axis=1)], axis=1).reshape(-1, 3, 3)


def _walls(
    paths: _Paths, standing: Standing, feet: np.ndarray | None, heights: np.ndarray, ground: Heights, looks: RowLooks
) -> Bodies:
    """Return walls from the foot to heights over it, or below it, with their far edge as a line."""
    foot = _foot(paths, standing, feet, ground)
    near = np.column_stack([paths.xyz[:, :2], foot])
    far = np.column_stack([paths.xyz[:, :2], foot + heights[paths.owners]])
    edges = paths.edges
    rows = paths.owners[edges]
    return bodies(
        _quads(near, far, edges), np.repeat(looks.bodies[rows], 2),
        np.repeat(rows, 2), np.stack([far[edges], far[edges + 1]], axis=1), looks.lines[rows],
        np.maximum(looks.widths[rows], 1.0), rows,
    )  # fmt: skip


def _raised(
    cache: DataCache, layer: Layer, space: Space, ground: Heights, looks: RowLooks, heights: np.ndarray
) -> Bodies:
    """Return polygons as bodies with a flat roof: it lies over the lowest foot of the edge, or the highest for what
    goes down."""
    features, shapes = cache.features(layer.ref), _shapes_in_metres(cache, layer, space)
    rings = _of_kind(shapes, looks, space, points=False)
    foot = _foot(rings, layer.standing, _feet(cache, layer), ground)
    owners, edges = rings.owners, rings.edges
    edges = edges[np.repeat(rings.closed, np.diff(rings.starts))[edges]]
    lowest = np.full(len(shapes), np.inf)
    np.minimum.at(lowest, owners, np.where(np.isfinite(foot), foot, np.inf))
    lowest[~np.isfinite(lowest)] = np.nan
    roof = lowest + heights
    low = np.column_stack([rings.xyz[:, :2], lowest[owners]])
    high = np.column_stack([rings.xyz[:, :2], roof[owners]])
    rows = np.flatnonzero(looks.shown)
    shapes_of = shapely.from_wkb(features.wkb.to_numpy(zero_copy_only=False)[rows])
    middle, per_unit = np.array(space.middle), np.array(space.per_unit)

    def placed(xy: np.ndarray) -> np.ndarray:
        return (transform(xy, features.crs, space.crs) - middle) * per_unit

    known = shapely.get_dimensions(shapes_of) == 2
    flat = shapely.transform(shapely.force_2d(shapes_of[known]), placed)
    fine = shapely.is_valid(flat)
    flat[~fine] = shapely.make_valid(flat[~fine])
    parts, of = shapely.get_parts(flat, return_index=True)
    areas = shapely.get_dimensions(parts) == 2
    faces, of_part = shapely.get_parts(shapely.constrained_delaunay_triangles(parts[areas]), return_index=True)
    corners = shapely.get_coordinates(faces).reshape(-1, 4, 2)[:, :3]
    face_rows = rows[known][of[areas][of_part]]
    roofs = np.concatenate([corners, np.repeat(roof[face_rows], 3).reshape(-1, 3, 1)], axis=2)
    walls, of_wall = _quads(high, low, edges), np.repeat(owners[edges], 2)
    top = np.stack([high[edges], high[edges + 1]], axis=1)
    return bodies(
        np.concatenate([roofs, walls]), looks.bodies[np.concatenate([face_rows, of_wall])],
        np.concatenate([face_rows, of_wall]), top, looks.lines[owners[edges]],
        np.maximum(looks.widths[owners[edges]], 0.6), owners[edges],
    )  # fmt: skip
