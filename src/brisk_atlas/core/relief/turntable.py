"""A turn about a spot of a relief as an animated picture."""

from __future__ import annotations

from collections.abc import Callable
from io import BytesIO

from PIL import Image

from .complete import complete_picture
from .eye import Eye, GroundSpot
from .rays import Look
from .scene import ReliefScene

FRAMES, FRAMES_A_SECOND = 60, 15
COLOURS = 255


def turntable(
    scene: ReliefScene,
    eye: Eye,
    spot: GroundSpot,
    size: tuple[int, int],
    look: Look,
    frames: int = FRAMES,
    check: Callable[[float], None] = lambda share: None,
) -> bytes:
    """Return a GIF that runs round and round: so many frames of one whole turn of an eye about a spot. All frames have
    the colours of the first, so that nothing flickers."""
    pictures: list[Image.Image] = []
    for number in range(frames):
        now = eye.turned_about(spot, 360.0 * number / frames, 0.0)
        below = scene.ground_up(now.east, now.north, now.exaggeration)
        drawn = complete_picture(scene, now.within(scene.space, below, 0.0), size, look)
        whole = Image.fromarray(drawn.image[..., :3])
        pictures.append(whole.quantize(COLOURS) if not pictures else whole.quantize(palette=pictures[0]))
        check((number + 1) / frames)
    out = BytesIO()
    pictures[0].save(out, "GIF", save_all=True, append_images=pictures[1:], duration=1000 // FRAMES_A_SECOND, loop=0)
    return out.getvalue()
