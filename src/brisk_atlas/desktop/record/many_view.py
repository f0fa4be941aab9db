"""Many records as a table: what they say, what they do not, how complete each is."""

from __future__ import annotations

from collections.abc import Sequence
from pathlib import Path
from typing import TYPE_CHECKING, Any

from PyQt6.QtCore import QAbstractTableModel, QModelIndex, QSortFilterProxyModel, Qt, pyqtSignal
from PyQt6.QtGui import QColor
from PyQt6.QtWidgets import (
    QComboBox,
    QFileDialog,
    QHBoxLayout,
    QHeaderView,
    QLineEdit,
    QListWidget,
    QListWidgetItem,
    QPushButton,
    QSplitter,
    QTableView,
    QVBoxLayout,
    QWidget,
)

from brisk_atlas.core.model.language import tr
from brisk_atlas.core.system.jobs import Job, Lane

from ..plain_text import PlainLabel, plain_tip
from ..session import Session
from ..theme import LIGHT, Theme

if TYPE_CHECKING:
    from brisk_atlas.core.curate.many import TableRow
    from brisk_atlas.core.operations import Written

ROWS_AT_ONCE = 200  # rows that come to the table at once
OWN = tr("own standard")
COMPLETE, FAULTS, FIRST = 3, 4, 6  # columns; from the last on stand the chosen elements
ELEMENT = Qt.ItemDataRole.UserRole
NOWHERE = QModelIndex()
SETS = {  # ready choices of elements
    tr("First look"): ("title", "abstract", "dates.day", "contacts.organisation", "constraints.limits"),
    tr("Contacts"): (
        "title", "contacts.role", "contacts.person", "contacts.organisation", "contacts.email", "contacts.phone",
        "record_contacts.organisation", "record_contacts.email",
    ),
    tr("Where and when"): ("title", "boxes", "systems.code", "scales", "distances.value", "times", "dates.day"),
    tr("Conditions"): ("title", "constraints.access", "constraints.use", "constraints.other", "constraints.limits"),
    tr("Quality and lineage"): (
        "title", "lineage", "steps.description", "quality.measure", "quality.value", "quality.unit",
    ),
}  # fmt: skip


class RowsModel(QAbstractTableModel):
    """The rows as they have come; columns are the dataset, its record, the chosen elements, the checks."""

    def __init__(self) -> None:
        super().__init__()
        self.theme: Theme = LIGHT
        self.rows: list[TableRow] = []
        self.heads: list[str] = []
        self.base: Path | None = None

    def begin(self, heads: list[str], base: Path) -> None:
        self.beginResetModel()
        self.rows, self.heads, self.base = [], heads, base
        self.endResetModel()

    def add(self, rows: Sequence[TableRow]) -> None:
        first = len(self.rows)
        self.beginInsertRows(QModelIndex(), first, first + len(rows) - 1)
        self.rows += rows
        self.endInsertRows()

    def rowCount(self, parent: QModelIndex = NOWHERE) -> int:
        return 0 if parent.isValid() else len(self.rows)

    def columnCount(self, parent: QModelIndex = NOWHERE) -> int:
        return len(self.heads)

    def headerData(self, section: int, orientation: Qt.Orientation, role: int = Qt.ItemDataRole.DisplayRole) -> Any:
        if role != Qt.ItemDataRole.DisplayRole:
            return None
        if orientation == Qt.Orientation.Vertical:
            return section + 1
        head = self.heads[section]
        return head[:1].upper() + head[1:]

    def data(self, index: QModelIndex, role: int = Qt.ItemDataRole.DisplayRole) -> Any:
        from brisk_atlas.core.curate.many import cells, sort_key

        row = self.rows[index.row()]
        chosen = FIRST <= index.column() < FIRST + len(row.values)
        if role in (Qt.ItemDataRole.DisplayRole, Qt.ItemDataRole.ToolTipRole):
            text = cells(row, self.base)[index.column()]
            if role == Qt.ItemDataRole.DisplayRole and not text and chosen and row.standard:
                return tr("not stated")
            text = " ".join(text.split())[:300]
            return plain_tip(text) if role == Qt.ItemDataRole.ToolTipRole else text
        if role == Qt.ItemDataRole.ForegroundRole:
            if row.error or (index.column() == FAULTS and row.faults):
                return QColor(self.theme.fault)
            if not row.standard or (chosen and not row.values[index.column() - FIRST]):
                return QColor(self.theme.quiet)
        if role == Qt.ItemDataRole.TextAlignmentRole and COMPLETE <= index.column() < FIRST:
            return Qt.AlignmentFlag.AlignRight | Qt.AlignmentFlag.AlignVCenter
        if role == Qt.ItemDataRole.UserRole:
            return sort_key(row, index.column(), self.base)
        return None


