"""The spine: the open layers, top one first, one tile a layer, groups with heads."""

from __future__ import annotations

from dataclasses import replace
from math import isfinite
from typing import TYPE_CHECKING

from PyQt6.QtCore import QItemSelectionModel, QPoint, Qt, pyqtSignal
from PyQt6.QtGui import QDropEvent, QImage, QKeyEvent
from PyQt6.QtWidgets import QAbstractItemView, QListWidget, QListWidgetItem

from brisk_atlas.core.model import Layer
from brisk_atlas.core.model.language import tr
from brisk_atlas.core.workspace.source_watch import SourceState

from .frame_image import image_of
from .name_line import NameLine
from .plain_text import plain_tip
from .session import Session
from .stack_tile import LAYER_ID, THUMB, WIDTH_PX, LegendSpot, StackTile
from .theme import Theme

if TYPE_CHECKING:
    from brisk_atlas.core.draw.legend import Legend

    from .legend_edit import LegendEdit

STATE_WORDS = {
    SourceState.AS_READ: "",
    SourceState.CHANGED: tr("changed on the disk since it was read"),
    SourceState.MISSING: tr("moved or gone: its file is not there any more"),
}


class StackSpine(QListWidget):
    """Tiles with a picture, a kind mark, an on/off dot, and the legend of the subject. Several can be chosen.

    Signals:
        subject_chosen(str): the id of the layer to speak of from now on.
        side_turned(str): the mark of a layer's side was clicked.
    """

    subject_chosen = pyqtSignal(str)
    side_turned = pyqtSignal(str)

    def __init__(self, session: Session) -> None:
        super().__init__()
        self.setObjectName("stack")
        self.setAccessibleName(tr("Stack of layers"))
        self.session = session
        self.thumbs: dict[str, tuple[tuple, QImage | None, Legend | None]] = {}
        self.tile = StackTile(session, self.thumbs)
        self.words = ""  # of the filter, lower case
        self.setFixedWidth(WIDTH_PX)
        self.setSelectionMode(QAbstractItemView.SelectionMode.ExtendedSelection)
        self.setDragDropMode(QAbstractItemView.DragDropMode.InternalMove)
        self.setDefaultDropAction(Qt.DropAction.MoveAction)
        self.setVerticalScrollMode(QAbstractItemView.ScrollMode.ScrollPerPixel)
        self.setHorizontalScrollBarPolicy(Qt.ScrollBarPolicy.ScrollBarAlwaysOff)
        self.setItemDelegate(self.tile)
        self._filling = False
        self._legend_edit: LegendEdit | None = None
        self.spot: tuple[str, LegendSpot] | None = None  # the entry of a legend at which the menu was opened
        self.currentRowChanged.connect(self._chosen)
        self.itemSelectionChanged.connect(self._choice_changed)
        self.tile.shown_turned.connect(lambda row_id: session.work.show_or_hide({row_id}))
        self.tile.side_turned.connect(self.side_turned)
        self.tile.fold_turned.connect(self.turn_fold)
        self.tile.class_turned.connect(lambda layer_id, text: self.legend_edit.turn_class(layer_id, text))
        self.tile.legend_edited.connect(self._edit_clicked)
        session.work_changed.connect(self._work_changed)
        session.prepared.connect(self._remake)
        session.sources_checked.connect(self._show_states)

    @property
    def theme(self) -> Theme:
        return self.tile.theme

    @theme.setter
    def theme(self, theme: Theme) -> None:
        self.tile.theme = theme
        self._repaint()

    def _work_changed(self, what: str) -> None:
        if what == "subject":
            self._filling = True
            self._make_current([self._id(i) for i in range(self.count())])
            self._filling = False
            self.scheduleDelayedItemsLayout()  # the subject's tile has its legend below it
            self._repaint()
        elif what in ("layers", "comparison", "file"):
            self.fill()

    def _remake(self, source: object) -> None:
        """Make the tiles of a source anew, now that all of it can be seen."""
        for layer in self.session.work.layers:
            if layer.ref == source:
                self.thumbs.pop(layer.id, None)
        self.fill()

    def fill(self) -> None:
        """Show the lines of the work's stack and make the pictures that are missing."""
        self._filling = True
        work = self.session.work
        rows = [row for row in work.rows if not row.hidden or self.words]
        self.tile.depths = {row.id: 0 if self.words else row.depth for row in rows}
        ids = [row.id for row in rows]
        if ids != [self._id(i) for i in range(self.count())]:
            chosen, current = set(work.chosen), self._id(self.currentRow())
            self.clear()
            for row_id in ids:
                item = QListWidgetItem()
                item.setData(LAYER_ID, row_id)
                self.addItem(item)
                item.setSelected(row_id in chosen)
            if current in ids:
                self.setCurrentRow(ids.index(current), QItemSelectionModel.SelectionFlag.NoUpdate)
        for i, row in enumerate(rows):
            tile = self.item(i)
            assert tile is not None
            layer, group = work.layer(row.id), work.group(row.id)
            name = layer.name if layer is not None else group.name if group is not None else ""
            tile.setData(Qt.ItemDataRole.AccessibleTextRole, name)
            tile.setToolTip(
                plain_tip(self._tip(layer) if layer is not None else tr("{name}\na group of layers", name=name))
            )
            tile.setHidden(bool(self.words) and (layer is None or self.words not in name.lower()))
        self._make_current(ids)
        self._filling = False
        for layer in work.layers:
            self._picture(layer)
        self.scheduleDelayedItemsLayout()
        self._repaint()

    def _make_current(self, ids: list[str]) -> None:
        """Put the keyboard's place on the subject, and choose it unless several are chosen or a group is."""
        work, current = self.session.work, self.currentItem()
        here = current.data(LAYER_ID) if current is not None else None
        subject = work.state.subject
        if here is not None and work.group(here) is not None and here in work.chosen:
            return
        if subject in ids and (here != subject or not self.selectedItems()):
            several = len(work.chosen) > 1 and subject in work.chosen
            keep, alone = QItemSelectionModel.SelectionFlag.Select, QItemSelectionModel.SelectionFlag.ClearAndSelect
            self.setCurrentRow(ids.index(subject), keep if several else alone)
            if not several:
                work.choose_rows([subject])

    def _id(self, row: int) -> str:
        item = self.item(row)
        return str(item.data(LAYER_ID)) if item is not None else ""

    def _tip(self, layer: Layer) -> str:
        """Return what is said of a layer when the pointer rests on it."""
        state = STATE_WORDS[self.tile.states.get(layer.id, SourceState.AS_READ)]
        lines = [layer.name, str(layer.ref), state, layer.note]
        if layer.scales is not None:
            closest, farthest = layer.scales
            lines.append(tr("drawn from 1:{closest:,.0f}", closest=closest) if closest else tr("drawn from close by"))
            lines[-1] += (
                tr(" to 1:{farthest:,.0f}", farthest=farthest) if isfinite(farthest) else tr(" to any distance")
            )
        return "\n".join(line for line in lines if line)

    def _show_states(self, states: dict[str, SourceState]) -> None:
        if states != self.tile.states:
            self.tile.states = states
            self.fill()

    def filter(self, text: str) -> None:
        """Show only the layers whose names hold a text, all for an empty one."""
        self.words = text.strip().lower()
        self.fill()

    def _repaint(self) -> None:
        view = self.viewport()
        assert view is not None
        view.update()

    def _repaint_tile(self, layer_id: str) -> None:
        """Paint one tile; where it is that of the subject, whose legend may have grown, all of them."""
        if layer_id == self.session.work.state.subject:
            self.scheduleDelayedItemsLayout()
            self._repaint()
            return
        for row in range(self.count()):
            if self._id(row) == layer_id:
                self.update(self.indexFromItem(self.item(row)))

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
            from brisk_atlas.core.draw.whole_frame import whole_frame
            from brisk_atlas.core.kinds import kind_of

            extent = self.session.cache.part(layer.ref).facts.extent
            legend = kind_of(layer.kind).legend(self.session.cache, layer)
            if extent is None:
                return None, legend
            view = View.fitting(extent, THUMB.width() * 2, THUMB.height() * 2, margin=0.02)
            return whole_frame(self.session.painter, [replace(layer, visible=True, opacity=1.0)], view), legend

        def done(made: tuple) -> None:
            frame, legend = made
            if self.thumbs.get(layer.id, (None,))[0] == key:
                self.thumbs[layer.id] = (key, image_of(frame) if frame else None, legend)
                self._repaint_tile(layer.id)

        self.session.run(tr("Tile"), work, done, shown=False, failed=lambda error: None)  # the map says what is wrong

    def _chosen(self, row: int) -> None:
        item = self.item(row)
        if item is not None and not self._filling and self.session.work.layer(item.data(LAYER_ID)) is not None:
            self.subject_chosen.emit(item.data(LAYER_ID))

    def _choice_changed(self) -> None:
        if not self._filling:
            self.session.work.choose_rows([item.data(LAYER_ID) for item in self.selectedItems()])

    def take_at(self, at: QPoint) -> None:
        """Choose the line at a point, unless it is among those chosen, and note what of its legend lies there."""
        item = self.itemAt(at)
        self.spot = self._legend_spot(item, at) if item is not None else None
        if item is not None and not item.isSelected():
            self.setCurrentItem(item)

    def _legend_spot(self, item: QListWidgetItem, at: QPoint) -> tuple[str, LegendSpot] | None:
        layer_id = str(item.data(LAYER_ID))
        held = self.thumbs.get(layer_id)
        if layer_id != self.session.work.state.subject or held is None or held[2] is None or not held[2].swatches:
            return None
        spot = self.tile.spot_at(self.tile.tile_rect(self.visualItemRect(item), layer_id), at, held[2])
        return (layer_id, spot) if spot is not None and spot.text else None

    def turn_fold(self, group_id: str) -> None:
        """Fold a group, or unfold it."""
        group = self.session.work.group(group_id)
        if group is not None:
            self.session.work.change_group(
                tr("fold") if not group.folded else tr("unfold"), group_id, folded=not group.folded
            )

    @property
    def legend_edit(self) -> LegendEdit:
        """What takes changes of legends; it is made when the first one is wanted."""
        if self._legend_edit is None:
            from .legend_edit import LegendEdit

            view = self.viewport()
            assert view is not None
            self._legend_edit = LegendEdit(self.session, view)
        return self._legend_edit

    def edit_legend(self, layer_id: str, spot: LegendSpot) -> None:
        """Begin to change what of a layer's legend lies at a spot."""
        layer, held = self.session.work.layer(layer_id), self.thumbs.get(layer_id)
        if layer is not None and held is not None and held[2] is not None:
            self.legend_edit.edit(layer, held[2], spot)

    def _edit_clicked(self, layer_id: str, spot: LegendSpot) -> None:
        if spot.what == "text":
            self.legend_edit.take_back_switch()
        self.edit_legend(layer_id, spot)

    @property
    def can_turn_class(self) -> bool:
        """Whether the entry at which the menu was opened can be switched off."""
        held = self.thumbs.get(self.spot[0]) if self.spot is not None else None
        return held is not None and held[2] is not None and held[2].hidden is not None

    def edit_class(self, what: str) -> None:
        """Begin to change the `swatch` or the `text` of the legend's entry at which the menu was opened."""
        if self.spot is not None:
            self.edit_legend(self.spot[0], self.spot[1]._replace(what=what))

    def begin_rename(self) -> None:
        """Type the name of the current line on it; Return takes it, Escape leaves it."""
        item, work = self.currentItem(), self.session.work
        if item is None:
            return
        row_id = item.data(LAYER_ID)
        layer, group = work.layer(row_id), work.group(row_id)
        self.scrollToItem(item)
        tile = self.tile.tile_rect(self.visualItemRect(item), row_id)
        if layer is not None:
            line = NameLine(layer.name, self.viewport())
            line.setGeometry(tile.left() + THUMB.width() + 9, tile.top() + 3, tile.width() - THUMB.width() - 12, 24)
            line.named.connect(lambda name: work.rename(row_id, name))
        elif group is not None:
            line = NameLine(group.name, self.viewport())
            line.setGeometry(tile.adjusted(18, 0, -26, 0))
            line.named.connect(lambda name: work.change_group(tr("rename"), row_id, name=name.strip() or group.name))
        else:
            return
        line.show()
        line.setFocus()

    # Dragging

    def place_of_drop(self, at: QPoint) -> tuple[str | None, str | None]:
        """Return what a drop at a point of the spine means: the line that it goes above, None for the end, and the
        group that it goes into, None for none."""
        item, work = self.itemAt(at), self.session.work
        if item is None:
            return None, None
        row_id, rect = str(item.data(LAYER_ID)), self.visualItemRect(item)
        if work.group(row_id) is not None and at.y() > rect.top() + rect.height() // 4:
            return None if work.group(row_id).folded else self._first_in(row_id), row_id  # type: ignore[union-attr]
        row = self.row(item)
        if at.y() > rect.center().y():  # below it: above the next line, in the same group
            layer = work.layer(row_id)
            into = layer.group if layer is not None else None
            after = work.layer(self._id(row + 1))
            return (after.id if after is not None and after.group == into else None, into) if into else (
                self._id(row + 1) or None, None)  # fmt: skip
        layer, group = work.layer(row_id), work.group(row_id)
        return row_id, layer.group if layer is not None else group.parent if group is not None else None

    def _first_in(self, group_id: str) -> str | None:
        rows = self.session.work.rows
        at = next(i for i, row in enumerate(rows) if row.id == group_id)
        return rows[at + 1].id if at + 1 < len(rows) else None

    def dropEvent(self, event: QDropEvent | None) -> None:
        """Move what is dragged within the stack."""
        assert event is not None
        above, into = self.place_of_drop(event.position().toPoint())
        self.session.work.place_rows([item.data(LAYER_ID) for item in self.selectedItems()], above, into)
        event.setDropAction(Qt.DropAction.IgnoreAction)  # the list is filled from the work, not by the view
        event.accept()

    def keyPressEvent(self, event: QKeyEvent | None) -> None:
        assert event is not None
        work, item, key = self.session.work, self.currentItem(), event.key()
        row_id = item.data(LAYER_ID) if item is not None else None
        arrows = (Qt.Key.Key_Up, Qt.Key.Key_Down)
        if row_id is None:
            super().keyPressEvent(event)
        elif key == Qt.Key.Key_Space:
            work.show_or_hide(work.chosen)
        elif key == Qt.Key.Key_F2:
            self.begin_rename()
        elif key in arrows and event.modifiers() & Qt.KeyboardModifier.AltModifier:
            work.move(row_id, -1 if key == Qt.Key.Key_Up else 1)
        elif key in (Qt.Key.Key_Left, Qt.Key.Key_Right) and work.group(row_id) is not None:
            if work.group(row_id).folded != (key == Qt.Key.Key_Left):  # type: ignore[union-attr]
                self.turn_fold(row_id)
        else:
            super().keyPressEvent(event)
