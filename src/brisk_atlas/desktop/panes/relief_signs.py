"""Labels in a relief: upright signs over their places, without overlap, hidden where the ground is before them."""

from __future__ import annotations

from collections.abc import Sequence
from typing import TYPE_CHECKING, NamedTuple

import numpy as np
from PyQt6.QtCore import QPointF, QRectF
from PyQt6.QtGui import QColor, QPainter, QPen

from brisk_atlas.core.draw import View
from brisk_atlas.core.model import Extent, Label, Layer
from brisk_atlas.core.relief.eye import Eye, GroundSpot

from . import map_text

if TYPE_CHECKING:
    from brisk_atlas.core.draw.frame import Painter
    from brisk_atlas.core.relief.scene import ReliefPicture, ReliefScene

STEM_PX, PAD_PX = 16.0, 2.0
MAP_PX = 900  # along the longer side of the map that labels are placed on
HIDDEN = 1.02  # times as far as the ground that is seen there: what is farther lies behind it


class ReliefSign(NamedTuple):
    """A text over a spot of the ground."""

    text: str
    spot: GroundSpot
    look: Label


def signs_for(
    scene: ReliefScene, painter: Painter, layers: Sequence[Layer], picture: ReliefPicture
) -> list[ReliefSign]:
    """Return the labels that the map would show of what is seen, on the ground. Reads, so call it in a job."""
    corners = picture.footprint()
    if len(corners) < 3 or not any(getattr(layer.style, "label", None) for layer in layers if layer.visible):
        return []
    low, high = (scene.space.to_map(*corner) for corner in (corners.min(axis=0).tolist(), corners.max(axis=0).tolist()))
    extent = Extent(low[0], low[1], high[0], high[1], scene.space.crs)
    if not (extent.width > 0 and extent.height > 0):
        return []
    scale = MAP_PX / max(extent.width, extent.height)
    size = (max(16, round(side * scale)) for side in (extent.width, extent.height))
    frame = painter.frame(layers, View.fitting(extent, *size, margin=0.0), measure=map_text.measure)
    found = []
    for label in frame.labels:
        east, north = scene.space.to_metres(*(label.anchor or (label.x, label.y)))
        up = scene.ground_up(east, north, picture.eye.exaggeration)
        if up is not None:
            found.append(ReliefSign(label.text, GroundSpot(east, north, up / picture.eye.exaggeration), label.look))
    return found


def paint_signs(painter: QPainter, signs: Sequence[ReliefSign], picture: ReliefPicture, eye: Eye, size: QRectF) -> int:
    """Paint the signs that an eye sees; returns how many. Those that lie behind the ground, or on nearer ones, do not
    show."""
    cols, rows = round(size.width()), round(size.height())
    places = eye.places_of(np.array([sign.spot for sign in signs], float).reshape(-1, 3), picture.rays.bend, cols, rows)
    taken: list[QRectF] = []
    painter.save()
    painter.setRenderHint(QPainter.RenderHint.Antialiasing)
    for number in np.argsort(places[:, 2]).tolist():  # the nearest first; what is behind the eye comes last
        sign, (col, row, away) = signs[number], places[number].tolist()
        at = col, row
        if not np.isfinite(away) or not size.contains(QPointF(*at)) or _is_hidden(picture, at, away):
            continue
        wide, high = map_text.measure(sign.text, sign.look.size)
        box = QRectF(at[0] - wide / 2, at[1] - STEM_PX - high, wide, high).adjusted(-PAD_PX, -PAD_PX, PAD_PX, PAD_PX)
        if any(box.intersects(other) for other in taken):
            continue
        taken.append(box)
        foot, head = QPointF(*at), QPointF(at[0], box.bottom())
        for colour, thick in ((QColor(sign.look.halo), 3.0), (QColor(sign.look.colour), 1.0)):
            painter.setPen(QPen(colour, thick))
            painter.drawLine(foot, head)
        map_text.paint_text(painter, sign.text, box.center(), sign.look)
    painter.restore()
    return len(taken)


def _is_hidden(picture: ReliefPicture, at: tuple[float, float], away: float) -> bool:
    rows, cols = picture.depth.shape
    i, j = int(at[0] * cols / picture.size[0]), int(at[1] * rows / picture.size[1])
    near = picture.depth[max(j - 1, 0) : j + 2, max(i - 1, 0) : i + 2]
    return near.size == 0 or bool(away > np.max(near) * HIDDEN)
