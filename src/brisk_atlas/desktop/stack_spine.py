"""The spine: the open layers, top one first, one tile a layer."""

from __future__ import annotations

from dataclasses import replace
from typing import TYPE_CHECKING

from PyQt6.QtCore import QEvent, QModelIndex, QPersistentModelIndex, QPoint, QRect, QRectF, QSize, Qt, pyqtSignal
from PyQt6.QtGui import QColor, QFont, QImage, QKeyEvent, QLinearGradient, QMouseEvent, QPainter, QPen
from PyQt6.QtWidgets import (
    QAbstractItemView,
    QLineEdit,
    QListWidget,
    QListWidgetItem,
    QStyle,
    QStyledItemDelegate,
    QStyleOptionViewItem,
    QWidget,
)

from brisk_atlas.core.model import Layer

from .frame_image import image_of
from .icons import icon
from .plain_text import plain_tip
from .session import Session
from .theme import LIGHT, MONO, Theme

if TYPE_CHECKING:
    from brisk_atlas.core.draw.legend import Legend

WIDTH_PX, TILE_PX, THUMB = 204, 58, QSize(60, 44)
LEGEND_LINE_PX = 17
KIND_ICONS = {"vector": "polygon", "raster": "dots-nine", "pointcloud": "dots-six", "table": "table"}
LAYER_ID = Qt.ItemDataRole.UserRole


class StackSpine(QListWidget):
    """Tiles with a picture, a kind mark, an on/off dot, and the legend of the subject.

    Signals:
        subject_chosen(str): the id of the layer to speak of from now on.
        side_turned(str): a layer's curtain mark was clicked.
    """

    subject_chosen = pyqtSignal(str)
    side_turned = pyqtSignal(str)

    def __init__(self, session: Session) -> None:
        super().__init__()
        self.setObjectName("stack")
        self.setAccessibleName("Stack of layers")
        self.session = session
        self.theme: Theme = LIGHT
        self.thumbs: dict[str, tuple[tuple, QImage | None, Legend | None]] = {}
        self.setFixedWidth(WIDTH_PX)
        self.setDragDropMode(QAbstractItemView.DragDropMode.InternalMove)
        self.setDefaultDropAction(Qt.DropAction.MoveAction)
        self.setVerticalScrollMode(QAbstractItemView.ScrollMode.ScrollPerPixel)
        self.setHorizontalScrollBarPolicy(Qt.ScrollBarPolicy.ScrollBarAlwaysOff)
        self.setItemDelegate(_Tile(self))
        self._filling = False
        self.currentRowChanged.connect(self._chosen)
        model = self.model()
        assert model is not None
        model.rowsMoved.connect(self._moved)
        session.work_changed.connect(self._work_changed)
        session.prepared.connect(self._remake)

    def _work_changed(self, what: str) -> None:
        if what in ("layers", "subject", "curtain", "file"):
            self.fill()

    def _remake(self, source: object) -> None:
        """Make the tiles of a source anew, now that all of it can be seen."""
        for layer in self.session.work.layers:
            if layer.ref == source:
                self.thumbs.pop(layer.id, None)
        self.fill()

    def fill(self) -> None:
        """Show the layers of the work and make the pictures that are missing."""
        self._filling = True
        ids = [layer.id for layer in self.session.work.layers]
        shown = [self.item(i).data(LAYER_ID) for i in range(self.count())]  # type: ignore[union-attr]
        if ids != shown:
            self.clear()
            for layer in self.session.work.layers:
                item = QListWidgetItem()
                item.setData(LAYER_ID, layer.id)
                self.addItem(item)
        for i, layer in enumerate(self.session.work.layers):
            tile = self.item(i)
            assert tile is not None
            tile.setData(Qt.ItemDataRole.AccessibleTextRole, layer.name)
            tile.setToolTip(plain_tip(f"{layer.name}\n{layer.ref}"))
        subject = self.session.work.state.subject
        self.setCurrentRow(ids.index(subject) if subject in ids else -1)
        self._filling = False
        for layer in self.session.work.layers:
            self._picture(layer)
        self.scheduleDelayedItemsLayout()
        self._repaint()

    def _repaint(self) -> None:
        view = self.viewport()
        assert view is not None
        view.update()

    def show_limits(self, limits: dict[str, tuple[tuple[float, float], ...]]) -> None:
        """Let legends say between which values the colours of the last picture ran."""
        for layer_id, ends in limits.items():
            key, image, legend = self.thumbs.get(layer_id, (None, None, None))
            if key is not None and legend is not None and legend.ramp and len(ends) == 1:
                low, high = ends[0]
                if (legend.low, legend.high) != (low, high):
                    self.thumbs[layer_id] = (key, image, replace(legend, low=low, high=high))
                    self._repaint()

    def _picture(self, layer: Layer) -> None:
        key = (layer.ref, layer.style)
        held = self.thumbs.get(layer.id)
        if layer.style is None or (held is not None and held[0] == key):
            return
        self.thumbs[layer.id] = (key, held[1] if held else None, held[2] if held else None)

        def work(job: object) -> tuple:
            from brisk_atlas.core.draw import View
            from brisk_atlas.core.kinds import kind_of

            extent = self.session.cache.part(layer.ref).facts.extent
            legend = kind_of(layer.kind).legend(self.session.cache, layer)
            if extent is None:
                return None, legend
            view = View.fitting(extent, THUMB.width() * 2, THUMB.height() * 2, margin=0.02)
            return self.session.painter.frame([replace(layer, visible=True, opacity=1.0)], view), legend

        def done(made: tuple) -> None:
            frame, legend = made
            if self.thumbs.get(layer.id, (None,))[0] == key:
                self.thumbs[layer.id] = (key, image_of(frame) if frame else None, legend)
                self.scheduleDelayedItemsLayout()
                self._repaint()

        self.session.run("Tile", work, done, shown=False, failed=lambda error: None)  # the map says what is wrong

    def _chosen(self, row: int) -> None:
        item = self.item(row)
        if item is not None and not self._filling:
            self.subject_chosen.emit(item.data(LAYER_ID))

    def take_at(self, at: QPoint) -> None:
        """Make the layer at a point the subject."""
        item = self.itemAt(at)
        if item is not None:
            self.setCurrentItem(item)

    def begin_rename(self) -> None:
        """Type the subject's name on its tile; Return takes it, Escape leaves it."""
        item, subject = self.currentItem(), self.session.work.subject
        if item is None or subject is None:
            return
        self.scrollToItem(item)
        tile = self.visualItemRect(item).adjusted(4, 3, -4, -3)
        line = NameLine(subject.name, self.viewport())
        line.setGeometry(tile.left() + THUMB.width() + 9, tile.top() + 3, tile.width() - THUMB.width() - 12, 24)
        line.named.connect(lambda name, layer_id=subject.id: self.session.work.rename(layer_id, name))
        line.show()
        line.setFocus()

    def _moved(self) -> None:
        self.session.work.reorder([self.item(i).data(LAYER_ID) for i in range(self.count())])  # type: ignore[union-attr]

    def keyPressEvent(self, event: QKeyEvent | None) -> None:
        assert event is not None
        subject = self.session.work.subject
        if subject and event.key() == Qt.Key.Key_Space:
            self.session.work.change("show or hide", subject.id, visible=not subject.visible)
        elif subject and event.key() == Qt.Key.Key_F2:
            self.begin_rename()
        elif (
            subject
            and event.key() in (Qt.Key.Key_Up, Qt.Key.Key_Down)
            and event.modifiers() & Qt.KeyboardModifier.AltModifier
        ):
            self.session.work.move(subject.id, -1 if event.key() == Qt.Key.Key_Up else 1)
        else:
            super().keyPressEvent(event)


