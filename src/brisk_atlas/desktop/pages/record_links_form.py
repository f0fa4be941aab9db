"""The links of a record, to go to the data that it describes."""

from __future__ import annotations

from typing import TYPE_CHECKING

from PyQt6.QtCore import pyqtSignal
from PyQt6.QtWidgets import QDialog, QHBoxLayout, QListWidget, QListWidgetItem, QPushButton, QVBoxLayout, QWidget

from brisk_atlas.core.model.language import tr

from ..plain_text import PlainLabel, plain_tip

if TYPE_CHECKING:
    from collections.abc import Sequence

    from brisk_atlas.core.find.record_links import DataLink

EMPTY = tr("The record links to nothing on the web.")


class RecordLinksForm(QDialog):
    """A line for each link, with where it leads below it.

    Signals:
        chosen(object): the reference that a link leads to.
    """

    chosen = pyqtSignal(object)

    def __init__(self, title: str, links: Sequence[DataLink], parent: QWidget) -> None:
        super().__init__(parent)
        self.links = links
        self.setWindowTitle(tr("Go to the data"))
        self.setMinimumSize(520, 300)
        head = PlainLabel(title if links else EMPTY)
        head.setWordWrap(True)
        self.list = QListWidget()
        self.list.setObjectName("record links")
        for link in links:
            item = QListWidgetItem(f"{link.title}\n{link.ref}")
            item.setToolTip(plain_tip(str(link.ref)))
            self.list.addItem(item)
        self.list.setCurrentRow(0)
        self.go = QPushButton(tr("Go there"))
        self.go.setObjectName("main")
        self.go.setDefault(True)
        self.go.setEnabled(bool(links))
        self.go.clicked.connect(self._take)
        self.list.itemActivated.connect(lambda item: self._take())
        row = QHBoxLayout()
        row.addStretch(1)
        row.addWidget(self.go)
        column = QVBoxLayout(self)
        column.addWidget(head)
        column.addWidget(self.list, 1)
        column.addLayout(row)

    def _take(self) -> None:
        number = self.list.currentRow()
        if 0 <= number < len(self.links):
            self.accept()
            self.chosen.emit(self.links[number].ref)