class ManyView(QWidget):
    """Left what to table, right the table.

    Signals:
        record_chosen(object): a path to read.
        closed(): back to one record.
    """

    record_chosen = pyqtSignal(object)
    closed = pyqtSignal()

    def __init__(self, session: Session) -> None:
        super().__init__()
        from brisk_atlas.core.record import STANDARDS

        self.session = session
        self.theme: Theme = LIGHT
        self.folder: Path | None = None
        self._job: Job | None = None
        self.model = RowsModel()
        self.sorted = QSortFilterProxyModel()
        self.sorted.setSourceModel(self.model)
        self.sorted.setSortRole(Qt.ItemDataRole.UserRole)
        self.sorted.setFilterKeyColumn(-1)
        self.sorted.setFilterCaseSensitivity(Qt.CaseSensitivity.CaseInsensitive)
        self.table = QTableView()
        self.table.setTabKeyNavigation(False)
        self.table.setObjectName("records table")
        self.table.setAccessibleName(tr("Records of the folder"))
        self.table.setModel(self.sorted)
        self.table.setSortingEnabled(True)
        self.table.sortByColumn(-1, Qt.SortOrder.AscendingOrder)
        self.table.setSelectionBehavior(QTableView.SelectionBehavior.SelectRows)
        self.table.setWordWrap(False)
        self.table.setAlternatingRowColors(False)
        header, side = self.table.horizontalHeader(), self.table.verticalHeader()
        assert header is not None and side is not None
        header.setSectionResizeMode(QHeaderView.ResizeMode.Interactive)
        header.setHighlightSections(False)
        side.setDefaultSectionSize(24)
        self.where = PlainLabel(tr("No folder chosen"))
        self.where.setObjectName("title")
        self.message = PlainLabel("")
        self.message.setObjectName("quiet")
        self.choose = QPushButton(tr("Folder…"))
        self.back = QPushButton(tr("Back to one record"))
        self.back.setObjectName("many back")
        self.filter = QLineEdit()
        self.filter.setObjectName("many filter")
        self.filter.setPlaceholderText(tr("Rows with these words"))
        self.filter.setClearButtonEnabled(True)
        self.filter.setMinimumWidth(190)
        self.standard = QComboBox()
        self.standard.setObjectName("many standard")
        self.standard.addItem(OWN)
        self.standard.addItems(list(STANDARDS))
        self.sets = QComboBox()
        self.sets.setObjectName("many sets")
        self.sets.addItems(list(SETS))
        self.elements = QListWidget()
        self.elements.setObjectName("many elements")
        self.elements.setAccessibleName(tr("Elements to table"))
        self.template = QPushButton(tr("Apply template…"))
        self.template.setObjectName("many template")
        self.template.setToolTip(tr("Into the chosen rows, or all where none is chosen"))
        self.export = QPushButton(tr("Export CSV or XLSX…"))
        self.catalogue = QPushButton(tr("Catalogue as DCAT-AP…"))
        self._lay_out()
        self._fill_elements()
        self.choose.clicked.connect(self._ask_folder)
        self.back.clicked.connect(self.closed)
        self.filter.textChanged.connect(self.sorted.setFilterFixedString)
        self.standard.currentTextChanged.connect(lambda text: self.refresh())
        self.sets.activated.connect(lambda i: self.use_set(self.sets.currentText()))
        self.elements.itemChanged.connect(lambda item: self.refresh())
        self.table.doubleClicked.connect(self._open)
        self.template.clicked.connect(self.apply_template)
        self.export.clicked.connect(self._export)
        self.catalogue.clicked.connect(self._catalogue)

    def _lay_out(self) -> None:
        left = QWidget()
        column = QVBoxLayout(left)
        column.setContentsMargins(10, 12, 6, 10)
        for text, widget in ((tr("Check under"), self.standard), (tr("Elements"), self.sets)):
            heading = PlainLabel(text)
            heading.setObjectName("heading")
            column.addWidget(heading)
            column.addWidget(widget)
        column.addWidget(self.elements, 1)
        right = QWidget()
        rows = QVBoxLayout(right)
        rows.setContentsMargins(10, 12, 14, 10)
        top = QHBoxLayout()
        top.addWidget(self.where, 1)
        top.addWidget(self.filter)
        top.addWidget(self.choose)
        top.addWidget(self.back)
        low = QHBoxLayout()
        low.addWidget(self.message, 1)
        for button in (self.template, self.catalogue, self.export):
            low.addWidget(button)
        rows.addLayout(top)
        rows.addWidget(self.table, 1)
        rows.addLayout(low)
        split = QSplitter()
        split.addWidget(left)
        split.addWidget(right)
        split.setSizes([230, 1050])
        split.setStretchFactor(1, 1)
        whole = QHBoxLayout(self)
        whole.setContentsMargins(0, 0, 0, 0)
        whole.addWidget(split)

    @property
    def busy(self) -> bool:
        return self._job is not None and not self._job.finished

    # What to table

    def _fill_elements(self) -> None:
        from brisk_atlas.core.record.elements import elements

        chosen = next(iter(SETS.values()))
        self.elements.blockSignals(True)
        for element in elements().values():
            if element.item and element.parent:
                continue
            name = (
                element.label
                if not element.parent
                else f"{elements()[element.id.partition('.')[0]].label}: {element.label}"
            )
            item = QListWidgetItem(name)
            item.setToolTip(plain_tip(element.id))
            item.setData(ELEMENT, element.id)
            item.setFlags(item.flags() | Qt.ItemFlag.ItemIsUserCheckable)
            item.setCheckState(Qt.CheckState.Checked if element.id in chosen else Qt.CheckState.Unchecked)
            self.elements.addItem(item)
        self.elements.blockSignals(False)

    def chosen(self) -> list[str]:
        items = [item for i in range(self.elements.count()) if (item := self.elements.item(i)) is not None]
        return [item.data(ELEMENT) for item in items if item.checkState() == Qt.CheckState.Checked]

    def use_set(self, name: str) -> None:
        """Tick the elements of a ready choice."""
        self.sets.setCurrentText(name)
        self.elements.blockSignals(True)
        for i in range(self.elements.count()):
            item = self.elements.item(i)
            assert item is not None
            on = item.data(ELEMENT) in SETS[name]
            item.setCheckState(Qt.CheckState.Checked if on else Qt.CheckState.Unchecked)
        self.elements.blockSignals(False)
        self.refresh()

    def _ask_folder(self) -> None:
        folder = QFileDialog.getExistingDirectory(self, tr("Records of which folder?"), str(self.folder or ""))
        if folder:
            self.show_folder(Path(folder))

    def show_folder(self, folder: Path) -> None:
        self.folder = folder
        self.refresh()

    def refresh(self) -> None:
        """Read the records of the folder anew; rows come as they are read."""
        folder = self.folder
        if folder is None:
            return
        from brisk_atlas.core.curate.many import columns
        from brisk_atlas.core.record import STANDARDS

        chosen, standard = self.chosen(), STANDARDS.get(self.standard.currentText())
        self.where.setText(folder.name)
        self.where.setToolTip(plain_tip(str(folder)))
        self.message.setText(tr("Reading…"))
        self.model.theme = self.theme
        self.model.begin(columns(chosen), folder)
        self._fit_columns()
        home, model = self.session.call_in_gui, self.model

        def work(job: Job) -> None:
            from brisk_atlas.core.curate.many import sources_in, table

            batch: list[TableRow] = []
            for row in table(sources_in(folder), chosen, standard, job.check):
                batch.append(row)
                if len(batch) >= ROWS_AT_ONCE:
                    home(lambda rows: add(rows), batch)
                    batch = []
            home(lambda rows: add(rows), batch)

        def add(rows: list[TableRow]) -> None:
            if self._job is job and rows:
                model.add(rows)

        if self._job:
            self._job.cancel()
        job = self.session.run(
            tr("Reading the records of {name}", name=folder.name), work, lambda nothing: self._ended(), lane=Lane.BATCH
        )
        self._job = job

    def _fit_columns(self) -> None:
        widths = [190, 150, 90, 78, 60, 74] + [190] * (len(self.model.heads) - FIRST - 1) + [160]
        for column, wide in enumerate(widths):
            self.table.setColumnWidth(column, wide)
        self.table.setColumnHidden(1, True)

    def _ended(self) -> None:
        rows = self.model.rows
        with_record = [row for row in rows if row.standard]
        bad = sum(bool(row.error) for row in rows)
        without = sum(not row.standard and not row.error for row in rows)
        shares = [row.complete for row in with_record if row.complete is not None]
        mean = tr(", {count:.0%} complete on average", count=sum(shares) / len(shares)) if shares else ""
        text = tr(
            "{count:,} records{mean}; {without:,} datasets without one",
            count=len(with_record),
            mean=mean,
            without=without,
        )
        self.message.setText(text + (tr("; {bad:,} that cannot be read", bad=bad) if bad else ""))
        self.table.setColumnHidden(self.model.columnCount() - 1, not bad)

    # What to do with them

    def chosen_rows(self) -> list[TableRow]:
        """Return the chosen rows, all that are seen where none is."""
        selection = self.table.selectionModel()
        assert selection is not None
        indexes = selection.selectedRows() or [self.sorted.index(i, 0) for i in range(self.sorted.rowCount())]
        return [self.model.rows[self.sorted.mapToSource(index).row()] for index in indexes]

    def _open(self, index: QModelIndex) -> None:
        row = self.model.rows[self.sorted.mapToSource(index).row()]
        self.record_chosen.emit(row.source.data or row.source.path)

    def apply_template(self) -> None:
        from .template_form import ApplyTemplateForm

        form = ApplyTemplateForm(self.session, [row.source.path for row in self.chosen_rows()], self.theme, self)
        form.accepted.connect(self.refresh)
        self.form = form
        form.open()

    def _export(self) -> None:
        start = str((self.folder or Path()) / "records.csv")
        path, _ = QFileDialog.getSaveFileName(
            self, tr("Export the table"), start, tr("CSV (*.csv);;XLSX workbook (*.xlsx)")
        )
        if path:
            self.export_to(Path(path))

    def export_to(self, path: Path) -> None:
        """Write the rows that have the words of the filter, in the order of the table."""
        from brisk_atlas.core.operations import TableRecords

        folder, column = self.folder, self.sorted.sortColumn()
        assert folder is not None
        standard = self.standard.currentText()
        operation = TableRecords(
            (folder,),
            path,
            tuple(self.chosen()),
            None if standard == OWN else standard,
            self.filter.text(),
            self.model.heads[column] if column >= 0 else None,
            self.sorted.sortOrder() == Qt.SortOrder.DescendingOrder,
        )
        self._job = self.session.run_operation(tr("Writing {name}", name=path.name), operation, self._written)

    def _written(self, found: Written) -> None:
        text = tr("Written: {name}", name=found.paths[0].name) + (f", {found.what}" if found.what else "")
        self.message.setText(
            text + (tr("; left out: {remarks}", remarks="; ".join(found.remarks[:2])) if found.remarks else "")
        )

    def _catalogue(self) -> None:
        if self.folder is None:
            return
        start = str(self.folder / "catalogue.jsonld")
        kinds = tr("JSON-LD (*.jsonld);;Turtle (*.ttl);;RDF/XML (*.rdf)")
        path, _ = QFileDialog.getSaveFileName(self, tr("Write the catalogue"), start, kinds)
        if path:
            self.catalogue_to(Path(path))

    def catalogue_to(self, path: Path) -> None:
        from brisk_atlas.core.operations import WriteCatalogue

        folder = self.folder
        assert folder is not None
        self._job = self.session.run_operation(
            tr("Writing {name}", name=path.name), WriteCatalogue(folder, path), self._written
        )

    def repaint_theme(self, theme: Theme) -> None:
        self.theme = self.model.theme = theme
        viewport = self.table.viewport()
        if viewport is not None:
            viewport.update()
