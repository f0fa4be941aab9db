"""What one file is asked: how its text is written, which columns place it, its CRS, and which parts."""

from __future__ import annotations

from typing import TYPE_CHECKING

from PyQt6.QtCore import Qt, pyqtSignal
from PyQt6.QtWidgets import (
    QComboBox,
    QGridLayout,
    QHBoxLayout,
    QLabel,
    QListWidget,
    QListWidgetItem,
    QPushButton,
    QVBoxLayout,
    QWidget,
)

from brisk_atlas.core.model import AtlasError, Columns, OpenOptions, TextForm
from brisk_atlas.core.model.language import tr

from .crs_picker import CrsPicker
from .dbf_text_row import DbfTextRow
from .locator_map import LocatorMap
from .plain_text import PlainLabel
from .session import Session
from .text_form_rows import HEIGHT_PX, TextFormRows
from .theme import Theme

if TYPE_CHECKING:
    from brisk_atlas.core.find import Neighbour, Question
    from brisk_atlas.core.system.jobs import Job

WAYS = {
    "none": tr("keep it a table"),
    "xy": tr("two columns"),
    "wkt": tr("well-known text"),
    "mgrs": tr("MGRS reference"),
}
NAME = Qt.ItemDataRole.UserRole


class QuestionForm(QWidget):
    """The choices for one file, filled in with the guess; `reading()` is the answer.

    Signals:
        changed(): another choice was made.
    """

    changed = pyqtSignal()

    def __init__(self, session: Session, question: Question, theme: Theme) -> None:
        super().__init__()
        self.session, self.question, self.theme = session, question, theme
        self.bounds = question.bounds
        self._job: Job | None = None
        self._neighbours: list[Neighbour] = []
        self._height = 0
        column = QVBoxLayout(self)
        column.setContentsMargins(0, 0, 0, 0)
        column.setSpacing(8)
        if question.form is not None:
            self._add_form(column)
        if question.text is not None:
            self._heading(column, tr("How its text is stored"))
            self.text_row = DbfTextRow(question.text)
            self.text_row.changed.connect(self.changed)
            column.addWidget(self.text_row)
            self._height += 40
        if question.columns:
            self._add_columns(column)
        if question.asks_crs:
            self._add_crs(column)
        if question.parts:
            self._add_parts(column)
        column.addStretch(0)
        if question.columns:
            self._way_changed()
        elif question.asks_crs:
            self._landed()

    def wanted_height(self) -> int:
        return self._height

    @property
    def busy(self) -> bool:
        return (self._job is not None and not self._job.finished) or (self.question.asks_crs and self.crs.busy)

    def _heading(self, column: QVBoxLayout, text: str, reason: str = "") -> QLabel:
        row = QHBoxLayout()
        heading = PlainLabel(text)
        heading.setObjectName("heading")
        why = PlainLabel(reason)
        why.setObjectName("quiet")
        row.addWidget(heading)
        row.addWidget(why, 1)
        column.addLayout(row)
        self._height += 30
        return why

    # How the text is written

    def _add_form(self, column: QVBoxLayout) -> None:
        guess = self.question.form
        assert guess is not None
        self._heading(column, tr("How it is written"))
        self.text_form = TextFormRows(self.question.ref, guess)
        self.text_form.changed.connect(self._form_changed)
        column.addWidget(self.text_form)
        self._height += HEIGHT_PX

    def form(self) -> TextForm | None:
        """Return how the text is to be taken, or None where it is no text."""
        return self.text_form.form() if self.question.form is not None else None

    def _form_changed(self, names: list[str]) -> None:
        if self.question.columns:
            for box in (self.x_box, self.y_box, self.z_box, self.text_box):
                was = box.currentText()
                box.blockSignals(True)
                box.clear()
                box.addItems(names)
                box.setCurrentIndex(max(0, box.findText(was)))
                box.blockSignals(False)
            self._columns_changed()
        self.changed.emit()

    # Which columns place the rows

    def _add_columns(self, column: QVBoxLayout) -> None:
        self.why_columns = self._heading(column, tr("Where its rows lie"), self.question.columns_reason)
        guess = self.question.guess.columns or Columns()
        self.is_cloud = bool(guess.z)
        self.way = QComboBox()
        self.way.setObjectName("way")
        for key, word in WAYS.items():
            if not self.is_cloud or key == "xy":
                self.way.addItem(tr("three columns") if self.is_cloud else word, key)
        self.way.setCurrentIndex(
            self.way.findData("wkt" if guess.wkt else "mgrs" if guess.mgrs else "xy" if guess.x else "none")
        )
        self.x_box, self.y_box, self.z_box, self.text_box = QComboBox(), QComboBox(), QComboBox(), QComboBox()
        self.x_name, self.y_name, self.z_name = (
            PlainLabel(tr("x or longitude")),
            PlainLabel(tr("y or latitude")),
            PlainLabel(tr("height")),
        )
        for box, name, value in (
            (self.x_box, "x column", guess.x),
            (self.y_box, "y column", guess.y),
            (self.z_box, "z column", guess.z),
            (self.text_box, "text column", guess.wkt or guess.mgrs),
        ):
            box.setObjectName(name)
            box.setAccessibleName(name)
            box.addItems(self.question.columns)
            box.setCurrentIndex(max(0, box.findText(value)))
            box.currentIndexChanged.connect(self._columns_changed)
        self.way.currentIndexChanged.connect(self._way_changed)
        row = QHBoxLayout()
        for widget in (
            self.way,
            self.x_name,
            self.x_box,
            self.y_name,
            self.y_box,
            self.z_name,
            self.z_box,
            self.text_box,
        ):
            row.addWidget(widget)
        row.addStretch(1)
        column.addLayout(row)
        self._height += 40

    def columns(self) -> Columns | None:
        """Return which columns place the rows; one without names to keep a table a table."""
        if not self.question.columns:
            return None
        way = self.way.currentData()
        if way == "xy":
            return Columns(
                self.x_box.currentText(), self.y_box.currentText(), self.z_box.currentText() if self.is_cloud else ""
            )
        if way == "wkt":
            return Columns(wkt=self.text_box.currentText())
        return Columns(mgrs=self.text_box.currentText()) if way == "mgrs" else Columns()

    def _way_changed(self) -> None:
        way = self.way.currentData()
        for widget in (self.x_name, self.x_box, self.y_name, self.y_box):
            widget.setVisible(way == "xy")
        for widget in (self.z_name, self.z_box):
            widget.setVisible(self.is_cloud)
        self.text_box.setVisible(way in ("wkt", "mgrs"))
        if self.question.asks_crs:
            self.place.setVisible(way in ("xy", "wkt"))
        self._columns_changed()

    def _columns_changed(self) -> None:
        """Find out in the background where the rows lie by the columns now chosen."""
        columns = self.columns()
        reading = OpenOptions(form=self.form(), columns=columns)
        ref = self.question.ref
        if self._job:
            self._job.cancel()
        self.bounds = None

        def work(job: Job) -> object:
            from brisk_atlas.core import read

            try:
                parts = read.open(ref, reading).parts
            except AtlasError:
                return None
            found = [part.facts.extent for part in parts if part.facts.extent is not None]
            return found[0].bounds if found else None

        def done(bounds: tuple[float, float, float, float] | None) -> None:
            if self.columns() == columns:
                self.bounds = bounds
                self._landed()
                self.changed.emit()

        if columns:
            self._job = self.session.run(tr("Looking where it lies"), work, done, shown=False)
        else:
            self._landed()
        self.changed.emit()

    # Its CRS

    def _add_crs(self, column: QVBoxLayout) -> None:
        self.place = QWidget()
        inner = QVBoxLayout(self.place)
        inner.setContentsMargins(0, 0, 0, 0)
        self._heading(inner, tr("Coordinate reference system"), tr("the file states none; ") + self.question.crs_reason)
        self.crs = CrsPicker(self.session)
        self.locator = LocatorMap()
        self.locator.theme = self.theme
        self.landing = PlainLabel()
        self.landing.setWordWrap(True)
        grid = QGridLayout()
        grid.addWidget(self.crs, 0, 0, 2, 1)
        grid.addWidget(self.locator, 0, 1)
        grid.addWidget(self.landing, 1, 1)
        grid.setColumnStretch(0, 3)
        grid.setColumnStretch(1, 2)
        inner.addLayout(grid)
        column.addWidget(self.place, 1)
        self._height += 240
        self.crs.offer(self.question.suggestions, self.question.guess.crs, None)
        self.crs.chosen.connect(lambda code: self._landed())
        self.crs.chosen.connect(lambda code: self.changed.emit())
        self._look_for_neighbours()

    def _look_for_neighbours(self) -> None:
        def work(job: Job) -> list[Neighbour]:
            from brisk_atlas.core.workspace.preflight import neighbours_of

            return [*self.session.workspace.placed_layers(), *neighbours_of(self.question.ref, self.session.catalogue)]

        def done(found: list[Neighbour]) -> None:
            self._neighbours = found
            self._landed()

        self.session.run(tr("Looking around it"), work, done, shown=False)

    def _landed(self) -> None:
        """Show where the data would lie in the CRS now chosen, among what is known nearby."""
        if not self.question.asks_crs:
            return
        around = [neighbour.box for neighbour in self._neighbours]
        if self.bounds is None or self.crs.code is None:
            self.locator.show_boxes(around)
            text = tr("Without one it is drawn as it stands, and can't be laid over others.")
            self.landing.setText(text if self.crs.code is None else tr("These columns hold no positions."))
            self._mood("quiet")
            return
        from brisk_atlas.core.find.landing import landing_of

        found = landing_of(self.bounds, self.crs.code)
        if found is None:
            self.locator.show_boxes(around)
            self.landing.setText(tr("In {code} these coordinates have no place.", code=self.crs.code))
            self._mood("fault")
            return
        self.locator.show_boxes(around, chosen=found.box)
        fits = {True: "", False: f" That is outside the area it is made for: {found.area}", None: ""}[found.fits]
        self.landing.setText(found.words[0].upper() + found.words[1:] + "." + fits)
        self._mood("fault" if found.fits is False else "quiet")

    def _mood(self, name: str) -> None:
        if self.landing.objectName() != name:
            self.landing.setObjectName(name)
            style = self.landing.style()
            assert style is not None
            style.polish(self.landing)

    # Which parts

    def _add_parts(self, column: QVBoxLayout) -> None:
        self.why_parts = self._heading(column, tr("Which parts"))
        self.parts = QListWidget()
        self.parts.setObjectName("parts")
        self.parts.setAccessibleName(tr("Parts to open"))
        chosen = self.question.guess.parts or ()
        for part in self.question.parts:
            item = QListWidgetItem(f"{part.name}   {part.what}")
            item.setData(NAME, part.name)
            item.setFlags(item.flags() | Qt.ItemFlag.ItemIsUserCheckable)
            item.setCheckState(Qt.CheckState.Checked if part.name in chosen else Qt.CheckState.Unchecked)
            self.parts.addItem(item)
        all_button, none_button = QPushButton(tr("All")), QPushButton(tr("None"))
        all_button.clicked.connect(lambda: self._check(Qt.CheckState.Checked))
        none_button.clicked.connect(lambda: self._check(Qt.CheckState.Unchecked))
        row = QHBoxLayout()
        row.addWidget(self.parts, 1)
        buttons = QVBoxLayout()
        buttons.addWidget(all_button)
        buttons.addWidget(none_button)
        buttons.addStretch(1)
        row.addLayout(buttons)
        column.addLayout(row, 1)
        shown = min(len(self.question.parts), 9)
        self.parts.setMinimumHeight(24 * shown + 8)
        self._height += 24 * shown + 20
        self.parts.itemChanged.connect(lambda item: self._parts_changed())
        self._parts_changed()

    def _check(self, state: Qt.CheckState) -> None:
        for i in range(self.parts.count()):
            item = self.parts.item(i)
            assert item is not None
            item.setCheckState(state)

    def chosen_parts(self) -> tuple[str, ...] | None:
        if not self.question.parts:
            return None
        items = [self.parts.item(i) for i in range(self.parts.count())]
        return tuple(
            item.data(NAME) for item in items if item is not None and item.checkState() == Qt.CheckState.Checked
        )

    def _parts_changed(self) -> None:
        chosen = self.chosen_parts() or ()
        self.why_parts.setText(
            tr("{count} of {count2} will be opened", count=len(chosen), count2=len(self.question.parts))
        )
        self.changed.emit()

    # The answer

    def fault(self) -> str:
        """Return why the file can't be opened as chosen, or an empty text."""
        if self.question.parts and not self.chosen_parts():
            return tr("Choose at least one part of {name}.", name=self.question.ref.name)
        columns = self.columns()
        if columns and columns.x and columns.x == columns.y:
            return tr("x and y can't be the same column.")
        if columns and self.bounds is None:
            return tr("The chosen columns hold no positions.") if not self.busy else tr("Looking where it lies…")
        return ""

    def reading(self) -> OpenOptions:
        columns = self.columns()
        placed = bool(columns) or not self.question.columns
        return OpenOptions(
            crs=self.crs.code if self.question.asks_crs and placed else None,
            form=self.form(),
            columns=columns,
            parts=self.chosen_parts(),
            encoding=self.text_row.encoding() if self.question.text is not None else None,
        )
