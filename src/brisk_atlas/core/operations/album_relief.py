"""The relief of a plate as a model that can be turned on a page."""

from __future__ import annotations

import logging
from functools import partial
from math import dist
from typing import TYPE_CHECKING

import numpy as np

from brisk_atlas.core.album.page_parts import PageRelief
from brisk_atlas.core.kinds import painter_for
from brisk_atlas.core.model import AtlasError, Extent
from brisk_atlas.core.place import transform
from brisk_atlas.core.relief.ground import drape_in, draped, heights_in, space_of
from brisk_atlas.core.relief.model_file import write_model
from brisk_atlas.core.system.scratch import ScratchFolder
from brisk_atlas.core.workspace.plates import PlateView

if TYPE_CHECKING:
    from brisk_atlas.core.workspace.workspace import Workspace

log = logging.getLogger(__name__)
SAMPLES = 60_000  # heights of a model on a page
USUAL = (340.0, 32.0, 36.0, 1.5)  # azimuth, tilt and field in degrees, exaggeration
AWAY = 1.6  # times the longer side of the ground, where no eye is stored


def relief_of(workspace: Workspace, view: PlateView) -> PageRelief | None:
    """Return the ground of a plate's relief with its layers over it, None where there is none any more."""
    cache = workspace.cache
    grids = [layer for layer in view.layers if layer.id in view.grounds]
    if not grids:
        return None
    try:
        space = space_of(cache, grids)
        west, north = space.corner
        extent = Extent(west, north - space.size[1], west + space.size[0], north, space.crs)
        azimuth, tilt, field, exaggeration = view.eye[3:] if view.eye is not None else USUAL
        drape = partial(drape_in, painter_for(cache), draped(list(reversed(view.shown))))
        with ScratchFolder() as folder:
            path = folder / "relief.glb"
            write_model(path, space, extent, partial(heights_in, cache, grids), drape, exaggeration, SAMPLES,
                        picture_format="JPEG")  # fmt: skip
            model = path.read_bytes()
    except (AtlasError, OSError) as error:
        log.info("A relief can't be turned on the page: %s", error)
        return None
    distance = AWAY * max(space.size[0] * space.per_unit[0], space.size[1] * space.per_unit[1])
    if view.eye is not None and view.crs is not None:
        (spot,) = transform(np.array([view.eye[:2]], float), view.crs, space.crs).tolist()
        east, north_of_middle = space.to_metres(*spot)
        distance = dist((east, north_of_middle, view.eye[2]), (0.0, 0.0, 0.0))
    return PageRelief(model, distance, azimuth, tilt, field, exaggeration)
