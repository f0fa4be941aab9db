"""Searching a catalogue of scenes: where, when, and with how many clouds at most."""

from __future__ import annotations

from PyQt6.QtCore import QDate, pyqtSignal
from PyQt6.QtWidgets import QCheckBox, QDateEdit, QDialog, QFormLayout, QHBoxLayout, QPushButton, QSpinBox, QWidget

from brisk_atlas.core.model import DataRef, Extent
from brisk_atlas.core.model.language import tr

from ..plain_text import PlainLabel

DEGREES = "EPSG:4326"


class SceneSearchForm(QDialog):
    """Each line counts only where its box is checked.

    Signals:
        searched(object): the reference to what is found, to list.
    """

    searched = pyqtSignal(object)

    def __init__(self, catalogue: DataRef, collection: str, around: Extent | None, parent: QWidget) -> None:
        super().__init__(parent)
        self.catalogue, self.collection = catalogue, collection
        self.around = self._in_degrees(around)
        self.setWindowTitle(tr("Search the catalogue"))
        self.setMinimumWidth(420)
        today = QDate.currentDate()
        self.here = QCheckBox(tr("in what the map shows"))
        self.here.setEnabled(self.around is not None)
        self.here.setChecked(self.around is not None)
        self.from_on, self.to_on, self.cloud_on = QCheckBox(), QCheckBox(), QCheckBox()
        self.first, self.last = QDateEdit(today.addYears(-1)), QDateEdit(today)
        for day in (self.first, self.last):
            day.setDisplayFormat("yyyy-MM-dd")
            day.setCalendarPopup(True)
        self.cloud = QSpinBox()
        self.cloud.setRange(0, 100)
        self.cloud.setValue(20)
        self.cloud.setSuffix(tr(" % clouds at most"))
        self.use = QPushButton(tr("Search"))
        self.use.setObjectName("main")
        self.use.setDefault(True)
        form = QFormLayout(self)
        form.addRow(PlainLabel(tr("{collection} in {address}", collection=collection, address=catalogue.address)))
        form.addRow(tr("Where"), self.here)
        lines: tuple[tuple[str, QCheckBox, QWidget], ...] = (
            (tr("From"), self.from_on, self.first), (tr("To"), self.to_on, self.last),
            (tr("Clouds"), self.cloud_on, self.cloud),
        )  # fmt: skip
        for words, check, box in lines:
            row = QHBoxLayout()
            row.addWidget(check)
            row.addWidget(box, 1)
            box.setEnabled(False)
            check.toggled.connect(box.setEnabled)
            check.setAccessibleName(words)
            form.addRow(words, row)
        form.addRow("", self.use)
        self.use.clicked.connect(self._take)

    @staticmethod
    def _in_degrees(around: Extent | None) -> tuple[float, float, float, float] | None:
        from brisk_atlas.core.place import transform_extent

        placed = transform_extent(around, DEGREES) if around is not None and around.crs else None
        return placed.bounds if placed is not None and placed.is_finite else None

    def _take(self) -> None:
        from brisk_atlas.core.connect.stac import SceneSearch

        first, last = (
            box.date().toPyDate() if check.isChecked() else None
            for check, box in ((self.from_on, self.first), (self.to_on, self.last))
        )
        search = SceneSearch(
            self.collection,
            self.around if self.here.isChecked() else None,
            first,
            last,
            float(self.cloud.value()) if self.cloud_on.isChecked() else None,
        )
        self.accept()
        self.searched.emit(search.place(self.catalogue))
