"""The settings of a page: its sheet, the scale and grid of its map, and the pages that are made of features."""

from __future__ import annotations

from collections.abc import Mapping, Sequence
from typing import TYPE_CHECKING

from PyQt6.QtCore import pyqtSignal
from PyQt6.QtWidgets import QCheckBox, QComboBox, QFormLayout, QHBoxLayout, QLineEdit, QPushButton, QVBoxLayout, QWidget

from brisk_atlas.core.model.digit_groups import typed_number
from brisk_atlas.core.model.language import tr
from brisk_atlas.core.paper.layout import PagesByFeature, Paper, PaperGrid, PaperSize, scale_text

from ..plain_text import PlainLabel

if TYPE_CHECKING:
    from brisk_atlas.core.model import Layer

DOTS = (150, 200, 300, 400, 600)
GRIDS = {
    PaperGrid.NONE: tr("no grid"),
    PaperGrid.PROJECTED: tr("easting and northing"),
    PaperGrid.GEOGRAPHIC: tr("longitude and latitude"),
}
ONE_PAGE = tr("one page")


class PageForm(QWidget):
    """The settings of a paper.

    Signals:
        sheet_wanted(object, bool): another size, and whether it lies on its long side.
        scale_wanted(float): the number below one of another scale.
        fit_wanted(): the scale at which all of the plate is shown.
        grid_wanted(object): other lines of equal coordinates.
        dots_wanted(int): other dots in an inch.
        pages_wanted(object): pages by features, None for one page.
    """

    sheet_wanted = pyqtSignal(object, bool)
    scale_wanted = pyqtSignal(float)
    fit_wanted = pyqtSignal()
    grid_wanted = pyqtSignal(object)
    dots_wanted = pyqtSignal(int)
    pages_wanted = pyqtSignal(object)

    def __init__(self) -> None:
        super().__init__()
        self._filling = False
        self._fields: Mapping[str, Sequence[str]] = {}
        self.sheet, self.way, self.grid, self.dots = (QComboBox() for _ in range(4))
        self.sheet.addItems(list(PaperSize))
        self.way.addItems([tr("upright"), tr("wide")])
        for kind, words in GRIDS.items():
            self.grid.addItem(words, kind)
        for number in DOTS:
            self.dots.addItem(tr("{number} dots an inch", number=number), number)
        self.dots.setToolTip(tr("Of imagery and surfaces; lines and letters are sharp at any size"))
        self.scale = QLineEdit()
        self.scale.setObjectName("paper scale")
        self.fit = QPushButton(tr("Fit"))
        self.fit.setToolTip(tr("The round scale that shows all of the plate"))
        self.pages, self.name, self.order = (QComboBox() for _ in range(3))
        self.fits = QCheckBox(tr("Each at a scale that fits"))
        self.faded = QCheckBox(tr("Pale around the feature"))
        for widget, name in ((self.sheet, tr("Size of the paper")), (self.way, tr("Upright or wide")),
                             (self.grid, tr("Grid")),
                             (self.dots, tr("Dots an inch")), (self.scale, tr("Scale, the number below one")),
                             (self.pages, tr("Pages by")), (self.name, tr("Named by")),
                             (self.order, tr("Sorted by"))):  # fmt: skip
            widget.setAccessibleName(name)
        self._lay_out()
        self._connect()

    def _lay_out(self) -> None:
        self.form = QFormLayout()
        self.form.setFieldGrowthPolicy(QFormLayout.FieldGrowthPolicy.AllNonFixedFieldsGrow)
        self.map_rows = QWidget()
        size, scale = QHBoxLayout(), QHBoxLayout()
        size.addWidget(self.sheet, 1)
        size.addWidget(self.way, 1)
        scale.addWidget(PlainLabel("1 :"))
        scale.addWidget(self.scale, 1)
        scale.addWidget(self.fit)
        self.form.addRow(tr("Paper"), size)
        self.form.addRow(tr("Pixels"), self.dots)
        inner = QFormLayout(self.map_rows)
        inner.setContentsMargins(0, 0, 0, 0)
        inner.setFieldGrowthPolicy(QFormLayout.FieldGrowthPolicy.AllNonFixedFieldsGrow)
        inner.addRow(tr("Scale"), scale)
        inner.addRow(tr("Grid"), self.grid)
        inner.addRow(tr("Pages"), self.pages)
        self.page_rows = QWidget()
        rows = QFormLayout(self.page_rows)
        rows.setContentsMargins(0, 0, 0, 0)
        rows.setFieldGrowthPolicy(QFormLayout.FieldGrowthPolicy.AllNonFixedFieldsGrow)
        rows.addRow(tr("Named by"), self.name)
        rows.addRow(tr("Sorted by"), self.order)
        rows.addRow(self.fits)
        rows.addRow(self.faded)
        column = QVBoxLayout(self)
        column.setContentsMargins(0, 0, 0, 0)
        column.addLayout(self.form)
        column.addWidget(self.map_rows)
        column.addWidget(self.page_rows)

    def _connect(self) -> None:
        for box in (self.sheet, self.way):
            box.activated.connect(
                lambda at: self.sheet_wanted.emit(PaperSize(self.sheet.currentText()), self.way.currentIndex() == 1)
            )
        self.grid.activated.connect(lambda at: self.grid_wanted.emit(self.grid.itemData(at)))
        self.dots.activated.connect(lambda at: self.dots_wanted.emit(self.dots.itemData(at)))
        self.scale.editingFinished.connect(self._take_scale)
        self.fit.clicked.connect(lambda checked=False: self.fit_wanted.emit())
        self.pages.activated.connect(lambda at: self._layer_chosen())
        for box in (self.name, self.order):
            box.activated.connect(lambda at: self._take_pages())
        for check in (self.fits, self.faded):
            check.clicked.connect(lambda on: self._take_pages())

    def show_paper(self, paper: Paper, layers: Sequence[Layer], fields: Mapping[str, Sequence[str]]) -> None:
        """Show the settings of a paper. layers : those that pages can be by; fields : their fields, by layer id."""
        self._filling, self._fields = True, fields
        self.sheet.setCurrentText(paper.sheet)
        self.way.setCurrentIndex(int(paper.wide))
        self.grid.setCurrentIndex(self.grid.findData(paper.grid))
        if self.dots.findData(paper.dots) < 0:
            self.dots.addItem(tr("{dots} dots an inch", dots=paper.dots), paper.dots)
        self.dots.setCurrentIndex(self.dots.findData(paper.dots))
        self.scale.setText(scale_text(paper.scale))
        self.pages.clear()
        self.pages.addItem(ONE_PAGE, None)
        for layer in layers:
            self.pages.addItem(tr("each of {name}", name=layer.name), layer.id)
        pages = paper.pages
        self.pages.setCurrentIndex(max(0, self.pages.findData(pages.layer if pages is not None else None)))
        self.page_rows.setVisible(pages is not None)
        if pages is not None:
            self._fill_fields(pages.layer)
            self.name.setCurrentText(pages.name)
            self.order.setCurrentIndex(max(0, self.order.findData(pages.order)))
            self.fits.setChecked(pages.fits)
            self.faded.setChecked(pages.faded)
        self.scale.setEnabled(pages is None or not pages.fits)
        if pages is not None and pages.fits:
            self.scale.setText(tr("of each page its own"))
        self.fit.setEnabled(pages is None)
        self._filling = False

    def _fill_fields(self, layer: str) -> None:
        names = list(self._fields.get(layer, ()))
        self.name.clear()
        self.name.addItems(names)
        self.order.clear()
        self.order.addItem(tr("as they come"), "")
        for name in names:
            self.order.addItem(name, name)

    def _take_scale(self) -> None:
        text = typed_number(self.scale.text().replace(" ", "").removeprefix("1:"))
        try:
            scale = float(text)
        except ValueError:
            scale = 0.0
        if self._filling:
            return
        if 1e-3 <= scale <= 1e9:
            self.scale_wanted.emit(scale)
        else:
            self.scale.setToolTip(tr("A number, as 25,000"))
            self.scale.selectAll()

    def _layer_chosen(self) -> None:
        layer = self.pages.currentData()
        if layer is None:
            self.pages_wanted.emit(None)
            return
        names = self._fields.get(layer, ())
        likely = next((name for name in names if "name" in name.casefold()), names[0] if names else "")
        self.pages_wanted.emit(PagesByFeature(layer, likely))

    def _take_pages(self) -> None:
        layer = self.pages.currentData()
        if layer is not None and not self._filling:
            order = self.order.currentData() or ""
            self.pages_wanted.emit(PagesByFeature(layer, self.name.currentText(), order, self.fits.isChecked(),
                                                  self.faded.isChecked()))  # fmt: skip
