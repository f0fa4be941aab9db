"""Writing, as a form: the file, its format with its options, the record; and what will come of it."""

from __future__ import annotations

import re
from pathlib import Path
from typing import TYPE_CHECKING, Any

from PyQt6.QtCore import pyqtSignal
from PyQt6.QtWidgets import (
    QComboBox,
    QFileDialog,
    QFormLayout,
    QHBoxLayout,
    QLineEdit,
    QPushButton,
    QVBoxLayout,
    QWidget,
)

from brisk_atlas.core.model.language import tr
from brisk_atlas.core.model.vocabulary import amount_words

from ..plain_text import PlainLabel
from ..theme import mono_font
from .setting_names import setting_name
from .step_inputs import ChoiceInput, StepInput, SwitchInput, TextInput

if TYPE_CHECKING:
    from brisk_atlas.core.handover.formats import FileFormat, TableFormat
    from brisk_atlas.core.handover.formats.format import FormatOption
    from brisk_atlas.core.handover.look_ahead import LookAhead
    from brisk_atlas.core.handover.recipe import RecipeStep
    from brisk_atlas.core.model import DataKind

RECORD_WORDS = {"none": tr("without a record"), "beside": tr("record beside it"), "inside": tr("record inside it")}
ZIP = ".zip"


class WriteForm(QWidget):
    """The inputs of the step that writes.

    Signals:
        edited(object): the settings as they are now, as JSON holds them.
        remedy_wanted(object): a loss whose remedy was chosen.
    """

    edited = pyqtSignal(object)
    remedy_wanted = pyqtSignal(object)

    def __init__(self) -> None:
        super().__init__()
        self.settings: dict[str, Any] = {}
        self._kind: DataKind | None = None
        self._folder = Path()  # of the file, while a table is chosen instead
        self._option_inputs: dict[str, StepInput] = {}
        self.title = PlainLabel(tr("Write"))
        self.title.setObjectName("title")
        self.path, self.browse = QLineEdit(), QPushButton(tr("Choose…"))
        self.path.setFont(mono_font())
        self.path.setObjectName("write path")
        self.path.setAccessibleName(tr("The file to write"))
        self.format, self.record, self.pack = (
            QComboBox(),
            QComboBox(),
            SwitchInput(tr("in a zip with checksums"), False),
        )
        self.format.setObjectName("write format")
        self.format.setAccessibleName(tr("Format"))
        self.record.setObjectName("write record")
        self.record.setAccessibleName(tr("Where the record goes"))
        for value, words in RECORD_WORDS.items():
            self.record.addItem(words, value)
        self.about, self.outlook = PlainLabel(), PlainLabel()
        self.about.setObjectName("quiet")
        self.about.setWordWrap(True)
        self.outlook.setWordWrap(True)
        self.outlook.setObjectName("write outlook")
        self.options, self.losses = QFormLayout(), QVBoxLayout()
        self.losses.setSpacing(4)
        path_row, with_it = QHBoxLayout(), QHBoxLayout()
        path_row.setSpacing(8)
        with_it.setSpacing(12)
        path_row.addWidget(self.path, 1)
        path_row.addWidget(self.browse)
        with_it.addWidget(self.record)
        with_it.addWidget(self.pack)
        with_it.addStretch(1)
        self.rows = form = QFormLayout()
        form.setVerticalSpacing(8)
        form.setHorizontalSpacing(12)
        form.setFieldGrowthPolicy(QFormLayout.FieldGrowthPolicy.AllNonFixedFieldsGrow)
        self.place = PlainLabel(tr("File"))
        form.addRow(self.place, path_row)
        form.addRow(tr("Format"), self.format)
        form.addRow(tr("With it"), with_it)
        self._with_it = with_it
        self.options.setVerticalSpacing(6)
        self.options.setHorizontalSpacing(12)
        column = QVBoxLayout(self)
        column.setContentsMargins(12, 10, 12, 10)
        column.setSpacing(8)
        column.addWidget(self.title)
        column.addLayout(form)
        column.addWidget(self.about)
        column.addLayout(self.options)
        column.addWidget(self.outlook)
        column.addLayout(self.losses)
        column.addStretch(1)
        self.path.editingFinished.connect(self._path_typed)
        self.browse.clicked.connect(self._browse)
        self.format.activated.connect(self._format_chosen)
        self.record.activated.connect(lambda at: self._set("record", self.record.currentData(), "none"))
        self.pack.changed.connect(self._pack_chosen)

    def show_step(self, step: RecipeStep, kind: DataKind) -> None:
        """Show the settings for data of a kind."""
        self.settings, self._kind = dict(step.settings), kind
        self.path.setText(str(self.settings.get("path", "")))
        self._fill_formats()
        self.record.setCurrentIndex(max(0, self.record.findData(self.settings.get("record", "none"))))
        self.pack.show_value(self.path.text().lower().endswith(ZIP))
        self.show_outlook(None, "")

    def _formats(self) -> list[FileFormat | TableFormat]:
        from brisk_atlas.core.handover.formats import formats_of, table_formats

        tables = [each for each in table_formats() if self._kind in each.kinds]
        return [*formats_of(self._kind), *tables] if self._kind is not None else []

    def chosen_format(self) -> FileFormat | TableFormat | None:
        """Return the format that the path or the name means, None where neither does."""
        from brisk_atlas.core.handover.formats import format_for, table_format_of, table_in
        from brisk_atlas.core.model import AtlasError

        if self._kind is None:
            return None
        path, name = Path(self.path.text()), self.settings.get("format", "")
        try:
            table = table_in(self.path.text())
            if table is not None:
                return table_format_of(table)
            return self._formats()[0] if path.suffix.lower() == ZIP and not name else format_for(self._kind, path, name)
        except AtlasError:
            return None

    def _fill_formats(self) -> None:
        self.format.clear()
        for each in self._formats():
            self.format.addItem(f"{each.name}   {''.join(each.endings[:1])}".strip(), each.name)
        chosen = self.chosen_format()
        self.format.setCurrentIndex(self.format.findData(chosen.name) if chosen else -1)
        self._fill_options(chosen)

    def _fill_options(self, chosen: FileFormat | TableFormat | None) -> None:
        from brisk_atlas.core.handover.formats import TableFormat

        while self.options.rowCount():
            self.options.removeRow(0)
        self._option_inputs = {}
        self.about.setText(chosen.about if chosen is not None else "")
        self.place.setText(chosen.place if isinstance(chosen, TableFormat) else tr("File"))
        inside = self.record.findData("inside")
        item = self.record.model().item(inside)  # type: ignore[union-attr]
        item.setEnabled(chosen is not None and chosen.name == "GeoPackage")
        is_file = chosen is None or bool(chosen.endings)
        self.browse.setEnabled(is_file)
        self.rows.setRowVisible(self._with_it, is_file)  # no record goes with a table, and with a posting always
        given = self.settings.get("options", {})
        for option in chosen.options if chosen is not None else ():
            made = _option_input(option)
            made.show_value(given.get(option.name))
            made.setToolTip(option.about)
            made.setObjectName(f"option {option.name}")
            made.changed.connect(self._options_changed)
            self._option_inputs[option.name] = made
            if isinstance(made, SwitchInput):
                self.options.addRow(made)
            else:
                self.options.addRow(setting_name(option.name), made)
            for child in made.findChildren(QWidget):
                child.setAccessibleName(option.about)

    def show_outlook(self, outlook: LookAhead | None, fault: str) -> None:
        """Show what would be written, or why it can't be."""
        while (item := self.losses.takeAt(0)) is not None:
            row = item.widget()
            if row is not None:
                row.deleteLater()
        self.outlook.setObjectName("fault" if fault else "write outlook")
        style = self.outlook.style()
        assert style is not None
        style.polish(self.outlook)
        self.outlook.setText(fault or (outlook_words(outlook, self._kind) if outlook is not None else ""))
        for loss in outlook.losses if outlook is not None else ():
            line = QWidget()
            row_ = QHBoxLayout(line)
            row_.setContentsMargins(0, 0, 0, 0)
            words = PlainLabel(tr("Loses: {text}", text=loss.text))
            words.setObjectName("caution")
            words.setWordWrap(True)
            row_.addWidget(words, 1)
            for text in filter(None, (loss.remedy if loss.step else "", loss.other_format)):
                button = QPushButton(text if text == loss.remedy else tr("Write {text}", text=text))
                button.setToolTip(
                    tr("Adds a step before this one") if text == loss.remedy else tr("Writes {text} instead", text=text)
                )
                chosen = loss if text == loss.remedy else text
                button.clicked.connect(lambda checked=False, c=chosen: self._remedy(c))
                row_.addWidget(button)
            self.losses.addWidget(line)

    def _remedy(self, chosen: Any) -> None:
        if isinstance(chosen, str):
            self.format.setCurrentIndex(self.format.findData(chosen))
            self._format_chosen(self.format.currentIndex())
        else:
            self.remedy_wanted.emit(chosen)

    # What the hand does

    def _set(self, name: str, value: Any, default: Any) -> None:
        if value == default:
            self.settings.pop(name, None)
        else:
            self.settings[name] = value
        self.edited.emit(dict(self.settings))

    def _path_typed(self) -> None:
        text = self.path.text().strip()
        if text == self.settings.get("path", ""):
            return
        self.settings["path"] = text
        named = self.settings.get("format")
        chosen = next((each for each in self._formats() if each.name == named), None)
        if chosen is not None and not any(text.lower().endswith(e) for e in (*chosen.endings, ZIP)):
            self.settings.pop("format", None)
            self.settings.pop("options", None)
        self._fill_formats()
        self.edited.emit(dict(self.settings))

    def _browse(self) -> None:
        kinds = ";;".join(f"{each.name} (*{each.endings[0]})" for each in self._formats() if each.endings)
        path, _ = QFileDialog.getSaveFileName(self, tr("Write to"), self.path.text(), kinds)
        if path:
            self.path.setText(path)
            self._path_typed()

    def _format_chosen(self, at: int) -> None:
        chosen = next((each for each in self._formats() if each.name == self.format.currentData()), None)
        if chosen is None:
            return
        text = self._path_in(chosen, self.path.text())
        self.path.setText(text)
        self.settings["path"] = text
        self.settings.pop("options", None)
        first = self.chosen_format()
        self.settings.pop("format", None)
        by_ending = self.chosen_format()
        if by_ending is None or by_ending.name != chosen.name or first is None:
            self.settings["format"] = chosen.name
        if self.settings.get("record") == "inside" and chosen.name != "GeoPackage":
            self.settings["record"] = "beside"
        if not chosen.endings:
            self.settings.pop("record", None)
        self.record.setCurrentIndex(self.record.findData(self.settings.get("record", "none")))
        self._fill_options(chosen)
        self.edited.emit(dict(self.settings))

    def _path_in(self, chosen: FileFormat | TableFormat, text: str) -> str:
        """Return where the same is written in another format: by its ending, or as a table of its name."""
        from brisk_atlas.core.handover.formats import FileFormat

        if "://" in text:
            text = str(self._folder / re.split(r"[#.]", text)[-1])
        elif chosen.endings and text.lower().endswith(ZIP):
            return text
        before = [e for each in self._formats() for e in (*each.endings, ZIP) if text.lower().endswith(e)]
        plain = text[: -len(max(before, key=len))] if before else text
        if isinstance(chosen, FileFormat):
            return plain + chosen.endings[0]
        self._folder = Path(text).parent
        return f"{chosen.new}{Path(plain).name}"

    def _pack_chosen(self) -> None:
        chosen = self.chosen_format()
        text = self.path.text()
        if chosen is None or not chosen.endings:
            return
        ending = next((e for e in sorted(chosen.endings, key=len, reverse=True) if text.lower().endswith(e)), "")
        if self.pack.value():
            self.settings["format"] = chosen.name
            text = (text[: -len(ending)] if ending else text) + ZIP
        elif text.lower().endswith(ZIP):
            text = text[: -len(ZIP)] + chosen.endings[0]
        self.path.setText(text)
        self.settings["path"] = text
        self.edited.emit(dict(self.settings))

    def _options_changed(self) -> None:
        chosen = self.chosen_format()
        if chosen is None:
            return
        defaults = {each.name: each.default for each in chosen.options}
        given = {name: made.value() for name, made in self._option_inputs.items()}
        changed = {name: value for name, value in given.items() if value is not None and value != defaults[name]}
        self._set("options", changed, {})


