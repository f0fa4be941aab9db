"""What can be done with one column: sort, filter by value, range, text or missing, format, keep, hide."""

from __future__ import annotations

from dataclasses import replace
from typing import Any

from PyQt6.QtCore import QPoint, Qt, pyqtSignal
from PyQt6.QtWidgets import (
    QComboBox,
    QFormLayout,
    QFrame,
    QGridLayout,
    QHBoxLayout,
    QLineEdit,
    QListWidget,
    QListWidgetItem,
    QPushButton,
    QSpinBox,
    QVBoxLayout,
    QWidget,
)

from brisk_atlas.core.model import BadExpression, ColumnView, FieldFilter, TableView, number_text
from brisk_atlas.core.model.digit_groups import grouped
from brisk_atlas.core.model.language import tr

from ..plain_text import PlainLabel

MOST_LISTED = 400  # values offered to tick


class ColumnMenu(QFrame):
    """A panel under the head of a column.

    Signals:
        look_changed(str, object): what was changed, in words, and the new TableView.
    """

    look_changed = pyqtSignal(str, object)

    def __init__(self, field: str, look: TableView, names: list[str], kind: str, parent: QWidget) -> None:
        super().__init__(parent, Qt.WindowType.Popup)
        self.setObjectName("columnMenu")
        self.field, self.look, self.names, self.kind = field, look, names, kind
        self.column = look.column(field)
        box = QVBoxLayout(self)
        box.setContentsMargins(10, 8, 10, 10)
        title = PlainLabel(field)
        title.setObjectName("heading")
        box.addWidget(title)
        box.addLayout(self._buttons())
        box.addLayout(self._filters())
        box.addLayout(self._formats())
        self.wrong = PlainLabel()
        self.wrong.setObjectName("fault")
        self.wrong.setWordWrap(True)
        self.wrong.hide()
        box.addWidget(self.wrong)
        self.setFixedWidth(310)

    def show_at(self, at: QPoint) -> None:
        screen = self.screen()
        room = screen.availableGeometry() if screen else None
        self.adjustSize()
        if room is not None:
            at = QPoint(min(at.x(), room.right() - self.width()), min(at.y(), room.bottom() - self.height()))
        self.move(at)
        self.show()

    def _buttons(self) -> QGridLayout:
        grid = QGridLayout()
        up, down = (
            (tr("first to last"), tr("last to first"))
            if self.kind == "text"
            else (tr("smallest first"), tr("largest first"))
        )
        buttons = (
            (up, "sort up", lambda: self._sort(False)),
            (down, "sort down", lambda: self._sort(True)),
            ("unpin" if self.column.pinned else "pin", "keep", self._keep),
            ("hide", "hide", self._hide),
        )
        for place, (text, name, run) in enumerate(buttons):
            button = QPushButton(text)
            button.setObjectName(name)
            button.clicked.connect(run)
            grid.addWidget(button, place // 2, place % 2)
        return grid

    def _put(self, what: str, look: TableView) -> None:
        self.look_changed.emit(what, look)
        self.close()

    def _column(self, what: str, column: ColumnView) -> None:
        self._put(what, self.look.with_column(column, self.names))

    def _sort(self, down: bool) -> None:
        self._put(tr("sort by {field}", field=self.field), replace(self.look, sort=((self.field, down),)))

    def _keep(self) -> None:
        self._column(tr("keep {field} in sight", field=self.field), replace(self.column, pinned=not self.column.pinned))

    def _hide(self) -> None:
        self._column(tr("hide {field}", field=self.field), replace(self.column, shown=False))

    # Filters

    def _filters(self) -> QVBoxLayout:
        box = QVBoxLayout()
        box.setSpacing(4)
        heading = PlainLabel(tr("Show rows where"))
        heading.setObjectName("quiet")
        box.addWidget(heading)
        now = next((f for f in self.look.filters if f.field == self.field), None)
        if self.kind == "text":
            self.text = QLineEdit(now.text if now and now.kind == "text" else "")
            self.text.setObjectName("holds text")
            self.text.setPlaceholderText(tr("it holds this text"))
            self.text.returnPressed.connect(self._filter_text)
            box.addWidget(self.text)
        else:
            row = QHBoxLayout()
            self.low, self.high = QLineEdit(), QLineEdit()
            for line, name, hint in ((self.low, "from", "from"), (self.high, "to", "to")):
                line.setObjectName(name)
                line.setPlaceholderText(hint)
                line.returnPressed.connect(self._filter_range)
                row.addWidget(line)
            if now is not None and now.kind == "range":
                self.low.setText("" if now.low is None else str(now.low))
                self.high.setText("" if now.high is None else str(now.high))
            box.addLayout(row)
        self.values = QListWidget()
        self.values.setObjectName("values")
        self.values.setFixedHeight(132)
        self.values.addItem(tr("counting values…"))
        box.addWidget(self.values)
        row = QHBoxLayout()
        for text, run in (
            (tr("these values"), self._filter_values),
            ("missing", lambda: self._filter(FieldFilter(self.field, "missing"))),
            ("known", lambda: self._filter(FieldFilter(self.field, "known"))),
            ("all", lambda: self._filter(None)),
        ):
            button = QPushButton(text)
            button.setObjectName(f"show {text}")
            button.clicked.connect(run)
            row.addWidget(button)
        box.addLayout(row)
        return box

    def offer(self, found: tuple[list[tuple[Any, int]], int]) -> None:
        """List the values of the column with their counts, to tick."""
        values, total = found
        now = next((f for f in self.look.filters if f.field == self.field and f.kind == "values"), None)
        self.values.clear()
        for value, count in values[:MOST_LISTED]:
            item = QListWidgetItem(f"{'missing' if value is None else number_text(value)}   ({grouped(count)})")
            item.setData(Qt.ItemDataRole.UserRole, (value,))
            item.setFlags(item.flags() | Qt.ItemFlag.ItemIsUserCheckable)
            ticked = now is not None and value in now.values
            item.setCheckState(Qt.CheckState.Checked if ticked else Qt.CheckState.Unchecked)
            self.values.addItem(item)
        if total > MOST_LISTED:
            more = QListWidgetItem(tr("and {total:,} rarer values; filter by text or range", total=total - MOST_LISTED))
            more.setFlags(Qt.ItemFlag.NoItemFlags)
            self.values.addItem(more)

    def _filter(self, chosen: FieldFilter | None) -> None:
        others = tuple(f for f in self.look.filters if f.field != self.field)
        filters = others if chosen is None else (*others, chosen)
        self._put(tr("filter by {field}", field=self.field), replace(self.look, filters=filters))

    def _filter_text(self) -> None:
        text = self.text.text()
        self._filter(FieldFilter(self.field, "text", text=text) if text else None)

    def _filter_range(self) -> None:
        try:
            low, high = (self._bound(line.text()) for line in (self.low, self.high))
        except BadExpression as error:
            self.wrong.setText(error.reason)
            self.wrong.show()
            return
        known = low is not None or high is not None
        self._filter(FieldFilter(self.field, "range", low=low, high=high) if known else None)

    def _bound(self, text: str) -> Any:
        from brisk_atlas.core.table.editing import value_from

        import_kind = self.property("arrow")
        value = value_from(text, import_kind, self.field)
        return value if isinstance(value, int | float | None) else str(value)

    def _filter_values(self) -> None:
        items = [self.values.item(i) for i in range(self.values.count())]
        ticked = [i.data(Qt.ItemDataRole.UserRole) for i in items if i and i.checkState() == Qt.CheckState.Checked]
        values = tuple(v[0] for v in ticked if v is not None)
        self._filter(FieldFilter(self.field, "values", values) if values else None)

    # How values show

    def _formats(self) -> QFormLayout:
        from brisk_atlas.core.table.formats import DATE_FORMS, NUMBER_FORMS

        form = QFormLayout()
        form.setContentsMargins(0, 4, 0, 0)
        self.alias = QLineEdit(self.column.alias)
        self.alias.setObjectName("alias")
        self.alias.setPlaceholderText(self.field)
        self.alias.editingFinished.connect(lambda: self._restyle(alias=self.alias.text().strip()))
        form.addRow(tr("heading"), self.alias)
        forms = {"number": NUMBER_FORMS, "date": DATE_FORMS}.get(self.kind)
        if forms is not None:
            self.form = QComboBox()
            self.form.setObjectName("form")
            for key, words in forms.items():
                self.form.addItem(words, key)
            self.form.setCurrentIndex(max(0, self.form.findData(self.column.form)))
            self.form.activated.connect(lambda i: self._restyle(form=self.form.itemData(i)))
            form.addRow(tr("shown as"), self.form)
        if self.kind == "number":
            row = QHBoxLayout()
            self.digits = QSpinBox()
            self.digits.setObjectName("digits")
            self.digits.setRange(0, 12)
            self.digits.setValue(self.column.digits)
            self.digits.valueChanged.connect(lambda n: self._restyle(digits=n))
            thousands = QPushButton(grouped(1234))
            thousands.setObjectName("thousands")
            thousands.setCheckable(True)
            thousands.setChecked(self.column.thousands)
            thousands.toggled.connect(lambda on: self._restyle(thousands=on))
            row.addWidget(self.digits)
            row.addWidget(thousands)
            form.addRow(tr("decimals"), row)
        return form

    def _restyle(self, **values: Any) -> None:
        """Change how values show; the panel stays."""
        column = replace(self.column, **values)
        if column != self.column:
            self.column = column
            self.look = self.look.with_column(column, self.names)
            self.look_changed.emit(tr("how {field} shows", field=self.field), self.look)
