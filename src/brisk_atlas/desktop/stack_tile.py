"""How the lines of the stack are painted: a tile for a layer, a head for a group."""

from __future__ import annotations

from typing import TYPE_CHECKING, NamedTuple

from PyQt6.QtCore import QEvent, QModelIndex, QPersistentModelIndex, QPoint, QRect, QRectF, QSize, Qt, pyqtSignal
from PyQt6.QtGui import QColor, QFont, QImage, QMouseEvent, QPainter, QPen
from PyQt6.QtWidgets import QStyle, QStyledItemDelegate, QStyleOptionViewItem

from brisk_atlas.core.model import DataKind, Layer
from brisk_atlas.core.model.vocabulary import shown
from brisk_atlas.core.workspace.comparison import SIDE_NAMES
from brisk_atlas.core.workspace.groups import Group, ancestors, as_drawn, layers_in
from brisk_atlas.core.workspace.source_watch import SourceState

from .frame_image import picture_of, ramp_strip
from .icons import icon
from .session import Session
from .theme import LIGHT, MONO, Theme

if TYPE_CHECKING:
    import numpy as np

    from brisk_atlas.core.draw.legend import Legend

    TilePicture = tuple[tuple, QImage | None, Legend | None]  # what it was made for, the picture and the legend

WIDTH_PX, TILE_PX, GROUP_PX, THUMB = 204, 58, 30, QSize(60, 44)
INDENT_PX, ARROW_PX = 10, 20
LEGEND_LINE_PX, LEGEND_MAX_PX, SWATCH = 17, 320, QSize(22, 14)
KIND_ICONS = {"vector": "polygon", "raster": "dots-nine", "pointcloud": "dots-six", "table": "table"}
STATE_ICONS = {SourceState.MISSING: "link-break", SourceState.CHANGED: "arrows-clockwise"}
LAYER_ID = Qt.ItemDataRole.UserRole


class LegendSpot(NamedTuple):
    """What of a legend lies under the pointer: the `swatch` or the `text` of an entry, or the `low` or `high` end of a
    ramp; `rect` is where another text can be typed."""

    what: str
    text: str
    rect: QRect


def legend_picture_size(picture: np.ndarray) -> QSize:
    """Return how large the picture of a legend from a server is drawn in a tile."""
    size = QSize(picture.shape[1], picture.shape[0])
    room = QSize(WIDTH_PX - 40, LEGEND_MAX_PX)
    if size.width() <= room.width() and size.height() <= room.height():
        return size
    return size.scaled(room, Qt.AspectRatioMode.KeepAspectRatio)


