"""Asking for the password of a database. It is remembered for this run, and in the system's keyring if wanted."""

from __future__ import annotations

from PyQt6.QtCore import pyqtSignal
from PyQt6.QtWidgets import QCheckBox, QDialog, QFormLayout, QLineEdit, QPushButton, QWidget

from brisk_atlas.core.model import DataRef
from brisk_atlas.core.model.passwords import remember

from ..plain_text import PlainLabel


class PasswordForm(QDialog):
    """One line for the password.

    Signals:
        stated(): it was typed, and is known now.
    """

    stated = pyqtSignal()

    def __init__(self, place: DataRef, reason: str, parent: QWidget) -> None:
        super().__init__(parent)
        self.place = place
        self.setWindowTitle("Password")
        self.setMinimumWidth(420)
        address = PlainLabel(place.place)
        address.setWordWrap(True)
        why = PlainLabel(reason)
        why.setObjectName("quiet")
        why.setWordWrap(True)
        self.password = QLineEdit()
        self.password.setObjectName("password")
        self.password.setEchoMode(QLineEdit.EchoMode.Password)
        self.store = QCheckBox("Store it in the system's keyring")
        self.use = QPushButton("Connect")
        self.use.setObjectName("main")
        self.use.setDefault(True)
        form = QFormLayout(self)
        form.addRow("Database", address)
        form.addRow("", why)
        form.addRow("Password", self.password)
        form.addRow("", self.store)
        form.addRow("", self.use)
        self.use.clicked.connect(self._take)

    def _take(self) -> None:
        password = self.password.text()
        self.password.clear()
        if self.store.isChecked():
            from brisk_atlas.core.connect.keyring_store import store_password

            store_password(self.place.place, password)
        else:
            remember(self.place.place, password)
        self.accept()
        self.stated.emit()