def _option_input(option: FormatOption) -> StepInput:
    if option.choices:
        return ChoiceInput(option.choices, option.default)
    if isinstance(option.default, bool):
        return SwitchInput(option.about, option.default)
    kind = type(option.default)

    def parse(text: str) -> Any:
        try:
            return kind(text)
        except ValueError:
            return text

    made = TextInput(parse, str)
    made.line.setPlaceholderText(str(option.default) or option.about)
    return made


def outlook_words(outlook: LookAhead, kind: DataKind | None) -> str:
    """Return what would be written in a line."""
    from brisk_atlas.core.model import size_text

    parts = [tr("an unknown amount")]
    if outlook.count is not None:
        amount = amount_words(kind, outlook.count)
        parts = [amount if outlook.is_exact else tr("about {amount}", amount=amount)]
    if outlook.size_bytes:
        parts.append(tr("about {amount}", amount=size_text(outlook.size_bytes)))
    if outlook.seconds is not None and outlook.count:
        words = seconds_words(outlook.seconds)
        parts.append(words if outlook.seconds < 1 else tr("about {amount}", amount=words))
    return tr("Will be written: {parts}", parts=", ".join(parts))


def seconds_words(seconds: float) -> str:
    """Return a time as a person says it.

    >>> seconds_words(0.02), seconds_words(12.3), seconds_words(300)
    ('less than a second', '12 s', '5 min')
    """
    if seconds < 1:
        return tr("less than a second")
    return f"{seconds:.0f} s" if seconds < 90 else tr("{minutes:.0f} min", minutes=seconds / 60)
