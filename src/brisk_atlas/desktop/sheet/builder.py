"""The builder of computed fields: an expression, what it can be made of, and what it makes of the first rows."""

from __future__ import annotations

from typing import TYPE_CHECKING

from PyQt6.QtCore import Qt, QTimer, pyqtSignal
from PyQt6.QtWidgets import (
    QComboBox,
    QDialog,
    QFormLayout,
    QHBoxLayout,
    QLineEdit,
    QPushButton,
    QTableWidget,
    QTableWidgetItem,
    QTreeWidget,
    QTreeWidgetItem,
    QVBoxLayout,
    QWidget,
)

from brisk_atlas.core.model import AtlasError, BadExpression, ComputedField, Layer
from brisk_atlas.core.model.language import tr
from brisk_atlas.core.model.plain_values import values_of
from brisk_atlas.core.system.jobs import Job

from ..later import Later
from ..plain_text import PlainLabel, plain_tip
from ..session import Session
from ..theme import Theme
from .expression_edit import ExpressionEdit, words_for

if TYPE_CHECKING:
    import pyarrow as pa

TRY_MS = 250
PREVIEWED = 12
TYPES = {
    "": tr("as it comes"),
    "DOUBLE": "number",
    "BIGINT": tr("whole number"),
    "VARCHAR": "text",
    "BOOLEAN": tr("yes or no"),
    "DATE": "date",
    "TIMESTAMP": tr("date and time"),
}
EXAMPLES = (
    ("density", "population / (area_ellipsoid() / 1e6)", tr("people per km²")),
    ("share", "population / sum(population) OVER ()", tr("of all rows together")),
    ("class", "CASE WHEN x < 10 THEN 'low' WHEN x < 50 THEN 'middle' ELSE 'high' END", tr("classes by value")),
    ("joined", "reading / stations.limit_ppm", tr("a field of a joined table")),
)


