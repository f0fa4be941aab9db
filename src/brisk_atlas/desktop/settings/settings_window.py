"""Settings of the whole application, each used at once or, where that can't be, from the next start."""

from __future__ import annotations

from collections.abc import Callable
from datetime import date

from PyQt6.QtCore import QSettings, QUrl, pyqtSignal
from PyQt6.QtGui import QDesktopServices
from PyQt6.QtWidgets import (
    QCheckBox,
    QComboBox,
    QDialog,
    QFormLayout,
    QHBoxLayout,
    QPushButton,
    QSpinBox,
    QVBoxLayout,
    QWidget,
)

from brisk_atlas.core.model.date_words import DateForm, day_text
from brisk_atlas.core.model.digit_groups import DigitGroups
from brisk_atlas.core.model.language import LANGUAGES, tr
from brisk_atlas.core.model.length_units import LengthUnits, length_units
from brisk_atlas.core.place.notation import TITLES

from ..plain_text import PlainLabel
from ..session import Session
from ..status_line import StatusLine
from .chosen_language import LANGUAGE, stored_language
from .numbers_and_dates import DATES, GROUPS, stored_dates, stored_groups
from .stored_settings import (
    CALM,
    MAX_MB,
    MEMORY,
    MIN_MB,
    SIZE,
    SIZES,
    UNITS,
    interface_size,
    less_motion,
    memory_limit,
    take_length_units,
    take_memory_limit,
)

WIDTH_PX, GAP_PX = 640, 14
SAMPLE, SAMPLE_DAY = 1_234_567.5, date(2031, 6, 24)
PLENTY_MB = 4_000  # that is proposed where nothing was chosen


