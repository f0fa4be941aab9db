"""What stands in a relief, drawn over the picture of its ground: points of clouds, faces and strokes of layers."""

from __future__ import annotations

from dataclasses import dataclass

import numpy as np

from brisk_atlas.core.draw.bands import in_bands
from brisk_atlas.core.system.shares import CORES, in_pieces

from . import body_kernels
from .bodies import ReliefBodies
from .light import Lighting
from .points import ReliefPoints, draw_points
from .rays import Look, Rays


@dataclass(frozen=True)
class StandingThings:
    """Clouds and layers that stand, their light, and how many times coarser than at rest they are drawn."""

    clouds: tuple[ReliefPoints, ...]
    layers: tuple[ReliefBodies, ...]
    lighting: Lighting
    coarser: float

    def __bool__(self) -> bool:
        return bool(self.clouds or self.layers)

    def draw(self, rays: Rays, look: Look, depth: np.ndarray, image: np.ndarray) -> tuple[np.ndarray, np.ndarray]:
        """Draw all into a picture of the ground and its depth; where the ground is not solid, what lies behind it
        shows through. Returns (rows, cols) int32 which point or row is seen, and int8 of which of the clouds and
        layers; -1 for none.

        depth : (rows, cols) float32 metres; image : (rows, cols, 4) uint8
        """
        behind: tuple[np.ndarray, np.ndarray, np.ndarray] | None = None
        if look.solid < 1.0:
            far, through = np.full_like(depth, np.inf), np.empty_like(image)
            through[:] = (*(round(each) for each in look.horizon), 255)
            own = self._draw_over(rays, look, far, through)
            in_bands(len(depth), lambda a, b: body_kernels.see_through(depth, image, far, through, look.solid, a, b))
            behind = (far > depth) & np.isfinite(far), *own
        nearest, owner = self._draw_over(rays, look, depth, image)
        if behind is not None:
            shown = behind[0] & (nearest < 0)
            nearest[shown], owner[shown] = behind[1][shown], behind[2][shown]
        return nearest, owner

    def _draw_over(self, rays: Rays, look: Look, depth: np.ndarray, image: np.ndarray) -> tuple[np.ndarray, np.ndarray]:
        if self.clouds:
            nearest, owner = draw_points(self.clouds, rays, depth, image, moving=self.coarser > 1.0)
        else:
            nearest, owner = np.full(depth.shape, -1, np.int32), np.full(depth.shape, -1, np.int8)
        for number, layer in enumerate(self.layers, len(self.clouds)):
            own = self._draw_layer(layer, rays, look, depth, image)
            seen = own >= 0
            nearest[seen], owner[seen] = own[seen], number
        return nearest, owner

    def _draw_layer(
        self, layer: ReliefBodies, rays: Rays, look: Look, depth: np.ndarray, image: np.ndarray
    ) -> np.ndarray:
        pixels, own = image.view(np.uint32)[..., 0], np.full(depth.shape, -1, np.int32)
        lights, ambience = self.lighting.as_rows, self.lighting.ambience
        bodies, wider = layer.bodies, 1.0 / self.coarser

        def draw(top: int, bottom: int) -> None:
            body_kernels.draw_faces(bodies, lights, ambience, look, rays, depth, pixels, own, top, bottom)
            body_kernels.draw_strokes(bodies, wider, look, rays, depth, pixels, own, top, bottom)

        in_pieces(len(depth), CORES, draw)
        return own
