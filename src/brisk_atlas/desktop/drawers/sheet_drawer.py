"""The Sheet drawer: the subject's rows, sorted, filtered, and picked together with the map."""

from __future__ import annotations

from PyQt6.QtCore import QItemSelection, QItemSelectionModel, Qt, pyqtSignal
from PyQt6.QtWidgets import QHBoxLayout, QHeaderView, QLabel, QLineEdit, QPushButton, QTableView, QVBoxLayout, QWidget

from brisk_atlas.core.jobs import Job
from brisk_atlas.core.model import BadExpression
from brisk_atlas.core.project import Picks

from ..session import Session
from .sheet_model import SheetModel

MOST_PICKED = 50_000  # rows picked at once in the table


class SheetDrawer(QWidget):
    """A table view with a filter line.

    Signals:
        go_wanted(): the analyst wants the map to go to the picked rows.
    """

    go_wanted = pyqtSignal()

    def __init__(self, session: Session) -> None:
        super().__init__()
        self.session = session
        self.model = SheetModel()
        self.layer_id: str | None = None
        self._loaded: object = None
        self._job: Job | None = None
        self._syncing = False
        self._sorted: tuple[int, Qt.SortOrder] | None = None
        self.filter = QLineEdit()
        self.filter.setObjectName("sheet filter")
        self.filter.setPlaceholderText("Show rows where… an SQL condition, such as year = 2031")
        self.filter.setClearButtonEnabled(True)
        self.count = QLabel("")
        self.count.setObjectName("quiet")
        self.wrong = QLabel("")
        self.wrong.setObjectName("fault")
        self.wrong.setWordWrap(True)
        self.wrong.hide()
        self.go = QPushButton("Go to picked")
        self.table = QTableView()
        self.table.setObjectName("sheet")
        self.table.setModel(self.model)
        self.table.setAlternatingRowColors(True)
        self.table.setSelectionBehavior(QTableView.SelectionBehavior.SelectRows)
        self.table.setSelectionMode(QTableView.SelectionMode.ExtendedSelection)
        self.table.setWordWrap(False)
        self.table.setTabKeyNavigation(False)
        self.table.setHorizontalScrollMode(QTableView.ScrollMode.ScrollPerPixel)
        rows, columns = self.table.verticalHeader(), self.table.horizontalHeader()
        assert rows is not None and columns is not None
        rows.setDefaultSectionSize(24)
        rows.setSectionResizeMode(QHeaderView.ResizeMode.Fixed)
        columns.setSectionsMovable(True)
        columns.setSectionsClickable(True)
        columns.setSortIndicatorClearable(True)
        columns.setDefaultSectionSize(124)
        columns.sectionClicked.connect(self._sort_by)
        row = QHBoxLayout()
        row.setContentsMargins(8, 5, 8, 3)
        row.setSpacing(8)
        title = QLabel("Sheet")
        title.setObjectName("heading")
        for widget in (title, self.filter, self.count, self.go):
            row.addWidget(widget, 1 if widget is self.filter else 0)
        column = QVBoxLayout(self)
        column.setContentsMargins(0, 0, 0, 0)
        column.setSpacing(0)
        column.addLayout(row)
        column.addWidget(self.wrong)
        column.addWidget(self.table, 1)
        self.filter.returnPressed.connect(self.apply_filter)
        self.filter.textChanged.connect(lambda text: self.apply_filter() if not text else None)
        self.go.clicked.connect(self.go_wanted)
        selection = self.table.selectionModel()
        assert selection is not None
        selection.selectionChanged.connect(self._row_chosen)
        session.work_changed.connect(self._work_changed)

    def _work_changed(self, what: str) -> None:
        if what in ("subject", "layers", "file"):
            self.show_subject()
        if what == "picks":
            self._show_picks()
        self.go.setEnabled(self.session.work.picks is not None)

    def showEvent(self, event: object) -> None:
        self.show_subject()

    def show_subject(self) -> None:
        """Load the subject's rows in the background, if it has rows and the drawer is open."""
        layer = self.session.work.subject
        key = (layer.id, layer.source) if layer else None
        if not self.isVisible() or key == self._loaded:
            return
        self._loaded, self.layer_id = key, layer.id if layer else None
        self.filter.clear()
        self._sorted = None
        if layer is None or layer.kind not in ("vector", "table"):
            self.model.show(None)
            self.count.setText("" if layer is None else f"{layer.name} has no rows; it is a {layer.kind}")
            return
        self.count.setText("reading…")

        def done(sheet: object) -> None:
            if self._loaded == key:
                self.model.show(sheet)  # type: ignore[arg-type]
                self._tell()
                self._show_picks()

        self.session.run(f"Reading rows of {layer.name}", lambda job: self.session.sheet_of(layer), done)

    def _tell(self) -> None:
        sheet = self.model.sheet
        if sheet is not None:
            whole, shown = sheet.table.num_rows, len(sheet)
            self.count.setText(f"{shown:,} of {whole:,} rows" if shown != whole else f"{whole:,} rows")

    def _sort_by(self, section: int) -> None:
        header = self.table.horizontalHeader()
        assert header is not None
        now = self._sorted
        order = (
            Qt.SortOrder.DescendingOrder
            if now == (section, Qt.SortOrder.AscendingOrder)
            else Qt.SortOrder.AscendingOrder
        )
        self._sorted = None if now == (section, Qt.SortOrder.DescendingOrder) else (section, order)
        header.setSortIndicatorShown(self._sorted is not None)
        if self._sorted:
            header.setSortIndicator(*self._sorted)
        self.apply_filter()

    def apply_filter(self) -> None:
        """Filter and sort in the background; a wrong expression is told under the line."""
        sheet = self.model.sheet
        if sheet is None:
            return
        text = self.filter.text()
        by = sheet.columns[self._sorted[0]] if self._sorted else None
        descending = self._sorted is not None and self._sorted[1] == Qt.SortOrder.DescendingOrder

        def done(order: object) -> None:
            self._complain("")
            self.model.show(sheet)
            self._tell()
            self._show_picks()

        def failed(error: BaseException) -> None:
            if isinstance(error, BadExpression):
                self._complain(f"{error.reason}. {error.remedy}")
            else:
                self.session.fault(error)

        self._job = self.session.run(
            "Filtering rows", lambda job: sheet.arrange(text, by, descending), done, shown=False, failed=failed
        )

    def _complain(self, text: str) -> None:
        self.wrong.setText("  " + text)
        self.wrong.setVisible(bool(text))
        self.filter.setProperty("wrong", bool(text))
        style = self.filter.style()
        assert style is not None
        style.polish(self.filter)

    def _row_chosen(self, chosen: QItemSelection, left: QItemSelection) -> None:
        sheet, selection = self.model.sheet, self.table.selectionModel()
        if self._syncing or sheet is None or self.layer_id is None or selection is None:
            return
        places = [i.row() for i in selection.selectedRows()[:MOST_PICKED]]
        rows = tuple(int(sheet.order[p]) for p in places)
        self._syncing = True
        self.session.work.pick(Picks(self.layer_id, rows) if rows else None)
        self._syncing = False

    def _show_picks(self) -> None:
        """Select the picked rows and scroll to the first."""
        sheet, selection, picks = self.model.sheet, self.table.selectionModel(), self.session.work.picks
        if self._syncing or sheet is None or selection is None:
            return
        self._syncing = True
        selection.clearSelection()
        if picks and picks.layer_id == self.layer_id:
            how = QItemSelectionModel.SelectionFlag.Select | QItemSelectionModel.SelectionFlag.Rows
            for number, row in enumerate(picks.rows[:500]):
                place = sheet.place_of(row)
                if place is not None:
                    index = self.model.index(place, 0)
                    selection.select(index, how)
                    if number == 0:
                        selection.setCurrentIndex(index, QItemSelectionModel.SelectionFlag.NoUpdate)
                        self.table.scrollTo(index)
        self._syncing = False
