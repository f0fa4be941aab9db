"""Films of a relief: a whole turn about a spot, or a flight from view to view, as MP4 or GIF."""

from __future__ import annotations

from collections.abc import Callable, Iterator, Sequence
from pathlib import Path

import numpy as np
from PIL import Image
from scipy.interpolate import CubicSpline

from brisk_atlas.core.model import CannotWrite
from brisk_atlas.core.model.language import tr
from brisk_atlas.core.system.atomic_write import written_beside

from .complete import complete_picture
from .eye import FLATTEST, STEEPEST, Eye, GroundSpot
from .file_kinds import FILM_SUFFIXES, FRAMES_A_SECOND
from .rays import Look
from .scene import ReliefScene

MOST_FRAMES = 3600
COLOURS = 255  # of a GIF


def turn_about(eye: Eye, spot: GroundSpot, frames: int) -> list[Eye]:
    """Return the eyes of one whole turn about a spot."""
    return [eye.turned_about(spot, 360.0 * number / frames, 0.0) for number in range(frames)]


def flight_through(eyes: Sequence[Eye], frames: int) -> list[Eye]:
    """Return eyes on a smooth way through two or more, which are all met; azimuths turn the shorter way, and steps are
    shorter where a view is near the next one."""
    places = np.array([(each.east, each.north, each.up) for each in eyes], float)
    azimuths = np.degrees(np.unwrap(np.radians([each.azimuth for each in eyes])))
    rest = np.array([(each.tilt, each.field, each.exaggeration) for each in eyes], float)
    # the square root of chords keeps the way from looping, as in a centripetal spline (Lee, 1989)
    steps = np.sqrt(np.linalg.norm(np.diff(places, axis=0), axis=1)) + np.abs(np.diff(azimuths)) / 360.0 + 1e-6
    knots = np.concatenate([[0.0], np.cumsum(steps)])
    way = CubicSpline(knots, np.column_stack([places, azimuths, rest]), bc_type="clamped")
    found = way(np.linspace(0.0, knots[-1], frames)).tolist()
    return [
        Eye(east, north, up, azimuth % 360.0, min(max(tilt, FLATTEST), STEEPEST), field, exaggeration)
        for east, north, up, azimuth, tilt, field, exaggeration in found
    ]


def write_film(
    scene: ReliefScene,
    eyes: Sequence[Eye],
    size: tuple[int, int],
    look: Look,
    path: Path,
    check: Callable[[float], None] = lambda share: None,
) -> None:
    """Write what each eye sees as a frame of an MP4 (H.264) or of a GIF that runs round and round, by the suffix.

    size : columns and rows; a video has even numbers of both. `check` is given the share that is done, and may raise to
    stop. Raises CannotWrite.
    """
    if path.suffix.lower() not in FILM_SUFFIXES:
        raise CannotWrite(path, tr("a film is written as .mp4 or .gif"), tr("Choose one of these."))
    if not 2 <= len(eyes) <= MOST_FRAMES:
        raise CannotWrite(
            path,
            tr("a film of {count:,} frames can't be written", count=len(eyes)),
            tr("Choose 2 to {most_frames:,}.", most_frames=MOST_FRAMES),
        )
    cols, rows = (side - side % 2 for side in size)
    pictures = _pictures(scene, eyes, (cols, rows), look, check)
    with written_beside(path) as beside:
        if path.suffix.lower() == ".gif":
            _write_gif(pictures, beside)
        else:
            _write_video(pictures, (cols, rows), beside)


def _pictures(
    scene: ReliefScene, eyes: Sequence[Eye], size: tuple[int, int], look: Look, check: Callable[[float], None]
) -> Iterator[np.ndarray]:
    """Give (rows, cols, 3) uint8 of each eye, which is held over the ground."""
    for number, eye in enumerate(eyes):
        below = scene.ground_up(eye.east, eye.north, eye.exaggeration)
        held = eye.within(scene.space, below, scene.space.longer * 0.0005)
        yield np.ascontiguousarray(complete_picture(scene, held, size, look).image[..., :3])
        check((number + 1) / len(eyes))


def _write_gif(pictures: Iterator[np.ndarray], path: Path) -> None:
    """Write a GIF whose frames all have the colours of the first, so that nothing flickers."""
    frames: list[Image.Image] = []
    for each in pictures:
        whole = Image.fromarray(each)
        frames.append(whole.quantize(palette=frames[0]) if frames else whole.quantize(COLOURS))
    frames[0].save(
        path, "GIF", save_all=True, append_images=frames[1:], duration=1000 // FRAMES_A_SECOND, loop=0
    )  # fmt: skip


def _write_video(pictures: Iterator[np.ndarray], size: tuple[int, int], path: Path) -> None:
    import av

    with av.open(str(path), "w", format="mp4") as out:
        stream = out.add_stream("libx264", rate=FRAMES_A_SECOND)
        stream.width, stream.height = size
        stream.pix_fmt = "yuv420p"
        stream.options = {"crf": "18"}
        for each in pictures:
            for packet in stream.encode(av.VideoFrame.from_ndarray(each, format="rgb24")):
                out.mux(packet)
        for packet in stream.encode():
            out.mux(packet)
