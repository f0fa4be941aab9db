"""What stands on every map: the scale bar, true north, and whom the data is credited to."""

from __future__ import annotations

from collections.abc import Sequence
from typing import TYPE_CHECKING

import numpy as np
import shapely
from PyQt6.QtCore import QPointF, QRect, QRectF, Qt
from PyQt6.QtGui import QColor, QFont, QLinearGradient, QPainter, QPen, QPolygonF

from brisk_atlas.core.draw import View
from brisk_atlas.core.model.digit_groups import grouped
from brisk_atlas.core.model.language import tr

from ..theme import MONO, SANS, Theme

if TYPE_CHECKING:
    from brisk_atlas.core.compare.change_picture import ChangeScale

RIM_PX = 20.0  # beyond the map, where an outline is cut
NAME_PX, NAME_ALPHA = 8, 200  # of names beside places: half of their height, and their ground
SCALE_PX, CREDIT_PX, LEGEND_PX = 11, 11, 170


def paint_scale(painter: QPainter, bar: tuple[float, str] | None, height: int, theme: Theme) -> None:
    """Paint a bar of a width in pixels with its label, in the lower left corner."""
    if bar is None:
        return
    width, label = bar
    left, base = 14.0, height - 16.0
    font = QFont(MONO)
    font.setPixelSize(SCALE_PX)
    painter.setFont(font)
    painter.setRenderHint(QPainter.RenderHint.Antialiasing, False)
    back = QRectF(left - 6, base - 20, max(width, painter.fontMetrics().horizontalAdvance(label)) + 12, 28)
    painter.fillRect(back, QColor(theme.raised))
    painter.setPen(QPen(QColor(theme.ink), 2))
    painter.drawLine(QPointF(left, base), QPointF(left + width, base))
    for x in (left, left + width):
        painter.drawLine(QPointF(x, base - 4), QPointF(x, base + 1))
    painter.drawText(QPointF(left, base - 7), label)


def paint_north(painter: QPainter, view: View | None, width: int, theme: Theme) -> None:
    """Point to true north, in the upper right corner."""
    from brisk_atlas.core.draw.overlays import north_of

    turn = north_of(view) if view is not None else None
    if turn is None:
        return
    painter.save()
    painter.setRenderHint(QPainter.RenderHint.Antialiasing)
    painter.translate(width - 30, 36)
    painter.setPen(QPen(QColor(theme.rule), 1))
    painter.setBrush(QColor(theme.raised))
    painter.drawEllipse(QPointF(0, 0), 20, 20)
    painter.rotate(turn)
    painter.setPen(Qt.PenStyle.NoPen)
    painter.setBrush(QColor(theme.ink))
    painter.drawPolygon(QPolygonF([QPointF(0, -16), QPointF(5, -2), QPointF(-5, -2)]))
    painter.setPen(QColor(theme.ink))
    painter.drawText(QRectF(-10, -3, 20, 16), Qt.AlignmentFlag.AlignCenter, "N")
    painter.restore()


