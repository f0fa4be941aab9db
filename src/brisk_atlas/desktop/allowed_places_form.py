"""The hosts and folders that files may point at, as they were allowed one by one; each can be taken back."""

from __future__ import annotations

from PyQt6.QtWidgets import QDialog, QHBoxLayout, QPushButton, QVBoxLayout, QWidget

from brisk_atlas.core.model.language import tr
from brisk_atlas.core.read.permissions import allowed_places, disallow

from .deletable_list import DeletableList
from .plain_text import PlainLabel

SIZE_PX = (480, 380)


class AllowedPlacesForm(QDialog):
    """Lists them; what is removed is asked for again when a file, a project or a link points at it."""

    def __init__(self, parent: QWidget) -> None:
        super().__init__(parent)
        self.setWindowTitle(tr("Allowed hosts and folders"))
        self.resize(*SIZE_PX)
        why = PlainLabel(
            tr(
                "Servers that you asked for, and hosts and folders that you allowed files to point at. "
                "What you remove is asked for again."
            )
        )
        why.setWordWrap(True)
        why.setObjectName("quiet")
        self.places = DeletableList()
        self.places.setObjectName("allowed places")
        self.places.setAccessibleName(tr("Allowed hosts and folders"))
        self.places.setSelectionMode(DeletableList.SelectionMode.ExtendedSelection)
        self.none = PlainLabel(tr("Nothing was allowed so far: no file reaches beyond its own folder."))
        self.none.setWordWrap(True)
        self.remove, self.close_button = QPushButton(tr("Remove")), QPushButton(tr("Close"))
        self.close_button.setObjectName("main")
        row = QHBoxLayout()
        row.addWidget(self.remove)
        row.addStretch(1)
        row.addWidget(self.close_button)
        column = QVBoxLayout(self)
        column.setSpacing(10)
        column.addWidget(why)
        column.addWidget(self.none)
        column.addWidget(self.places, 1)
        column.addLayout(row)
        self.remove.clicked.connect(self._remove)
        self.places.delete_pressed.connect(self._remove)
        self.places.itemSelectionChanged.connect(self._selected)
        self.close_button.clicked.connect(self.accept)
        self._fill()

    def _fill(self) -> None:
        self.places.clear()
        self.places.addItems(sorted(allowed_places()))
        self.none.setVisible(not self.places.count())
        self.places.setVisible(bool(self.places.count()))
        self.places.setCurrentRow(0)
        self._selected()

    def _selected(self) -> None:
        self.remove.setEnabled(bool(self.places.selectedItems()))

    def _remove(self) -> None:
        disallow([item.text() for item in self.places.selectedItems()])
        self._fill()
