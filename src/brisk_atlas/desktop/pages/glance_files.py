"""The files of a dataset: roles, sizes, dates, what is missing, and locks."""

from __future__ import annotations

from html import escape
from typing import TYPE_CHECKING

from PyQt6.QtCore import Qt, pyqtSignal
from PyQt6.QtGui import QColor
from PyQt6.QtWidgets import QHeaderView, QMessageBox, QPushButton, QTreeWidget, QTreeWidgetItem, QVBoxLayout, QWidget

from brisk_atlas.core.model import AtlasError, size_text
from brisk_atlas.core.model.date_words import day_text
from brisk_atlas.core.model.language import tr

from ..plain_text import plain_box, plain_tip
from ..session import Session
from ..theme import LIGHT, Theme

if TYPE_CHECKING:
    from datetime import datetime

    from brisk_atlas.core.find import Anatomy
    from brisk_atlas.core.find.locks import Lock

LOCK = Qt.ItemDataRole.UserRole
TITLES = (tr("File, and what it is for"), tr("Size"), tr("Changed"))


class GlanceFiles(QWidget):
    """Every file of a dataset, a line each, with what is wrong below it.

    Signals:
        deleted(): a lock file was deleted.
    """

    deleted = pyqtSignal()

    def __init__(self, session: Session) -> None:
        super().__init__()
        self.session = session
        self.theme: Theme = LIGHT
        self._anatomy: Anatomy | None = None
        self.tree = QTreeWidget()
        self.tree.setObjectName("files")
        self.tree.setHeaderLabels(list(TITLES))
        self.tree.setRootIsDecorated(False)
        self.tree.setIndentation(14)
        self.tree.setWordWrap(True)
        header = self.tree.header()
        assert header is not None
        header.setStretchLastSection(False)
        for i, mode in enumerate(("Stretch", "ResizeToContents", "ResizeToContents")):
            header.setSectionResizeMode(i, QHeaderView.ResizeMode[mode])
        self.delete = QPushButton(tr("Delete the stale lock…"))
        self.delete.setObjectName("delete lock")
        self.delete.setVisible(False)
        column = QVBoxLayout(self)
        column.setContentsMargins(0, 4, 0, 0)
        column.addWidget(self.tree, 1)
        column.addWidget(self.delete)
        self.delete.clicked.connect(self.delete_lock)
        self.tree.currentItemChanged.connect(lambda item, before: self._offer())

    def show_anatomy(self, anatomy: Anatomy | None) -> None:
        self._anatomy = anatomy
        self.tree.clear()
        if anatomy is not None:
            for member in anatomy.members:
                item = self._line(member.ref.name, member.role, size_text(member.size_bytes), member.modified)
                item.setToolTip(0, plain_tip(str(member.ref)))
                if member.remark:
                    self._remark(item, member.remark, self.theme.caution)
            for text in anatomy.missing:
                name, _, why = text.partition(": ")
                item = self._line(name, "missing" if why else "", "", None)
                item.setForeground(0, QColor(self.theme.fault))
                if why:
                    self._remark(item, why, self.theme.fault)
            for lock in anatomy.locks:
                looks = tr("lock file; it looks stale") if lock.stale else tr("lock file of another program")
                item = self._line(lock.path.name, looks, "", lock.modified)
                item.setData(0, LOCK, lock)
                item.setForeground(0, QColor(self.theme.caution))
                self._remark(item, tr("held by: {holder}; {why}", holder=lock.holder, why=lock.why), self.theme.caution)
        self.tree.expandAll()
        self._offer()

    def _line(self, name: str, role: str, size: str, modified: datetime | None) -> QTreeWidgetItem:
        date = f"{day_text(modified)}\n{modified:%H:%M}" if modified is not None else ""
        item = QTreeWidgetItem([f"{name}\n{role}" if role else name, size, date])
        item.setTextAlignment(1, Qt.AlignmentFlag.AlignRight | Qt.AlignmentFlag.AlignTop)
        item.setTextAlignment(2, Qt.AlignmentFlag.AlignLeft | Qt.AlignmentFlag.AlignTop)
        self.tree.addTopLevelItem(item)
        return item

    def _remark(self, item: QTreeWidgetItem, text: str, colour: str) -> None:
        child = QTreeWidgetItem([text])
        child.setForeground(0, QColor(colour))
        child.setToolTip(0, plain_tip(text))
        item.addChild(child)
        child.setFirstColumnSpanned(True)

    def _stale(self) -> Lock | None:
        """Return the stale lock that the analyst is on, or the first."""
        locks = [lock for lock in self._anatomy.locks if lock.stale] if self._anatomy else []
        item = self.tree.currentItem()
        on = item.data(0, LOCK) if item is not None else None
        return on if on in locks else (locks[0] if locks else None)

    def _offer(self) -> None:
        lock = self._stale()
        self.delete.setVisible(lock is not None)
        if lock is not None:
            self.delete.setText(tr("Delete {name}…", name=lock.path.name))

    def delete_lock(self) -> None:
        """Delete a stale lock, once the analyst has agreed."""
        lock = self._stale()
        if lock is None:
            return
        from brisk_atlas.core.find.locks import delete_stale

        box = plain_box(
            self, tr("Delete a lock file"), tr("Delete {name}?", name=lock.path.name), QMessageBox.Icon.Warning
        )
        box.setInformativeText(
            tr(
                "Held by: {holder}. It looks stale: {why}. If a program is still at work on the data, "
                "somebody else's changes can be lost.",
                holder=escape(lock.holder),
                why=lock.why,
            )
        )
        delete = box.addButton(tr("Delete it"), QMessageBox.ButtonRole.DestructiveRole)
        box.addButton(tr("Keep it"), QMessageBox.ButtonRole.RejectRole)
        box.exec()
        if box.clickedButton() is not delete:
            return
        try:
            delete_stale(lock)
        except AtlasError as error:
            self.session.fault(error)
            return
        self.session.noticed.emit("good", tr("Deleted {name}", name=lock.path.name), "")
        self.deleted.emit()
