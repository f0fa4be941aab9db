"""The list of datasets: lines that unfold, with columns to choose, to order and to sort by."""

from __future__ import annotations

from typing import TYPE_CHECKING

from PyQt6.QtCore import QModelIndex, QPoint, QPointF, QSettings, QSize, Qt, pyqtSignal
from PyQt6.QtGui import QColor, QIcon, QKeyEvent, QMouseEvent, QPainter, QPixmap, QPolygonF
from PyQt6.QtWidgets import QAbstractItemView, QHeaderView, QMenu, QStyledItemDelegate, QStyleOptionViewItem, QTableView

from brisk_atlas.core.find import entry_filter
from brisk_atlas.core.model.language import tr

from .find_model import DEPTH, UNFOLDS, FindModel

if TYPE_CHECKING:
    from brisk_atlas.core.model import DataRef

STORED = "find/columns"
ROW_PX = 24
INDENT_PX, ARROW_PX = 18, 14


class Unfolding(QStyledItemDelegate):
    """Draws names further in the deeper they stand, with an arrow before what unfolds."""

    def __init__(self, listed: FindList) -> None:
        super().__init__(listed)
        self._listed = listed
        self._marks: dict[tuple[bool | None, int, str], QIcon] = {}

    def initStyleOption(self, option: QStyleOptionViewItem | None, index: QModelIndex) -> None:
        super().initStyleOption(option, index)
        assert option is not None
        depth = index.data(DEPTH) or 0
        option.textElideMode = Qt.TextElideMode.ElideMiddle  # the end of a name tells its kind
        option.features |= QStyleOptionViewItem.ViewItemFeature.HasDecoration
        option.decorationSize = QSize(ARROW_PX + INDENT_PX * depth, ARROW_PX)
        option.icon = self._mark(index.data(UNFOLDS), depth)

    def _mark(self, unfolded: bool | None, depth: int) -> QIcon:
        """Return the room before a name, with an arrow at its end that points down when unfolded."""
        ink = self._listed.rows.theme.quiet
        key = unfolded, depth, ink
        if key not in self._marks:
            pixmap = QPixmap(QSize(ARROW_PX + INDENT_PX * depth, ARROW_PX))
            pixmap.fill(Qt.GlobalColor.transparent)
            if unfolded is not None:
                painter = QPainter(pixmap)
                painter.setRenderHint(QPainter.RenderHint.Antialiasing)
                painter.setPen(Qt.PenStyle.NoPen)
                painter.setBrush(QColor(ink))
                painter.translate(pixmap.width() - ARROW_PX / 2, ARROW_PX / 2)
                painter.rotate(90 if unfolded else 0)
                painter.drawPolygon(QPolygonF([QPointF(-2.5, -4.5), QPointF(3.5, 0), QPointF(-2.5, 4.5)]))
                painter.end()
            self._marks[key] = QIcon(pixmap)
        return self._marks[key]


