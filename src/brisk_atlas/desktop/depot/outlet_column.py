"""One outlet: for whom, with which fields, rows and places, and what they see of it."""

from __future__ import annotations

from collections.abc import Callable, Sequence
from dataclasses import dataclass, replace
from datetime import UTC, datetime
from typing import TYPE_CHECKING

from PyQt6.QtCore import Qt, pyqtSignal
from PyQt6.QtWidgets import (
    QAbstractItemView,
    QCheckBox,
    QComboBox,
    QFormLayout,
    QFrame,
    QHBoxLayout,
    QHeaderView,
    QLineEdit,
    QPushButton,
    QSizePolicy,
    QTableWidget,
    QTableWidgetItem,
    QToolButton,
    QVBoxLayout,
    QWidget,
)

from brisk_atlas.core.depot.postings.rights import EVERYBODY, Right, circle_words, right_words
from brisk_atlas.core.model.digit_groups import typed_number
from brisk_atlas.core.model.language import tr

from ..later import Later
from ..plain_text import PlainLabel
from .choice_button import ChoiceButton

if TYPE_CHECKING:
    from brisk_atlas.core.depot.offering import OutletPreview
    from brisk_atlas.core.depot.postings.outlet import Outlet
    from brisk_atlas.core.depot.postings.outlet_ways import OfferedService
    from brisk_atlas.core.depot.postings.posting import PostedField, Posting
    from brisk_atlas.core.model import Extent

CHANGES = ("add", "change", "delete")
LATER_MS = 250  # after the last key, before what is seen is worked out
FIELDS_PX, PREVIEW_PX = 132, 96
USED, NAME, DECIMALS = range(3)


class BadWish(ValueError):
    """What was typed can't be an outlet, with the reason."""


@dataclass(frozen=True)
class PostingShape:
    """What outlets of a posting can be made of."""

    posting: Posting

    @property
    def fields(self) -> tuple[PostedField, ...]:
        return self.posting.fields

    @property
    def has_area(self) -> bool:
        """Whether some of it can be chosen by a box."""
        return self.posting.crs is not None and (self.posting.has_shapes or bool(self.posting.file))

    @property
    def unit(self) -> str:
        """What places of rows are measured in, "" without any."""
        from brisk_atlas.core.place import metres_per_unit

        if not self.posting.has_shapes:
            return ""
        crs = self.posting.crs
        return tr("metres") if crs is not None and metres_per_unit(crs) == 1.0 else tr("units of its CRS")