class SettingsWindow(QDialog):
    """The settings. `do` runs a command of the window by its id; `theme` is the name of the colours in use; `foot`
    shows the notations of places.

    Signals:
        units_changed(): lengths and areas are worded in other units from now on.
        motion_changed(): more or less is to move by itself from now on.
    """

    units_changed = pyqtSignal()
    motion_changed = pyqtSignal()

    def __init__(
        self, session: Session, settings: QSettings, theme: Callable[[], str], offline: Callable[[], bool],
        do: Callable[[str], None], foot: StatusLine, parent: QWidget,
    ) -> None:  # fmt: skip
        super().__init__(parent)
        self.session, self.settings, self.foot = session, settings, foot
        self._theme, self._offline, self._do = theme, offline, do
        self.setWindowTitle(tr("Settings"))
        self.setMinimumWidth(WIDTH_PX)
        self.night = QCheckBox(tr("Night colours"))
        self.calm = QCheckBox(tr("Less motion: nothing blinks or flashes by itself"))
        self.language = QComboBox()
        self.language.addItem(tr("That of the desktop"), "")
        for code, name in LANGUAGES.items():
            self.language.addItem(name, code)
        self.language_note = _from_next_start()
        self.groups = QComboBox()
        self.groups.setAccessibleName(tr("Form of numbers"))
        self.groups.addItem(tr("As usual in the language"), "")
        for groups in DigitGroups:
            self.groups.addItem(f"{SAMPLE:,.1f}".replace(",", groups.sign), groups.value)
        self.dates = QComboBox()
        self.dates.setAccessibleName(tr("Form of dates"))
        for form in DateForm:
            self.dates.addItem(day_text(SAMPLE_DAY, form), form.value)
        self.written_note = _from_next_start()
        self.how_large = QComboBox()
        self.how_large.addItems([f"{each} %" for each in SIZES])
        self.size_note = _from_next_start()
        self.units = QComboBox()
        self.units.setAccessibleName(tr("Units of what is measured"))
        for each in LengthUnits:
            self.units.addItem(each.words, each)
        self.notations = [QComboBox() for _ in foot.slots]
        for number, notation in enumerate(self.notations):
            notation.setAccessibleName(tr("Notation {number} of a place", number=number + 1))
            for name, title in TITLES.items():
                notation.addItem(title, name)
        self.by_machine = QCheckBox(tr("A share of this machine’s memory"))
        self.memory = QSpinBox()
        self.memory.setRange(MIN_MB, MAX_MB)
        self.memory.setSuffix(" MB")
        self.memory.setGroupSeparatorShown(True)
        self.memory.setAccessibleName(tr("Memory for what was read"))
        self.no_network = QCheckBox(tr("Work offline: ask no server"))
        self.answers = QPushButton(tr("Stored answers of services…"))
        self.allowed = QPushButton(tr("Allowed hosts and folders…"))
        self.forget = QPushButton(tr("Forget recent work"))
        self.forget.setToolTip(tr("Lists and pictures of what was opened lately; no file of yours is touched"))
        self.forgotten = PlainLabel("")
        self.forgotten.setObjectName("quiet")
        self.log, self.links, self.keys = (
            QPushButton(words)
            for words in (tr("Show the log"), tr("Open links to views with this application"), tr("All keys…"))
        )
        self._lay_out()
        self.fill()
        self._connect()

    def _lay_out(self) -> None:
        form = QFormLayout()
        form.setVerticalSpacing(10)
        rows: list[tuple[str, tuple[QWidget, ...]]] = [
            (tr("Language"), (self.language, self.language_note)),
            (tr("Colours"), (self.night,)),
            (tr("Motion"), (self.calm,)),
            (tr("Size of text and all else"), (self.how_large, self.size_note)),
            (tr("Numbers and dates"), (self.groups, self.dates, self.written_note)),
            (tr("Lengths and areas"), (self.units,)),
            (tr("Places, at the foot"), tuple(self.notations)),
            (tr("Memory for what was read"), (self.by_machine, self.memory)),
            (tr("Network"), (self.no_network, self.answers)),
            (tr("What files may point at"), (self.allowed,)),
            (tr("Privacy"), (self.forget, self.forgotten)),
            (tr("Keyboard"), (self.keys,)),
            (tr("Desktop"), (self.links,)),
            (tr("Faults"), (self.log,)),
        ]
        for words, widgets in rows:
            row = QHBoxLayout()
            row.setSpacing(GAP_PX)
            for each in widgets:
                row.addWidget(each)
            row.addStretch(1)
            form.addRow(PlainLabel(words), row)
        column = QVBoxLayout(self)
        column.setContentsMargins(20, 18, 20, 18)
        column.addLayout(form)
        column.addStretch(1)
        close = QPushButton(tr("Close"))
        close.setObjectName("main")
        close.clicked.connect(self.accept)
        low = QHBoxLayout()
        low.addStretch(1)
        low.addWidget(close)
        column.addLayout(low)

    def _connect(self) -> None:
        self.night.clicked.connect(lambda on: self._do("theme"))
        self.calm.clicked.connect(self._choose_motion)
        self.language.activated.connect(self._choose_language)
        self.groups.activated.connect(lambda at: self._choose_writing(GROUPS, self.groups.itemData(at)))
        self.dates.activated.connect(lambda at: self._choose_writing(DATES, self.dates.itemData(at)))
        self.how_large.activated.connect(self._choose_size)
        self.units.activated.connect(self._choose_units)
        for slot, notation in enumerate(self.notations):
            notation.activated.connect(lambda at, slot=slot: self._choose_notation(slot, at))
        self.by_machine.clicked.connect(lambda on: self._choose_memory())
        self.memory.valueChanged.connect(lambda value: self._choose_memory())
        self.no_network.clicked.connect(lambda on: self._do("offline"))
        self.answers.clicked.connect(lambda checked=False: self._do("stored_answers"))
        self.allowed.clicked.connect(lambda checked=False: self._do("allowed_places"))
        self.forget.clicked.connect(lambda checked=False: self._forget())
        self.keys.clicked.connect(lambda checked=False: self._do("keys"))
        self.links.clicked.connect(lambda checked=False: self._do("register_links"))
        self.log.clicked.connect(lambda checked=False: self._show_log())

    def fill(self) -> None:
        """Show everything as it is now."""
        self.language.setCurrentIndex(self.language.findData(stored_language(self.settings)))
        self.groups.setCurrentIndex(self.groups.findData(str(stored_groups(self.settings) or "")))
        self.dates.setCurrentIndex(self.dates.findData(stored_dates(self.settings).value))
        self.night.setChecked(self._theme() == "night")
        self.calm.setChecked(less_motion(self.settings))
        self.how_large.setCurrentIndex(SIZES.index(interface_size(self.settings)))
        self.units.setCurrentIndex(self.units.findData(length_units()))
        for name, notation in zip(self.foot.slots, self.notations):
            notation.setCurrentIndex(notation.findData(name))
        limit = memory_limit(self.settings)
        self.by_machine.setChecked(limit is None)
        self.memory.blockSignals(True)
        self.memory.setValue(limit or PLENTY_MB)
        self.memory.blockSignals(False)
        self.memory.setEnabled(limit is not None)
        self.no_network.setChecked(self._offline())
        self.forgotten.setText("")

    def _choose_motion(self, on: bool) -> None:
        self.settings.setValue(CALM, "yes" if on else "")
        self.motion_changed.emit()

    def _choose_language(self, at: int) -> None:
        self.settings.setValue(LANGUAGE, self.language.itemData(at))
        self.language_note.show()

    def _choose_writing(self, setting: str, chosen: str) -> None:
        self.settings.setValue(setting, chosen)
        self.written_note.show()

    def _choose_size(self, at: int) -> None:
        self.settings.setValue(SIZE, SIZES[at])
        self.size_note.show()

    def _choose_units(self, at: int) -> None:
        self.settings.setValue(UNITS, self.units.itemData(at).value)
        take_length_units(self.settings)
        self.units_changed.emit()

    def _choose_notation(self, slot: int, at: int) -> None:
        self.foot.show_notation(slot, self.notations[slot].itemData(at))

    def _choose_memory(self) -> None:
        by_machine = self.by_machine.isChecked()
        self.memory.setEnabled(not by_machine)
        if by_machine:
            self.settings.remove(MEMORY)
        else:
            self.settings.setValue(MEMORY, self.memory.value())
        take_memory_limit(self.settings, self.session.workspace)

    def _forget(self) -> None:
        from ..welcome.project_pictures import forget_pictures

        self.session.shelves.forget_recent()
        forget_pictures()
        self.forgotten.setText(tr("Forgotten."))

    def _show_log(self) -> None:
        from brisk_atlas.core.system.log import log_file

        QDesktopServices.openUrl(QUrl.fromLocalFile(str(log_file().parent)))


def _from_next_start() -> PlainLabel:
    """Return a note, hidden, that says when a choice counts."""
    note = PlainLabel(tr("From the next start."))
    note.setObjectName("quiet")
    note.hide()
    return note