def paint_credit(painter: QPainter, credit: str, room: QRect, theme: Theme) -> None:
    """Write whom the data of services is credited to, in the lower right corner."""
    if not credit:
        return
    font = QFont(SANS)
    font.setPixelSize(CREDIT_PX)
    painter.setFont(font)
    text = painter.fontMetrics().elidedText(credit, Qt.TextElideMode.ElideRight, room.width() // 2)
    width, height = painter.fontMetrics().horizontalAdvance(text) + 10, painter.fontMetrics().height() + 4
    box = QRectF(room.width() - width, room.height() - height, width, height)
    painter.fillRect(box, QColor(theme.raised))
    painter.setPen(QColor(theme.quiet))
    painter.drawText(box, Qt.AlignmentFlag.AlignCenter, text)


def paint_change_legend(painter: QPainter, scale: ChangeScale, room: QRect, theme: Theme) -> None:
    """Show what the colours of a difference mean, in the lower right corner."""
    from brisk_atlas.core.compare.change_picture import RAMP
    from brisk_atlas.core.draw.ramps import ramp

    font = QFont(SANS)
    font.setPixelSize(CREDIT_PX)
    painter.setFont(font)
    metrics, unit = painter.fontMetrics(), f" {scale.unit}" if scale.unit else ""
    digits = 2 if scale.limit < 10 else 1 if scale.limit < 100 else 0
    ends = f"-{grouped(scale.limit, f',.{digits}f')}{unit}", f"+{grouped(scale.limit, f',.{digits}f')}{unit}"
    faint = tr("grey: below {faint:.2f}{unit}, may be none (95 %)", faint=scale.faint, unit=unit) if scale.faint else ""
    width = max(LEGEND_PX, metrics.horizontalAdvance(faint) + 16)
    height = 52 if faint else 36
    box = QRectF(room.width() - width - 10, room.height() - height - 34, width, height)
    painter.setRenderHint(QPainter.RenderHint.Antialiasing)
    painter.setPen(QPen(QColor(theme.rule), 1))
    painter.setBrush(QColor(theme.raised))
    painter.drawRoundedRect(box, 4, 4)
    bar = QRectF(box.left() + 8, box.top() + 7, box.width() - 16, 9)
    colours = QLinearGradient(bar.topLeft(), bar.topRight())
    inks = ramp(RAMP)
    for share in range(0, 256, 15):
        colours.setColorAt(share / 255, QColor(*inks[share].tolist()))
    painter.fillRect(bar, colours)
    painter.setPen(QColor(theme.ink))
    line = QRectF(bar.left(), bar.bottom() + 1, bar.width(), 16)
    for text, where in ((ends[0], "AlignLeft"), ("0", "AlignHCenter"), (ends[1], "AlignRight")):
        painter.drawText(line, Qt.AlignmentFlag[where] | Qt.AlignmentFlag.AlignVCenter, text)
    if faint:
        painter.setPen(QColor(theme.quiet))
        painter.drawText(line.translated(0, 16), Qt.AlignmentFlag.AlignCenter, faint)


def paint_seen(painter: QPainter, corners: np.ndarray, view: View, theme: Theme) -> None:
    """Draw the outline of what another pane sees of the map. corners : (n, 2) positions of the view's CRS."""
    _paint_path(painter, np.concatenate([corners, corners[:1]]), view, ((theme.raised, 3.5), (theme.second, 1.5)))


def paint_line(painter: QPainter, places: np.ndarray, view: View, theme: Theme) -> None:
    """Draw the line that a strip shows. places : (n, 2) positions of the view's CRS."""
    _paint_path(painter, places, view, ((theme.raised, 5.0), (theme.accent, 2.0)))


def paint_names(painter: QPainter, names: Sequence[tuple[str, float, float, bool]], view: View, theme: Theme) -> None:
    """Draw names beside places (name, x, y of the view's CRS, whether it is on show), each on a pale ground."""
    painter.save()
    font = QFont(painter.font())
    for name, x, y, on_show in names:
        px, py = view.to_pixel(x, y)
        if not (0 < px < view.width and 0 < py < view.height):
            continue
        font.setBold(on_show)
        painter.setFont(font)
        box = QRectF(px + NAME_PX, py - NAME_PX, painter.fontMetrics().horizontalAdvance(name) + 6, 2 * NAME_PX)
        ground = QColor(theme.raised)
        ground.setAlpha(NAME_ALPHA)
        painter.fillRect(box, ground)
        painter.setPen(QColor(theme.accent if on_show else theme.ink))
        painter.drawText(box, Qt.AlignmentFlag.AlignCenter, name)
    painter.restore()


def paint_spots(painter: QPainter, places: np.ndarray, values: np.ndarray, view: View, theme: Theme) -> None:
    """Draw crossovers: larger for larger differences, in one colour for positive ones, in another for negative ones,
    and hollow where there is none. places : (n, 2) positions of the view's CRS; values : (n,)"""
    known = np.abs(values[np.isfinite(values)])
    largest = float(np.percentile(known, 95)) if known.size else 0.0
    painter.setRenderHint(QPainter.RenderHint.Antialiasing)
    for (x, y), value in zip(places.tolist(), values.tolist()):
        at = QPointF(*view.to_pixel(x, y)) if np.isfinite(x) and np.isfinite(y) else None
        if at is None or not (-RIM_PX < at.x() < view.width + RIM_PX and -RIM_PX < at.y() < view.height + RIM_PX):
            continue
        size = 3.0 + 6.0 * min(1.0, abs(value) / largest) if largest > 0 and np.isfinite(value) else 3.0
        painter.setPen(QPen(QColor(theme.raised), 1.5))
        known_ink = QColor(theme.accent if value > 0 else theme.second)
        painter.setBrush(known_ink if np.isfinite(value) else QColor(theme.raised))
        if not np.isfinite(value):
            painter.setPen(QPen(QColor(theme.quiet), 1.5))
        painter.drawEllipse(at, size, size)
    painter.setBrush(Qt.BrushStyle.NoBrush)


def _paint_path(painter: QPainter, places: np.ndarray, view: View, pens: tuple[tuple[str, float], ...]) -> None:
    pixels = np.array([view.to_pixel(x, y) for x, y in places.tolist()], float)
    path = shapely.clip_by_rect(  # what lies far beyond the map takes long to draw
        shapely.linestrings(pixels), -RIM_PX, -RIM_PX, view.width + RIM_PX, view.height + RIM_PX
    )
    parts = [shapely.get_coordinates(part).tolist() for part in shapely.get_parts(path)]
    lines = [QPolygonF([QPointF(*each) for each in part]) for part in parts]
    painter.setRenderHint(QPainter.RenderHint.Antialiasing)
    painter.setBrush(Qt.BrushStyle.NoBrush)
    for colour, width in pens:
        painter.setPen(QPen(QColor(colour), width))
        for line in lines:
            painter.drawPolyline(line)