class Builder(QDialog):
    """Makes or mends a computed field.

    Signals:
        made(object, str): the ComputedField, and the name of the one it takes the place of, if any.
    """

    made = pyqtSignal(object, str)

    def __init__(
        self,
        session: Session,
        layer: Layer,
        fields: list[str],
        theme: Theme,
        parent: QWidget,
        before: ComputedField | None = None,
    ) -> None:
        super().__init__(parent)
        self.session, self.layer, self.fields, self.before = session, layer, fields, before
        self.setWindowTitle(tr("Computed field"))
        self.resize(860, 560)
        self.name = QLineEdit(before.name if before else "")
        self.name.setObjectName("field name")
        self.name.setPlaceholderText(tr("such as density"))
        self.type = QComboBox()
        self.type.setObjectName("field type")
        for key, words in TYPES.items():
            self.type.addItem(words, key)
        self.type.setCurrentIndex(max(0, self.type.findData(before.type if before else "")))
        self.unit = QLineEdit(before.unit if before else "")
        self.unit.setObjectName("field unit")
        self.unit.setPlaceholderText(tr("such as per km²"))
        self.expression = ExpressionEdit(one_line=False)
        self.expression.setObjectName("field expression")
        self.expression.theme = theme
        self.expression.set_words(words_for(fields))
        self.expression.setPlaceholderText(tr("an SQL expression over the fields, such as population / area_km2"))
        self.wrong = PlainLabel(" ")
        self.wrong.setObjectName("fault")
        self.wrong.setWordWrap(True)
        self.preview = QTableWidget(0, 0)
        self.preview.setTabKeyNavigation(False)
        self.preview.setObjectName("preview")
        self.preview.setEditTriggers(QTableWidget.EditTrigger.NoEditTriggers)
        self.parts = self._parts()
        self.search = QLineEdit()
        self.search.setObjectName("find a part")
        self.search.setPlaceholderText(tr("Find a field or function"))
        self.search.setClearButtonEnabled(True)
        self.search.textChanged.connect(self._find)
        self.use = QPushButton(tr("Add the field") if before is None else tr("Change the field"))
        self.use.setObjectName("main")
        self.use.clicked.connect(self._take)
        self._lay_out()
        self._timer = Later(self, TRY_MS, self._try)
        self.expression.textChanged.connect(self._timer.start)
        self.type.currentIndexChanged.connect(self._timer.start)
        self._job: Job | None = None
        self._good = ""
        if before is not None:
            self.expression.setText(before.expression)

    def _lay_out(self) -> None:
        form = QFormLayout()
        form.addRow(tr("name"), self.name)
        row = QHBoxLayout()
        row.addWidget(self.type)
        row.addWidget(PlainLabel(tr("unit")))
        row.addWidget(self.unit)
        form.addRow(tr("type"), row)
        left = QVBoxLayout()
        left.addLayout(form)
        left.addWidget(self.expression, 2)
        left.addWidget(self.wrong)
        first = PlainLabel(tr("First rows"))
        first.setObjectName("heading")
        left.addWidget(first)
        left.addWidget(self.preview, 3)
        right = QVBoxLayout()
        right.addWidget(self.search)
        right.addWidget(self.parts, 1)
        both = QHBoxLayout()
        both.addLayout(left, 3)
        both.addLayout(right, 2)
        note = PlainLabel(tr("Kept in the project and written out on export. The original is not touched."))
        note.setObjectName("quiet")
        cancel = QPushButton(tr("Cancel"))
        cancel.clicked.connect(self.reject)
        end = QHBoxLayout()
        end.addWidget(note, 1)
        end.addWidget(cancel)
        end.addWidget(self.use)
        column = QVBoxLayout(self)
        column.addLayout(both, 1)
        column.addLayout(end)

    def _parts(self) -> QTreeWidget:
        """Return the list of what an expression can be made of."""
        from brisk_atlas.core.table.functions import FUNCTIONS

        tree = QTreeWidget()
        tree.setObjectName("parts")
        tree.setHeaderHidden(True)
        tree.setColumnCount(1)
        groups: dict[str, list[tuple[str, str]]] = {
            "fields": [(w, "") for w in words_for(self.fields)[: len(self.fields)]]
        }
        groups["examples"] = [(expression, words) for _, expression, words in EXAMPLES]
        for function in FUNCTIONS:
            if function.group == "geometry" and not self.layer.kind.has_shapes:
                continue
            groups.setdefault(function.group, []).append((function.form, function.says))
        for group, lines in groups.items():
            top = QTreeWidgetItem([group])
            tree.addTopLevelItem(top)
            for form, says in lines:
                item = QTreeWidgetItem([form])
                item.setToolTip(0, plain_tip(says or form))
                item.setData(0, Qt.ItemDataRole.UserRole, form)
                item.setData(0, Qt.ItemDataRole.UserRole + 1, says)
                top.addChild(item)
            top.setExpanded(group in ("fields", "examples", "geometry"))
        tree.itemDoubleClicked.connect(self._insert)
        tree.itemActivated.connect(lambda item, column: None)
        return tree

    def _insert(self, item: QTreeWidgetItem) -> None:
        form = item.data(0, Qt.ItemDataRole.UserRole)
        if form:
            self.expression.insert(form)

    def _find(self, text: str) -> None:
        words = text.lower().split()
        for i in range(self.parts.topLevelItemCount()):
            top = self.parts.topLevelItem(i)
            assert top is not None
            found = 0
            for k in range(top.childCount()):
                item = top.child(k)
                assert item is not None
                stated = f"{item.text(0)} {item.toolTip(0)}".lower()
                item.setHidden(not all(word in stated for word in words))
                found += not item.isHidden()
            top.setHidden(not found)
            if words:
                top.setExpanded(True)

    def field(self) -> ComputedField:
        return ComputedField(
            self.name.text().strip(), self.expression.text().strip(), self.type.currentData(), self.unit.text().strip()
        )

    def _try(self) -> None:
        """Work out the first rows in the background, and report what is wrong."""
        field = self.field()
        if self._job is not None:
            self._job.cancel()
        if not field.expression:
            self.preview.setRowCount(0)
            self.wrong.setText(" ")
            return

        def work(job: Job) -> pa.Table:
            from brisk_atlas.core.table.preview import preview

            others = tuple(c for c in self.layer.rows.computed if self.before is None or c.name != self.before.name)
            return preview(self.session.cache, self.layer, others, field, PREVIEWED, job.check)

        self._job = self.session.run(
            tr("Trying an expression"), work, lambda table: self._show(field, table), shown=False, failed=self._fail
        )

    def _show(self, field: ComputedField, table: pa.Table) -> None:
        from brisk_atlas.core.model import number_text

        self._good = field.expression
        self.wrong.setText(" ")
        self.preview.setColumnCount(table.num_columns)
        self.preview.setHorizontalHeaderLabels(table.column_names)
        self.preview.setRowCount(table.num_rows)
        for c, column in enumerate(table.columns):
            for r, value in enumerate(values_of(column)):
                self.preview.setItem(r, c, QTableWidgetItem(number_text(value)))
        self.preview.resizeColumnsToContents()

    def _fail(self, error: BaseException) -> None:
        if not isinstance(error, AtlasError):
            self.session.fault(error)
            return
        self._good = ""
        self.preview.setRowCount(0)
        self.wrong.setText(f"{error.reason}. {error.remedy}")
        if isinstance(error, BadExpression):
            self.expression.mark(error.at, wrong=True)

    def _take(self) -> None:
        field = self.field()
        taken = {name.lower() for name in self.fields if self.before is None or name != self.before.name}
        if not field.name:
            self.wrong.setText(tr("The field needs a name."))
            self.name.setFocus()
        elif field.name.lower() in taken:
            self.wrong.setText(tr("There is a field called {name} already. Choose another name.", name=field.name))
            self.name.setFocus()
        elif not field.expression:
            self.wrong.setText(tr("The field needs an expression."))
        elif self._good != field.expression:
            self._try_then_take(field)
        else:
            self._finish(field)

    def _try_then_take(self, field: ComputedField) -> None:
        """Try an expression that was just typed; a good one is taken."""
        self._timer.stop()
        self._try()
        if self._job is not None:
            QTimer.singleShot(20, lambda: self._wait_for(field))

    def _wait_for(self, field: ComputedField) -> None:
        if self._job is not None and not self._job.finished:
            QTimer.singleShot(20, lambda: self._wait_for(field))
        elif self._job is not None and self._job.state == "done":
            self._finish(field)

    def _finish(self, field: ComputedField) -> None:
        self.made.emit(field, self.before.name if self.before else "")
        self.accept()
