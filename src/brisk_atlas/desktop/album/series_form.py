"""Choosing the time series that the features of a plate have on the page."""

from __future__ import annotations

from collections.abc import Mapping
from typing import TYPE_CHECKING

from PyQt6.QtWidgets import QComboBox, QDialog, QDialogButtonBox, QFormLayout, QPushButton, QVBoxLayout, QWidget

from brisk_atlas.core.model.language import tr
from brisk_atlas.core.workspace.plates import PlateSeries, PlateView

from ..plain_text import PlainLabel

if TYPE_CHECKING:
    from brisk_atlas.core.model import Facts


class SeriesForm(QDialog):
    """Which layer, by which key, from which table; `series` is what was chosen, None for no series."""

    def __init__(
        self, view: PlateView, facts: Mapping[str, Facts], series: PlateSeries | None, parent: QWidget
    ) -> None:
        """`facts` are those of the layers and tables that can be chosen, by their ids."""
        from brisk_atlas.core.operations.album_series import guessed_series, layers_for_series

        super().__init__(parent)
        self.setWindowTitle(tr("Time series"))
        self._facts, self.series = facts, series
        self.layer, self.key, self.table, self.table_key, self.time, self.value = (QComboBox() for _ in range(6))
        layers, tables = layers_for_series(view)
        for box, found in ((self.layer, layers), (self.table, tables)):
            for layer in found:
                box.addItem(layer.name, layer.id)
        words = PlainLabel(
            tr("On the page a click on a feature shows its values over time, from a table that has its key.")
        )
        words.setWordWrap(True)
        form = QFormLayout()
        for text, box in ((tr("Features of"), self.layer), (tr("Their key"), self.key), (tr("Values from"), self.table),
                          (tr("Its key"), self.table_key), (tr("Time"), self.time),
                          (tr("Value"), self.value)):  # fmt: skip
            form.addRow(text, box)
        self.buttons = QDialogButtonBox(QDialogButtonBox.StandardButton.Ok | QDialogButtonBox.StandardButton.Cancel)
        self.none = QPushButton(tr("No series"))
        self.buttons.addButton(self.none, QDialogButtonBox.ButtonRole.ResetRole)
        column = QVBoxLayout(self)
        column.addWidget(words)
        column.addLayout(form)
        column.addWidget(self.buttons)
        self.layer.currentIndexChanged.connect(lambda at: self._fill_layer())
        self.table.currentIndexChanged.connect(lambda at: self._fill_table())
        self.buttons.accepted.connect(self._take)
        self.buttons.rejected.connect(self.reject)
        self.none.clicked.connect(lambda checked=False: self._clear())
        self._fill_layer()
        self._fill_table()
        proposed = series or guessed_series(view, facts)
        if proposed is not None:
            self._show(proposed)

    def _fill_layer(self) -> None:
        self.key.clear()
        if self.layer.currentData() is not None:
            facts = self._facts[self.layer.currentData()]
            self.key.addItems([field.name for field in facts.fields])

    def _fill_table(self) -> None:
        from brisk_atlas.core.operations.album_series import number_fields, time_fields

        for box in (self.table_key, self.time, self.value):
            box.clear()
        if self.table.currentData() is not None:
            facts = self._facts[self.table.currentData()]
            self.table_key.addItems([field.name for field in facts.fields])
            self.time.addItems(time_fields(facts))
            self.value.addItems(number_fields(facts))
        ok = self.buttons.button(QDialogButtonBox.StandardButton.Ok)
        assert ok is not None
        ok.setEnabled(bool(self.layer.count() and self.time.count() and self.value.count()))

    def _show(self, series: PlateSeries) -> None:
        for box, chosen in ((self.layer, series.layer), (self.table, series.table)):
            box.setCurrentIndex(max(0, box.findData(chosen)))
        for box, name in ((self.key, series.key), (self.table_key, series.table_key), (self.time, series.time),
                          (self.value, series.value)):  # fmt: skip
            box.setCurrentIndex(max(0, box.findText(name)))

    def _take(self) -> None:
        self.series = PlateSeries(
            self.layer.currentData(), self.key.currentText(), self.table.currentData(), self.table_key.currentText(),
            self.time.currentText(), self.value.currentText(),
        )  # fmt: skip
        self.accept()

    def _clear(self) -> None:
        self.series = None
        self.accept()