class NameLine(QLineEdit):
    """A name that is typed over what is there.

    Signals:
        named(str): it was taken.
    """

    named = pyqtSignal(str)

    def __init__(self, name: str, parent: QWidget | None) -> None:
        super().__init__(name, parent)
        self.setObjectName("layer name")
        self.selectAll()
        self.returnPressed.connect(lambda: self.named.emit(self.text()))
        self.editingFinished.connect(self._end)

    def _end(self) -> None:
        self.hide()
        self.deleteLater()

    def keyPressEvent(self, event: QKeyEvent | None) -> None:
        assert event is not None
        if event.key() == Qt.Key.Key_Escape:
            self.blockSignals(True)
            self._end()
        else:
            super().keyPressEvent(event)


class _Tile(QStyledItemDelegate):
    """Paints one tile and takes clicks on its dot and its curtain mark."""

    def __init__(self, spine: StackSpine) -> None:
        super().__init__(spine)
        self.spine = spine

    def _layer(self, index: QModelIndex | QPersistentModelIndex) -> Layer | None:
        return self.spine.session.work.layer(index.data(LAYER_ID))

    def _legend(self, layer: Layer) -> Legend | None:
        held = self.spine.thumbs.get(layer.id)
        return held[2] if held and layer.id == self.spine.session.work.state.subject else None

    def sizeHint(self, option: QStyleOptionViewItem, index: QModelIndex) -> QSize:
        layer = self._layer(index)
        legend = self._legend(layer) if layer else None
        more = 0
        if legend:
            more = (
                (34 if legend.ramp else 0)
                + LEGEND_LINE_PX * len(legend.entries)
                + (LEGEND_LINE_PX if legend.title else 0)
                + 6
            )
        return QSize(WIDTH_PX - 14, TILE_PX + more)

    @staticmethod
    def dot_rect(tile: QRect) -> QRect:
        return QRect(tile.right() - 24, tile.top() + 8, 18, 18)

    @staticmethod
    def side_rect(tile: QRect) -> QRect:
        return QRect(tile.right() - 24, tile.top() + 31, 18, 18)

    def _side(self, layer: Layer) -> str | None:
        curtain = self.spine.session.work.state.curtain
        return None if curtain is None else "A" if layer.id in curtain[0] else "B" if layer.id in curtain[1] else "AB"

    def paint(self, painter: QPainter | None, option: QStyleOptionViewItem, index: QModelIndex) -> None:
        layer, theme = self._layer(index), self.spine.theme
        if layer is None or painter is None:
            return
        tile = option.rect.adjusted(4, 3, -4, -3)
        painter.save()
        painter.setRenderHint(QPainter.RenderHint.Antialiasing)
        subject = layer.id == self.spine.session.work.state.subject
        painter.setPen(QPen(QColor(theme.accent if subject else theme.rule), 1.5 if subject else 1))
        painter.setBrush(QColor(theme.raised if not subject else theme.wash))
        painter.drawRoundedRect(QRectF(tile), 4, 4)
        if subject and option.state & QStyle.StateFlag.State_HasFocus:
            painter.setPen(QPen(QColor(theme.second), 1, Qt.PenStyle.DotLine))
            painter.drawRoundedRect(QRectF(tile.adjusted(2, 2, -2, -2)), 3, 3)
        picture = QRect(tile.left() + 5, tile.top() + 4, THUMB.width(), THUMB.height())
        painter.fillRect(picture, QColor(LIGHT.paper))  # by night too: layers are made to be seen on it
        held = self.spine.thumbs.get(layer.id)
        painter.setOpacity(1.0 if layer.visible else 0.35)
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
        painter.drawText(
            QRect(left + 18, tile.top() + 26, 86, 20),
            Qt.AlignmentFlag.AlignVCenter,
            layer.kind.replace("pointcloud", "points") + share,
        )
        painter.setOpacity(1.0)
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
        from brisk_atlas.core.draw.ramps import ramp
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
            strip = QLinearGradient(box.left(), 0, box.right(), 0)
            colours = ramp(legend.ramp)
            for i in range(0, 256, 15):
                strip.setColorAt(i / 255, QColor(*map(int, colours[i])))
            painter.fillRect(QRect(box.left(), top + 2, box.width(), 10), strip)
            font = QFont(MONO)
            font.setPixelSize(11)
            painter.setFont(font)
            painter.setPen(QColor(theme.ink))
            ends = QRect(box.left(), top + 14, box.width(), 16)
            for value, side in ((legend.low, Qt.AlignmentFlag.AlignLeft), (legend.high, Qt.AlignmentFlag.AlignRight)):
                text = f"{value:.0f}" if legend.plain else number_text(float(f"{value:.4g}"))
                painter.drawText(ends, side, text)
            top += 34
        for colour, text in legend.entries:
            painter.fillRect(QRect(box.left(), top + 4, 12, 10), QColor(colour))
            painter.setPen(QColor(theme.ink))
            line = QRect(box.left() + 18, top, box.width() - 18, LEGEND_LINE_PX)
            painter.drawText(
                line,
                Qt.AlignmentFlag.AlignVCenter,
                painter.fontMetrics().elidedText(text, Qt.TextElideMode.ElideRight, line.width()),
            )
            top += LEGEND_LINE_PX

    def editorEvent(
        self, event: QEvent | None, model: object, option: QStyleOptionViewItem, index: QModelIndex
    ) -> bool:
        layer = self._layer(index)
        if layer is None or not isinstance(event, QMouseEvent) or event.type() != QEvent.Type.MouseButtonRelease:
            return False
        tile, at = option.rect.adjusted(4, 3, -4, -3), event.position().toPoint()
        if layer.style is not None and self.dot_rect(tile).contains(at):
            self.spine.session.work.change("show or hide", layer.id, visible=not layer.visible)
            return True
        if self._side(layer) and self.side_rect(tile).contains(at):
            self.spine.side_turned.emit(layer.id)
            return True
        return False