class OutletColumn(QFrame):
    """The form of an outlet above its preview.

    Signals:
        edited(): something was typed or chosen.
        remove_wanted(): it is not to be offered.
    """

    edited = pyqtSignal()
    remove_wanted = pyqtSignal()

    def __init__(
        self, shape: PostingShape, circles: Sequence[str], outlet: Outlet, view: Callable[[], Extent | None],
    ) -> None:  # fmt: skip
        """`view` is what gives the extent that the Desk shows."""
        from brisk_atlas.core.depot.postings.outlet_ways import PROTOCOLS, forms_of, services_of

        super().__init__()
        self._view = view
        self.setObjectName("card")
        self.shape_, self.outlet = shape, outlet
        self._later = Later(self, LATER_MS, self.edited)
        self.title = QLineEdit(outlet.title)
        self.title.setObjectName("outlet title")
        self.title.setPlaceholderText(tr("Title of the outlet"))
        self.remove = QToolButton()
        self.remove.setText(tr("Remove"))
        self.remove.clicked.connect(lambda checked=False: self.remove_wanted.emit())
        head = QHBoxLayout()
        head.addWidget(self.title, 1)
        head.addWidget(self.remove)
        self.circle = QComboBox()
        self.circle.setObjectName("circle")
        self.circle.setEditable(True)
        self.circle.addItems([tr("everybody"), *(each for each in circles if each != EVERYBODY)])
        self.rights = {name: QCheckBox(right_words(Right(name))) for name in CHANGES}
        self.own_rows = QCheckBox(tr("own rows only"))
        self.own_rows.setToolTip(tr("Rows are changed and deleted by those alone who added them"))
        rights = QHBoxLayout()
        rights.addWidget(PlainLabel(tr("read")))
        rights.addSpacing(10)
        for box in self.rights.values():
            rights.addWidget(box)
        rights.addStretch(1)
        self.fields = self._fields_table()
        self.where, self.blur, self.until = QLineEdit(outlet.where), QLineEdit(), QLineEdit()
        self.where.setPlaceholderText(tr("all, or an SQL condition such as floors > 1"))
        self.where.setObjectName("outlet rows")
        self.blur.setPlaceholderText(tr("exact, or put on a grid of so many {unit}", unit=shape.unit))
        self.blur.setText(f"{outlet.blur:g}" if outlet.blur else "")
        self.until.setPlaceholderText(tr("for good, or a day such as 2032-12-31"))
        self.until.setText(outlet.until.date().isoformat() if outlet.until is not None else "")
        self.area, self.bands, self.of_view = QLineEdit(), QLineEdit(), QPushButton(tr("The view"))
        self.area.setPlaceholderText(tr("anywhere, or a box: xmin, ymin, xmax, ymax"))
        self.area.setObjectName("outlet area")
        self.area.setText(", ".join(f"{side:.12g}" for side in outlet.area or ()))
        self.of_view.setEnabled(view() is not None)
        self.of_view.setToolTip(tr("The extent that the Desk shows, in {crs}", crs=shape.posting.crs))
        self.of_view.clicked.connect(lambda checked=False: self._take_view())
        self.bands.setPlaceholderText(tr("all, or some such as 1, 3"))
        self.bands.setText(", ".join(map(str, outlet.bands)))
        within, ways = QHBoxLayout(), QHBoxLayout()
        within.addWidget(self.area, 1)
        within.addWidget(self.of_view)
        services = [(each.value, f"{each.value}: {PROTOCOLS[each]}") for each in services_of(shape.posting)]
        forms = forms_of(shape.posting)
        named = [(key, f"{form.name}{f': {form.ending}' if form.ending else ''}") for key, form in forms.items()]
        self.services = ChoiceButton(services, outlet.services, tr("all services"), tr("its page alone"))
        self.downloads = ChoiceButton(
            named, tuple(forms) if outlet.downloads is None else outlet.downloads,
            tr("as a file") if len(named) == 1 else tr("{count} file formats", count=len(named)), tr("no files"),
        )  # fmt: skip
        self.services.setAccessibleName(tr("Services"))
        self.downloads.setAccessibleName(tr("Files"))
        ways.addWidget(self.services, 1)
        ways.addWidget(self.downloads, 1)
        form = QFormLayout()
        form.setContentsMargins(0, 0, 0, 0)
        form.setVerticalSpacing(6)
        form.addRow(tr("For"), self.circle)
        form.addRow(tr("May"), _held(rights))
        form.addRow("", self.own_rows)
        form.addRow(tr("Fields"), self.fields)
        form.addRow(tr("Rows"), self.where)
        form.addRow(tr("Places"), self.blur)
        area, handed = _held(within), _held(ways)
        form.addRow(tr("Within"), area)
        form.addRow(tr("Bands"), self.bands)
        form.addRow(tr("By"), handed)
        form.addRow(tr("Until"), self.until)
        self.seen = PlainLabel("")
        self.seen.setObjectName("heading")
        self.seen.setWordWrap(True)
        self.preview = QTableWidget()
        self.preview.setTabKeyNavigation(False)
        self.preview.setObjectName("outlet preview")
        self.preview.setEditTriggers(QAbstractItemView.EditTrigger.NoEditTriggers)
        self.preview.setSelectionMode(QAbstractItemView.SelectionMode.NoSelection)
        self.preview.setFocusPolicy(Qt.FocusPolicy.NoFocus)
        self.preview.setSizePolicy(QSizePolicy.Policy.Ignored, QSizePolicy.Policy.Ignored)
        self.preview.setMinimumHeight(PREVIEW_PX)
        without_numbers(self.preview)
        column = QVBoxLayout(self)
        column.setContentsMargins(10, 10, 10, 10)
        column.setSpacing(8)
        column.addLayout(head)
        column.addLayout(form)
        self.downloads.setVisible(bool(named))  # all of these within the column, else they would be windows
        form.setRowVisible(self.blur, bool(shape.unit))
        form.setRowVisible(area, shape.has_area)
        form.setRowVisible(self.bands, shape.posting.file.endswith(".tif"))
        for each in (self.fields, self.where):
            form.setRowVisible(each, shape.posting.has_rows)
        form.setRowVisible(self.own_rows, shape.posting.has_rows)
        for box in self.rights.values():
            box.setVisible(shape.posting.has_rows)
        column.addWidget(self.seen)
        column.addWidget(self.preview, 1)
        self._take(outlet)
        self._listen()

    def _fields_table(self) -> QTableWidget:
        table = QTableWidget(len(self.shape_.fields), 3)
        table.setTabKeyNavigation(False)
        table.setObjectName("outlet fields")
        table.setHorizontalHeaderLabels([tr("Field"), tr("Shown as"), tr("Decimals")])
        table.setFixedHeight(FIELDS_PX)
        head = table.horizontalHeader()
        assert head is not None
        head.setSectionResizeMode(USED, QHeaderView.ResizeMode.Stretch)
        head.setSectionResizeMode(NAME, QHeaderView.ResizeMode.Stretch)
        without_numbers(table)
        return table

    def _take(self, outlet: Outlet) -> None:
        shown = {each.source: each for each in outlet.fields}
        for row, field in enumerate(self.shape_.fields):
            each = shown.get(field.name)
            used = QTableWidgetItem(field.name)
            used.setFlags(Qt.ItemFlag.ItemIsUserCheckable | Qt.ItemFlag.ItemIsEnabled)
            used.setCheckState(Qt.CheckState.Checked if each is not None else Qt.CheckState.Unchecked)
            self.fields.setItem(row, USED, used)
            self.fields.setItem(row, NAME, QTableWidgetItem(each.name if each is not None else field.name))
            decimals = str(each.decimals) if each is not None and each.decimals is not None else ""
            self.fields.setItem(row, DECIMALS, QTableWidgetItem(decimals))
        circle, rights = outlet.rights[0] if outlet.rights else (EVERYBODY, frozenset())
        self.circle.setCurrentText(circle_words(circle))
        for name, box in self.rights.items():
            box.setChecked(name in rights)
        self.own_rows.setChecked(outlet.own_rows)

    def _listen(self) -> None:
        for line in (self.title, self.where, self.blur, self.until, self.area, self.bands):
            line.textEdited.connect(lambda text: self._later.start())
        self.circle.currentTextChanged.connect(lambda text: self._later.start())
        self.fields.itemChanged.connect(lambda item: self._later.start())
        for box in (*self.rights.values(), self.own_rows):
            box.toggled.connect(lambda on: self._later.start())
        for button in (self.services, self.downloads):
            button.edited.connect(self._later.start)

    def _take_view(self) -> None:
        """Have the area be what the Desk shows."""
        from brisk_atlas.core.place import transform_extent

        seen, crs = self._view(), self.shape_.posting.crs
        placed = transform_extent(seen, crs) if seen is not None and crs is not None else None
        if placed is None:
            return
        self.area.setText(", ".join(f"{side:.9g}" for side in placed.bounds))
        self.area.setCursorPosition(0)
        self._later.start()

    def _area(self) -> tuple[float, float, float, float] | None:
        text = self.area.text().strip()
        if not text:
            return None
        try:
            xmin, ymin, xmax, ymax = map(float, text.split(","))
        except ValueError:
            raise BadWish(tr("The box is written xmin, ymin, xmax, ymax, in units of its CRS")) from None
        return xmin, ymin, xmax, ymax

    def _ways(self) -> tuple[tuple[OfferedService, ...], tuple[str, ...] | None]:
        """Return the services that are chosen, with those that the posting does not have, and the formats."""
        from brisk_atlas.core.depot.postings.outlet_ways import ALL_SERVICES, OfferedService

        services = ALL_SERVICES if self.services.is_all else tuple(map(OfferedService, self.services.chosen))
        return services, None if self.downloads.is_all else self.downloads.chosen

    def wished(self) -> Outlet:
        """Return the outlet as it stands here. Raises BadWish."""
        from brisk_atlas.core.depot.postings.outlet import OutletField

        fields = []
        for row, field in enumerate(self.shape_.fields):
            used, name, decimals = (self._text(row, column) for column in (USED, NAME, DECIMALS))
            item = self.fields.item(row, USED)
            if item is None or item.checkState() != Qt.CheckState.Checked:
                continue
            if decimals and not decimals.isdigit():
                raise BadWish(tr("{used}: decimals are a whole number", used=used))
            fields.append(OutletField(field.name, name or field.name, int(decimals) if decimals else None))
        circle = self.stated_circle
        if not circle:
            raise BadWish(tr("It is for nobody yet: name a circle"))
        rights = {Right.READ} | {Right(name) for name, box in self.rights.items() if box.isChecked()}
        blur, until = typed_number(self.blur.text()), self.until.text().strip()
        try:
            size = float(blur) if blur else 0.0
        except ValueError:
            raise BadWish(tr("The grid for places is a number")) from None
        try:
            day = datetime.fromisoformat(until).replace(tzinfo=UTC) if until else None
        except ValueError:
            raise BadWish(tr("The day is written like 2032-12-31")) from None
        try:
            bands = tuple(int(each) for each in self.bands.text().split(",") if each.strip())
        except ValueError:
            raise BadWish(tr("Bands are written by their numbers, such as 1, 3")) from None
        others = self.outlet.rights[1:]
        services, downloads = self._ways()
        return replace(
            self.outlet, title=self.title.text().strip() or tr("Untitled"), fields=tuple(fields),
            rights=((circle, frozenset(rights)), *others), where=self.where.text().strip(), blur=size, until=day,
            own_rows=self.own_rows.isChecked(), area=self._area(), bands=bands, services=services,
            downloads=downloads,
        )  # fmt: skip

    def _text(self, row: int, column: int) -> str:
        item = self.fields.item(row, column)
        return item.text().strip() if item is not None else ""

    @property
    def stated_circle(self) -> str:
        """The circle that was chosen or typed, as it is stored."""
        typed = self.circle.currentText().strip()
        return EVERYBODY if typed == tr("everybody") else typed

    def show_preview(self, found: OutletPreview, *, sampled: bool) -> None:
        """Show what the outlet shows."""
        from brisk_atlas.core.depot.page_words import counted_rows

        count = counted_rows(found.count)
        who = (
            tr("Everybody")
            if self.stated_circle == EVERYBODY
            else tr("The circle {currenttext}", currenttext=self.circle.currentText())
        )
        self.seen.setText(
            tr(
                "{who} sees {count}{what}",
                who=who,
                count=count,
                what=tr(" of the first rows that were tried") if sampled else "",
            )
        )
        fill_preview(self.preview, found)

    def show_whole(self) -> None:
        """Say how much of a file or a record is seen."""
        who = (
            tr("Everybody")
            if self.stated_circle == EVERYBODY
            else tr("The circle {currenttext}", currenttext=self.circle.currentText())
        )
        what = (
            tr("all of it")
            if not self.area.text().strip() and not self.bands.text().strip()
            else tr("what is chosen of it")
        )
        self.seen.setText(tr("{who} sees {what}", who=who, what=what))
        self.preview.hide()

    def show_fault(self, words: str) -> None:
        """Say why it can't be offered so."""
        self.seen.setText(words)
        self.preview.setRowCount(0)


def fill_preview(table: QTableWidget, found: OutletPreview) -> None:
    """Show the first rows of an outlet in a table."""
    table.clear()
    table.setColumnCount(len(found.fields))
    table.setRowCount(len(found.rows))
    table.setHorizontalHeaderLabels(list(found.fields))
    for at, row in enumerate(found.rows):
        for column, value in enumerate(row):
            item = QTableWidgetItem("" if value is None else str(value))
            if isinstance(value, (int, float)) and not isinstance(value, bool):
                item.setTextAlignment(Qt.AlignmentFlag.AlignRight | Qt.AlignmentFlag.AlignVCenter)
            table.setItem(at, column, item)
    table.resizeColumnsToContents()


def without_numbers(table: QTableWidget) -> None:
    """Have no numbers before the rows of a table."""
    head = table.verticalHeader()
    assert head is not None
    head.hide()
    head.setDefaultSectionSize(24)


def _held(layout: QHBoxLayout) -> QWidget:
    widget = QWidget()
    layout.setContentsMargins(0, 0, 0, 0)
    widget.setLayout(layout)
    return widget
