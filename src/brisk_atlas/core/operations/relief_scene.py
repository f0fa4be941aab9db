"""The scene of a relief from the sources of an operation."""

from __future__ import annotations

from collections.abc import Sequence
from dataclasses import replace
from functools import partial
from pathlib import Path
from typing import TYPE_CHECKING

from brisk_atlas.core.model import AtlasError, Layer
from brisk_atlas.core.model.language import tr
from brisk_atlas.core.model.standing import Foot, Standing, StandingWay

from .operation import Source, grid_of, layer_of

if TYPE_CHECKING:
    from brisk_atlas.core.relief.scene import ReliefScene
    from brisk_atlas.core.workspace.workspace import Workspace


def scene_of(
    workspace: Workspace,
    target: Path,
    sources: Sequence[Source],
    drape: Sequence[Source] | None,
    *,
    standing: Sequence[Source] = (),
    height_by: str | None = None,
    sun: tuple[float, float] | None = None,
    exaggeration: float = 1.0,
) -> ReliefScene:
    """Return the scene of grids, the first above the others, and clouds, with layers draped over it, the top one first,
    and others that stand on it. Raises AtlasError where there is nothing to show."""
    from brisk_atlas.core.kinds import painter_for
    from brisk_atlas.core.relief.bodies import bodies_of
    from brisk_atlas.core.relief.ground import (
        drape_in,
        draped,
        flat_heights,
        heights_in,
        heights_under,
        no_heights,
        space_of,
    )
    from brisk_atlas.core.relief.light import Light, Lighting
    from brisk_atlas.core.relief.points import relief_points, space_around
    from brisk_atlas.core.relief.scene import ReliefScene

    cache = workspace.cache
    layers = [layer_of(workspace, source) for source in sources]
    clouds = [layer for layer in layers if layer.kind.has_points]
    plane = [layer for layer in layers if layer.kind.has_shapes]
    grids = [grid_of(workspace, source) for source, layer in zip(sources, layers) if layer not in (*clouds, *plane)]
    if not layers:
        raise AtlasError(target, tr("there is nothing to draw"), tr("Name a grid, a cloud or a vector layer."))
    over = [layer_of(workspace, source) for source in reversed(drape)] if drape else grids[:1] or plane
    space = space_of(cache, grids) if grids else space_around(cache, plane or clouds)
    for layer in clouds:
        cache.points(layer.ref)  # all of them
    lighting = Lighting()
    if sun is not None:
        lighting = Lighting((Light(*sun, shadows=True), lighting.lights[1]), lighting.ambience)
    heights = partial(heights_in, cache, grids) if grids else flat_heights if plane else no_heights
    scene = ReliefScene(
        space, heights, partial(drape_in, painter_for(cache), draped(over)), lighting, exaggeration
    )  # fmt: skip
    scene.load_base()
    scene.show_clouds([relief_points(cache, layer, space) for layer in clouds])
    upright = [standing_as_stated(workspace, layer_of(workspace, source), height_by) for source in standing]
    ground = partial(heights_under, heights, space)
    scene.bodies = tuple(bodies_of(cache, layer, space, ground) for layer in upright)
    return scene


def standing_as_stated(workspace: Workspace, layer: Layer, height_by: str | None) -> Layer:
    """Return a layer that stands as its project has it, or else as its geometry suggests: polygons raised by a field or
    10 m, lines and points at their own Z or over the ground, collars of boreholes with the intervals beside them."""
    from brisk_atlas.core.inspect.guess_boreholes import boreholes_guess, interval_tables
    from brisk_atlas.core.inspect.hole_tables import deviation_tables

    if layer.standing.way is not StandingWay.DRAPED:
        return layer
    facts = workspace.cache.part(layer.ref).facts
    kind = facts.geometry_type or ""
    if "Point" in kind and height_by is None:
        guess = boreholes_guess(facts.fields)
        if guess.height_by is not None:
            tables = interval_tables(workspace.cache, layer, ())
            surveys = deviation_tables(workspace.cache, layer, ())
            found = replace(guess, intervals=next(iter(tables), None), deviation=next(iter(surveys), None))
            return replace(layer, standing=found)
    foot = Foot.OWN_Z if "Z" in kind.split() else Foot.GROUND
    if "Polygon" in kind:
        return replace(layer, standing=Standing(StandingWay.RAISED, height_by=height_by))
    height = 0.0 if foot is Foot.OWN_Z else 10.0
    return replace(layer, standing=Standing(StandingWay.LIFTED, foot, height=height, height_by=height_by))