class FindList(QTableView):
    """The lines of a FindModel.

    Signals:
        looked_at(object): the reference of the row that the analyst is on; None for none.
        activated_rows(): the chosen rows are to be opened.
        asked(): the chosen rows are to be opened, with all questions.
        went_up(): to the folder above.
        scrolled(): other rows are in view.
    """

    looked_at = pyqtSignal(object)
    activated_rows = pyqtSignal()
    asked = pyqtSignal()
    went_up = pyqtSignal()
    scrolled = pyqtSignal()

    def __init__(self, settings: QSettings | None = None) -> None:
        super().__init__()
        self.setObjectName("find list")
        self.setAccessibleName(tr("Datasets"))
        self.settings = settings
        self.rows = FindModel()
        self._remember()
        self.setModel(self.rows)
        self.setItemDelegateForColumn(0, Unfolding(self))
        self.setAlternatingRowColors(True)
        self.setShowGrid(False)
        self.setWordWrap(False)
        self.setTabKeyNavigation(False)
        self.setCornerButtonEnabled(False)
        self.setSelectionBehavior(QAbstractItemView.SelectionBehavior.SelectRows)
        heads = self.verticalHeader()
        assert heads is not None
        heads.setVisible(False)
        heads.setMinimumSectionSize(ROW_PX)
        heads.setDefaultSectionSize(ROW_PX)
        self.setSelectionMode(QAbstractItemView.SelectionMode.ExtendedSelection)
        self.setContextMenuPolicy(Qt.ContextMenuPolicy.CustomContextMenu)
        self.setDragEnabled(True)
        self.setDragDropMode(QAbstractItemView.DragDropMode.DragOnly)
        self.setSortingEnabled(True)
        header = self.horizontalHeader()
        assert header is not None
        header.setSectionsMovable(True)
        header.setSectionResizeMode(QHeaderView.ResizeMode.Interactive)
        header.setStretchLastSection(True)
        header.setHighlightSections(False)
        header.setDefaultAlignment(Qt.AlignmentFlag.AlignLeft | Qt.AlignmentFlag.AlignVCenter)
        header.setContextMenuPolicy(Qt.ContextMenuPolicy.CustomContextMenu)
        header.customContextMenuRequested.connect(lambda at: self.column_menu().popup(header.mapToGlobal(at)))
        header.setToolTip(tr("Click to sort, drag to order, right click to choose columns"))
        self._size_columns()
        header.setSortIndicator(0, Qt.SortOrder.AscendingOrder)
        header.setFixedHeight(30)
        selection = self.selectionModel()
        assert selection is not None
        selection.currentChanged.connect(self._current_changed)
        self.rows.modelReset.connect(self._after_reset)
        self.doubleClicked.connect(lambda index: self.activated_rows.emit())
        bar = self.verticalScrollBar()
        assert bar is not None
        bar.valueChanged.connect(lambda value: self.scrolled.emit())
        self._stored: tuple[DataRef, str | None] | None = None

    # Columns

    def _remember(self) -> None:
        stored = self.settings.value(STORED) if self.settings is not None else None
        names = tuple(n for n in str(stored).split(",") if n in entry_filter.COLUMNS) if stored else ()
        if "name" in names:
            self.rows.columns = names

    def _size_columns(self) -> None:
        for number, name in enumerate(self.rows.columns):
            self.setColumnWidth(number, entry_filter.COLUMNS[name].width)

    def take_at(self, at: QPoint) -> None:
        """Put the keyboard on the line at a point, and choose it unless it is among those chosen."""
        index = self.indexAt(at)
        selection = self.selectionModel()
        if index.isValid() and selection is not None and not selection.isSelected(index):
            self.setCurrentIndex(index)

    def column_menu(self) -> QMenu:
        """Return the menu of all columns; those on show are ticked."""
        menu = QMenu(self)
        for name, column in entry_filter.COLUMNS.items():
            action = menu.addAction(column.title)
            assert action is not None
            action.setCheckable(True)
            action.setChecked(name in self.rows.columns)
            action.setEnabled(name != "name")
            action.triggered.connect(lambda checked, name=name: self.show_column(name, checked))
        return menu

    def show_column(self, name: str, on: bool) -> None:
        """Show or hide a column; a new one comes where the list of all has it."""
        header = self.horizontalHeader()
        assert header is not None
        order = [self.rows.columns[header.logicalIndex(i)] for i in range(len(self.rows.columns))]
        if on and name not in order:
            every = list(entry_filter.COLUMNS)
            at = next((i for i, other in enumerate(order) if every.index(other) > every.index(name)), len(order))
            order.insert(at, name)
        elif not on and name in order and name != "name":
            order.remove(name)
        self.set_columns(tuple(order))

    def set_columns(self, names: tuple[str, ...], *, keep: bool = True) -> None:
        """Show other columns; `keep` remembers them for the next time."""
        if names == self.rows.columns:
            return
        widths = {name: self.columnWidth(i) for i, name in enumerate(self.rows.columns)}
        self.rows.beginResetModel()
        self.rows.columns = names
        self.rows.endResetModel()
        for number, name in enumerate(names):
            self.setColumnWidth(number, widths.get(name, entry_filter.COLUMNS[name].width))
        if self.rows.sorted_by not in names:
            self.rows.sorted_by = "name"
        header = self.horizontalHeader()
        assert header is not None
        order = Qt.SortOrder.DescendingOrder if self.rows.down else Qt.SortOrder.AscendingOrder
        header.setSortIndicator(names.index(self.rows.sorted_by), order)
        if self.settings is not None and keep:
            self.settings.setValue(STORED, ",".join(names))

    # Where the analyst is

    @property
    def current(self) -> tuple[DataRef, str | None] | None:
        row = self.rows.row_at(self.currentIndex())
        return (row.entry.ref, self.rows.part_at(self.currentIndex())) if row is not None else None

    def _meant(self, index: QModelIndex) -> DataRef | None:
        """Return the dataset and the part that a line means; None for folders and themes. A dataset that is
        packed in an archive is one by itself."""
        from brisk_atlas.core.model import DataRef

        row, part = self.rows.row_at(index), self.rows.part_at(index)
        if row is None or row.entry.is_folder:
            return None
        if part is not None and row.summary is not None and row.summary.kind == "archive":
            return DataRef.member(row.entry.path, part)
        return row.entry.ref.with_part(part)

    def chosen(self) -> list[DataRef]:
        """Return the datasets, or parts of datasets, that are chosen."""
        selection = self.selectionModel()
        assert selection is not None
        return [meant for index in selection.selectedRows() if (meant := self._meant(index)) is not None]

    def in_view(self) -> list[DataRef]:
        """Return the datasets whose rows can be seen."""
        viewport = self.viewport()
        assert viewport is not None
        first = max(0, self.rowAt(0))
        rows = [self.rows.row_at(self.rows.index(i, 0)) for i in range(first, first + viewport.height() // ROW_PX + 2)]
        return [row.entry.ref for row in rows if row is not None and not row.entry.is_folder]

    def leave(self) -> None:
        """Stay nowhere: what is shown next has nothing to do with what was."""
        self._stored = None

    def go_to(self, index: QModelIndex) -> None:
        self.setCurrentIndex(index)
        self.scrollTo(index)

    def _current_changed(self, index: QModelIndex, before: QModelIndex) -> None:
        meant = self._meant(index)
        self._stored = self.current if meant is not None else None
        self.looked_at.emit(meant)

    def _after_reset(self) -> None:
        """Stay on the row that the analyst was on."""
        if self._stored is not None:
            index = self.rows.index_of(*self._stored)
            if index.isValid():
                selection = self.selectionModel()
                assert selection is not None
                selection.blockSignals(True)
                self.setCurrentIndex(index)
                selection.blockSignals(False)
        self.scrolled.emit()

    # The hand

    def mousePressEvent(self, event: QMouseEvent | None) -> None:
        """Unfold or fold where the arrow before a name is pressed."""
        assert event is not None
        at = event.position().toPoint()
        index = self.indexAt(at)
        unfolds = index.data(UNFOLDS) if index.isValid() and index.column() == 0 else None
        if unfolds is not None:
            left = self.columnViewportPosition(0) + (index.data(DEPTH) or 0) * INDENT_PX
            if left <= at.x() < left + ARROW_PX + 8:
                self.rows.unfold(index, not unfolds)
                return
        super().mousePressEvent(event)

    def unfold_current(self, on: bool) -> None:
        """Show or hide the parts of the dataset that the analyst is on; from a part, go back to its dataset."""
        index = self.currentIndex()
        if not on and self.rows.part_at(index) is not None:
            row = self.rows.row_at(index)
            assert row is not None
            self.go_to(self.rows.index_of(row.entry.ref))
        else:
            self.rows.unfold(index, on)

    def keyPressEvent(self, event: QKeyEvent | None) -> None:
        assert event is not None
        enter = event.key() in (Qt.Key.Key_Return, Qt.Key.Key_Enter)
        if enter and event.modifiers() & Qt.KeyboardModifier.ControlModifier:
            self.asked.emit()
        elif enter:
            self.activated_rows.emit()
        elif event.key() in (Qt.Key.Key_Right, Qt.Key.Key_Left):
            self.unfold_current(event.key() == Qt.Key.Key_Right)
        elif event.key() == Qt.Key.Key_Backspace:
            self.went_up.emit()
        else:
            super().keyPressEvent(event)