class StackTile(QStyledItemDelegate):
    """Paints the lines of the stack: tiles of layers and the heads of groups. Takes clicks on what stands on them.

    Signals:
        shown_turned(str): the dot of a layer or a group was clicked.
        side_turned(str): the mark of a layer's side was clicked.
        fold_turned(str): a group's head was clicked at its arrow.
        class_turned(str, str): a class of a layer's legend was clicked.
        legend_edited(str, object): something of a layer's legend is to be changed, as a LegendSpot.
    """

    shown_turned = pyqtSignal(str)
    side_turned = pyqtSignal(str)
    fold_turned = pyqtSignal(str)
    class_turned = pyqtSignal(str, str)
    legend_edited = pyqtSignal(str, object)

    def __init__(self, session: Session, tiles: dict[str, TilePicture]) -> None:
        super().__init__()
        self.session, self.tiles = session, tiles
        self.theme: Theme = LIGHT
        self.depths: dict[str, int] = {}
        self.states: dict[str, SourceState] = {}

    def _group(self, index: QModelIndex | QPersistentModelIndex) -> Group | None:
        return self.session.work.group(index.data(LAYER_ID))

    def _layer(self, index: QModelIndex | QPersistentModelIndex) -> Layer | None:
        return self.session.work.layer(index.data(LAYER_ID))

    def _legend(self, layer: Layer) -> Legend | None:
        held = self.tiles.get(layer.id)
        return held[2] if held and layer.id == self.session.work.state.subject else None

    def sizeHint(self, option: QStyleOptionViewItem, index: QModelIndex) -> QSize:
        layer = self._layer(index)
        if layer is None:
            return QSize(WIDTH_PX - 14, GROUP_PX)
        legend = self._legend(layer)
        more = 0
        if legend:
            more = (
                (34 if legend.ramp else 0)
                + LEGEND_LINE_PX * (len(legend.entries) + len(legend.sizes))
                + (LEGEND_LINE_PX if legend.title else 0)
                + (legend_picture_size(legend.picture).height() if legend.picture is not None else 0)
                + 6
            )
        return QSize(WIDTH_PX - 14, TILE_PX + more)

    def tile_rect(self, rect: QRect, row_id: str) -> QRect:
        """Return where the tile of a line is drawn: further in, the deeper it lies."""
        return rect.adjusted(4 + INDENT_PX * self.depths.get(row_id, 0), 3, -4, -3)

    @staticmethod
    def group_dot_rect(head: QRect) -> QRect:
        return QRect(head.right() - 24, head.top() + 3, 18, 18)

    def _marks(self, layer: Layer) -> list[tuple[str, str]]:
        """Return the icons that say more of a layer, with their colours."""
        state = self.states.get(layer.id, SourceState.AS_READ)
        marks = [] if state is SourceState.AS_READ else [(STATE_ICONS[state], self.theme.caution)]
        marks += [("lock-simple", self.theme.quiet)] if layer.locked else []
        return marks + ([("note", self.theme.quiet)] if layer.note else [])

    def _paint_group(self, painter: QPainter, group: Group, option: QStyleOptionViewItem) -> None:
        theme, head = self.theme, self.tile_rect(option.rect, group.id)
        painter.save()
        painter.setRenderHint(QPainter.RenderHint.Antialiasing)
        if option.state & QStyle.StateFlag.State_Selected:
            theme = theme.on_wash
            painter.setPen(Qt.PenStyle.NoPen)
            painter.setBrush(QColor(theme.wash))
            painter.drawRoundedRect(QRectF(head), 4, 4)
        if option.state & QStyle.StateFlag.State_HasFocus:
            painter.setPen(QPen(QColor(theme.second), 1, Qt.PenStyle.DotLine))
            painter.setBrush(Qt.BrushStyle.NoBrush)
            painter.drawRoundedRect(QRectF(head), 3, 3)
        icon("caret-right" if group.folded else "caret-down", theme.ink, 14).paint(
            painter, QRect(head.left() + 3, head.top() + 5, 14, 14)
        )
        font = QFont(option.font)
        font.setWeight(QFont.Weight.DemiBold)
        painter.setFont(font)
        shown = all(each.visible for each in ancestors(self.session.work.state.groups, group.id))
        painter.setPen(QColor(theme.ink if shown else theme.quiet))
        count = len(layers_in(self.session.work.layers, self.session.work.state.groups, group.id))
        more = f"  {count}" + ("" if group.opacity >= 1 else f" · {group.opacity:.0%}")
        metrics = painter.fontMetrics()
        room = head.width() - ARROW_PX - 28 - metrics.horizontalAdvance(more)
        name = metrics.elidedText(group.name, Qt.TextElideMode.ElideMiddle, room)
        line = QRect(head.left() + ARROW_PX, head.top(), head.width(), head.height())
        painter.drawText(line, Qt.AlignmentFlag.AlignVCenter, name)
        painter.setFont(option.font)
        painter.setPen(QColor(theme.quiet))
        painter.drawText(line.adjusted(metrics.horizontalAdvance(name), 0, 0, 0), Qt.AlignmentFlag.AlignVCenter, more)
        painter.setPen(QPen(QColor(theme.second), 1.5))
        painter.setBrush(QColor(theme.second) if group.visible else Qt.BrushStyle.NoBrush)
        painter.drawEllipse(QRectF(self.group_dot_rect(head)).center(), 5, 5)
        painter.restore()

    @staticmethod
    def dot_rect(tile: QRect) -> QRect:
        return QRect(tile.right() - 24, tile.top() + 8, 18, 18)

    @staticmethod
    def side_rect(tile: QRect) -> QRect:
        return QRect(tile.right() - 24, tile.top() + 31, 18, 18)

    def _side(self, layer: Layer) -> str | None:
        comparison = self.session.work.state.comparison
        if comparison is None:
            return None
        number = comparison.side_of(layer.id)
        return SIDE_NAMES[number] if number is not None else SIDE_NAMES[: len(comparison.sides)]

    def paint(self, painter: QPainter | None, option: QStyleOptionViewItem, index: QModelIndex) -> None:
        layer, group, theme = self._layer(index), self._group(index), self.theme
        if painter is None:
            return
        if group is not None:
            self._paint_group(painter, group, option)
        if layer is None:
            return
        tile = self.tile_rect(option.rect, layer.id)
        painter.save()
        painter.setLayoutDirection(Qt.LayoutDirection.LeftToRight)  # else the ends of a scale change places
        painter.setRenderHint(QPainter.RenderHint.Antialiasing)
        subject = layer.id == self.session.work.state.subject
        chosen = bool(option.state & QStyle.StateFlag.State_Selected)
        theme = theme.on_wash if subject or chosen else theme
        painter.setPen(QPen(QColor(theme.accent if subject else theme.rule), 1.5 if subject else 1))
        painter.setBrush(QColor(theme.wash if subject or chosen else theme.raised))
        painter.drawRoundedRect(QRectF(tile), 4, 4)
        if subject and option.state & QStyle.StateFlag.State_HasFocus:
            painter.setPen(QPen(QColor(theme.second), 1, Qt.PenStyle.DotLine))
            painter.drawRoundedRect(QRectF(tile.adjusted(2, 2, -2, -2)), 3, 3)
        picture = QRect(tile.left() + 5, tile.top() + 4, THUMB.width(), THUMB.height())
        painter.fillRect(picture, QColor(LIGHT.paper))  # by night too: layers are made to be seen on it
        held = self.tiles.get(layer.id)
        painter.setOpacity(1.0 if as_drawn(layer, self.session.work.state.groups).visible else 0.35)
        if held and held[1]:
            painter.drawImage(picture, held[1])
        mark = icon(KIND_ICONS.get(layer.kind, "file"), theme.quiet, 14)
        if not (held and held[1]):
            icon(KIND_ICONS.get(layer.kind, "file"), LIGHT.quiet, 24).paint(painter, picture)
        left = picture.right() + 8
        room = QRect(left, tile.top() + 5, tile.right() - left - 26, 20)
        painter.setPen(QColor(theme.ink))
        font = QFont(option.font)
        font.setWeight(QFont.Weight.DemiBold if subject else QFont.Weight.Normal)
        painter.setFont(font)
        name = painter.fontMetrics().elidedText(layer.name, Qt.TextElideMode.ElideMiddle, room.width())
        painter.drawText(room, Qt.AlignmentFlag.AlignVCenter | Qt.AlignmentFlag.AlignLeft, name)
        mark.paint(painter, QRect(left, tile.top() + 30, 14, 14))
        painter.setFont(option.font)
        painter.setPen(QColor(theme.quiet))
        share = "" if layer.opacity >= 1 else f"  {layer.opacity:.0%}"
        words = shown("points" if layer.kind is DataKind.POINTCLOUD else layer.kind) + share
        painter.drawText(QRect(left + 18, tile.top() + 26, 86, 20), Qt.AlignmentFlag.AlignVCenter, words)
        painter.setOpacity(1.0)
        at = left + 22 + painter.fontMetrics().horizontalAdvance(words)
        for name, ink in self._marks(layer):
            icon(name, ink, 14).paint(painter, QRect(at, tile.top() + 30, 14, 14))
            at += 16
        self._paint_dot(painter, layer, self.dot_rect(tile), theme)
        side = self._side(layer)
        if side:
            self._paint_side(painter, side, self.side_rect(tile), theme)
        legend = self._legend(layer)
        if legend:
            self._paint_legend(
                painter,
                legend,
                QRect(tile.left() + 8, tile.top() + TILE_PX - 6, tile.width() - 16, tile.height()),
                theme,
            )
        painter.restore()

    @staticmethod
    def _paint_dot(painter: QPainter, layer: Layer, box: QRect, theme: Theme) -> None:
        if layer.style is None:
            return
        painter.setPen(QPen(QColor(theme.second), 1.5))
        painter.setBrush(QColor(theme.second) if layer.visible else Qt.BrushStyle.NoBrush)
        painter.drawEllipse(QRectF(box).center(), 5, 5)

    @staticmethod
    def _paint_side(painter: QPainter, side: str, box: QRect, theme: Theme) -> None:
        painter.setPen(QPen(QColor(theme.accent if side != "AB" else theme.rule), 1))
        painter.setBrush(QColor(theme.accent) if side == "B" else QColor(theme.raised))
        painter.drawRoundedRect(QRectF(box), 3, 3)
        painter.setPen(QColor(theme.on_accent if side == "B" else theme.accent if side == "A" else theme.quiet))
        font = QFont(painter.font())
        font.setPixelSize(9 if side == "AB" else 12)
        painter.setFont(font)
        painter.drawText(box, Qt.AlignmentFlag.AlignCenter, side)

    @staticmethod
    def _paint_legend(painter: QPainter, legend: Legend, box: QRect, theme: Theme) -> None:
        from brisk_atlas.core.model import number_text

        top = box.top()
        painter.setPen(QColor(theme.quiet))
        if legend.title:
            unit = f", {legend.unit}" if legend.unit else ""  # it stays whole
            metrics = painter.fontMetrics()
            left = box.width() - metrics.horizontalAdvance(unit)
            title = metrics.elidedText(legend.title, Qt.TextElideMode.ElideMiddle, left) + unit
            painter.drawText(QRect(box.left(), top, box.width(), LEGEND_LINE_PX), Qt.AlignmentFlag.AlignVCenter, title)
            top += LEGEND_LINE_PX
        if legend.ramp:
            painter.drawImage(QRect(box.left(), top + 2, box.width(), 10), ramp_strip(legend.ramp))
            font = QFont(MONO)
            font.setPixelSize(11)
            painter.setFont(font)
            painter.setPen(QColor(theme.ink))
            ends = QRect(box.left(), top + 14, box.width(), 16)
            for value, side in ((legend.low, Qt.AlignmentFlag.AlignLeft), (legend.high, Qt.AlignmentFlag.AlignRight)):
                text = f"{value:.0f}" if legend.plain else number_text(float(f"{value:.4g}"))
                painter.drawText(ends, side, text)
            top += 34
        for number, (colour, text) in enumerate(legend.entries):
            off = legend.hidden is not None and text in legend.hidden
            painter.setOpacity(0.35 if off else 1.0)
            spot = QRect(box.left(), top + 1, SWATCH.width(), SWATCH.height())
            if number < len(legend.swatches):
                painter.fillRect(spot, QColor(LIGHT.paper))
                painter.drawImage(spot, picture_of(legend.swatches[number].beside_entry))
            else:
                painter.fillRect(QRect(box.left(), top + 4, 12, 10), QColor(colour))
            painter.setPen(QColor(theme.ink))
            indent = SWATCH.width() + 6 if legend.swatches else 18
            line = QRect(box.left() + indent, top, box.width() - indent, LEGEND_LINE_PX)
            painter.drawText(
                line,
                Qt.AlignmentFlag.AlignVCenter,
                painter.fontMetrics().elidedText(legend.name_of(text), Qt.TextElideMode.ElideRight, line.width()),
            )
            top += LEGEND_LINE_PX
        painter.setOpacity(1.0)
        if legend.picture is not None:
            spot = QRect(box.topLeft(), legend_picture_size(legend.picture))
            spot.moveTop(top)
            painter.fillRect(spot, QColor(LIGHT.raised))  # servers draw legends for white paper
            painter.setRenderHint(QPainter.RenderHint.SmoothPixmapTransform)
            painter.drawImage(spot, picture_of(legend.picture))
        for text, swatch in legend.sizes:
            spot = QRect(box.left(), top + 1, SWATCH.width(), SWATCH.height())
            painter.fillRect(spot, QColor(LIGHT.paper))
            painter.drawImage(spot, picture_of(swatch.beside_entry))
            line = QRect(spot.right() + 6, top, box.width() - SWATCH.width() - 6, LEGEND_LINE_PX)
            elided = painter.fontMetrics().elidedText(text, Qt.TextElideMode.ElideMiddle, line.width())
            painter.drawText(line, Qt.AlignmentFlag.AlignVCenter, elided)
            top += LEGEND_LINE_PX

    def spot_at(self, tile: QRect, at: QPoint, legend: Legend) -> LegendSpot | None:
        """Return what of the legend lies at a point of a tile, None for nothing that can be changed."""
        left, width = tile.left() + 8, tile.width() - 16
        top = tile.top() + TILE_PX - 6 + (LEGEND_LINE_PX if legend.title else 0)
        if legend.ramp:
            if top + 12 <= at.y() < top + 30 and left <= at.x() < left + width:
                high = at.x() > left + width // 2
                half = QRect(left + (width // 2 if high else 0), top + 12, width // 2, 18)
                return LegendSpot("high" if high else "low", "", half)
            top += 34
        number = (at.y() - top) // LEGEND_LINE_PX
        if at.y() < top or number >= len(legend.entries):
            return None
        indent = SWATCH.width() + 6 if legend.swatches else 18
        line = QRect(left + indent, top + number * LEGEND_LINE_PX, width - indent, LEGEND_LINE_PX)
        return LegendSpot("text" if at.x() >= line.left() else "swatch", legend.entries[number][1], line)

    def editorEvent(
        self, event: QEvent | None, model: object, option: QStyleOptionViewItem, index: QModelIndex
    ) -> bool:
        layer, group = self._layer(index), self._group(index)
        twice = event is not None and event.type() == QEvent.Type.MouseButtonDblClick
        if not isinstance(event, QMouseEvent) or not (twice or event.type() == QEvent.Type.MouseButtonRelease):
            return False
        if event.button() != Qt.MouseButton.LeftButton or (twice and (group is not None or layer is None)):
            return False
        if group is not None:
            head, point = self.tile_rect(option.rect, group.id), event.position().toPoint()
            if self.group_dot_rect(head).contains(point):
                self.shown_turned.emit(group.id)
            elif point.x() < head.left() + ARROW_PX:
                self.fold_turned.emit(group.id)
            else:
                return False
            return True
        if layer is None:
            return False
        tile, at = self.tile_rect(option.rect, layer.id), event.position().toPoint()
        if not twice and layer.style is not None and self.dot_rect(tile).contains(at):
            self.shown_turned.emit(layer.id)
            return True
        if not twice and self._side(layer) and self.side_rect(tile).contains(at):
            self.side_turned.emit(layer.id)
            return True
        legend = self._legend(layer)
        spot = self.spot_at(tile, at, legend) if legend else None
        if spot is None or legend is None:
            return False
        return self._legend_clicked(layer, legend, spot, twice=twice)

    def _legend_clicked(self, layer: Layer, legend: Legend, spot: LegendSpot, *, twice: bool) -> bool:
        if twice or (spot.what == "swatch" and legend.swatches):
            self.legend_edited.emit(layer.id, spot)
        elif spot.what == "text" and legend.hidden is not None:
            self.class_turned.emit(layer.id, spot.text)
        else:
            return False
        return True
