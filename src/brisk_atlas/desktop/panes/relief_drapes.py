"""What draws the ground of a relief and what lies over it, of the layers that it shows. Called in jobs."""

from __future__ import annotations

from collections.abc import Callable, Sequence
from contextlib import suppress
from functools import partial
from typing import TYPE_CHECKING

import numpy as np

from brisk_atlas.core.model import AtlasError, Layer
from brisk_atlas.core.model.style import shown_band
from brisk_atlas.core.relief.surface_drape import DrapeKind, SurfaceDrape

from .relief_content import ReliefContent

if TYPE_CHECKING:
    from brisk_atlas.core.cache import DataCache
    from brisk_atlas.core.draw import View
    from brisk_atlas.core.relief.scene import ReliefScene
    from brisk_atlas.core.relief.space import Space

    Picture = Callable[[View], np.ndarray]


def space_around_content(cache: DataCache, content: ReliefContent) -> Space:
    """Return the space of a relief: of its grids, or around its clouds or layers. Raises AtlasError."""
    from brisk_atlas.core.relief.ground import space_of
    from brisk_atlas.core.relief.points import space_around

    return space_of(cache, content.grids) if content.grids else space_around(cache, content.around or content.clouds)


def heights_of(cache: DataCache, content: ReliefContent) -> Picture:
    """Return what reads the heights of a relief: of grids, of a plane, or none around clouds alone."""
    from brisk_atlas.core.relief.ground import flat_heights, heights_in, no_heights

    if content.grids:
        return partial(heights_in, cache, content.grids)
    return flat_heights if content.around else no_heights


def drapes_of(cache: DataCache, content: ReliefContent, scene: ReliefScene) -> list[Picture]:
    """Return what draws the map of side A, and of B while two are compared; or a measure of the ground itself."""
    if content.surface is not DrapeKind.MAP:
        return [surface_of(cache, content, scene)]
    if content.change is not None:
        return [_with_change(cache, content.drapes, content.change)]
    return [_draped(cache, layers) for layers in content.drapes]


def surface_of(cache: DataCache, content: ReliefContent, scene: ReliefScene) -> SurfaceDrape:
    """Return what draws a measure of the ground."""
    return SurfaceDrape(content.surface, scene.space, heights_of(cache, content), *scene.range)


def _draped(cache: DataCache, layers: Sequence[Layer]) -> Picture:
    from brisk_atlas.core.kinds import painter_for
    from brisk_atlas.core.relief.ground import drape_in, draped

    return partial(drape_in, painter_for(cache), draped(layers))


def _with_change(cache: DataCache, stacks: tuple[tuple[Layer, ...], ...], pair: tuple[Layer, Layer]) -> Picture:
    """Return what draws layers, the difference of two grids over them, and other layers over that."""
    below, *above = [_draped(cache, layers) for layers in stacks]

    def draw(view: View) -> np.ndarray:
        from brisk_atlas.core.compare.change_picture import change_picture, change_scale
        from brisk_atlas.core.draw.composite import lay_picture

        a, b = pair
        key = ("change scale", a.ref, b.ref, shown_band(a.style), shown_band(b.style))
        image = below(view)
        with suppress(AtlasError):  # the map says why the two can't be compared
            scale = cache.derive(key, lambda: change_scale(cache, a, b))
            lay_picture(image, change_picture(cache, a, b, scale, view)[0])
        for over in above:
            lay_picture(image, over(view))
        return image

    return draw
