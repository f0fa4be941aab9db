"""The upper part of the Record page: which record, which standard, which view, and what can be done."""

from __future__ import annotations

from PyQt6.QtWidgets import (
    QButtonGroup,
    QComboBox,
    QHBoxLayout,
    QLineEdit,
    QMenu,
    QPushButton,
    QToolButton,
    QVBoxLayout,
    QWidget,
)

from brisk_atlas.core.model.language import tr

from ..plain_text import PlainLabel

BRIEF, FULL, TEXT, BESIDE = range(4)
VIEWS = (tr("Brief"), tr("Full"), tr("Text"), tr("Side by side"))


def _tool(text: str, name: str, tip: str) -> QToolButton:
    button = QToolButton()
    button.setText(text)
    button.setObjectName(name)
    button.setToolTip(tip)
    return button


def _button(text: str, name: str, tip: str) -> QPushButton:
    button = QPushButton(text)
    button.setObjectName(name)
    button.setToolTip(tip)
    return button


class RecordBar(QWidget):
    """Three rows of tools and a line that says what is to be known; it holds no state but what its widgets show."""

    def __init__(self) -> None:
        super().__init__()
        self.title = PlainLabel("")
        self.title.setObjectName("title")
        self.message = PlainLabel("")
        self.message.setObjectName("quiet")
        self.message.setWordWrap(True)
        self.records = QComboBox()
        self.records.setObjectName("record choice")
        self.records.setAccessibleName(tr("Which record of the dataset"))
        self.records.setFixedWidth(250)
        self.standard = QComboBox()
        self.standard.setObjectName("record standard")
        self.standard.setAccessibleName(tr("Standard to read and check under"))
        self.standard.setToolTip(tr("The standard in whose words it is read and by whose rules it is checked"))
        self.standard.setMinimumWidth(126)
        self.search = QLineEdit()
        self.search.setObjectName("record search")
        self.search.setAccessibleName(tr("Find in the record"))
        self.search.setPlaceholderText(tr("Find in the record"))
        self.search.setClearButtonEnabled(True)
        self.search.setFixedWidth(150)
        self.views = QButtonGroup(self)
        self.view_buttons = []
        for number, name in enumerate(VIEWS):
            button = _tool(name, f"record view {name}", tr("{name}  (Alt+{number})", name=name, number=number + 1))
            button.setCheckable(True)
            button.setShortcut(f"Alt+{number + 1}")
            self.views.addButton(button, number)
            self.view_buttons.append(button)
        self.view_buttons[BRIEF].setChecked(True)
        self.save = _button(tr("Save"), "main", tr("Save the record where it is stored"))
        self.make = _button(
            tr("Make a record"), "record make", tr("Filled from the data, beside it; the rest is yours to write")
        )
        self.many = _button(tr("Many…"), "record many", tr("The records of a folder as a table"))
        self.more = _tool(tr("More ▾"), "record more", tr("New, convert, templates, hand on, flatten, link"))
        self.more.setPopupMode(QToolButton.ToolButtonPopupMode.InstantPopup)
        self.menu = QMenu(self.more)
        self.more.setMenu(self.menu)
        self.everything = _tool(
            tr("Show empty"), "show empty", tr("Every element that the standard has, filled in or not")
        )
        self.everything.setCheckable(True)
        self.add = _button(tr("Add another"), "record add", tr("Another of what is chosen  (Insert)"))
        self.remove = _button(tr("Remove"), "record remove", tr("What is chosen  (Delete)"))
        text = tr("Extent, reference system, counts, resolution, fields, format and size as derived from the data")
        self.fill = _button(tr("Fill from the data"), "record fill", text)
        self.fold = _button(tr("Fold all"), "record fold", tr("Fold or unfold everything"))
        self.wrong = PlainLabel("")
        self.wrong.setObjectName("fault")
        self._lay_out()

    def _lay_out(self) -> None:
        first, second = QHBoxLayout(), QHBoxLayout()
        first.addWidget(self.title, 1)
        for button in self.view_buttons:
            first.addWidget(button)
        for widget in (self.records, self.standard, self.search):
            second.addWidget(widget)
        second.addStretch(1)
        for tool in (self.make, self.many, self.more, self.save):
            second.addWidget(tool)
        self.tools = QWidget()
        third = QHBoxLayout(self.tools)
        third.setContentsMargins(0, 0, 0, 0)
        for tool in (self.everything, self.add, self.remove, self.fill, self.fold):
            third.addWidget(tool)
        third.addWidget(self.wrong, 1)
        column = QVBoxLayout(self)
        column.setContentsMargins(0, 0, 0, 0)
        column.addLayout(first)
        column.addLayout(second)
        column.addWidget(self.message)
        column.addWidget(self.tools)

    def say(self, words: str) -> None:
        """Say something of the record as a whole; nothing takes no room."""
        self.message.setText(words)
        self.message.setVisible(bool(words))

    def show_tools(self, view: int, *, has_record: bool, can_edit: bool, is_data: bool, changed: bool) -> None:
        """Show the tools of a view, and those only that can be used."""
        self.tools.setVisible(has_record and view in (FULL, TEXT))
        for widget in (self.everything, self.add, self.remove, self.fill):
            widget.setVisible(view == FULL)
        self.fold.setVisible(view == TEXT)
        self.make.setVisible(is_data and not has_record)
        self.save.setVisible(can_edit)
        self.save.setEnabled(changed)
        self.fill.setEnabled(is_data and can_edit)
        for button in (self.add, self.remove):
            button.setEnabled(can_edit)

    def show_nothing(self, words: str) -> None:
        self.title.setText(words)
        self.say("")
        for widget in (
            self.records,
            self.standard,
            self.search,
            self.save,
            self.make,
            self.more,
            *self.view_buttons,
            self.tools,
        ):
            widget.setVisible(False)

    def show_dataset(self, name: str) -> None:
        self.title.setText(name)
        for widget in (self.standard, self.search, self.more, *self.view_buttons):
            widget.setVisible(True)
